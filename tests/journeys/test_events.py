"""What happens in a run, rehearsed on the simulated bench: said, marked, kept, found again."""

import json

from desktop import space


def test_an_event_is_said_marked_kept_and_found_in_the_recording(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.key("ctrl+t")
    for n, (event, seen) in enumerate(
        (("Skipped", "The load falls"), ("Jammed", "It stopped at once")), start=1
    ):
        demo.menu("Bench ▸ Rehearse an event", event)
        demo.until(lambda: demo.state()["page"] == "Run", "it leads to Run")
        space(demo, "Tare")
        demo.until(lambda: demo.state()["tared"], "it is tared")
        space(demo, "Hang")
        demo.until(
            lambda said=f"{event}: {seen}": said in demo.state()["message"],
            "it is said while it goes on",
        )
        demo.until(lambda n=n: demo.state()["runs"] == n, "the run is kept")
    runs = [json.loads(r) for (r,) in demo.rows("SELECT record FROM runs ORDER BY id DESC LIMIT 2")]
    assert [[e["id"] for e in r["events"]] for r in runs] == [["jam"], ["skip"]]
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "there is a result")
    demo.until(
        lambda: (
            any(
                "Skipped during a run" in t
                for w in demo.widgets("List of findings")
                for t in w.get("items", {})
            )
            or demo.widgets("caution: Skipped during a run")
        ),
        "it is a finding",
    )
    demo.item("Points", "0.50 kg")
    demo.tab("Recording")
    demo.until(lambda: demo.widgets("Recording of the selected run"), "its recording is shown")
