"""Parts measured in the window: readings typed and recorded."""

import math
import re
from dataclasses import replace

import numpy as np
import pytest
from helpers import lay, wait_for
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from readings_helpers import figure, ids

from sparring.core.characterise import METHODS
from sparring.core.characterise.drum import DrumFriction, DrumReading
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.sheaves import Sheaves
from sparring.core.characterise.swing import Swing
from sparring.core.characterise.windup import WindUp
from sparring.core.instruments.meters import VoltagePoint, Voltmeter
from sparring.core.methods.tackle import Tackle
from sparring.core.plant.bench import bench_of
from sparring.core.plant.fixtures import FIXTURES, record
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.uncertainty import nominal, std
from sparring.files import log_files
from sparring.logbook import recovery
from sparring.ui.characterise.dialog import CharacteriseDialog
from sparring.ui.widgets.gravity import gravity_at

RPM = 2 * math.pi / 60


@pytest.fixture
def window(shown, tmp_path):
    lay(shown, tmp_path / "book")
    return shown


def test_readings_are_typed_kept_and_used(window, qtbot):
    window.errands.characterise()
    dialog = window.errands.dialog
    assert dialog.title.text() == BareMotor.TITLE  # nothing is measured yet
    grid = dialog.grid
    for text in ("12 V", "460 rad/s", "0.12 A", "", "12 V", "0 rpm", "4 A"):
        if text:
            grid.currentItem().setText(text)
        qtbot.keyClick(grid, Qt.Key.Key_Return)
    assert (grid.currentRow(), grid.currentColumn()) == (3, 1)
    assert dialog.results.item(0, 0).text() == "Resistance"
    grid.item(0, 1).setText("three stones")
    assert "three" in dialog.said.text()
    assert "Repeat 2, voltage" in dialog.said.text()
    assert dialog.results.rowCount() == 0
    grid.setCurrentCell(0, 1)
    qtbot.keyClick(grid, Qt.Key.Key_Delete)
    assert "missing" in dialog.said.text()
    grid.item(0, 1).setText("between 11.9 and 12.1 V")
    x, y = dialog.chart.curve.getData()
    assert (x[0], y[0]) == pytest.approx((0.12, 460.0 / RPM))
    dialog.remark.setText("after running in")
    dialog.remark.editingFinished.emit()
    dialog.use.click()
    assert window.desk.build.motor.stall_current.value == pytest.approx(4.0)
    assert window.desk.build.motor.no_load_speed.value == pytest.approx(460.0)
    window.desk.undo.undo()
    assert window.desk.build.motor.no_load_speed.value != pytest.approx(460.0)
    dialog.accept()
    again = CharacteriseDialog(window.desk, window.session, window)
    assert again.grid.texts()[1][0] == "between 11.9 and 12.1 V"
    assert again.remark.text() == "after running in"
    for method in METHODS:
        again.begin(method.ID)
        assert again.grid.rowCount() == len(method.READING.FIELDS)
    assert len(window.desk.book.characterisations()) == 1  # those of nothing are not kept


def test_gravity_by_latitude_is_taken_over_by_the_next_record(window):
    dialog = CharacteriseDialog(window.desk, window.session, window)
    dialog.begin(Swing.ID)
    dialog.set_gravity(gravity_at(60.0))
    dialog.grid.set_texts([["20", "24 s ± 0.2 s", ""]])
    dialog.begin(Swing.ID)
    assert dialog.method.gravity.value == pytest.approx(9.819, abs=2e-3)
    assert not dialog.grid.texts()


def test_records_are_listed_under_their_part_left_out_and_taken_back(window):
    dialog = CharacteriseDialog(window.desk, window.session, window)
    dialog.begin(Swing.ID)
    dialog.name.setText("flywheel 1")
    dialog.grid.set_texts([["20", "24 s ± 0.2 s", ""]])
    dialog.begin(WindUp.ID)
    loop = (0.25, 0.5, 0.75, 1.0, 0.75, 0.5, 0.25)
    rows = [[f"{s * t} N·m", f"{s * 2 * t} deg"] for s in (1, -1) for t in loop]
    dialog.grid.set_texts(rows)
    groups = [dialog.records.tree.topLevelItem(n).text(0) for n in range(2)]
    assert groups == ["Inertia: flywheel 1", f"Build: {window.desk.build.name}"]
    window.go("build")
    tables = window.view("build").tables
    tables.tabs.setCurrentIndex(5)
    table = tables.measured.table
    tables.measured.refresh()
    listed = {table.item(n, 0).text(): table.item(n, 3).text() for n in range(table.rowCount())}
    assert listed["flywheel 1"].startswith("inertia ")
    assert "stiffness" in listed[window.desk.build.name]
    dialog.use.click()
    assert window.desk.build.windup == pytest.approx(0.5 / math.radians(1), rel=0.1)
    window.desk.undo.undo()
    key = dialog.kept.id
    dialog.records.left_out.emit(key)
    assert key not in [c.id for c in window.desk.book.characterisations()]
    assert dialog.records.out.text() == "&Restore"
    dialog.records.left_out.emit(key)
    assert key in [c.id for c in window.desk.book.characterisations()]


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
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(DrumFriction.ID)
    dialog.grid.set_texts([["1 kg", "0.27 N·m", "0.25 N·m"]])
    dialog.use.click()
    assert window.desk.rig.method.bearing.value == pytest.approx(0.01)
    window.desk.undo.undo()
    assert window.desk.rig.method.bearing.value == 0


