"""Every method, calibration and comparison, on the simulated bench in the window."""

import random
import time

import numpy as np
import pytest
from helpers import close_others, lay, planned
from live_helpers import Board, begin_lift, until
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from sparring.bench.recorder import Recorder
from sparring.bench.ring import Ring
from sparring.core.methods import METHODS
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.uncertainty import nominal
from sparring.demo import hollin_yard
from sparring.ui.model import background
from sparring.ui.pages import PAGES


@pytest.fixture(scope="module")
def rig():
    """A high hoist: a lift is not over before the cable is pulled, however slow the machine."""
    return changed(hollin_yard.rig(), ("method", "travel"), 120.0)


@pytest.fixture
def window(shown, tmp_path, build, rig, plan):
    lay(shown, tmp_path / "book")
    shown.desk.add_build(build)
    shown.desk.choose_rig(shown.desk.book.save_rig(rig))
    shown.desk.plan = plan
    shown.go("run")
    return shown


def test_calibration_is_taken_from_the_live_cell(window):
    """Three masses on the cell; with the weights still on the floor the readings do not follow, and
    that is said.
    """
    window.go("rig")
    page, s = window.view("rig").sensors.panel("calibration"), window.session

    def take(mass, counts):
        page.known.setText(f"{mass} kg")
        s.state, s.ring = "ready", Ring(("cell",))
        s.ring.add(np.arange(100) / 100, np.full((100, 1), counts))
        page.take_reading()

    for mass in (0.0, 1.0, 2.0):
        take(mass, 84_000.0)
    assert "do not follow the masses" in page.verdict.text()
    for _ in range(3):
        page._drop()
    for mass in (0.0, 1.0, 2.0):
        take(mass, 84_000.0 + mass * 20_600)
    assert "counts/N" in page.verdict.text()
    assert [p.mass.value for p in window.desk.rig.calibration.points] == [0.0, 1.0, 2.0]
    window.desk.undo.undo()
    assert len(page.fresh) == 3
    window.desk.choose_rig(
        window.desk.book.save_rig(
            changed(changed(window.desk.rig, ("name",), "bare"), ("calibration",), None)
        )
    )
    assert not page.fresh  # another rig's cell begins anew, and takes the place of nothing
    for mass in (0.0, 1.0, 2.0):
        take(mass, 80_000.0 + mass * 20_000)
    assert window.desk.rig.calibration.earlier == ()


@pytest.mark.whole
@pytest.mark.parametrize("name", ["Siskin r1", "Knot r1"])
def test_a_drive_of_another_kind_is_lifted_live(window, tmp_path, rig, name):
    """A worm that holds by itself, and a strain wave that reverses: the same Run page, the same
    lines.
    """
    from sparring.core import predict
    from sparring.demo import hollin_yard
    from sparring.demo.drives import others

    drive = next(b for b in others(hollin_yard.motor()) if b.name == name)
    short = changed(rig, ("method", "travel"), 0.3)
    window.desk.add_build(drive)
    window.desk.choose_rig(window.desk.book.save_rig(changed(short, ("name",), "Short hoist")))
    load = (
        0.4
        * predict.stall_torque(drive, 12.0)
        / (predict.load_torque(rig, 1.0) - predict.load_torque(rig, 0.0))
    )
    window.desk.plan = planned([Measured(round(load, 2), 5e-4)])
    window.desk.new_test()
    window.go("run")
    made = Board(drive, short, tmp_path / "other", "--speed", "12")
    window.session.connect_port(str(tmp_path / "other"))
    try:
        until(
            lambda: (
                window.session.state == "ready"
                and window.session.obeys
                and window.session.ring.count > 20
            )
        )
        begin_lift(window)
        until(lambda: len(window.desk.runs) == 1)
        until(lambda: window.desk.result is not None and window.desk.result.lifted)
        step = window.desk.result.lifted[0]
        told = predict.power_flow(drive, nominal(step.torque), 12.0).gearbox
        assert nominal(step.gearbox) == pytest.approx(told, abs=0.06)
        window.go("results")
        window.grab()
    finally:
        window.session.disconnect_bench()
        made.pull()


