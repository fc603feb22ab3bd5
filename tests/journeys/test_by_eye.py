"""Tests without any board: what is read off weight, pointer, clock and meters is typed."""

import json


def read(demo, *figures):
    for figure in figures:
        demo.enter(figure)


def kept(demo):
    """What was read, run by run."""
    rows = demo.rows("SELECT record FROM runs WHERE recording = '' ORDER BY id")
    return [json.loads(record) for (record,) in rows]


def test_a_hoist_read_by_eye_by_keyboard_alone(demo):
    demo.page("Run")
    demo.key("ctrl+t")
    demo.until(lambda: demo.state()["runs"] == 0, "a new test is begun")
    demo.key("ctrl+y")
    demo.until(lambda: demo.state()["focus"] == "Turned", "it asks for the angle")
    read(demo, "1586 deg", "2.0", "12.1234 ± 0.1", "0.62")
    demo.until(lambda: len(kept(demo)) == 1, "the first lift is kept")
    demo.until(lambda: demo.state()["focus"] == "Turned", "the next figure is waited for")
    read(demo, "1570 deg", "2.0", "12.1", "0.63")
    demo.until(lambda: len(kept(demo)) == 2, "and the second, without touching the mouse")
    first, second = kept(demo)
    assert (first["source"], second["repeat"]) == ("eye", 2)
    assert first["read"]["voltage"] == "12.1234 ± 0.1 V"
    assert second["read"]["time"] == "2 ± 0.2 s"  # ± as usual, for a figure without
    demo.until(lambda: demo.state()["has_result"], "there are results")
    demo.key("alt+s")
    demo.until(lambda: len(kept(demo)) == 3, "a stall is kept too")
    assert kept(demo)[2]["ended"] == "stalled"
    demo.key("ctrl+z")
    demo.until(lambda: demo.state()["redo"] == "run read by eye", "the stall is taken back")
    assert demo.rows("SELECT struck FROM runs ORDER BY id DESC LIMIT 1") == [(1,)]
    demo.key("ctrl+y")
    demo.until(lambda: not demo.widgets("Turned"), "the live figures are back")


def test_what_was_misread_is_put_right(demo):
    demo.page("Run")
    demo.key("ctrl+t")
    demo.until(lambda: demo.state()["runs"] == 0, "a new test is begun")
    demo.key("ctrl+y")
    demo.until(lambda: demo.state()["focus"] == "Turned", "it asks for the angle")
    read(demo, "abc")
    assert demo.state()["focus"] == "Turned"
    read(demo, "1586 deg", "20", "12.1", "0.62")
    demo.until(lambda: len(kept(demo)) == 1, "kept")
    demo.item("Runs", "1586", times=2)
    demo.until(lambda: demo.widgets("Leave as it was"), "it is open to be put right")
    demo.press("Leave as it was")
    demo.until(lambda: not demo.widgets("Leave as it was"), "or left")
    demo.item("Runs", "1586", times=2)
    demo.until(lambda: demo.state()["focus"] == "Turned", "once more")
    demo.key("Return")
    demo.until(lambda: demo.state()["focus"] == "Time", "on to the time")
    read(demo, "2.0", "12.1", "0.62")
    demo.until(lambda: kept(demo)[0]["read"]["time"] == "2 ± 0.2 s", "the time is put right")
    assert len(kept(demo)) == 1
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "it is reduced")
    demo.item("Points", "0.50 kg")
    demo.tab("Recording")
    demo.until(
        lambda: any("read by eye: turned 1586" in w.get("text", "") for w in demo.ask("widgets")),
        "what was read stands where a recording would",
    )
