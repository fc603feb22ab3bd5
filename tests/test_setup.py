"""What is said of a bench before anything runs, and of a way of measuring afterwards: each with a
case that calls for it.
"""

import math
from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from helpers import make_runs, planned

from sparring.core.analysis import analyse
from sparring.core.finding import Peer, explain
from sparring.core.findings.setup import judge_setup
from sparring.core.instruments import calibration
from sparring.core.instruments.calibration import Calibration, CalibrationPoint, Past
from sparring.core.instruments.meters import METERS, as_data_sheet, of_data_sheet
from sparring.core.methods import METHODS, Brake, Drawbar, Hoist, Lever, RunUp
from sparring.core.plan import Lift, next_lift
from sparring.core.predict import spin_plan
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig
from sparring.core.uncertainty import nominal, std

TODAY = date(2026, 11, 25)


def said(build, rig, plan=None):
    found = judge_setup(build, rig, plan or planned(), TODAY)
    for f in found:
        assert explain(f)
        name = f.place.rpartition(".")[2]
        assert not f.place.startswith("rig.method") or name in {n for _, n in rig.method.FIELDS}
    return {f.id for f in found}


CAL = Calibration(
    date="2026-11-01",
    points=tuple(
        CalibrationPoint(mass=Measured(m), reading=round(84_000 + 20_600 * m))
        for m in (0.0, 1.0, 3.0, 5.0)
    ),
)
GOOD = {"calibration": CAL, "gravity": Measured(9.81, 0.003), "limits": {"current": 4.0}}


def rig_with(method, **more):
    read = {"by": "Hollin Yard", "on": "2026-11-12", "method": method.kind}
    return Rig(method=method, **{**GOOD, "care_read": read, **more})


DRIFTED = changed(
    CAL,
    ("earlier",),
    (Past(date="2026-03-01", zero=Measured(84_000.0), sensitivity=Measured(2_140.0, 2.0)),),
)


def metered(*pairs, date="2026-10-20", name="ammeter"):
    kind, point, *_ = METERS[name]
    points = tuple(point(reference=r, shown=x) for r, x in pairs)
    return rig_with(Hoist(), sensors={name: kind(date=date, points=points)})


STRAIGHT = ((0.1, 0.12), (2.0, 2.04), (5.0, 5.06), (9.0, 9.11))


@pytest.mark.parametrize(
    ("rig", "id_"),
    [
        (metered(*STRAIGHT, date="2025-10-01"), "meter-compared-long-ago"),
        (metered((0.1, 0.12), (0.2, 0.22), (0.3, 0.321)), "meter-comparison-not-covering"),
        (metered((0.1, 0.12), (2.0, 2.04), (5.0, 5.3), (9.0, 9.1)), "meter-crooked"),
        (metered((1.0, 9.0), (5.0, 4.0), (9.0, 0.5)), "meter-without-a-line"),
        (rig_with(Hoist(), calibration=DRIFTED), "cell-drifts"),
        (rig_with(Hoist(), calibration=changed(CAL, ("creep",), 0.004)), "cell-creeps"),
        (rig_with(Hoist(), calibration=None), "calibration-missing"),
        (rig_with(Hoist(), care_read=None), "care-not-confirmed"),
        (
            rig_with(
                Lever(), care_read={"by": "Hollin Yard", "on": "2026-11-12", "method": "hoist"}
            ),
            "care-not-confirmed",
        ),
        (rig_with(Hoist(), sensors={"second_cell": "taken off"}), "second-cell-not-calibrated"),
        (rig_with(Hoist(), calibration=changed(CAL, ("date",), "2026-01-05")), "calibration-old"),
        (rig_with(Hoist(), calibration=changed(CAL, ("capacity",), 20.0)), "cell-overloaded"),
        (
            rig_with(
                Hoist(), calibration=changed(CAL, ("points",), CAL.points[:2] + CAL.points[1:2])
            ),
            "calibration-not-covering",
        ),
        (rig_with(Brake(arm=Measured(1.9, 1e-3))), "cell-near-its-floor"),
        (rig_with(Lever(arm_mass=Measured(0.0))), "arm-weight-ignored"),
        (rig_with(Hoist(drum_diameter=Measured(0.0025))), "factor-of-ten"),
        (rig_with(RunUp(inertia=Measured(0.2, 1e-4), outer_radius=0.03)), "factor-of-ten"),
        (rig_with(RunUp(gearing=9.0)), "mass-above-its-safe-speed"),
        (rig_with(RunUp(gearing=9.0, strength=1e6)), "rim-stress"),
        (rig_with(RunUp(inertia=Measured(2e-6, 1e-8))), "inertia-on-the-wrong-side"),
        (rig_with(RunUp(hold=1.0)), "spin-too-short"),
        (rig_with(Brake(heat_capacity=0.1, hold=30.0)), "brake-too-hot"),
        (rig_with(Brake(hold=600.0)), "winding-too-hot"),
        (rig_with(Brake(load="swept up and down")), "sweep-too-quick"),
        (rig_with(Hoist(), limits={"current": 0.5}), "start-current"),
        (rig_with(Drawbar(traction=0.1)), "will-slip"),
        (rig_with(Hoist(), gravity=Measured(9.80665)), "gravity-standard"),
        (rig_with(Hoist(), sensors={"supply": "chopped, averaged"}), "supply-averaged"),
        (rig_with(Hoist(), sensors={"pulses": 1}), "tachometer-coarse"),
        (rig_with(Hoist(), limits={"cord": 30.0}), "cord-overloaded"),
        (rig_with(Drawbar(), limits={"cord": 5.0}), "cord-overloaded"),
        (rig_with(Hoist(), limits={"supply": 1.0}), "supply-too-small"),
    ],
    ids=lambda x: x if isinstance(x, str) else "",
)
def test_what_is_wrong_with_a_bench_is_said_before_it_runs(build, rig, id_):
    assert id_ in said(build, rig)


