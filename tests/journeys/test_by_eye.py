"""Tests without any board: what is read off weight, pointer, clock and meters is typed."""

import json

import pytest
from desktop import Program, home_with_demo

from sparring.files import eye_files

FIGURES = {  # of a run, as a tester types them
    "Hoist": ("1586 deg", "2.0", "12.1", "0.62"),
    "Lever": (),
    "Brake": ("5 turns", "3.0", "4.2 ± 0.1", "12", "0.9"),
    "Drawbar": ("5 turns", "3.0", "between 8 and 8.4", "12", "0.9"),
    "Run-up": ("100 rpm", "300 rpm", "240 frames at 120", "300 rpm", "200 rpm", "9", "12", "1.1"),
    "Generator": ("5 turns", "3.0", "4.4", "0.35", "12", "0.9"),
    "Rope": ("5 turns", "3.0", "20", "2", "12", "0.9"),
    "Arm": ("1.05 kg", "50 g", "6", "1.0"),
}


def read(demo, *figures):
    for figure in figures:
        demo.enter(figure)


def kept(demo):
    """What was read in the test on the desk, run by run."""
    rows = demo.rows(
        "SELECT record FROM runs WHERE test_id = (SELECT max(id) FROM tests) AND recording = ''"
        " ORDER BY id"
    )
    return [json.loads(record) for (record,) in rows]


def begin(demo):
    """A new test of the lift on the desk, read by eye."""
    demo.page("Run")
    demo.key("ctrl+t")
    demo.until(lambda: demo.state()["runs"] == 0, "a new test is begun")
    demo.key("ctrl+y")
    demo.until(lambda: demo.state()["focus"] == "Turned", "it asks for the angle")


def care(demo):
    """Confirms the notes of the rig on the desk, led there from Run."""
    demo.until(lambda: any("Confirm" in w["text"] for w in demo.widgets(kind="KeyButton")), "care")
    demo.key("space")
    demo.until(lambda: demo.state()["focus"].startswith("Name of the person"), "it leads there")
    demo.enter("A. Tester")
    demo.page("Run")


def test_every_method_by_keyboard_alone_kept_undone_exported_and_reopened(
    screen, demo_home, tmp_path
):
    home = home_with_demo(demo_home, tmp_path / "home")
    demo = Program(screen, home, "demo")
    made = {}
    try:
        demo.page("Run")
        demo.key("ctrl+y")
        demo.until(lambda: demo.widgets("Runs"), "it is read by eye")
        for method, figures in FIGURES.items():
            demo.page("Rig")
            demo.tab_to("Method")
            demo.key("Home")
            for _ in FIGURES:
                if demo.widget("Method")["text"].startswith(method):
                    break
                demo.key("Down")
            assert demo.widget("Method")["text"].startswith(method)
            demo.page("Run")
            if method != "Hoist":
                care(demo)
            else:
                demo.key("ctrl+t")
            demo.until(lambda: demo.state()["runs"] == 0, "a new test")
            runs = 2 if method == "Arm" else 1
            for n in range(1, runs + 1):
                first = FIRST.get(method, "It reached the top")
                demo.until(lambda f=first: demo.state()["focus"].startswith(f), "it asks")
                read(demo, *figures) if figures else demo.key("Return")
                demo.until(lambda n=n: demo.state()["runs"] == n, f"{method}: run {n} is kept")
            demo.until(lambda: demo.state()["has_result"], f"{method}: there are results")
            demo.key("ctrl+z")
            demo.until(lambda: demo.state()["redo"] == "run read by eye", "it is taken back")
            demo.key("ctrl+shift+z")
            demo.until(lambda: not demo.state()["redo"], "and kept again")
            ((made[method],),) = demo.rows("SELECT max(id) FROM tests")
            assert len(kept(demo)) == runs
        out = tmp_path / "out"
        out.mkdir()
        demo.key("ctrl+e")
        demo.file_dialog(out)
        demo.until(lambda: "Exported to" in demo.state()["message"], "the last is exported")
        table = eye_files.read(next(out.iterdir()) / "readings.csv")
        assert [r.ended for r in table] == ["stalled", "stalled"]
    finally:
        demo.close()
    assert len(set(made.values())) == len(FIGURES)
    again = Program(screen, home, "demo")
    try:
        again.until(lambda: again.state()["runs"] == 2, "the last test is on the desk again")
        again.page("Results")
        again.until(lambda: again.state()["has_result"], "with its result")
        assert any("Stall torque, measured, " in w.get("text", "") for w in again.ask("widgets"))
    finally:
        again.close()


FIRST = {
    "Hoist": "Turned",
    "Brake": "Turned",
    "Drawbar": "Turned",
    "Run-up": "First speed",
    "Generator": "Turned",
    "Rope": "Turned",
    "Arm": "Force",
}


