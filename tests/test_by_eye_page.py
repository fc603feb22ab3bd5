"""Reading by eye on Run: figures, timer, taps, what was noticed, runs put right or left out."""

import math

import pytest
from helpers import lay
from PyQt6.QtCore import Qt
from window_helpers import choose, idle, until

from sparring.core.care import CareRead
from sparring.core.methods import Brake, Hoist, Lever, RunUp, Scale
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


@pytest.fixture
def page(window):
    """Run, reading by eye, a new test of Dunnock r2 on its hoist."""
    choose(window, "Dunnock r2")
    window.desk.new_test()
    window.go("run")
    if not window.view("run").by_eye:
        window.view("run").turn_eye()
    idle()
    return window.view("run")


def on(window, method):
    """The method on a rig of its own, its care notes confirmed."""
    window.desk.set_method(method)
    window.desk.new_test()
    care = CareRead(by="Hollin Yard", on="2026-11-26", method=method.kind)
    window.desk.edit("rig", ("care_read",), care, "care notes")
    idle()


def typed(page, qtbot, *texts):
    for figure, text in zip(page.eye.figures.shown, texts, strict=False):
        figure.field.selectAll()
        qtbot.keyClicks(figure.field, text)
        qtbot.keyClick(figure.field, Qt.Key.Key_Return)


def test_a_lever_by_eye_asks_only_whether_it_was_lifted(window, page, qtbot):
    """Heavier until it stalls; the stall lies between, as from a board."""
    window.desk.set_method(Lever())
    window.desk.new_test()
    idle()
    assert page.by_eye
    assert not page.eye.figures.shown
    assert not page.eye.keep.isEnabled()
    assert page.ladder.go.text() == "Confirm the care notes\nSpace"
    care = CareRead(by="Hollin Yard", on="2026-11-26", method="lever")
    window.desk.edit("rig", ("care_read",), care, "care notes")
    until(lambda: page.eye.keep.hasFocus() or not window.isActiveWindow())
    qtbot.keyClick(page.eye.keep, Qt.Key.Key_Return)
    until(lambda: len(window.desk.runs) == 1)
    page._force(len(window.desk.todo.loads) - 1)
    page.eye.stalled.click()
    until(lambda: len(window.desk.runs) == 2)
    until(lambda: window.desk.result is not None and window.desk.result.stall.bracket is not None)


def test_a_sweep_is_not_read_by_eye(window, page):
    window.desk.set_method(Brake(load="swept up and down"))
    idle()
    page.turn_eye()
    assert not page.by_eye
    assert "recording over time" in window.message.text()


def test_a_figure_between_two_and_a_film(window, page, qtbot):
    typed(page, qtbot, "26 rev", "1440 frames at 240", "between 12.0 and 12.2", "0.62 ± 0.02")
    until(lambda: len(window.desk.runs) == 1)
    read = window.desk.runs[0].run.read
    assert read.time.value == pytest.approx(6.0)
    assert read.time.u == pytest.approx(math.sqrt(2 / 12) / 240)
    assert (read.voltage.value, read.voltage.u) == pytest.approx((12.1, 0.1 / math.sqrt(3)))
    assert read.current == Measured(0.62, 0.01)


def test_the_timer_fills_the_time_and_taps_the_turns(window, page, qtbot):
    timing = page.eye.timing
    timing.length.set_value(0.3)
    timing.timer.pressed.emit()
    assert "Stop" in timing.timer.text()
    figures = {f.name: f.field for f in page.eye.figures.shown}
    until(lambda: figures["time"].value is not None)
    assert figures["time"].value.value == 0.3
    for _ in range(4):
        timing.tap.pressed.emit()
    assert figures["turned"].value.value == pytest.approx(3 * 2 * math.pi)
    assert 2 * figures["time"].value.u == pytest.approx(0.1 * math.sqrt(2))
    typed(page, qtbot, "", "2 s", "12", "0.6")
    until(lambda: len(window.desk.runs) == 1)
    assert timing.tap.text() == "Tap a turn Alt+P"


def test_what_was_noticed_stops_is_kept_and_is_a_finding(window, page, qtbot):
    page.eye.noticed["hot to the touch"].click()
    assert page.eye.prompt.text().startswith("STOP")
    typed(page, qtbot, "26 rev", "2", "12.1", "0.62")
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.read.noticed == ("hot to the touch",)
    until(lambda: window.desk.result is not None)
    assert "noticed" in {f.id for f in window.desk.result.findings}
    assert not page.eye.prompt.text().startswith("STOP")


