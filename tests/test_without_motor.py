"""Drives without a motor: cranked by hand, by a drill or the wind, into a generator."""

import json
import math
from datetime import date

import pytest
from helpers import about_95, lay, make_runs, planned
from typer.testing import CliRunner
from window_helpers import enter, idle, until

from sparring.cli.app import app
from sparring.core.analysis import analyse
from sparring.core.by_eye import ByEye
from sparring.core.findings.build import judge_build
from sparring.core.findings.plan import Planned, judge_plan
from sparring.core.findings.setup import judge_setup
from sparring.core.methods import Generator
from sparring.core.outlook.drive import Drive
from sparring.core.outlook.foresee import driven, foresee
from sparring.core.outlook.learn import learnt
from sparring.core.outlook.questions import QUESTIONS, Ask, ask
from sparring.core.plan import Plan, PlanStep
from sparring.core.plant.lifts import one_log
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.run import Run
from sparring.core.train.kinds import SpurStage
from sparring.core.uncertainty import nominal, std
from sparring.exchange.deriving import derive
from sparring.exchange.importing import import_log
from sparring.exchange.imports import log_format
from sparring.files import log_files, record_files
from sparring.logbook import Logbook

RPM = 2 * math.pi / 60
RESISTORS = (47.0, 22.0, 10.0)


@pytest.fixture
def crank(build):
    """A crank with a scale on it, and one step-up of 1:5."""
    up = SpurStage(pinion=60, wheel=12, drag=5e-3, friction=Measured(0.08, 0.01))
    arm = Measured(0.12, 2.5e-4)
    fields = {"family": "Crank", "stages": (up,), "driven_by": "hand crank", "input_arm": arm}
    return type(build)(**fields)


@pytest.fixture
def generator(rig):
    method = Generator(
        constant=Measured(0.2, 1e-3),
        own_drag=Measured(5e-3, 5e-4),
        winding=1.0,
        resistors=RESISTORS,
    )
    return changed(rig, ("method",), method)


PLAN = Plan(
    steps=tuple(
        PlanStep(id=n, resistor=R, speed=300 * RPM, repeats=3) for n, R in enumerate(RESISTORS)
    )
)


def test_a_crank_worked_by_hand(crank, generator):
    """60 turns in 60.0 s with 4.92 N on 120 mm: 0.5904 N·m · 2π rad/s = 3.710 W in. The generator
    makes 5.45 V and 0.545 A into 10 Ω: 2.970 W; its shaft took 0.2 · 0.545 + 0.005 N·m at 10π
    rad/s = 3.581 W."""
    read = ByEye(
        input_turned=Measured(60 * 2 * math.pi, 0.05),
        time=Measured(60.0, 0.1),
        input_force=Measured(4.92, 0.02),
        load_voltage=Measured(5.45, 0.02),
        load_current=Measured(0.545, 2e-3),
    )
    run = Run(step=2, voltage=0.0, input_speed=2 * math.pi, source="eye", read=read)
    result = analyse(crank, generator, PLAN, [(run, Recording.nothing())])
    (step,) = result.steps
    for value, true in (
        (step.speed, 10 * math.pi),
        (step.power_in, 3.710),
        (step.power_out, 3.581),
        (step.gearbox, 0.9653),
        (step.load_power, 2.970),
        (step.input_to_load, 0.8007),
    ):
        assert nominal(value) == pytest.approx(true, rel=2e-3)
        assert 0 < std(value) < 0.02 * true
    assert step.wire_to_shaft is None
    assert step.voltage is None
    assert generator.method.load_voltage(10 * math.pi, 10.0) == pytest.approx(2 * math.pi * 10 / 11)
    assert generator.method.load_voltage(10 * math.pi, None) == pytest.approx(2 * math.pi, rel=1e-4)
    # without a scale the volts are measured all the same
    bare = run.model_copy(update={"read": read.model_copy(update={"input_force": None})})
    (step,) = analyse(crank, generator, PLAN, [(bare, Recording.nothing())]).steps
    assert step.gearbox is None
    assert nominal(step.load_power) == pytest.approx(2.970, rel=1e-3)


@pytest.mark.whole
def test_the_simulated_crank_is_measured_as_it_is(crank, generator):
    hits, n = [], 0
    for seed in range(4):
        runs, lifts = make_runs(crank, generator, driven(crank, generator, PLAN), seed=seed)
        assert {r.voltage for r, _ in runs} == {0.0}
        assert not {"voltage", "current"} & runs[0][1].channels.keys()
        result = analyse(crank, generator, PLAN, runs)
        assert not result.skipped
        assert result.line is None  # its speed is what it was turned at
        assert {f.id for f in result.findings} <= {"more-repeats-would-tell"}
        for step in result.steps:
            mine = [x for s, _, x in lifts if s.id == step.points[0].run.step]
            torque = sum(float(x.truth["current"][100:220].mean()) for x in mine) / len(mine)
            hits.append(abs(nominal(step.motor_torque) - torque) < 2 * std(step.motor_torque))
            n += 1
    assert about_95(sum(hits) / n, n)
    known = learnt(result)
    before, after = Drive.of(crank).prior[0], known.now[0]
    assert after.u < before.u


def test_a_crank_entered_too_short_is_told(crank, generator):
    runs, _ = make_runs(crank, generator, driven(crank, generator, PLAN))
    short = changed(crank, ("input_arm",), Measured(0.10, 2.5e-4))
    findings = {f.id: f for f in analyse(short, generator, PLAN, runs).findings}
    assert findings["gearbox-above-one"].place == "build.input_arm"
    long = changed(crank, ("input_arm",), Measured(0.18, 2.5e-4))
    findings = {f.id for f in analyse(long, generator, PLAN, runs).findings}
    assert "efficiency-far-from-expected" in findings


