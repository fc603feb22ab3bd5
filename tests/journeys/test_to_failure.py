"""What breaks, and what a person sees beside the board: by keyboard alone, on the simulated
bench.
"""

import json

from desktop import space


def runs(demo):
    """Of the newest test, as they are kept."""
    rows = demo.rows(
        "SELECT record FROM runs WHERE test_id = (SELECT max(id) FROM tests) ORDER BY id"
    )
    return [json.loads(record) for (record,) in rows]


def command(demo, name):
    """By the finder of commands."""
    demo.key("ctrl+period")
    demo.until(lambda: demo.state()["dialog"], "the finder is open")
    demo.type(name)
    demo.key("Return")


def test_to_failure_the_breakage_stops_it_the_part_is_named_and_replaced(demo):
    demo.key("alt+1", "ctrl+t", "alt+3", "ctrl+l", "ctrl+a")
    demo.enter("to failure (stage 2 pinion), loads 1, 2 kg, at 12 V, 2 times")
    demo.key("alt+4")
    space(demo, "Connect")
    space(demo, "Tare")
    demo.until(lambda: demo.state()["tared"], "it is tared")
    command(demo, "Rehearse on the simulated bench: something broke")
    space(demo, "Tare")
    demo.until(lambda: demo.state()["tared"], "the bench that was set up again is tared")
    space(demo, "Hang 1.00 kg")
    demo.until(lambda: demo.widgets("What broke?"), "it has stopped, and the part is asked for")
    demo.key("1")
    demo.until(lambda: [r["broke"][:5] for r in runs(demo)] == ["stage"], "its part is kept")
    (run,) = runs(demo)
    assert (run["ended"], run["kind"]) == ("stopped", "to failure")
    assert [e["id"] for e in run["events"]] == ["breakage"]
    if demo.widgets("Lower the hook", "KeyButton"):
        space(demo, "Lower the hook")
    space(demo, "Replaced: go on")
    demo.until(
        lambda: any("1.00 kg" in b["text"] for b in demo.widgets(kind="KeyButton")),
        "the second specimen begins with the lightest load",
    )


def test_what_a_person_sees_is_kept_beside_what_the_board_records(demo):
    demo.key("alt+1", "ctrl+t", "alt+4")
    space(demo, "Connect")
    space(demo, "Tare")
    demo.until(lambda: demo.state()["tared"], "it is tared")
    space(demo, "Hang 0.50 kg")
    demo.until(lambda: any("Lifting" in b["text"] for b in demo.widgets(kind="KeyButton")), "lifts")
    demo.key("e")
    demo.until(lambda: demo.widgets("Skipped"), "it asks what happened")
    demo.key("4")
    demo.until(
        lambda: [[e["id"] for e in r["events"]] for r in runs(demo)] == [["skip"]],
        "what was seen is kept with the run",
    )
    assert runs(demo)[0]["source"] == "simulated"
    # the same test goes on without the board
    demo.until(lambda: any("again" in b["text"] for b in demo.widgets(kind="KeyButton")), "at rest")
    demo.key("ctrl+y")
    demo.until(lambda: demo.state()["focus"] == "Turned", "it asks for the angle")
    demo.key("alt+w")
    demo.until(lambda: demo.widgets("Slipping"), "it asks what happened")
    demo.key("5")
    demo.until(lambda: demo.state()["focus"] == "Turned", "and goes on with the figures")
    for figure in ("1586 deg", "2.0", "12.1", "0.62"):
        demo.enter(figure)
    demo.until(lambda: len(runs(demo)) == 2, "the run is kept")
    second = runs(demo)[1]
    assert (second["source"], second["repeat"]) == ("eye", 2)
    assert [e["id"] for e in second["events"]] == ["slip"]
    demo.key("alt+5")
    demo.until(
        lambda: any("2" in t for w in demo.widgets("Points") for t in w.get("items", {})),
        "both count as one step",
    )