def test_what_happened_is_answered_for_every_event_that_a_person_can_tell(window, page, qtbot):
    """Said before the run is saved, taken back, a part named; later of a run that is kept."""

    def say(word):
        page.eye.happened.click()
        titles = [b.accessibleName() for b in page.strip.words if b.isVisible()]
        assert "Wheels lost their grip" not in titles  # a hoist has none
        page.strip.words[titles.index(word)].click()

    say("Skipped")
    say("Slipping")
    assert page.eye.said.text() == "Skipped; Slipping: saved with this run."
    say("Slipping")  # taken back
    say("Something broke")
    assert page.strip.asks.text() == "What broke?"
    part = page.strip.words[0].accessibleName()
    page.strip.words[0].click()
    assert page.eye.said.text().startswith(f"Skipped; Something broke; {part} broke: saved")
    typed(page, qtbot, "26 rev", "2", "12.1", "0.62")
    until(lambda: len(window.desk.runs) == 1)
    run = window.desk.runs[0].run
    assert [e.id for e in run.events] == ["skip", "breakage"]
    assert run.broke == part
    assert not page.eye.said.text()
    assert page.ladder.go.text() == "Replaced: go on\nSpace"  # nothing is read before that
    assert part in page.ladder.say.text()
    page.do_next()
    assert "skipped" in page.eye.table.item(0, page.eye.table.columnCount() - 1).text()
    until(lambda: window.desk.result is not None)
    assert "happened" in {f.id for f in window.desk.result.findings}
    typed(page, qtbot, "26 rev", "2", "12.1", "0.62")
    until(lambda: len(window.desk.runs) == 2)
    assert not window.desk.runs[1].run.events
    page.turn_eye()  # nothing is read now: it belongs to the newest run
    page.noted.happened()
    titles = [b.accessibleName() for b in page.strip.words if b.isVisible()]
    page.strip.words[titles.index("Cord went slack")].click()
    until(lambda: [e.id for e in window.desk.runs[1].run.events] == ["cord-slack"])
    window.desk.undo.undo()
    until(lambda: not window.desk.runs[1].run.events)


def test_a_run_is_left_out_with_a_reason_and_taken_back(window, page, qtbot):
    typed(page, qtbot, "26 rev", "2", "12.1", "0.62")
    until(lambda: len(window.desk.runs) == 1)
    page.eye.table.setFocus()
    page.eye.table.setCurrentCell(0, 0)
    page.eye.out.click()
    page.eye._asked.setTextValue("the load was touched or swung")
    page.eye._asked.accept()
    until(lambda: window.desk.runs[0].struck)
    row = page.eye.table
    assert row.item(0, row.columnCount() - 1).text() == "excluded: the load was touched or swung"
    assert window.desk.result is None
    assert page.lift.repeat == 1  # it is to be repeated
    page.eye.out.click()
    until(lambda: not window.desk.runs[0].struck)
    window.desk.undo.undo()
    until(lambda: window.desk.runs[0].struck)


def test_a_figure_read_beside_a_recording_goes_before_it(window, page, qtbot):
    """Speed and force by a board, the current off the supply's own display."""
    test = next(t for t in window.desk.book.tests(window.desk.build_id) if t.runs > 5)
    window.desk.choose_test(test.id)
    until(lambda: len(window.desk.runs) > 5)
    page.eye._correct(len(window.desk.runs) - 1)  # the first that was made
    typed(page, qtbot, "", "", "", "0.95")
    until(lambda: window.desk.runs[0].run.read is not None)
    first = window.desk.runs[0]
    assert first.recording
    assert first.run.ended == "top"
    until(lambda: window.desk.result is not None)
    points = [p for s in window.desk.result.steps for p in s.points if p.run == first.run]
    assert nominal(points[0].current) == pytest.approx(0.95, rel=0.01)


def test_what_is_typed_of_the_next_run_waits_while_one_is_put_right(window, page, qtbot):
    typed(page, qtbot, "26 rev", "2", "12.1", "0.62")
    until(lambda: len(window.desk.runs) == 1)
    typed(page, qtbot, "27 rev")
    page.eye._correct(0)
    assert page.eye.prompt.text().startswith("Correct")
    typed(page, qtbot, "", "3")
    page.eye.keep.click()
    until(lambda: window.desk.runs[0].run.read.time.value == 3.0)
    assert page.eye.figures.shown[0].field.text().startswith("9720")  # 27 turns, in degrees
    page.eye._correct(0)
    window.desk.new_test()
    until(lambda: not page.eye.leave.isVisible())


def test_each_method_asks_for_its_own_figures(window, page):
    asked = {}
    for method in (Hoist(), Brake(), RunUp(), Scale()):
        on(window, method)
        asked[method.kind] = page.eye.figures.names
    assert asked["hoist"] == ("turned", "time", "voltage", "current")
    assert asked["brake"] == ("turned", "time", "force", "voltage", "current")
    assert asked["run-up"][:3] == ("first_speed", "second_speed", "time")
    assert asked["scale"] == ("force", "rest", "voltage", "current")
    assert not page.eye.stalled.isVisible()  # a push is always one


def test_a_push_on_a_scale_is_kept_as_a_stall(window, page, qtbot):
    on(window, Scale())
    typed(page, qtbot, "1.05 kg", "0.05 kg", "6", "1.9")
    until(lambda: window.desk.result is not None and window.desk.result.stall.held is not None)
    assert nominal(window.desk.result.stall.held) == pytest.approx(9.80665 * 0.15, rel=1e-3)