def test_what_speaks_of_motors_is_silent(crank, generator):
    told = judge_build(crank, crank.usual_input) + judge_setup(
        crank, generator, PLAN, date(2026, 11, 27)
    )
    text = " ".join(f"{f.title} {f.seen} {f.why}" for f in told).casefold()
    assert "motor" not in text
    assert "supply" not in text
    for id in QUESTIONS:
        about = Ask(crank, generator)
        if id in ("find the stall", "does the data sheet hold"):
            with pytest.raises(ValueError, match="no motor"):
                ask(id, about)
            continue
        made = ask(id, about)
        assert all(s.voltage is None for s in made.steps)
        assert "0 V" not in " ".join(made.reasons)
    volts = Plan(steps=(PlanStep(resistor=22.0, voltage=12.0),))
    outlook = foresee(Drive.of(crank), generator, volts)
    (wrong,) = [
        f
        for f in judge_plan(Planned(crank, generator, volts, outlook))
        if f.id == "step-without-speed"
    ]
    assert "at 300 rpm" in wrong.remedies[0]


def test_it_is_planned_simulated_and_reduced_by_command(crank, generator, tmp_path):
    for name, record in (("b", crank), ("r", generator), ("p", PLAN)):
        record_files.save(tmp_path / f"{name}.json", record)
    both = ["--build", str(tmp_path / "b.json"), "--rig", str(tmp_path / "r.json")]
    told = CliRunner().invoke(app, ["plan", *both, "--plan", str(tmp_path / "p.json"), "--json"])
    assert told.exit_code == 0, told.output
    step = json.loads(told.stdout)["steps"][2]
    assert step["voltage_V"] is None
    assert step["input_speed_rad_per_s"] == pytest.approx(60 * RPM)
    a, b = crank.torque_line()
    torque = 5e-3 + 0.2**2 * 300 * RPM / 11
    assert step["torque_Nm"] == pytest.approx(torque)
    assert step["input_torque_Nm"] == pytest.approx(a * torque + b)
    assert step["load_voltage_V"] == pytest.approx(0.2 * 300 * RPM * 10 / 11)
    log = tmp_path / "log.csv"
    plan = ["--plan", str(tmp_path / "p.json")]
    made = CliRunner().invoke(app, ["simulate", *both, *plan, "--out", str(log)])
    assert made.exit_code == 0, made.output
    told = CliRunner().invoke(app, ["reduce", str(log), *both, *plan, "--json"])
    assert told.exit_code == 0, told.output
    document = json.loads(told.stdout)
    assert document["voltages"][0]["voltage_V"] is None
    steps = document["steps"]
    assert [0.6 < s["efficiency_input_to_load"] < s["efficiency_gearbox"] for s in steps] == [
        True
    ] * 3
    usual = CliRunner().invoke(app, ["simulate", *both, "--out", str(log)])
    assert usual.exit_code == 0, usual.output  # turned as fast as it usually is
    record_files.save(tmp_path / "volts.json", planned())
    volts = ["--plan", str(tmp_path / "volts.json")]
    refused = CliRunner().invoke(app, ["simulate", *both, *volts, "--out", str(log)])
    assert refused.exit_code == 1
    assert "at 300 rpm" in refused.output


def test_it_is_turned_in_the_window(crank, generator, shown, folder, qtbot):
    lay(shown, folder)
    d, s = shown.desk, shown.session
    d.add_build(crank)
    d.add_rig(changed(generator, ("name",), "Lamp bench"))
    shown.go("plan")
    idle()
    page = shown.view("plan")
    enter(page.line, "resistors 22, 10 ohm at 150 rpm, 2 times", qtbot)
    assert len(d.plan.steps) == 2
    assert not d.unseen
    shown.go("run")
    run = shown.view("run")
    s.simulate(d.build, d.rig, speed=20.0)
    until(lambda: s.state == "ready" and s.obeys and s.ring is not None and s.ring.count > 60)
    run.do_next()
    until(lambda: len(d.runs) == 1 and s.state == "ready")
    assert d.runs[0].run.input_speed == pytest.approx(30 * RPM, rel=1e-6)
    until(lambda: d.result is not None and d.result.steps)
    assert d.result.steps[0].gearbox is not None
    shown.go("results")
    idle()
    table = shown.view("results").table
    assert table.isColumnHidden(6)
    assert not table.isColumnHidden(8)
    load, predicted = (float(table.item(0, c).text().split(" ")[0]) for c in (8, 9))
    assert load == pytest.approx(predicted, rel=0.03)


def test_a_log_of_a_crank_is_taken_into_a_logbook(crank, generator, tmp_path):
    _, lifts = make_runs(crank, generator, driven(crank, generator, PLAN))
    path = tmp_path / "log.csv"
    log_files.write(path, one_log(lifts, generator.method))
    with Logbook(tmp_path / "book") as book:
        build, on = book.save_build(crank), book.save_rig(generator)
        form = log_format(path)
        owners = {"build_id": build, "rig_id": on, "plan": PLAN}
        test, _ = import_log(book, form, form.look(path), None, **owners)
        plan = book.test(test).plan
        assert {(s.voltage, round(s.speed / RPM)) for s in plan.steps} == {(None, 300)}
        result = derive(book, test)
        assert len(result.steps) == 3
        assert all(0.7 < nominal(s.gearbox) < 1 for s in result.steps)