def stops(demo):
    return any(w["text"].startswith("STOP. ") for w in demo.widgets(kind="Label"))


def test_timer_taps_what_was_noticed_and_a_run_left_out_by_keys(demo):
    begin(demo)
    for _ in range(4):
        demo.key("alt+p")
    demo.until(lambda: demo.text("Turned") == "1080 deg", "three turns were tapped")
    demo.key("alt+t")
    demo.until(lambda: demo.buttons("Stop timer"), "the timer runs")
    demo.until(lambda: not demo.buttons("Stop timer"), "and ends by itself")
    demo.until(lambda: demo.text("Time").startswith("5 "), "after five seconds")
    for keys in ("alt+c", "alt+b", "alt+o", "alt+m"):
        demo.key(keys)
        demo.until(lambda: stops(demo), "it says STOP")
        demo.key(keys)
        demo.until(lambda: not stops(demo), "taken back")
    demo.key("alt+m")
    demo.until(lambda: demo.state()["focus"] == "Voltage", "the voltage is next")
    read(demo, "12", "0.6")
    demo.until(lambda: len(kept(demo)) == 1, "it is kept")
    assert kept(demo)[0]["read"]["noticed"] == ["smells"]
    demo.item("Runs", "1080")
    demo.key("Delete")
    demo.until(lambda: demo.state()["dialog"] == "Exclude this run", "it asks why")
    demo.key("Return")
    demo.until(lambda: kept(demo)[0].get("left_out") == "misread", "it is left out, with a reason")
    demo.until(lambda: not demo.state()["has_result"], "and nothing is left")
    demo.key("ctrl+z")
    demo.until(lambda: demo.state()["has_result"], "taken back")
    demo.item("Runs", "1080")
    demo.press("Exclude the selected run")
    demo.until(lambda: demo.state()["dialog"] == "Exclude this run", "the button asks, too")
    demo.enter("the hook was caught")
    demo.until(lambda: kept(demo)[0]["left_out"] == "the hook was caught", "in words of one's own")
    demo.item("Runs", "1080")
    demo.press("Restore the selected run")
    demo.until(lambda: demo.state()["has_result"], "and takes it back")
    demo.page("Results")
    demo.item("Points", "0.50 kg")
    demo.press("Exclude this run")
    demo.until(lambda: demo.state()["dialog"] == "Exclude this run", "so does Results")
    demo.key("Escape")
    demo.until(lambda: not demo.state()["dialog"], "which can be thought better of")
    assert demo.state()["has_result"]
    demo.press("Exclude this run")
    demo.until(lambda: demo.state()["dialog"] == "Exclude this run", "once more")
    demo.key("Down", "Return")
    demo.until(lambda: not demo.state()["has_result"], "it is left out")
    assert kept(demo)[0]["left_out"] == "the load was touched or swung"


@pytest.mark.main
def test_a_hoist_read_by_eye_by_keyboard_alone(demo):
    begin(demo)
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
    begin(demo)
    read(demo, "abc")
    assert demo.state()["focus"] == "Turned"
    read(demo, "1586 deg", "20", "12.1", "0.62")
    demo.until(lambda: len(kept(demo)) == 1, "kept")
    demo.item("Runs", "1586", times=2)
    demo.until(lambda: demo.widgets("Discard changes"), "it is open to be put right")
    demo.press("Discard changes")
    demo.until(lambda: not demo.widgets("Discard changes"), "or left")
    demo.item("Runs", "1586", times=2)
    demo.until(lambda: demo.state()["focus"] == "Turned", "once more")
    demo.key("Return")
    demo.until(lambda: demo.state()["focus"] == "Time", "on to the time")
    read(demo, "2.0", "12.1", "0.62")
    demo.until(lambda: kept(demo)[0]["read"]["time"] == "2 ± 0.2 s", "the time is put right")
    assert len(kept(demo)) == 1
    demo.choose("Speed by", "tachometer")
    demo.until(lambda: demo.state()["focus"] == "Output speed", "the next is read by tachometer")
    demo.type("13")
    demo.key("alt+p", "alt+t")  # neither has a place here
    demo.item("Runs", "0.50 kg", times=2)
    demo.until(lambda: demo.text("Turned").startswith("1586"), "the first is open as it was read")
    demo.press("Discard changes")
    demo.until(lambda: demo.text("Output speed")[:2] == "13", "what was half typed is still there")
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "it is reduced")
    demo.item("Points", "0.50 kg")
    demo.tab("Recording")
    demo.until(
        lambda: any("read by eye: turned 1586" in w.get("text", "") for w in demo.ask("widgets")),
        "what was read stands where a recording would",
    )