def test_a_sheave_is_told_by_lifting_and_lowering(window, rig):
    tackle = changed(rig, ("method",), Tackle(parts=3, lead=2))
    window.desk.put("rig", tackle, window.desk.rig_id)
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(Sheaves.ID)
    assert (dialog.method.parts, dialog.method.lead) == (3, 2)  # as the rig has them
    # 30 N on three parts and two lead sheaves of 0.95, summed part by part
    up = 30 / sum(0.95 ** (2 + j) for j in range(3))
    down = 30 / sum(0.95 ** -(2 + j) for j in range(3))
    dialog.grid.set_texts([[f"{up:.5f} N ± 0.1 N", f"{down:.5f} N ± 0.1 N"]])
    dialog.use.click()
    sheave = window.desk.rig.method.sheave
    assert sheave.value == pytest.approx(0.95, rel=1e-4)
    # each pull's ± by itself, a sixth of it: the quotient goes over six sheaves
    u = 0.05 * math.hypot(1 / up, 1 / down) / 6
    assert sheave.u == pytest.approx(0.95 * u, rel=0.02)
    dialog.grid.set_texts([[f"{down:.5f} N", f"{up:.5f} N"]])
    assert "interchanged" in dialog.said.text()


def test_nominally_equal_motors_are_told_apart_beyond_their_doubt(window, build):
    def measure(current):
        dialog = CharacteriseDialog(window.desk, window.session, window)
        dialog.begin(BareMotor.ID)
        dialog.grid.set_texts(
            [
                ["12 V", "460 rad/s", "0.12 A ± 1 mA", ""],
                ["12 V", "0 rpm", f"{current} A ± 20 mA", ""],
            ]
        )
        if not dialog.compare.isEnabled():
            return ""
        dialog.compare.click()
        return dialog.compared.said.text()

    assert measure(4.0) == ""  # there is nothing to compare it with
    window.desk.add_build(changed(build, ("family",), "Second"))
    assert "not significant" in measure(4.01)
    window.desk.add_build(changed(build, ("family",), "Third"))
    said = measure(4.4)
    assert "Resistance of" in said
    assert re.search(r"Stall current of [^;]*Third[^;]* is 10\.0 % above", said)


TYPED = {  # one column each, as a tester types it
    "swing": (["20", "24 s ± 0.2 s", ""], "Inertia"),
    "generator": (["4000 rpm", "10 V", "0 A", ""], "Constant, open terminals"),
    "break-away": (["0.25 N·m", "0.2 N·m"], "Break-away torque"),
    "counting": (["20", "4 s ± 0.1 s", ""], "Speed of the wanted shaft"),
    "wind-up": (["0.5 N·m", "1 deg"], ""),
    "holding": (["0.4 N·m", "", "10 min", "0.1 deg ± 0.5 deg", ""], "Held"),
    "currents": (["held by hand", "0.8 A"], "held by hand"),
}


@pytest.mark.parametrize("title", TYPED)
def test_each_way_is_worked_from_the_window(window, qtbot, title):
    dialog = CharacteriseDialog(window.desk, window.session, window)
    dialog.begin(title)
    texts, label = TYPED[title]
    for text in texts:
        dialog.grid.currentItem().setText(text)
        qtbot.keyClick(dialog.grid, Qt.Key.Key_Return)
    labels = [dialog.results.item(r, 0).text() for r in range(dialog.results.rowCount())]
    if label:
        row = labels.index(label)
        assert any(c.isdigit() for c in dialog.results.item(row, 1).text())
    else:  # one point is no loop
        assert "each side" in dialog.said.text()
    assert dialog.care.text()
    window.desk.set_unit("torque", "oz·in")
    dialog._work()
    if "Break-away torque" in labels:
        assert dialog.results.item(0, 1).text().endswith("oz·in")
    window.desk.set_unit("torque", "N·m")


