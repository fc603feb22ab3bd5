"""Readings, typed and recorded in the window."""

import math

import numpy as np
import pytest
from helpers import lay, wait_for
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from readings_helpers import figure, ids

from sparring.core.characterise import METHODS
from sparring.core.characterise.drum import DrumFriction, DrumReading
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.swing import Swing
from sparring.core.characterise.windup import WindUp
from sparring.core.instruments.meters import VoltagePoint, Voltmeter
from sparring.core.plant.bench import bench_of
from sparring.core.plant.fixtures import FIXTURES, record
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.uncertainty import nominal, std
from sparring.files import log_files
from sparring.logbook import recovery
from sparring.ui.readings.dialog import ReadingsDialog
from sparring.ui.widgets.gravity import gravity_at

RPM = 2 * math.pi / 60


@pytest.fixture
def window(shown, tmp_path):
    lay(shown, tmp_path / "book")
    return shown


def test_readings_are_typed_kept_and_used(window, qtbot):
    window.errands.readings()
    dialog = window.errands.dialog
    grid = dialog.grid
    for text in ("500 g", "0.6 kg ± 1 g", "0 deg"):
        grid.currentItem().setText(text)
        qtbot.keyClick(grid, Qt.Key.Key_Return)
    assert (grid.currentRow(), grid.currentColumn()) == (0, 1)
    assert dialog.results.item(1, 0).text() == "Stall torque"
    grid.currentItem().setText("three stones")
    assert "three" in dialog.said.text()
    assert "Repeat 2, lifted" in dialog.said.text()
    assert dialog.results.rowCount() == 0
    qtbot.keyClick(grid, Qt.Key.Key_Delete)
    assert dialog.results.rowCount() == 3
    dialog.set_gravity(gravity_at(60.0))
    assert dialog.method.gravity.value == pytest.approx(9.819, abs=2e-3)
    dialog.accept()
    again = ReadingsDialog(window.desk, window.session, window)
    assert again.grid.texts() == [["500 g", "0.6 kg ± 1 g", "0 deg"]]
    assert again.method.gravity.value == pytest.approx(9.819, abs=2e-3)
    again.choice.setCurrentIndex(METHODS.index(BareMotor))
    rows = [["12 V", "460 rad/s", "0.12 A", ""], ["12 V", "0 rpm", "4 A", ""]]
    again.grid.set_texts(rows)
    again._use()
    x, y = again.chart.curve.getData()
    assert (x[0], y[0]) == pytest.approx((0.12, 460.0 / RPM))
    assert (x[-1], y[-1]) == pytest.approx((4.0, 0.0), abs=1e-6)
    assert window.desk.build.motor.stall_current.value == pytest.approx(4.0)
    assert window.desk.build.motor.no_load_speed.value == pytest.approx(460.0)
    window.desk.undo.undo()
    assert window.desk.build.motor.no_load_speed.value != pytest.approx(460.0)
    for n in range(len(METHODS)):
        again.choice.setCurrentIndex(n)
        assert again.grid.rowCount() == len(METHODS[n].READING.FIELDS)


def test_drum_friction_is_half_of_what_the_ways_differ_by(window):
    r, f = 0.0255, 0.012
    rows = [
        DrumReading(
            load=Measured(m),
            lifting=Measured(m * 9.81 * r + f),
            lowering=Measured(m * 9.81 * r - f),
        )
        for m in (0.5, 1.0)
    ]
    way = DrumFriction(radius=Measured(r), gravity=Measured(9.81))
    judged = way.reduce(rows)
    assert nominal(figure(judged, "drum-friction").value) == pytest.approx(f)
    assert nominal(figure(judged, "weight-radius").value) == pytest.approx(r)
    assert not judged.findings
    alone = way.reduce([DrumReading(load=Measured(1.0), lifting=Measured(9.81 * r + f))])
    assert nominal(figure(alone, "drum-friction").value) == pytest.approx(f)
    assert "drum-radius-as-measured" in ids(
        changed(way, ("radius",), Measured(2 * r, 1e-4)).reduce(rows)
    )
    assert "drum-friction-negative" in ids(
        way.reduce([DrumReading(load=Measured(1.0, 1e-4), lifting=Measured(0.2))])
    )
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(DrumFriction))
    dialog.grid.set_texts([["1 kg", "0.27 N·m", "0.25 N·m"]])
    dialog.use.click()
    assert window.desk.rig.method.bearing.value == pytest.approx(0.01)
    window.desk.undo.undo()
    assert window.desk.rig.method.bearing.value == 0