@pytest.mark.parametrize("method", METHODS, ids=lambda m: m().kind)
def test_a_bench_in_order_is_not_blamed(build, method):
    made = changed(RunUp(), ("safe_speed",), 90.0) if method is RunUp else method()
    made = changed(made, ("hold",), 20.0) if method is RunUp else made
    assert said(build, rig_with(made)) <= {"start-current"}


def test_a_spin_is_planned_as_common_practice_reckons_it(build):
    """(cp): 0.152 kg·m² behind 3:1 is 0.0169 to the motor, behind 2.5:1 0.0243; 3600 rev/min over
    2.5 is 1440.
    """
    one = changed(
        build, ("stages",), (changed(build.stages[0], ("wheel",), build.stages[0].pinion),)
    )
    method = RunUp(inertia=Measured(0.152))
    for ratio, felt in ((3.0, 0.0169), (2.5, 0.0243)):
        plan = spin_plan(one, method, 12.0, np.array([1 / ratio]))
        assert plan.felt[0] == pytest.approx(felt, abs=5e-5)
        free = spin_plan(one, method, 12.0, np.array([1.0])).mass_speed[0]
        assert plan.mass_speed[0] == pytest.approx(free / ratio)
    assert 3600 / 2.5 == 1440
    times = spin_plan(build, method, 12.0, np.array([0.5, 1.0, 2.0])).time
    assert np.all(np.diff(times) > 0)


def test_rim_stress_of_ring_and_disc():
    """Thin ring at 100 m/s in steel: ρ v² = 78.5 MPa; a disc with a small bore (3 + ν)/4 of it
    (Timoshenko; from memory).
    """
    ring, disc = RunUp(shape="ring", outer_radius=0.1), RunUp(shape="disc", outer_radius=0.1)
    assert ring.rim_stress(1000.0) == pytest.approx(78.5e6)
    assert disc.rim_stress(1000.0) == pytest.approx(78.5e6 * 3.3 / 4)
    assert ring.rim_stress(ring.burst_speed()) == pytest.approx(ring.strength)


def test_bisection_closes_in_on_the_stall_in_few_runs():
    plan = planned(
        tuple(Measured(m) for m in (0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0)), order="bisection"
    )
    for stall in (0.2, 1.7, 3.9, 5.0):
        done, stalled = [], set()
        while (lift := next_lift(plan, done, stalled=stalled)) is not None:
            done.append(lift)
            if plan.loads[lift.step].value > stall:
                stalled.add(lift.step)
        lifted = [plan.loads[d.step].value for d in done if d.step not in stalled]
        assert len(done) <= 4
        assert max(lifted, default=0.0) == max(
            (m.value for m in plan.loads if m.value <= stall), default=0.0
        )
    assert next_lift(plan, [Lift(3, 1)], stalled={3}) == Lift(1, 1)