AT = {
    "lever": (0.4, 1.2),
    "brake": (1.2,),
    "brake swept": (1.2,),
    "drawbar": (1.5,),
    "run-up": (1.0,),
    "generator": (1.0,),
    "tackle": (1.5,),
    "haul": (1.0,),
}


SHORT = {"resistors": (22.0, 8.0), "hold": 1.8, "coast": 1.5, "inertia": Measured(0.003, 3e-5)}


@pytest.mark.parametrize(
    "kind", [k if k == "brake" else pytest.param(k, marks=pytest.mark.whole) for k in AT]
)
def test_every_method_is_run_with_the_keyboard_from_rig_to_results(window, qtbot, kind):
    """Choose the method, plan it, then Space until all is done, on the simulated bench over the
    same lines.
    """

    d, s = window.desk, window.session
    d.new_test()
    window.go("rig")
    kind, _, swept = kind.partition(" ")
    method = next(k for k in METHODS if k().kind == kind)
    window.view("rig").methods.setCurrentIndex(METHODS.index(method))
    window.view("rig").choose_method(method)
    assert d.rig.method.kind == kind
    for name, value in SHORT.items():
        if name in method.model_fields:
            assert d.edit("rig", ("method", name), value) is None
    if swept:
        assert d.edit("rig", ("method", "load"), "swept up and down") is None
        assert d.edit("rig", ("method", "hold"), 6.0) is None
    loads = AT[f"{kind} {swept}".strip()]
    made = planned([Measured(m, 5e-4) for m in loads], repeats=1)
    assert d.edit("plan", (), made, "plan") is None
    window.grab()
    window.go("run")
    s.simulate(d.build, d.rig, speed=25.0, rate=60.0)
    until(lambda: s.state == "ready" and s.ring is not None and s.ring.count > 60)
    assert ("cell" in s.ring.channels) == bool(method.CELL)
    wanted = d.todo_count()
    for _ in range(wanted + 1):
        if len(d.runs) == wanted:
            break
        until(lambda: s.state == "ready")
        if method.CELL and s.tare is None:
            qtbot.keyClick(window, Qt.Key.Key_Space)
            until(lambda: s.tare is not None)
        n = len(d.runs)
        qtbot.keyClick(window, Qt.Key.Key_Space)
        until(lambda n=n: len(d.runs) > n)
    until(lambda: d.result is not None and not background.busy())
    result = d.result
    assert not result.skipped
    if kind == "lever":
        assert [bool(x.stalls) for x in result.steps] == [False, True]
        assert result.stall.lifted is not None
        assert result.best is None
    else:
        assert len(result.running) >= len(loads)
        assert 0.6 < nominal(result.best.gearbox) < 0.97
    window.go("results")
    window.grab()
    assert "–" not in window.view("results").table.item(0, 2).text()
    s.disconnect_bench()