def test_nominally_equal_motors_are_told_apart_beyond_their_doubt(window, build):
    def measure(current):
        window.errands.readings()
        dialog = window.errands.dialog
        dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
        dialog.grid.set_texts(
            [
                ["12 V", "460 rad/s", "0.12 A ± 1 mA", ""],
                ["12 V", "0 rpm", f"{current} A ± 20 mA", ""],
            ]
        )
        dialog.compare.click()
        said = dialog.said.text()
        dialog.accept()
        return said

    assert "Only one motor" in measure(4.0)
    window.desk.add_build(changed(build, ("family",), "Second"))
    assert "do not differ" in measure(4.01)
    window.desk.add_build(changed(build, ("family",), "Third"))
    assert "R of Third" not in measure(4.4)
    assert "% above that of Third" in measure(4.4)


TYPED = {  # one column each, as a tester types it
    "Lever on a scale": (["1.2 kg ± 2 g", "0.2 kg ± 1 g", "0 deg"], "Torque"),
    "Rope brake": (["30 N", "4 N", "190 rpm", "12 V", "2 A"], "Power at the drum"),
    "Drawbar pull": (["4 lbf", "", "", "0 kg"], "Wheel torque"),
    "Run-up of a known inertia": (
        ["100 rpm", "600 rpm", "2 s", "600 rpm", "300 rpm", "9 s"],
        "Drag",
    ),
    "Swing test of an inertia": (["20", "24 s ± 0.2 s", ""], "Inertia"),
    "Generator into a load": (["4000 rpm", "10 V", "0 A", ""], "Constant, open terminals"),
    "Wind-up and lost motion": (["0.5 N·m", "1 deg"], ""),
}


@pytest.mark.parametrize("title", TYPED)
def test_each_way_is_worked_from_the_window(window, qtbot, title):
    dialog = ReadingsDialog(window.desk, window.session, window)
    dialog.choice.setCurrentText(title)
    texts, label = TYPED[title]
    for text in texts:
        dialog.grid.currentItem().setText(text)
        qtbot.keyClick(dialog.grid, Qt.Key.Key_Return)
    labels = [dialog.results.item(r, 0).text() for r in range(dialog.results.rowCount())]
    if label:
        row = labels.index(label)
        assert any(c.isdigit() for c in dialog.results.item(row, 1).text())
    else:  # one point is no loop
        assert "either side" in dialog.said.text()
    assert dialog.care.text()
    window.desk.set_unit("torque", "oz·in")
    dialog._work()
    if "Torque" in labels:
        assert dialog.results.item(labels.index("Torque"), 1).text().endswith("oz·in")
    window.desk.set_unit("torque", "N·m")


