"""The window on a bench that misbehaves."""

import errno

import numpy as np
import pytest
from cable import Cable
from helpers import lay, planned
from live_helpers import Board, begin_lift, until
from PyQt6.QtCore import Qt

from sparring.bench import states
from sparring.bench.recorder import Recorder
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard


@pytest.fixture(scope="module")
def rig():
    """A high hoist: a lift is not over before the cable is pulled, however slow the machine; with
    a load cell that carries whatever stalls the drive.
    """
    high = changed(hollin_yard.rig(), ("method", "travel"), 120.0)
    return changed(high, ("calibration", "capacity"), 200.0)


@pytest.fixture
def window(shown, tmp_path, build, rig, plan):
    lay(shown, tmp_path / "book")
    shown.desk.add_build(build)
    shown.desk.choose_rig(shown.desk.book.save_rig(rig))
    shown.desk.plan = plan
    shown.go("run")
    return shown


@pytest.fixture
def board(window, tmp_path, build, rig):
    made = Board(build, rig, tmp_path / "port", "--drop", "0.005", "--garble", "0.005")
    window.session.connect_port(str(tmp_path / "port"))
    until(
        lambda: (
            window.session.state == "ready"
            and window.session.obeys
            and window.session.ring.count > 20
        )
    )
    yield made
    window.session.disconnect_bench()
    made.pull()


@pytest.fixture
def cable(window, board, tmp_path, monkeypatch):
    """A cable to the board; the board would wait long for a word before it stops by itself."""
    monkeypatch.setattr(states, "WATCHDOG", 600.0)
    window.session.disconnect_bench()
    made = Cable(tmp_path / "port", tmp_path / "cable")
    window.session.connect_port(str(tmp_path / "cable"))
    until(
        lambda: (
            window.session.state == "ready"
            and window.session.obeys
            and window.session.ring.count > 20
        )
    )
    yield made
    window.session.disconnect_bench()
    made.close()


def test_a_cable_pulled_during_a_lift_leaves_a_marked_gap_and_the_lift_goes_on(window, cable):
    s = window.session
    begin_lift(window)
    cable.pull()
    until(lambda: s.state == "lost")
    assert "the gap will be marked" in window.message.text()
    cable.plug()
    until(lambda: s.state == "lifting")
    until(lambda: len(s.gaps) == 1)
    curve = window.view("run").strips.curves["speed"]
    until(lambda: np.isnan(curve.getData()[1]).any())
    x, y = curve.getData()
    assert x[np.isnan(y)] == pytest.approx([s.gaps[0][1]], abs=0.2)  # the curve is broken there
    s.stop()
    until(lambda: len(window.desk.runs) == 1)
    recording = window.desk.book.recording(window.desk.runs[0].recording)
    assert len(recording.gaps) == 1
    start, stop = recording.gaps[0]
    assert stop - start > 0
    assert (recording.t < start + 1e-6).any()
    assert (recording.t > stop - 1e-6).any()
    assert (recording.t[1:] > recording.t[:-1]).all()


def test_stop_pressed_while_the_cable_is_out_is_the_first_word_the_bench_hears(
    window, cable, qtbot
):
    s = window.session
    begin_lift(window)
    cable.pull()
    until(lambda: s.state == "lost")
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    window._bench_state()
    assert "STOP not confirmed" in window.connection.text()
    heard = len(cable.heard)
    cable.plug()
    until(lambda: s.state == "ready")
    assert cable.words()[heard] == "stop"
    assert "up" not in cable.words()[heard:]
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "stopped"
    assert "STOP" not in window.connection.text()


def test_a_silent_bench_is_lost_and_told_to_stop(window, cable):
    s = window.session
    begin_lift(window)
    heard = len(cable.words())
    cable.blocked = True
    until(lambda: s.state == "lost")
    assert "BENCH LOST" in window.message.text()
    until(lambda: "stop" in cable.words()[heard:])
    cable.blocked = False
    until(lambda: s.state == "ready")
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "interrupted"


def test_a_board_that_began_anew_ends_the_lift(window, board):
    s = window.session
    begin_lift(window)
    board.pull()
    until(lambda: s.state == "lost")
    board.plug()
    until(lambda: s.state == "ready")
    assert s.hung is None
    assert s.tare is None
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "interrupted"
    assert any("restarted meanwhile" in text for text in window.heard.said)


def test_another_logbook_waits_until_the_lift_is_kept(window, board):
    begin_lift(window)
    book = window.desk.book
    window.errands.open_logbook()
    assert "Stop it first" in window.message.text()
    window.session.stop()
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.book is book