@pytest.mark.whole
def test_calibration_is_guided_up_and_down_the_shelf(window, tmp_path, qtbot):
    """Guide hangs each mass on the simulated cell, waits until it is still, and takes it; the sheet
    is written.
    """
    from sparring.core.instruments import calibration
    from sparring.core.rig import Weight

    d, s = window.desk, window.session
    shelf = tuple(Weight(name=f"w{m}", mass=Measured(m, 2e-4)) for m in (2.0, 1.0))
    assert d.edit("rig", ("shelf",), shelf) is None
    window.go("rig")
    s.simulate(d.build, d.rig, speed=45.0, rate=25.0)
    until(lambda: s.state == "ready" and s.ring is not None and s.ring.count > 60)
    panel = window.view("rig").sensors.panel("calibration")
    window.view("rig").tabs.setCurrentIndex(1)
    until(lambda: panel.guide.isEnabled())
    old = calibration.fit(d.rig.calibration, d.rig.gravity.value)
    panel.guide.click()
    until(lambda: not panel.guide.isChecked())
    masses = [p.mass.value for p in d.rig.calibration.points]
    assert masses == [0.0, 1.0, 2.0, 1.0, 0.0]
    new = calibration.fit(d.rig.calibration, d.rig.gravity.value)
    assert nominal(new.slope) == pytest.approx(nominal(old.slope), rel=3e-3)
    assert "hysteresis" in panel.verdict.text()
    past = d.rig.calibration.earlier[-1]  # what it has taken the place of is not forgotten
    assert past.sensitivity.value == pytest.approx(nominal(old.slope))
    assert f"Since {past.date}: sensitivity" in panel.verdict.text()
    assert d.edit("rig", ("calibration", "capacity"), 60.0) is None
    s.send("weigh 2")
    until(lambda: s.ring.values("cell")[-1] > 100_000)
    panel.creep.click()
    until(lambda: not panel.creep.isChecked())
    assert 0 < d.rig.calibration.creep < 1e-3  # of the simulated cell: 0.04 % at most
    assert "creep in 60 s" in panel.verdict.text()
    panel.write_certificate(tmp_path / "sheet.html")
    text = (tmp_path / "sheet.html").read_text(encoding="utf-8")
    assert "Sensitivity" in text
    assert text.count("<tr>") > 5
    assert f"Sensitivity on {past.date}" in text
    panel.write_certificate(tmp_path / "no" / "sheet.html")
    assert "could not be written" in window.message.text()
    s.disconnect_bench()


@pytest.mark.whole
def test_a_meter_is_held_against_a_better_one_and_runs_keep_that(window, tmp_path, qtbot):
    """Figures typed with the keyboard, one taken live; what is run from then on is corrected, what
    was run before is not.
    """
    d, s, page = window.desk, window.session, window.view("rig")
    window.go("rig")
    page.tabs.setCurrentIndex(1)
    panel = page.sensors.panel("voltmeter")
    page.sensors.choice.setCurrentIndex(2)
    assert "Data-sheet accuracy: ± 0.5 %" in panel.verdict.text()
    panel.reference.setFocus()
    qtbot.keyClicks(panel.reference, "6 V")
    qtbot.keyClick(panel.reference, Qt.Key.Key_Return)
    assert "Type the voltmeter's reading too" in window.message.text()
    for reference, shown in (("6", "6.30"), ("9", "9.451"), ("12 V", "12.60 V")):
        panel.reference.clear()
        qtbot.keyClicks(panel.reference, reference)
        qtbot.keyClicks(panel.shown, shown)
        qtbot.keyClick(panel.shown, Qt.Key.Key_Return)
    assert "gain 5.00 ± 0." in panel.verdict.text()
    assert d.edit("rig", ("method", "travel"), 0.6) is None  # this lift is waited for
    s.simulate(d.build, d.rig, speed=20.0)
    until(lambda: s.state == "ready" and s.ring is not None and s.ring.count > 60)
    panel.reference.clear()
    qtbot.keyClicks(panel.reference, "0 V")
    qtbot.keyClick(panel.reference, Qt.Key.Key_Return)
    assert len(d.rig.sensors.voltmeter.points) == 4
    assert abs(d.rig.sensors.voltmeter.points[-1].shown) < 0.05
    panel.drop.click()
    assert len(d.rig.sensors.voltmeter.points) == 3
    panel.write_sheet(tmp_path / "sheet.html")
    text = (tmp_path / "sheet.html").read_text(encoding="utf-8")
    assert "Comparison of meter (voltmeter)" in text
    assert "<td>9.451</td><td>9.00" in text
    window.go("run")
    n = len(d.runs)
    assert d.edit("plan", (), planned([Measured(0.8, 5e-4)]), "plan") is None
    until(lambda: s.state == "ready")
    for _ in range(2):  # tares, then lifts
        qtbot.keyClick(window, Qt.Key.Key_Space)
        until(lambda: s.tare is not None and s.state in ("ready", "lifting"))
    until(lambda: len(d.runs) == n + 1)
    until(lambda: d.result is not None and not background.busy())
    assert d.runs[-1].run.sensors.voltmeter is not None
    with_it = nominal(d.result.steps[0].points[-1].voltage)
    panel.forget.click()
    assert d.rig.sensors.voltmeter is None
    until(lambda: not background.busy())
    assert nominal(d.result.steps[0].points[-1].voltage) == with_it
    assert with_it == pytest.approx(12.0 / 1.05, abs=0.15)
    s.disconnect_bench()


