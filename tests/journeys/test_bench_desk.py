"""At the bench: README's runs, rig and readings; a board of one's own, from the care
notes to STOP."""

import contextlib
import json
import re
import signal
import sqlite3
from pathlib import Path

import pytest
from bare_board import BareBoard
from cable import Cable
from desktop import Program, Screen, home_with_demo

from sparring.logbook.recordings import RecordingError, read_stream


@pytest.fixture
def board():
    made = BareBoard()
    yield made
    made.close()


def go(demo, what):
    """Presses Space once Run says that this is what it does next."""
    demo.until(
        lambda: any(b["enabled"] and what in b["text"] for b in demo.widgets(kind="KeyButton")),
        f"Space would {what}",
    )
    demo.key("space")


@pytest.mark.main
def test_lifts_on_the_simulated_bench_by_space_marks_and_escape(demo):
    demo.item("Builds and tests", "r2 POM, greased")
    demo.until(lambda: demo.state()["build"] == "Dunnock r2", "r2 is on the desk")
    demo.key("ctrl+t")
    demo.page("Run")
    go(demo, "Connect the simulated bench")
    go(demo, "Tare")
    demo.until(lambda: demo.state()["tared"], "it is tared")
    go(demo, "Hang 0.50 kg, then lift")
    demo.until(lambda: demo.state()["bench"] == "lifting", "it lifts")
    demo.key("m")
    demo.until(lambda: demo.buttons("1 click heard"), "it asks for a word")
    demo.key("1")
    demo.until(lambda: not demo.buttons("1 click heard"), "the mark is made")
    demo.key("m")
    demo.click("Word of your own")
    demo.enter("whine")
    demo.until(lambda: not demo.widgets("Word of your own"), "and one in words of one's own")
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["runs"] == 1,
        "the lift is kept as it happens",
    )
    go(demo, "Lift 0.50 kg again")
    demo.until(lambda: demo.state()["bench"] == "lifting", "it lifts again")
    demo.page("Build")  # from anywhere
    demo.key("Escape")
    demo.until(lambda: demo.state()["bench"] != "lifting", "Escape stops it")
    demo.until(lambda: demo.state()["runs"] == 2, "and the lift is kept")
    runs = [json.loads(r) for (r,) in demo.rows("SELECT record FROM runs ORDER BY id DESC LIMIT 2")]
    assert [r["ended"] for r in runs] == ["stopped", "top"]
    assert {r["source"] for r in runs} == {"simulated"}


def test_a_board_waits_for_the_care_notes_and_escape_stops_it_under_a_dialog(demo, board):
    demo.page("Rig")
    demo.press("New rig")
    demo.until(lambda: demo.state()["rig"] == "Hoist B copy", "a rig of one's own")
    demo.menu("Bench", "Connect devices")
    demo.until(lambda: demo.state()["dialog"] == "Devices on the bench", "it asks for the port")
    demo.enter(board.port, "Tab")
    demo.press("Connect")
    demo.until(lambda: not demo.state()["dialog"], "the dialog is done")
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["samples"] > 30, "its lines come"
    )
    assert demo.state()["page"] == "Run"
    go(demo, "Confirm the care notes")
    demo.until(
        lambda: (
            demo.state()["page"] == "Rig" and demo.state()["focus"].startswith("Name of the person")
        ),
        "it leads there",
    )
    demo.enter("A. Tester")
    demo.until(
        lambda: (demo.record("rig", "Hoist B copy")["care_read"] or {}).get("by") == "A. Tester",
        "it is kept by name",
    )
    assert "up" not in board.words()
    demo.page("Run")
    go(demo, "Tare")
    go(demo, "Hang 0.50 kg, then lift")
    demo.until(lambda: demo.state()["bench"] == "lifting", "it lifts")
    demo.key("ctrl+u")
    demo.until(lambda: demo.state()["dialog"] == "Units", "a dialog is open")
    heard = len(board.heard)
    demo.key("Escape")
    demo.until(lambda: "stop" in board.words()[heard:], "the board is told to stop")
    demo.until(lambda: demo.state()["runs"] == 1, "the lift is kept")
    words = board.words()
    assert (
        words.index("hello")
        < words.index("tare")
        < words.index("hang", words.index("tare"))
        < words.index("up")
    )
    assert words.index("up") < len(words) - 1 - words[::-1].index("stop")
    assert "drive 12" in [line for _, line in board.heard]