def test_a_full_disk_stops_the_lift_with_a_clear_message(window, board, monkeypatch):
    begin_lift(window)

    def full(self):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(Recorder, "_flush", full)
    until(lambda: "No space left" in window.message.text())
    until(lambda: window.session.state == "ready")
    assert "Free some disk space" in window.message.text()


def test_the_rigs_limit_stops_the_bench(window, board):
    window.desk.edit("rig", ("limits", "current"), 0.15)
    page, s = window.view("run"), window.session
    page.do_next()
    until(lambda: s.tare is not None)
    page.do_next()
    until(lambda: "rig's limit" in window.message.text())
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "limit"


def test_m_marks_the_moment_it_was_pressed(window, board, qtbot):
    begin_lift(window)
    s = window.session
    at = s.ring.t[-1]
    qtbot.keyClick(window, Qt.Key.Key_M)
    pressed = s.ring.t[-1]
    strip = window.view("run").strip
    assert strip.isVisible()
    until(lambda: s.ring.t[-1] > at + 0.5)
    qtbot.keyClick(window, Qt.Key.Key_2)
    assert s.marks[-1][1] == "grinding"
    assert at <= s.marks[-1][0] <= pressed
    assert not strip.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_2)  # a digit means nothing any more
    assert len(s.marks) == 1
    qtbot.keyClick(window, Qt.Key.Key_M)
    qtbot.keyClicks(strip.own, "whine at 2")
    qtbot.keyClick(strip.own, Qt.Key.Key_Return)
    assert s.marks[-1][1] == "whine at 2"
    qtbot.keyClick(window, Qt.Key.Key_M)
    assert strip.words[0].text() == "1 whine at 2"  # a word of one's own has a key from now on
    strip.leave.click()
    assert len(s.marks) == 2


def test_b_stops_and_notes_what_broke(window, board, qtbot):
    begin_lift(window)
    qtbot.keyClick(window, Qt.Key.Key_B)
    until(lambda: window.session.state == "ready")
    strip = window.view("run").strip
    at = [b.accessibleName() for b in strip.words].index("stage 1 pinion")
    until(lambda: len(window.desk.runs) == 1)
    qtbot.keyClick(window, Qt.Key(Qt.Key.Key_1 + at))
    assert window.desk.runs[0].run.broke == "stage 1 pinion"
    until(lambda: any(f.id == "broke" for f in window.desk.findings))
    finding = next(f for f in window.desk.findings if f.id == "broke")
    assert "stage 1 pinion" in finding.title
    assert {"torque", "expected"} <= set(finding.facts)
    window.go("results")
    window.desk.select(0, 0)
    window.view("results").broke.click()
    window.view("results").asked.setTextValue("a pin nobody listed")
    window.view("results").asked.accept()
    assert window.desk.runs[0].run.broke == "a pin nobody listed"
    window.desk.undo.undo()
    window.desk.undo.undo()
    assert window.desk.runs[0].run.broke == ""


def test_a_weight_that_stalls_twice_is_passed_over(window, board):
    made = planned([window.desk.plan.loads[0], Measured(7.0)], repeats=5)
    window.desk.edit("plan", (), made, "plan")
    page, s = window.view("run"), window.session
    page.do_next()
    until(lambda: s.tare is not None)
    page._force(1)
    for n in (1, 2):
        page.do_next()
        until(lambda n=n: window.heard.lifts() == n)
        until(lambda n=n: len(window.desk.runs) == n and s.state == "ready")
        assert window.desk.runs[-1].run.ended == "stalled"
        page._force(1) if n == 1 else None
    assert page.lift.step == 0
    until(lambda: window.desk.result is not None)
    assert "stalled" in {f.id for f in window.desk.findings}
    assert page.ladder.rows[1].stalled


def test_noise_on_the_line_is_counted_where_it_is_seen(window, board):
    until(lambda: window.session.tally.garbled > 0)
    window._bench_state()
    assert "garbled" in window.connection.text()


def test_a_port_that_is_not_there_is_told_and_waited_for(window, tmp_path, build, rig):
    window.session.connect_port(str(tmp_path / "later"))
    until(lambda: "cannot be opened" in window.message.text())
    assert not window.view("run").ladder.go.isEnabled()
    late = Board(build, rig, tmp_path / "later")
    until(lambda: window.session.state == "ready")
    window.session.disconnect_bench()
    late.pull()
    assert window.session.state == "off"