@pytest.mark.whole
def test_the_simulated_bench_is_set_up_anew_for_another_method_and_another_build(window, qtbot):
    from sparring.core.methods import Lever

    s, d = window.session, window.desk
    s.simulate(d.build, d.rig, speed=6.0)
    until(lambda: s.state == "ready" and s.ring is not None and s.ring.count > 20)
    assert d.edit("build", ("mass",), Measured(0.25)) is None
    # a figure put right changes nothing on the bench
    assert "Tare" in window.view("run").ladder.go.text()
    d.new_revision()
    assert "Set up the simulated bench again" in window.view("run").ladder.go.text()
    assert "Dunnock r2 on Hoist A" in window.view("run").ladder.say.text()
    window.go("rig")
    window.view("rig").choose_method(Lever)
    window.go("run")
    qtbot.keyClick(window, Qt.Key.Key_Space)
    until(
        lambda: (
            s.state == "ready"
            and s.simulates.endswith("lever")
            and s.ring is not None
            and s.ring.count > 20
        )
    )
    assert "cell" not in s.ring.channels
    assert "First power" in window.view("run").ladder.go.text()  # a new revision is a new build
    s.disconnect_bench()


@pytest.mark.whole
def test_a_tester_in_a_hurry_breaks_nothing(window, qtbot, monkeypatch):
    """Keys and choices in any order while a bench lifts: no fault, and every lift that was begun is
    kept.
    """
    rng = random.Random(2)
    d, s, page, errands = window.desk, window.session, window.view("run"), window.errands
    simulate, make, begun = s.simulate, Recorder.__init__, []
    s.simulate = lambda b, r, **more: simulate(b, r, speed=12.0, rate=40.0, **more)

    def counted(self, path, *how, **more):
        make(self, path, *how, **more)
        begun.append(path)

    monkeypatch.setattr(Recorder, "__init__", counted)

    def next_and_wait():
        page.do_next()
        until(lambda: s.state not in ("connecting", "preparing"))
        end = time.monotonic() + 0.3 * rng.random()
        until(lambda: time.monotonic() > end)

    def shorter():
        loads = [Measured(0.3 + 0.5 * k) for k in range(rng.randrange(1, 5))]
        d.edit("plan", (), planned(loads), "plan")

    moves = [
        lambda: d.choose_build(rng.choice([i for i, _ in d.book.builds()])),
        lambda: d.choose_test(rng.choice(d.book.tests()).id) if d.book.tests() else None,
        lambda: window.go(rng.choice(PAGES).id),
        lambda: page._force(rng.randrange(len(page.ladder.rows))),
        lambda: window.view("rig").choose_method(rng.choice(METHODS)),
        lambda: qtbot.keyClick(window, Qt.Key.Key_Escape),
        *(
            page.noted.mark,
            page.noted.broke,
            errands.characterise,
            errands.simulate,
            shorter,
            d.new_test,
            d.new_revision,
        ),
        *(
            d.undo.undo,
            d.undo.redo,
            s.disconnect_bench,
            s.stop,
            lambda: close_others(window),
            window.grab,
        ),
        *30 * (next_and_wait,),
    ]
    for _ in range(30):
        rng.choice(moves)()
        QApplication.processEvents()
        if QApplication.activeModalWidget():
            close_others(window)
    s.disconnect_bench()
    until(lambda: not background.busy())
    del s.simulate
    assert begun
    kept = sum(len(d.book.runs(test.id, struck=True)) for test in d.book.tests())
    # stopped at once, and said
    empty = sum("no sample arrived" in text for text in window.heard.said)
    assert kept + empty == len(begun)
