"""Step-up stages one after another: predicted, tried, corrected by what was tried."""

import json
import shutil

import pytest
from helpers import lay
from typer.testing import CliRunner
from window_helpers import idle, until

from sparring.cli.app import app
from sparring.core.analysis import analyse
from sparring.core.by_eye import ByEye
from sparring.core.methods import Generator
from sparring.core.outlook.step_up import further, in_a_row, same_series, with_count
from sparring.core.plan import Plan, PlanStep
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.run import Run
from sparring.core.train.kinds import SpurStage
from sparring.files import record_files

DRAG = 3e-4


@pytest.fixture
def fast(build):
    """A build that ends in a step-up of 1:3 without friction, with a drag of its own."""
    up = SpurStage(pinion=36, wheel=12, drag=DRAG, friction=Measured(0.0, 0.0))
    return changed(build, ("stages",), (up,))


@pytest.fixture
def light(rig):
    """A small generator into next to nothing, so that the output turns all but freely."""
    small = Generator(
        constant=Measured(1e-3, 1e-6), own_drag=Measured(5e-5, 1e-6), resistors=(1000.0,)
    )
    return changed(rig, ("method",), small)


PLAN = Plan(steps=(PlanStep(resistor=1000.0, voltage=12.0, repeats=3),))


def by_hand(build, count, drag, load=0.0):
    """(speed, current, whether it turns) by plain arithmetic from the motor's readings at their
    voltage: V = I R + k ω, T = k (I − I₀), each drag felt times the ratio before it."""
    m = build.motor
    volts, free, none, stall = (
        x.value for x in (m.voltage, m.no_load_speed, m.no_load_current, m.stall_current)
    )
    R = volts / stall
    k = (volts - none * R) / free
    asked = sum(drag * 3**n for n in range(1, count + 1)) + load * 3**count
    current = none + asked / k
    return (volts - current * R) / k * 3**count, current, current < stall


def read(build, count, drag):
    """Three runs as a person reads them."""
    speed, current, turns = by_hand(build, count, drag, 5e-5)
    figures = {"voltage": Measured(12.0, 0.01), "load_current": Measured(0.0)}
    if turns:
        figures["speed"] = Measured(speed, 0.005 * speed)
        figures["current"] = Measured(current, 0.005 * current)
    ended = "top" if turns else "stalled"
    run = Run(voltage=12.0, source="eye", ended=ended, read=ByEye(**figures))
    return [(run.model_copy(update={"repeat": n}), Recording.nothing()) for n in (1, 2, 3)]


def test_each_stages_drag_is_felt_times_the_ratio_before_it(fast):
    volts = fast.motor.voltage.value
    rows = further(fast, volts)
    for row in rows:
        speed, current, turns = by_hand(fast, row.stages, DRAG)
        assert row.ratio == pytest.approx(3**row.stages)
        assert (row.stalls < 0.5) == turns
        if turns:
            assert row.current.value == pytest.approx(current)
            assert row.speed.value == pytest.approx(speed)
    assert rows[-1].stalls > 0.99
    with pytest.raises(ValueError, match="reduction of 4:1"):
        further(with_count(changed(fast, ("stages",), (SpurStage(pinion=12, wheel=48),)), 2), 12.0)


def test_what_was_tried_corrects_what_is_next(fast, light):
    """Drags of 1.7 times those entered: two stages tell of the third."""
    drag = 1.7 * DRAG
    results = {n: analyse(with_count(fast, n), light, PLAN, read(fast, n, drag)) for n in (1, 2)}
    before = {r.stages: r for r in further(fast, 12.0, 5e-5)}
    after = {r.stages: r for r in further(fast, 12.0, 5e-5, results)}
    assert after[2].tried.turned
    assert after[2].tried.runs == 3
    _, true, _ = by_hand(fast, 3, drag, 5e-5)
    off = abs(after[3].current.value - true)
    assert off < 0.3 * abs(before[3].current.value - true)
    assert off < 2 * after[3].current.u < before[3].current.u


def test_a_series_is_told_by_what_turns(fast, build):
    assert in_a_row(with_count(fast, 4)) == 4
    assert same_series(fast, with_count(fast, 4))
    assert not same_series(fast, build)
    assert not same_series(fast, changed(fast, ("motor", "inertia"), 2e-6))


def test_in_the_window_and_by_command(fast, light, shown, folder, tmp_path):
    lay(shown, folder)
    d = shown.desk
    d.add_build(changed(fast, ("family",), "Swift"))
    d.add_rig(changed(light, ("name",), "Bare drum"))
    idle()
    for n, drag in ((1, DRAG), (2, DRAG), (3, 40 * DRAG)):
        assert in_a_row(d.build) == n
        test = d.book.add_test(d.build_id, d.rig_id, PLAN)
        for run, _ in read(fast, n, drag):
            d.book.add_run(test, run)
        page = open_it(shown)
        said = "The last that turned: {}" if n < 3 else "The first that did not: {}"
        told = page.dialog.result_text
        until(lambda said=said.format(n), told=told: said in told.text())
        table = page.dialog.table
        assert table.item(n - 1, 5).text() == ("turned" if n < 3 else "did not turn")
        assert table.item(n, 5).text() == "–"
        if n < 3:
            assert page.dialog.act.text() == f"Create a revision with {n + 1} stages"
            page.dialog.act.click()
            idle()
    assert page.dialog.act.text() == "Nothing more to create"
    assert not page.dialog.act.isEnabled()
    page.dialog.reject()
    record_files.save(tmp_path / "b.json", d.build)
    kept = shutil.copytree(folder, tmp_path / "kept")  # the window has the logbook open
    (kept / "logbook.lock").unlink(missing_ok=True)
    told = CliRunner().invoke(
        app, ["step-up", "--build", str(tmp_path / "b.json"), "--logbook", str(kept), "--json"]
    )
    assert told.exit_code == 0, told.output
    document = json.loads(told.stdout)
    assert (document["last_that_turned"], document["first_that_did_not"]) == (2, 3)
    rows = document["rows"]
    assert rows[0]["tried"]["runs"] == 3
    assert rows[0]["chance_of_stall"] < 0.01 < rows[-1]["chance_of_stall"]


def open_it(shown):
    shown.go("build")
    page = shown.view("build")
    page.open_dialog("step_up", "StepUpDialog")
    return page
