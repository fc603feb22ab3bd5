"""What plans are predicted to do, and what questions give; against the independent bench."""

import json
import math

import numpy as np
import pytest
from helpers import benches, make_runs, planned
from independent import setups, study
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core import predict
from sparring.core.analysis import analyse
from sparring.core.findings.plan import Planned, judge_plan
from sparring.core.methods import Brake, Generator, Hoist, Lever, RunUp, Scale
from sparring.core.outlook.drive import Drive, Load
from sparring.core.outlook.foresee import driven, foresee
from sparring.core.outlook.learn import learnt
from sparring.core.outlook.prepare import checklist, spares
from sparring.core.outlook.questions import QUESTIONS, Ask, ask
from sparring.core.plan import Lift, Plan, PlanStep, ladder
from sparring.core.plan.line import opened, told
from sparring.core.plan.repeats import repeats_for
from sparring.core.plan.weights import hang
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.rig import Rig, Weight
from sparring.core.uncertainty import nominal
from sparring.files import record_files

KILOS = [Measured(m, 5e-4) for m in (0.5, 1.0, 1.5, 2.0, 2.5)]


def shelf_of(*kilos):
    return tuple(Weight(name=f"{m:g} kg", mass=Measured(m, 2.5e-4)) for m in kilos)


# --- predictions ----------------------------------------------------------------------------------