def _samples(stream):
    """Those of a capture that are on the disk."""
    with contextlib.suppress(RecordingError, FileNotFoundError):
        return len(read_stream(stream)[0])
    return 0


@contextlib.contextmanager
def begun(demo, board, tmp_path):
    """A board on a cable, lifting."""
    cable = Cable(board.port, tmp_path / "cable")
    demo.page("Rig")
    demo.press("New rig")
    demo.until(lambda: demo.state()["rig"] == "Hoist B copy", "a rig of one's own")
    demo.tab("Checks")
    demo.click("Name of the person")
    demo.enter("A. Tester")
    demo.menu("Bench", "Connect devices")
    demo.until(lambda: demo.state()["dialog"] == "Devices on the bench", "it asks for the port")
    demo.enter(str(cable.link), "Tab")
    demo.press("Connect")
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["samples"] > 30, "its lines come"
    )
    go(demo, "Tare")
    go(demo, "Hang 0.50 kg, then lift")
    demo.until(lambda: demo.state()["bench"] == "lifting", "it lifts")
    # what ends it sooner leaves nothing to keep
    folder = Path(demo.state()["logbook"]) / "recordings"
    demo.until(lambda: any(_samples(p) for p in folder.glob("*.arrow")), "a second is on the disk")
    try:
        yield cable
    finally:
        cable.close()


@pytest.fixture
def lifting(demo, board, tmp_path):
    with begun(demo, board, tmp_path) as cable:
        yield cable


def newest_run(book):
    with contextlib.closing(sqlite3.connect(f"{book}/logbook.sqlite")) as db:
        return json.loads(db.execute("SELECT record FROM runs ORDER BY id DESC").fetchone()[0])


def test_stop_while_the_cable_is_out_is_the_first_word_after_it_is_back(demo, lifting, board):
    lifting.pull()
    demo.until(lambda: demo.state()["bench"] == "lost", "the bench is lost")
    demo.key("Escape")
    demo.until(
        lambda: any("STOP not confirmed" in b["text"] for b in demo.widgets(kind="KeyButton")),
        "it says so large",
    )
    heard = len(board.heard)
    lifting.plug()
    demo.until(lambda: demo.state()["bench"] == "ready", "it is confirmed")
    assert board.words()[heard] == "stop"
    assert "up" not in board.words()[heard:]
    demo.until(lambda: demo.state()["runs"] == 1, "the lift is kept")
    go(demo, "Lower the hook")
    demo.until(
        lambda: board.words()[-1] != "up" and "down" in board.words(), "the hook is let down"
    )


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_a_signal_that_ends_the_program_stops_the_bench_first(demo, lifting, board, number):
    book = demo.state()["logbook"]
    heard = len(board.heard)
    demo.signal(number)
    assert demo.status() == 0
    assert board.hears("stop", heard)
    assert newest_run(book)["ended"] == "interrupted"
    assert newest_run(book)["source"] == "bench"


@contextlib.contextmanager
def once_more(screen, home, book):
    """The program is started again: the run that was cut off is there."""
    again = Program(screen, home, "demo")
    try:
        again.until(lambda: again.state()["logbook"] == book, "its logbook is opened")
        assert newest_run(book)["ended"] == "interrupted"
        yield again
    finally:
        again.close()


@pytest.mark.main
def test_escape_reaches_the_bench_while_the_window_does_nothing(demo, lifting, board):
    """The whole program is held, as by whatever keeps its window busy; the key is pressed in it."""
    heard = len(board.heard)
    demo.signal(signal.SIGSTOP)
    try:
        demo.screen.xdo("key", "Escape")
        assert board.hears("stop", heard)
    finally:
        demo.signal(signal.SIGCONT)
    demo.until(lambda: demo.state()["bench"] == "ready", "it has stopped")
    demo.until(lambda: demo.state()["runs"] == 1, "the run is kept")
    assert newest_run(demo.state()["logbook"])["ended"] == "stopped"
    heard = len(board.heard)
    demo.signal(signal.SIGSTOP)
    try:
        demo.screen.xdo("key", "a")  # no other key does
    finally:
        demo.signal(signal.SIGCONT)
    demo.until(lambda: demo.state()["bench"] == "ready", "it goes on")
    assert "stop" not in board.words()[heard:]