def test_a_cell_is_judged_by_line_hysteresis_and_zero():
    def points(off):
        up = [(m, 0.0) for m in (0.0, 1.0, 2.0, 4.0)]
        down = [(m, off) for m in (2.0, 1.0)] + [(0.0, off / 2)]
        return Calibration(
            points=tuple(
                CalibrationPoint(mass=Measured(m), reading=84_000 + 20_000 * m + d)
                for m, d in up + down
            )
        )

    good, bad = calibration.quality(points(8.0), 9.81), calibration.quality(points(900.0), 9.81)
    assert good.verdict == "good"
    assert bad.verdict == "poor"
    assert bad.hysteresis == pytest.approx(900 / 80_000, rel=0.02)
    assert bad.zero_return == pytest.approx(450 / 80_000, rel=0.02)
    assert [m.value for m in calibration.rungs([Measured(2.0), Measured(1.0)])] == [
        0.0,
        1.0,
        2.0,
        1.0,
        0.0,
    ]


def test_a_swinging_mass_is_not_steady():
    rng = np.random.default_rng(1)
    t = np.arange(0, 1.2, 0.0125)
    still = [calibration.steady(84_000 + 50 * rng.standard_normal(len(t))) for _ in range(50)]
    swings = [
        calibration.steady(
            84_000 + 50 * rng.standard_normal(len(t)) + 400 * np.sin(2 * math.pi * 0.8 * t + p)
        )
        for p in range(50)
    ]
    drifts = [
        calibration.steady(84_000 + 50 * rng.standard_normal(len(t)) + 400 * t) for _ in range(50)
    ]
    assert np.mean(still) > 0.9
    assert np.mean(swings) < 0.1
    assert np.mean(drifts) < 0.1


def judged(build, rig, plan, **bench):
    runs, _ = make_runs(build, rig, plan, **bench)
    result = analyse(build, rig, plan, runs)
    assert not result.skipped
    return {f.id: f for f in result.findings}


def plan_of(*loads, repeats=2):
    return planned(tuple(Measured(m, 5e-4) for m in loads), repeats=repeats)


def test_slipping_wheels_fading_brakes_and_warm_motors_are_found(build, rig):
    sled = changed(changed(rig, ("method",), Drawbar(traction=0.35, hold=2.0)), ("name",), "sled")
    assert "traction-limited" in judged(build, sled, plan_of(0.5, 3.0, 4.5))
    assert "traction-limited" not in judged(
        build, changed(sled, ("method", "traction"), 0.9), plan_of(0.5, 3.0, 4.5)
    )
    brake = changed(rig, ("method",), Brake(hold=3.0, heat_capacity=1.5))
    assert "brake-fades" in judged(build, brake, plan_of(1.0, 1.8), fade=0.02)
    assert "brake-fades" not in judged(build, brake, plan_of(1.0, 1.8))
    warm = judged(build, brake, plan_of(1.0), ambient=293.15 + 30)
    assert "motor-warmer-than-its-line" in warm


def test_a_cell_beyond_its_calibration_is_found(build, rig):
    short = changed(
        rig, ("calibration", "points"), rig.calibration.points[:3] + rig.calibration.points[-3:]
    )
    assert "cell-beyond-its-calibration" in judged(build, short, plan_of(0.5, 2.5))
    assert "cell-beyond-its-calibration" not in judged(build, rig, plan_of(0.5, 2.5))


def test_a_factor_of_ten_shows_as_power_the_motor_has_not(build, rig):
    wrong = changed(rig, ("method", "drum_diameter"), Measured(0.5, 1e-4))
    runs, _ = make_runs(build, rig, plan_of(0.5, 1.5))
    ids = {f.id for f in analyse(build, wrong, plan_of(0.5, 1.5), runs).findings}
    assert "more-than-the-motor-gives" in ids


def test_two_methods_on_one_build_are_compared(build, rig):
    """Hoist and brake agree when both are right; with the arm entered a tenth
    too long they do not."""
    hoist_runs, _ = make_runs(build, rig, plan_of(1.0, 2.0, 3.0))
    head = headline(analyse(build, rig, plan_of(1.0, 2.0, 3.0), hoist_runs))
    peer = Peer(build.name, tuple(head["steps"]), head["method"], True)
    brake = changed(rig, ("method",), Brake())
    torques = [s[0] for s in head["steps"]]
    plan = plan_of(*(round(t / 0.45, 3) for t in torques))
    runs, _ = make_runs(build, brake, plan)
    assert "methods-disagree" not in {
        f.id for f in analyse(build, brake, plan, runs, [peer]).findings
    }
    wrong = changed(brake, ("method", "arm"), Measured(0.107, 2.5e-4))
    assert "methods-disagree" in {f.id for f in analyse(build, wrong, plan, runs, [peer]).findings}