@pytest.mark.parametrize("title", FIXTURES)
def test_each_way_is_recorded_from_the_bench(window, qtbot, title):
    """Simulated set-up, Record, and the readings stand in the grid, as true as they say; the
    recording is kept.
    """
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(title)
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
    assert len(window.desk.book.recording(dialog.kept.recordings[0])) > 100
    window.go("run")  # the bench that is still there is no rig's: the page says so and stands
    QApplication.processEvents()
    s.disconnect_bench()
    assert dialog.recorder.go.isEnabled() is False


def test_a_recording_cut_off_by_a_crash_is_taken_the_next_time(window, qtbot, tmp_path):
    """What is on disk of a recording that nobody ended is found, said, and in the grid when those
    readings are opened.
    """
    s, book = window.session, window.desk.book
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(Swing.ID)
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
    # as it was when the crash came: begun, with nothing in it
    before = book.characterisation(int(dialog.kept.id))
    book.save_characterisation(replace(before, readings=(), recordings=()))
    stream.write_bytes(cut)
    assert "Recovered an interrupted recording" in recovery.recover(book)[0]
    assert not stream.exists()
    again = CharacteriseDialog(window.desk, window.session, window, at=before.id)
    assert again.grid.texts(), again.said.text()
    assert len(again.kept.recordings) == 1
    again.begin(BareMotor.ID)
    again.open_record(before.id)
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
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(BareMotor.ID)
    assert dialog.take(recording, "bench")
    value = figure(dialog.judged, "resistance").value
    assert nominal(value) == pytest.approx(float(fixture.bench.R), abs=3 * std(value))
    assert std(value) < 0.02 * nominal(value)
    kept = d.book.recording(dialog.kept.recordings[0])
    assert np.array_equal(kept.channels["voltage"], recording.channels["voltage"])
    crooked = Voltmeter(
        points=tuple(
            VoltagePoint(reference=r, shown=x) for r, x in ((3.0, 9.0), (6.0, 2.0), (9.0, 5.0))
        )
    )
    assert d.edit("rig", ("sensors", "voltmeter"), crooked) is None
    assert dialog.take(recording, "bench")  # kept all the same
    assert "does not follow the reference" in dialog.said.text()
    assert len(dialog.kept.recordings) == 2


def test_closing_the_readings_ends_a_recording_and_takes_it(window):
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(Swing.ID)
    dialog.recorder.start_simulated(speed=25.0)
    wait_for(lambda: dialog.recorder.go.isEnabled(), 25.0, QApplication.processEvents)
    dialog.recorder.go.click()
    begun = window.session.ring.t[-1]
    wait_for(lambda: window.session.ring.t[-1] > begun + 12.0, 25.0, QApplication.processEvents)
    dialog.accept()
    (kept,) = window.desk.book.characterisations()
    assert len(kept.readings) == len(kept.recordings) == 1
    assert not list((window.desk.book.folder / "recordings").glob("*.arrow"))
    window.session.disconnect_bench()


def test_recording_does_not_set_a_board_going(window, qtbot):
    """A bench of another kind is recorded as it is: nothing is told to move."""
    s = window.session
    s.simulate(window.desk.build, window.desk.rig, speed=8.0)
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(BareMotor.ID)
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
    assert "no steady state of 0.25 s under voltage" in dialog.said.text()
    dialog.accept()
    s.disconnect_bench()


def test_a_log_of_readings_is_taken_and_a_wrong_one_is_told(window, tmp_path):
    fixture = FIXTURES["wind-up"](bench_of(window.desk.build, window.desk.rig))
    (recording,) = record(fixture, seed=2)
    log_files.write(tmp_path / "loop.csv", recording)
    window.errands.characterise()
    dialog = window.errands.dialog
    dialog.begin(WindUp.ID)
    dialog.recorder.open_log(tmp_path / "loop.csv")
    asked = dialog.recorder.dialog
    assert asked.mapping() == {0: ("t", "s"), 1: ("torque", "N·m"), 2: ("angle", "deg")}
    asked.accept()
    value = figure(dialog.judged, "stiffness").value
    assert nominal(value) == pytest.approx(fixture.bench.windup, abs=4 * std(value))
    assert len(dialog.grid.texts()) > 20
    dialog.begin(Swing.ID)
    dialog.recorder.open_log(tmp_path / "loop.csv")
    dialog.recorder.dialog.accept()
    assert "complete swings are in the recording" in dialog.said.text()
    dialog.recorder.open_log(tmp_path / "none.csv")
    assert "none.csv" in dialog.said.text()