def test_a_display_that_is_gone_stops_the_bench(screen, demo_home, board, tmp_path):
    own, home = Screen(), home_with_demo(demo_home, tmp_path / "home")
    program = Program(own, home, "demo")
    with begun(program, board, tmp_path):
        book, heard = program.state()["logbook"], len(board.heard)
        own.close()
        program.status()
        assert board.hears("stop", heard)
    with once_more(screen, home, book):
        pass


def test_a_program_that_is_killed_outright_has_the_last_word_said_for_it(
    demo, lifting, screen, board
):
    """Whatever ends it: a board without a watchdog would turn on."""
    book, heard = demo.state()["logbook"], len(board.heard)
    lifting.pull()
    demo.until(lambda: demo.state()["bench"] == "lost", "the cable is out")
    lifting.plug()
    demo.until(lambda: demo.state()["bench"] == "lifting", "it lifts on")
    demo.signal(signal.SIGKILL)
    demo.status()
    assert board.hears("stop", heard)
    with once_more(screen, demo.home, book) as again:
        assert again.state()["runs"] == 1


@pytest.mark.main
def test_another_way_to_load_is_drawn_and_says_what_is_missing(demo):
    demo.page("Rig")
    demo.choose("Method", "Lever")
    demo.until(lambda: demo.state()["rig"] == "Lever", "a rig of its own for the lever")
    demo.until(lambda: demo.widgets("Arm"), "its dimensions are drawn")
    demo.until(
        lambda: any("care notes" in w["name"] for w in demo.widgets(kind="_Card")),
        "it says what is missing",
    )
    demo.page("Plan")
    demo.choose("Order of the steps", "bisection")
    demo.until(lambda: demo.widgets("Plan: 5 weights, bisected"), "the plan's order is changed")
    demo.key("ctrl+z", "ctrl+z")
    demo.until(lambda: demo.state()["rig"] == "Hoist B", "and all of it is undone")


def test_the_load_cell_is_calibrated_by_the_guide(demo):
    demo.page("Rig")
    demo.tab("Masses")
    for row, (name, mass) in enumerate((("one", "1 kg ± 0.2 g"), ("two", "2 kg ± 0.2 g"))):
        for column, text in enumerate((name, mass)):
            demo.item("Masses on the shelf", f"[{row}, {column}]", times=2)
            demo.enter(text)
    demo.until(lambda: len(demo.record("rig", "Hoist B")["shelf"]) == 2, "the shelf is kept")
    demo.key("ctrl+b")
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["samples"] > 100,
        "the simulated bench runs",
    )
    demo.page("Rig")
    demo.tab("Sensors")
    demo.press("Guide")
    demo.until(
        lambda: len((demo.record("rig", "Hoist B")["calibration"] or {})["points"]) == 5,
        "five readings are taken",
        180,
    )
    points = demo.record("rig", "Hoist B")["calibration"]["points"]
    assert [round(float(p["mass"].split()[0])) for p in points] == [0, 1, 2, 1, 0]
    low, middle, high = (float(p["reading"].split()[0]) for p in points[:3])
    assert low < middle < high