def test_the_drive_says_what_the_curve_says(build):
    curve = predict.curve(build, 9.0)
    told = Drive.of(build).state(Load.of(curve.torque[:-1], 9.0))
    np.testing.assert_allclose(told.speed, curve.speed[:-1], rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(told.current, curve.current[:-1], rtol=1e-9)
    held = Drive.of(build).state(Load.of(np.inf, 9.0))
    assert held.torque[0] == pytest.approx(curve.stall)


def test_a_speed_is_reached_at_the_voltage_that_is_worked_out(build, rig):
    plan = Plan(steps=(PlanStep(load=KILOS[1], speed=6.0),))
    made = driven(build, rig, plan)
    row = foresee(Drive.of(build), rig, made).rows[0]
    assert made.steps[0].speed is None
    assert row.speed == pytest.approx(6.0, rel=0.02)  # the winding warms in the run


@pytest.mark.study
def test_predictions_hold_on_the_independent_bench():
    """95 ± 3 % of 200 (`make study`), before and after correction, which narrows the band. Drag
    torques there are off by 30 % (k = 1), losses scatter by 5 %, as the prediction has it.
    """
    n = benches(20)
    found = study.foretold(setups.make("hoist", n, 31, vary=0.05, drags=0.6, repeats=2))
    for errors in (found.before, found.after):
        share = np.mean(np.abs(errors) <= 2)
        assert 0.92 - 0.6 / math.sqrt(n) <= share <= (0.985 if n >= 200 else 1.0)
    assert np.median(found.narrower) < 0.8


def test_runs_move_the_figures_towards_the_truth(build, rig, plan):
    """A bench whose gears rub 1.25 times as much: the figures move, and with them what is told of
    another voltage.
    """
    runs, _ = make_runs(build, rig, plan, friction=1.25)
    drive = learnt(analyse(build, rig, plan, runs))
    before, now = (sum(p.value for p in x if "friction" in p.id) for x in (drive.prior, drive.now))
    assert now > before
    assert all(n.u <= p.u * 1.0001 for p, n in zip(drive.prior, drive.now, strict=True))
    stall = drive.state(Load.of(np.inf, 12.0)).torque[0]
    true = predict.stall_torque(build, 12.0, [1.25 * f for f in build.loss_figures()])
    assert abs(stall - true) < 0.6 * abs(predict.stall_torque(build, 12.0) - true)


def test_heat_is_carried_from_run_to_run_and_pauses_keep_the_winding_cool(build, rig):
    hot = ladder([Measured(4.2)], (12.0,), 12)
    limit = 293.15 + 40
    free = foresee(Drive.of(build), rig, hot)
    cool = build.model_copy(update={"winding_limit": limit})
    kept = foresee(Drive.of(cool), rig, hot)
    assert free.rows[0].winding > limit + 5
    assert kept.rows[0].winding == pytest.approx(limit, abs=1.0)
    assert kept.cooling > 60
    assert kept.seconds == pytest.approx(free.seconds + kept.cooling)
    assert free.rows[0].winding < build.winding_limit + 100
    done = [Lift(0, r) for r in range(1, 12)]
    assert len(foresee(Drive.of(build), rig, hot, done).due) == 1


def test_what_will_stall_or_break_is_told_with_its_chance(build, rig):
    plan = ladder([Measured(1.0), Measured(6.0)], (6.0,), 3)
    out = foresee(Drive.of(build), rig, plan)
    assert out.rows[0].stalls < 0.01
    assert out.rows[1].stalls > 0.99
    assert out.rows[1].danger(held=False) == "stall 100 %"
    assert all("stall" not in (x.danger(held=True) or "") for x in out.rows.values())
    found = {f.id for f in judge_plan(Planned(build, rig, plan, out))}
    assert "step-will-stall" in found
    weak = changed(build, ("stages", 1, "face_width"), 0.4e-3)
    heavy = ladder([Measured(2.0), Measured(4.0)], (12.0,), 3)
    out = foresee(Drive.of(weak), rig, heavy)
    assert out.rows[1].breaks > out.rows[0].breaks > 0
    assert "step-may-break" in {f.id for f in judge_plan(Planned(weak, rig, heavy, out))}
    (spare,) = [s for s in spares(weak, heavy, out) if s.part == weak.limits[0].name]
    assert spare.wanted >= 1
    assert any("spare" in line for line in checklist(weak, rig, heavy, out))


@pytest.mark.parametrize("method", [Hoist(), Lever(), Generator(), RunUp(), Scale()])
def test_every_method_has_a_prediction(build, method):
    rig = Rig(method=method)
    out = foresee(Drive.of(build), rig, ladder(KILOS, (6.0, 12.0), 2))
    for row in out.rows.values():
        figures = (row.torque, row.speed, row.current, row.winding, row.lasts)
        assert all(math.isfinite(x) and x >= 0 for x in figures)
    assert out.seconds > 0


# --- questions ------------------------------------------------------------------------------------


@pytest.mark.parametrize("question", QUESTIONS)
@pytest.mark.parametrize("method", [Hoist(), Lever(), Generator(), Scale()], ids=lambda m: m.kind)
def test_every_question_gives_a_plan_with_its_reasons(build, question, method):
    rig = Rig(method=method)
    weak = changed(build, ("stages", 1, "face_width"), 0.6e-3)  # so that something can break
    if question == "how does it wear" and math.isfinite(method.course[0]):
        with pytest.raises(ValueError, match="life test"):
            ask(question, Ask(weak, rig))
        return
    plan = ask(question, Ask(weak, rig))
    assert plan.question == question
    assert plan.reasons
    assert foresee(Drive.of(weak), rig, plan).rows
    assert opened(told(plan, method), method).steps


def test_the_efficiency_curve_stays_below_the_stall_and_a_comparison_has_its_power(build, rig):
    curve = ask("efficiency curve", Ask(build, rig, voltages=(6.0, 12.0)))
    out = foresee(Drive.of(build), rig, curve)
    assert max(r.stalls for r in out.rows.values()) < 0.05
    assert {s.voltage for s in curve.steps} == {6.0, 12.0}
    better = ask("is it better", Ask(build, rig, spread=0.009, difference=0.015))
    assert better.repeats == repeats_for(0.009, 0.015, 0.9) == 9
    with pytest.raises(ValueError, match="stalls at"):
        ask("what breaks", Ask(build, rig))
    with pytest.raises(ValueError, match="not one of the questions"):
        ask("why", Ask(build, rig))


def test_a_question_plans_what_the_shelf_makes(build, rig):
    rig = changed(rig, ("shelf",), shelf_of(2.0, 1.0, 0.5, 0.2, 0.2, 0.1))
    for s in ask("efficiency curve", Ask(build, rig)).steps:
        assert hang(rig.shelf, s.mass, tolerance=1e-6).fits


# --- several voltages in one test -----------------------------------------------------------------


def test_results_are_told_at_each_voltage(build, rig):
    plan = ladder(KILOS[:4], (9.0, 12.0), 2)
    runs, _ = make_runs(build, rig, plan)
    result = analyse(build, rig, plan, runs)
    low, high = result.levels
    assert (low.voltage, high.voltage) == (9.0, 12.0)
    assert nominal(low.stall.by_line) == pytest.approx(predict.stall_torque(build, 9.0), rel=0.05)
    assert nominal(high.stall.by_line) == pytest.approx(predict.stall_torque(build, 12.0), rel=0.05)
    assert result.losses.viscous is not None  # two voltages tell it
    assert result.at(low).lifted == list(result.steps[:4])
    ids = [f.id for f in result.findings]
    assert len(ids) == len(set(ids))


def test_a_supply_that_sags_is_one_voltage_and_the_same_loads_at_several_are_several():
    from sparring.core.reduce.split import nominal_voltages

    sagging = nominal_voltages([12.0, 11.0, 9.9, 8.6], (12.0,), [0.5, 1.0, 1.5, 2.0])
    assert sagging == [12.0] * 4
    assert nominal_voltages([6.1, 12.1, 6.0, 11.8], (), [0.5, 0.5, 1.0, 1.0]) == [6.0, 12.0] * 2
    assert nominal_voltages([math.nan, 8.9], (9.0,)) == [9.0, 9.0]


# --- commands -------------------------------------------------------------------------------------


@pytest.fixture
def files(tmp_path, build, rig):
    for name, record in (("b", build), ("r", rig)):
        record_files.save(tmp_path / f"{name}.json", record)
    return ["--build", str(tmp_path / "b.json"), "--rig", str(tmp_path / "r.json")]


def run(*args):
    return CliRunner().invoke(app, list(args))


def test_a_plan_comes_from_a_terminal_and_is_simulated_and_reduced(files, tmp_path):
    made = run(
        *("plan", *files, "--line", "loads 0.5, 1, 1.5 kg at 9, 12 V, 2 times", "--new"),
        *("--shelf", "1 kg; 500 g ± 0.2 g; 500 g", "--out", str(tmp_path / "p.json"), "--json"),
    )
    assert made.exit_code == 0, made.output
    document = json.loads(made.stdout)
    assert document["format"] == "sparring.outlook/1"
    first, second, *_ = document["steps"]
    assert (first["kind"], first["voltage_V"]) == ("first power", 4.0)
    assert second["weights"]["total_kg"] == pytest.approx(0.5)
    assert second["chance_of_stall"] < 0.01
    assert len(document["runs"]) == 13
    assert document["findings"]
    log = str(tmp_path / "log.csv")
    plan = str(tmp_path / "p.json")
    assert run("simulate", *files, "--plan", plan, "--out", log).exit_code == 0
    found = json.loads(run("reduce", log, *files, "--plan", plan, "--json").stdout)
    assert [v["voltage_V"] for v in found["voltages"]] == [9.0, 12.0]  # first power is no step
    assert len([s for s in found["steps"] if s["voltage_V"] > 8]) == 6


def test_repeats_come_from_a_terminal():
    told_ = run(
        *("repeats", "--spread", "0.9%", "--difference", "1.5%", "--power", "90%", "--json")
    )
    document = json.loads(told_.stdout)
    assert (document["format"], document["repeats"]) == ("sparring.repeats/1", 9)
    assert document["power_reached"] >= 0.9
    assert run("repeats", "--spread", "0 %", "--difference", "1 %").exit_code == 1


def test_questions_are_listed_and_a_wrong_call_is_told_from_bad_data(files):
    assert "efficiency curve" in run("plan", *files, "--question", "list").stdout
    assert run("plan", *files, "--question", "why").exit_code == 1
    assert run("plan", *files, "--question", "find the stall", "--line", "x").exit_code == 2
    assert run("plan", *files, "--shelf", "1 m").exit_code == 1


def test_what_a_motor_draws_while_it_comes_up_is_held_against_the_limit(build, rig):
    """Against a motor stepped by hand: L neglected, m dω/dt = k I − friction − load."""
    plan = planned((Measured(1.0),), repeats=1)
    (row,) = foresee(Drive.of(build), rig, plan).rows.values()
    motor = build.motor_line()
    k, resistance, friction = (nominal(x) for x in (motor.k, motor.R, motor.friction))
    radius = rig.method.drum_diameter.value / 2
    inertia = build.rotor_inertia() + 1.0 * radius**2 / build.ratio() ** 2
    load = k * row.current - friction
    dt, speed, squares = 1e-5, 0.0, []
    for _ in range(5000):
        current = (12.0 - k * speed) / resistance
        squares.append(current**2)
        speed += dt * (k * current - friction - load) / inertia
    assert row.starts == pytest.approx(math.sqrt(np.mean(squares)), rel=0.03)
    assert row.starts > row.current
    tight = changed(rig, ("limits", "current"), (row.starts + row.current) / 2)
    said = judge_plan(Planned(build, tight, plan, foresee(Drive.of(build), tight, plan)))
    assert "start-will-stop-it" in [f.id for f in said]
    assert "start-will-stop-it" not in [
        f.id for f in judge_plan(Planned(build, rig, plan, foresee(Drive.of(build), rig, plan)))
    ]


def test_a_motor_that_warms_above_the_rigs_limit_is_foreseen(build, rig):
    braked = changed(rig, ("method",), Brake.ours(hold=1800.0))
    plan = planned((Measured(1.5),), repeats=1, measure=1800.0)
    (row,) = foresee(Drive.of(build), braked, plan).rows.values()
    assert row.case > 300.0
    for limit, there in ((row.case - 2.0, True), (row.case + 2.0, False)):
        tight = changed(braked, ("limits", "temperature"), limit)
        found = judge_plan(Planned(build, tight, plan, foresee(Drive.of(build), tight, plan)))
        said = [f for f in found if f.id == "limit-will-stop-it"]
        assert any("temperature" in f.title for f in said) == there


def test_a_hoist_is_asked_for_nothing_that_its_travel_does_not_last(build, rig):
    with pytest.raises(ValueError, match="its travel of"):
        ask("how does it wear", Ask(build, rig))
    braked = changed(rig, ("method",), Brake.ours())
    assert ask("how does it wear", Ask(build, braked)).steps
    plan = changed(planned((Measured(1.0),), repeats=1), ("steps", 0, "time"), 600.0)
    found = judge_plan(Planned(build, rig, plan, foresee(Drive.of(build), rig, plan)))
    (said,) = [f for f in found if f.id == "step-outlasts-travel"]
    assert said.steps == (plan.steps[0].id,)


PLANNED = {
    "step-cannot-sweep": Plan(steps=(PlanStep(kind="sweep", load=KILOS[1], voltage=12.0),)),
    "few-repeats-planned": ladder(KILOS, (12.0,), 2),
    "one-voltage-mixes-losses": ladder(KILOS, (12.0,), 3),
    "voltages-separate-losses": ladder(KILOS, (6.0, 12.0), 3),
}


@pytest.mark.parametrize("id", PLANNED)
def test_what_is_said_of_a_plan_follows_from_its_steps(build, rig, id):
    """And of no other: a sound ladder, at two voltages or at one."""
    others = {
        "one-voltage-mixes-losses": "voltages-separate-losses",
        "voltages-separate-losses": "one-voltage-mixes-losses",
    }
    sound = PLANNED[others.get(id, "voltages-separate-losses")]

    def said(plan):
        out = foresee(Drive.of(build), rig, plan)
        return {f.id for f in judge_plan(Planned(build, rig, plan, out))}

    assert id in said(PLANNED[id])
    assert id not in said(sound)


def test_a_plan_that_heats_or_has_no_weights_is_told(build, rig):
    hot = ladder([Measured(4.2)], (12.0,), 12)

    def said(drive, plan, **more):
        out = foresee(Drive.of(drive), rig, plan)
        return {f.id for f in judge_plan(Planned(drive, rig, plan, out, **more))}

    cool = build.model_copy(update={"winding_limit": 293.15 + 40})
    long = ladder([Measured(4.2)], (12.0,), 60)
    assert "cooling-takes-time" in said(cool, long)
    assert "cooling-takes-time" not in said(build, ladder(KILOS, (12.0,), 3))
    frail = build.model_copy(update={"winding_limit": 293.15 + 1})
    assert "step-too-hot" in said(frail, hot)
    assert "step-too-hot" not in said(build, hot)
    plan = ladder([Measured(0.5), Measured(0.83)], (12.0,), 3)
    hung = [hang(shelf_of(0.5, 1.0), m.value) for m in plan.loads]
    assert "load-not-on-the-shelf" in said(build, plan, hung=hung)
    fits = [hang(shelf_of(0.5, 0.83), m.value) for m in plan.loads]
    assert "load-not-on-the-shelf" not in said(build, plan, hung=fits)
