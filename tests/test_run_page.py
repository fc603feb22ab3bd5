"""The Run page: lifts by keyboard, a bench that goes, a bench that only prints numbers."""

from types import SimpleNamespace

import numpy as np
import pytest
from helpers import lay
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QDialog
from window_helpers import choose, idle, tall, until

from sparring.bench.ring import Ring
from sparring.core.uncertainty import nominal
from sparring.logbook import Logbook
from sparring.ui.pages.run.next_thing import next_thing
from sparring.ui.widgets.chart import thinned


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def test_a_live_lift_by_keyboard_is_recorded_reduced_and_kept(window, qtbot, folder):
    """Space connects, tares, hangs and lifts; M marks; Esc stops with a dialog open; all of it is
    there after reopening.
    """
    choose(window, "Dunnock r2")
    window.desk.new_test()
    window.go("run")
    s, page = window.session, window.view("run")
    simulate = s.simulate
    s.simulate = lambda b, r: simulate(b, r, speed=2.0)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(lambda: s.state == "ready" and s.obeys and s.ring is not None and s.ring.count > 100)
    assert "Tare" in page.ladder.go.text()
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(lambda: s.tare is not None)
    assert s.tare.value == pytest.approx(84_120, abs=60)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(lambda: window.heard.lifts() == 1)
    s.mark("click heard")
    until(lambda: s.state == "ready" and len(window.desk.runs) == 1)
    assert window.heard.fastest() > 50
    assert any(flow.power_out > 0.5 for flow in window.heard.flows)
    idle()
    until(lambda: window.desk.result is not None)
    assert window.desk.runs[0].run.ended == "top"
    assert 0.6 < nominal(window.desk.result.steps[0].gearbox) < 1
    assert "again" in page.ladder.go.text()
    assert window.work.states["Run"] == "1/30"

    simulate(window.desk.build, tall(window.desk.rig))
    until(lambda: s.state == "ready" and s.obeys and s.ring is not None and s.ring.count > 20)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(lambda: s.tare is not None)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(lambda: window.heard.lifts() == 2 and s.ring.values("speed").max() > 5)
    dialog = QDialog(window)
    dialog.open()
    QApplication.sendEvent(
        dialog, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)
    )
    until(lambda: s.state == "ready")
    assert dialog.isVisible()
    dialog.close()
    until(lambda: len(window.desk.runs) == 2)
    assert window.desk.runs[1].run.ended == "stopped"
    until(lambda: abs(s.ring.values("voltage")[-1]) < 0.5)
    idle()
    test = window.desk.test_id
    window.close()
    idle()
    with Logbook(folder) as book:
        assert [r.run.ended for r in book.runs(test)] == ["top", "stopped"]
        assert book.recording(book.runs(test)[0].recording).marks[0][1] == "click heard"
        assert book.test(test).headline["value"] > 0.6


def test_a_weight_chosen_out_of_turn_is_chosen_for_that_build_alone(window, qtbot):
    window.go("run")
    choose(window, "Dunnock r2")
    rows = window.view("run").ladder.rows
    assert len(rows) == 6
    qtbot.mouseClick(rows[5], Qt.MouseButton.LeftButton)
    assert window.view("run").lift.step == 5
    choose(window, "Dunnock r1")  # whose plan has five
    assert window.view("run").lift is None
    choose(window, "Dunnock r2")
    qtbot.mouseClick(window.view("run").ladder.rows[5], Qt.MouseButton.LeftButton)
    assert window.desk.edit("plan", ("steps",), window.desk.plan.steps[:3]) is None
    assert window.view("run").lift is None


def test_pulling_the_bench_away_is_told_and_the_lift_is_kept(window):
    choose(window, "Dunnock r2")
    window.desk.new_test()
    window.go("run")
    s = window.session
    s.simulate(window.desk.build, tall(window.desk.rig))
    until(lambda: s.state == "ready" and s.obeys)
    window.view("run").do_next()
    until(lambda: s.tare is not None)
    window.view("run").do_next()
    until(lambda: window.heard.lifts() == 1)
    before = s.ring.count
    until(lambda: s.ring.count > before + 60)
    s._process.kill()
    assert "–" not in {f.value for f in window.view("run").row.figures.values()}
    until(lambda: s.state == "lost")
    assert "Plug it in again" in window.message.text()
    label = window.message.label
    assert label.height() >= label.heightForWidth(label.width())  # all of it can be read
    assert {f.value for f in window.view("run").row.figures.values()} == {"–"}
    assert len(window.view("run").strips.curves["speed"].getData()[0]) > 60  # what has been stays
    until(lambda: window.driveline.source == "predicted")
    s.disconnect_bench()
    until(lambda: len(window.desk.runs) == 1)
    assert window.desk.runs[0].run.ended == "interrupted"


def test_a_bench_that_only_prints_numbers_is_recorded_by_hand(window, tmp_path):
    """A home-made board: plain numbers on a pseudo-terminal, columns told by a mapping, no
    commands.
    """
    import os
    import threading
    import time
    import tty

    master, slave = os.openpty()
    tty.setraw(slave)
    going = True

    def board():
        for n in range(4000):
            if not going:
                return
            on = n > 120
            os.write(
                master,
                f"{n * 10} {84000 + (12000 if on else 0)} {120 if on else 0} {12 if on else 0}"
                f" {0.5 if on else 0}\n".encode(),
            )
            time.sleep(0.002)

    thread = threading.Thread(target=board, daemon=True)
    choose(window, "Dunnock r2")
    window.desk.new_test()
    window.go("run")
    s = window.session
    s.connect_port(os.ttyname(slave), "t/ms, cell/counts, speed/rpm, voltage/V, current/A")
    thread.start()
    until(lambda: s.state == "ready")
    assert "Record a run" in window.view("run").ladder.go.text()
    window.view("run").do_next()
    assert "End this run" in window.view("run").ladder.go.text()
    n = s.ring.count
    until(lambda: s.ring.count > n + 300)
    window.view("run").do_next()
    until(lambda: len(window.desk.runs) == 1)
    going = False
    thread.join()
    assert window.desk.runs[0].run.source == "bench"
    s.disconnect_bench()


def test_the_ring_keeps_the_newest_in_order():
    ring = Ring(("speed",), size=100)
    for n in range(57):
        ring.add(n * 7.0 + np.arange(7), np.full((7, 1), float(n)))
    assert ring.count == 100
    assert (np.diff(ring.t) == 1).all()
    assert ring.t[-1] == 56 * 7 + 6
    assert ring.t[ring.since(390.0)][0] == 390


def test_thinning_keeps_every_peak():
    y = np.zeros(100_000)
    y[54_321] = 9.0
    t, thin = thinned(np.arange(100_000.0), y, 500)
    assert thin.max() == 9.0
    assert len(t) == len(thin) <= 1002


def test_a_bench_that_may_still_turn_goes_before_reading_by_eye(window):
    window.go("run")
    page = window.view("run")
    lost = SimpleNamespace(state="lost", stop_wanted=True, why="nothing heard")
    context = SimpleNamespace(desk=window.desk, session=lost)
    offer = next_thing(context, page.lift, page.eye)
    assert offer.alarm
    assert "Cut its power" in offer.say