def test_readings_are_typed_and_recorded(demo):
    demo.key("ctrl+h")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "it opens")
    demo.until(
        lambda: demo.state()["focus"].startswith("Readings, one column per repeat"),
        "the keyboard is where figures go",
    )
    for text in ("12 V", "4450 rpm", "0.11 A", "", "4 V", "0 rpm", "0.64 A"):
        demo.type(text) if text else None
        demo.key("Return")
    demo.until(
        lambda: any("Ω" in t for w in demo.widgets("Results") for t in w.get("items", {})),
        "the resistance is worked out",
    )
    demo.key("alt+n")
    demo.until(lambda: demo.state()["popup"], "the ways are listed")
    demo.key("Return")
    demo.until(lambda: not demo.state()["popup"], "another motor")
    demo.click("Note")
    demo.enter("warm", "Tab")
    demo.press("Simulate")
    demo.until(
        lambda: any(b["enabled"] for b in demo.buttons("Record")), "the simulated set-up sends"
    )
    demo.key("ctrl+Return")
    demo.until(lambda: demo.buttons("Stop and use"), "it records")
    demo.until(
        lambda: demo.rows(
            "SELECT id FROM characterisations WHERE way = 'bare-motor' AND record LIKE '%parquet%'"
        ),
        "what it recorded is kept",
        180,
    )
    demo.key("alt+c")
    demo.until(lambda: demo.state()["dialog"].startswith("Compared: "), "two stand side by side")
    demo.key("Escape")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "back")
    demo.press("Use as")
    demo.until(lambda: "no load speed" in demo.state()["question"], "runs were made with it")
    assert demo.widgets("Dunnock r3 has runs: close this dialog")
    question = demo.state()["question"].replace("\xa0", " ")
    assert "no load speed 4450 ± 24 rpm → " in question
    assert not re.search(r"\d{7}", question), question  # as many digits as are known
    for keys, struck in (("alt+e", 1), ("alt+r", 0)):
        demo.key(keys)
        demo.until(lambda s=struck: newest_motor(demo)[1] == s, "left out, or taken back")
    assert json.loads(newest_motor(demo)[0])["note"] == "warm"
    demo.press("Close")
    demo.until(lambda: not demo.state()["dialog"], "it is closed")
    demo.until(lambda: demo.state()["focus"].startswith("New revision"), "it waited to be answered")
    demo.key("Return")
    demo.until(lambda: demo.state()["undo"], "the motor of a new revision is as measured")
    demo.key("ctrl+z")
    demo.until(lambda: not demo.state()["undo"], "and is not, after all")
    demo.page("Build")
    demo.tab("Measured")
    demo.item("Measured", "Bare motor")
    demo.key("Return")
    demo.until(lambda: demo.state()["dialog"] == "Part measurements", "Enter opens it")


def newest_motor(demo):
    """Record and whether it is left out."""
    return demo.rows(
        "SELECT record, struck FROM characterisations WHERE way = 'bare-motor' ORDER BY id DESC"
    )[0]


def test_what_a_data_sheet_promises_is_typed_as_it_stands_there(demo):
    demo.page("Rig")
    demo.tab_to("Voltmeter accuracy ±")
    demo.enter("0.5 % + 3 counts", "Tab")
    demo.until(lambda: "3 counts of 0.01 V" in demo.state()["message"], "it asks what one is")
    demo.tab_to("Voltmeter accuracy ±", "shift+Tab")
    demo.enter("0.5 % + 3 counts of 0.01 V", "Tab")
    demo.until(
        lambda: demo.text("Voltmeter accuracy ±") == "0.5 % + 0.03 V", "gain and zero are known"
    )
    demo.click_at(demo.widget("Torque source")["at"], button=5, times=3)
    assert demo.state()["question"] == ""  # who scrolls past a choice does not choose
    demo.key("ctrl+z")
    demo.until(lambda: demo.text("Voltmeter accuracy ±") == "0.5 %", "as it was")


def test_what_warms_and_weakens_a_motor_and_the_cord_that_hangs_are_typed(demo):
    demo.page("Build")
    demo.field("Brush drop")
    demo.enter("0.6 ± 0.1 V", "Tab")
    demo.until(lambda: "brush drop" in demo.state()["question"], "runs were made with it")
    demo.key("Return")
    demo.until(lambda: demo.state()["build"] == "Dunnock r4", "a new revision")
    demo.field("Magnets")
    demo.choose("Magnets", "ferrite")
    for name, typed in (("Thermal time constant", "120 s"), ("Thermal resistance, K/W", "10")):
        demo.field(name)
        demo.enter(typed, "Tab")
    motor = demo.record("build", "Dunnock r4")["motor"]
    assert motor["brush_drop"] == "0.6 ± 0.1 V"
    assert motor["magnets"] == "ferrite"
    assert (motor["heat_time"], motor["heat_resistance"]) == ("120 s", "10")
    demo.page("Rig")
    demo.tab_to("Mass of hanging cord")
    demo.enter("2 ± 0.5 g", "Tab")
    demo.until(lambda: "cord mass" in demo.state()["question"], "runs were made on it")
    demo.key("Return")
    demo.until(lambda: demo.state()["rig"] != "Hoist B", "a rig of its own")
    demo.key("ctrl+z")
    demo.until(lambda: demo.state()["rig"] == "Hoist B", "and not, after all")