def test_a_chopped_supply_is_seen_in_its_samples(build, rig):
    """Half of the time 24 V and twice the current: the product of the means is half of what is
    drawn.
    """
    plan = planned((Measured(1.0, 5e-4),), repeats=2)
    runs, _ = make_runs(build, rig, plan)
    chopped = []
    for run, recording in runs:
        on = 2.0 * (np.arange(len(recording)) % 2)
        channels = {
            **recording.channels,
            **{c: recording.channels[c] * on for c in ("voltage", "current")},
        }
        chopped.append((run, replace(recording, channels=channels)))
    plain, result = (analyse(build, rig, plan, r) for r in (runs, chopped))
    found = {f.id: f for f in result.findings}
    assert "supply-chopped" in found
    assert "supply-chopped" not in {f.id for f in plain.findings}
    assert nominal(result.steps[0].power_in) == pytest.approx(
        2 * nominal(plain.steps[0].power_in), rel=0.02
    )


def test_two_cells_are_added_and_a_coarse_tachometer_widens_the_speed(build, rig):
    plan = planned((Measured(1.0, 5e-4),), repeats=1)
    runs, _ = make_runs(build, rig, plan)
    ((run, recording),) = runs
    force = np.full(len(recording), 6.0)
    both = replace(
        recording,
        channels={
            **{c: v for c, v in recording.channels.items() if c != "cell"},
            "force": force,
            "force_2": force / 3,
        },
    )
    for how, newtons in (("not used", 6.0), ("added", 8.0), ("taken off", 4.0)):
        r = changed(changed(rig, ("sensors", "second_cell"), how), ("torque_from",), "cell")
        (step,) = analyse(build, r, plan, [(run, both)]).steps
        assert nominal(step.torque) == pytest.approx(newtons * r.method.radius(r.method.figures()))
    second = Calibration(
        points=tuple(
            CalibrationPoint(mass=Measured(m), reading=round(9_000 - 500 * m * 9.812))
            for m in (0.0, 0.5, 1.0)
        )
    )
    r = changed(changed(rig, ("sensors", "second_cell"), "added"), ("torque_from",), "cell")
    raw = replace(
        recording,
        channels={
            **{c: v for c, v in both.channels.items() if c != "force_2"},
            "cell_2": np.full(len(both), 8_000.0),
        },
    )
    assert "without a calibration" in analyse(build, r, plan, [(run, raw)]).skipped[0][1]
    (step,) = analyse(
        build, changed(r, ("sensors", "second_calibration"), second), plan, [(run, raw)]
    ).steps
    pull = step.points[0].pull
    assert nominal(pull.mean) == pull.least == pull.most == pytest.approx(8.0, rel=2e-4)
    coarse = analyse(build, changed(rig, ("sensors", "pulses"), 2), plan, runs).steps[0]
    length = coarse.points[0].window.length
    assert std(coarse.speed) == pytest.approx(math.pi / length / math.sqrt(6), rel=0.05)


def test_creep_is_the_part_by_which_a_loaded_reading_moves():
    t = np.linspace(0.0, 60.0, 600)
    creeping = 84_000 + 50_000 * (1 + 0.003 * (1 - np.exp(-t / 10)))
    truth = 0.003 * (np.mean(np.exp(-t[:60] / 10)) - np.mean(np.exp(-t[-60:] / 10)))
    assert calibration.creep_of(t, creeping, 84_000.0) == pytest.approx(truth, rel=0.02)


@pytest.mark.parametrize(
    ("text", "gain", "zero"),
    [
        ("0.5 %", 0.005, 0.0),
        ("± 0.5 % + 0.03 V", 0.005, 0.03),
        ("0.5 % + 3 counts of 10 mV", 0.005, 0.03),
        ("1 % + 2 digits of 0.1 V + 50 mV", 0.01, 0.25),
    ],
)
def test_a_data_sheets_line_is_read_as_it_stands_there(text, gain, zero):
    found = of_data_sheet(text, "voltage", "V")
    assert found == pytest.approx((gain, zero))
    assert of_data_sheet(as_data_sheet(*found, "voltage", "V"), "voltage", "V") == found
    with pytest.raises(ValueError, match=r"counts of 0\.01 V"):
        of_data_sheet("0.5 % + 3 counts", "voltage", "V")