@pytest.mark.parametrize("title", FIXTURES)
def test_each_way_is_recorded_from_the_bench(window, qtbot, title):
    """Simulated set-up, Record, and the readings stand in the grid, as true as they say; the
    recording is kept.
    """
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex([k.ID for k in METHODS].index(title))
    s, recorder = window.session, dialog.recorder
    assert not recorder.go.isEnabled()
    recorder.start_simulated(speed=25.0)
    wait_for(
        lambda: s.state == "ready" and s.obeys and recorder.go.isEnabled(),
        25.0,
        QApplication.processEvents,
    )
    dialog.activateWindow()
    qtbot.keyClick(dialog.grid, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert "recorded" in recorder.live.text()
    wait_for(
        lambda: dialog.grid.texts() or "recording" in dialog.said.text(),
        40.0,
        QApplication.processEvents,
    )
    assert dialog.grid.texts(), dialog.said.text()
    truth = FIXTURES[title](
        bench_of(
            window.desk.build,
            window.desk.rig,
            friction=[f * 1.05 for f in window.desk.build.loss_figures()],
        )
    ).truth()
    for label, true in truth.items():
        value = figure(dialog.judged, label).value
        assert nominal(value) == pytest.approx(float(true), abs=4 * std(value)), label
    dialog.grab()
    assert len(window.desk.book.recording(dialog.logs[0])) > 100
    window.go("run")  # the bench that is still there is no rig's: the page says so and stands
    QApplication.processEvents()
    s.disconnect_bench()
    assert dialog.recorder.go.isEnabled() is False


def test_a_recording_cut_off_by_a_crash_is_taken_the_next_time(window, qtbot, tmp_path):
    """What is on disk of a recording that nobody ended is found, said, and in the grid when those
    readings are opened.
    """
    s, book = window.session, window.desk.book
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    # slowly enough that it is not over before it is cut
    dialog.recorder.start_simulated(speed=12.0)
    wait_for(lambda: dialog.recorder.go.isEnabled(), 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    (stream,) = (book.folder / "recordings").glob("*.arrow")
    wait_for(
        lambda: s.ring.t[-1] - s.ring.t[0] > 15.0 and stream.stat().st_size > 15_000,
        25.0,
        QApplication.processEvents,
    )
    cut = stream.read_bytes()  # the disk at this moment
    dialog.accept()
    s.disconnect_bench()
    book.set_setting(dialog._key(), {})
    stream.write_bytes(cut)
    assert "Recovered a recording that was cut off" in recovery.recover(book)[0]
    assert not stream.exists()
    window.errands.readings()
    again = window.errands.dialog
    assert not again.grid.texts()
    again.choice.setCurrentIndex(METHODS.index(Swing))
    assert again.grid.texts(), again.said.text()
    assert len(again.logs) == 1
    again.choice.setCurrentIndex(0)
    again.choice.setCurrentIndex(METHODS.index(Swing))
    assert len(again.grid.texts()) == 1  # not taken twice


def test_recorded_readings_go_by_the_rigs_meters(window):
    """A voltmeter that shows five per cent too much: the readings are right once it was compared,
    the recording is kept as it came.
    """
    d = window.desk
    fixture = FIXTURES["bare-motor"](bench_of(d.build, d.rig))
    (recording,) = record(fixture, seed=2, gains={"voltage": 1.05})
    pairs = ((3.0, 3.151), (6.0, 6.299), (9.0, 9.451), (12.0, 12.6))
    compared = Voltmeter(points=tuple(VoltagePoint(reference=r, shown=x) for r, x in pairs))
    assert d.edit("rig", ("sensors", "voltmeter"), compared) is None
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
    assert dialog.take(recording, "bench")
    value = figure(dialog.judged, "resistance").value
    assert nominal(value) == pytest.approx(float(fixture.bench.R), abs=3 * std(value))
    assert std(value) < 0.02 * nominal(value)
    kept = d.book.recording(dialog.logs[0])
    assert np.array_equal(kept.channels["voltage"], recording.channels["voltage"])
    crooked = Voltmeter(
        points=tuple(
            VoltagePoint(reference=r, shown=x) for r, x in ((3.0, 9.0), (6.0, 2.0), (9.0, 5.0))
        )
    )
    assert d.edit("rig", ("sensors", "voltmeter"), crooked) is None
    assert dialog.take(recording, "bench")  # kept all the same
    assert "does not follow the reference" in dialog.said.text()
    assert len(dialog.logs) == 2


def test_closing_the_readings_ends_a_recording_and_takes_it(window):
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    dialog.recorder.start_simulated(speed=25.0)
    wait_for(lambda: dialog.recorder.go.isEnabled(), 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    begun = window.session.ring.t[-1]
    wait_for(lambda: window.session.ring.t[-1] > begun + 12.0, 25.0, QApplication.processEvents)
    key = dialog._key()
    dialog.accept()
    kept = window.desk.book.setting(key)
    assert len(kept["readings"]) == len(kept["recordings"]) == 1
    assert not list((window.desk.book.folder / "recordings").glob("*.arrow"))
    window.session.disconnect_bench()


def test_recording_does_not_set_a_board_going(window, qtbot):
    """A bench of another kind is recorded as it is: nothing is told to move."""
    s = window.session
    s.simulate(window.desk.build, window.desk.rig, speed=8.0)
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(BareMotor))
    wait_for(
        lambda: s.state == "ready" and s.obeys and dialog.recorder.go.isEnabled(),
        25.0,
        QApplication.processEvents,
    )
    sent = []
    s.send = sent.append
    dialog.recorder.go.click()
    begun = s.ring.t[-1]
    wait_for(lambda: s.ring.t[-1] > begun + 2.0, 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    assert "up" not in sent
    assert np.abs(s.ring.values("speed")).max() < 1.0
    assert "no steady state under voltage" in dialog.said.text()
    dialog.accept()
    s.disconnect_bench()


def test_a_log_of_readings_is_taken_and_a_wrong_one_is_told(window, tmp_path):
    fixture = FIXTURES["wind-up"](bench_of(window.desk.build, window.desk.rig))
    (recording,) = record(fixture, seed=2)
    log_files.write(tmp_path / "loop.csv", recording)
    window.errands.readings()
    dialog = window.errands.dialog
    dialog.choice.setCurrentIndex(METHODS.index(WindUp))
    dialog.recorder.open_log(tmp_path / "loop.csv")
    asked = dialog.recorder.dialog
    assert asked.mapping() == {0: ("t", "s"), 1: ("torque", "N·m"), 2: ("angle", "deg")}
    asked.accept()
    value = figure(dialog.judged, "stiffness").value
    assert nominal(value) == pytest.approx(fixture.bench.windup, abs=4 * std(value))
    assert len(dialog.grid.texts()) > 20
    dialog.choice.setCurrentIndex(METHODS.index(Swing))
    dialog.recorder.open_log(tmp_path / "loop.csv")
    dialog.recorder.dialog.accept()
    assert "whole swings are in the recording" in dialog.said.text()
    dialog.recorder.open_log(tmp_path / "none.csv")
    assert "none.csv" in dialog.said.text()
