"""What the plant truly does lies inside what the reductions state, as often as they say."""

import numpy as np
import pytest
from helpers import about_95, benches, planned

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.instruments.calibration import Calibration
from sparring.core.methods.hoist import Hoist
from sparring.core.motor import MotorReadings
from sparring.core.plant.bench import Bench, bench_of
from sparring.core.plant.lifts import lift
from sparring.core.plant.sensors import SensorSet, calibration_points
from sparring.core.quantity import Measured
from sparring.core.rig import Limits, Rig
from sparring.core.run import Run
from sparring.core.train.kinds.spur import SpurStage
from sparring.core.uncertainty import nominal, std

CASES, LOADS, REPEATS = benches(200), 3, 2
LANES = LOADS * REPEATS


def random_case(rng):
    """A build and rig as their owner knows them: each figure off the truth by
    its own uncertainty."""

    def seen(true, relative):
        u = abs(true) * relative
        return Measured(true + u * rng.standard_normal(), u)

    stages = tuple(
        SpurStage(
            pinion=int(rng.integers(12, 20)),
            wheel=int(rng.integers(48, 90)),
            friction=Measured(rng.uniform(0.08, 0.4), 0.03),
            drag=float(rng.uniform(0.5e-3, 8e-3)),
        )
        for _ in range(2)
    )
    no_load, i0, i_s = rng.uniform(380, 520), rng.uniform(0.08, 0.15), rng.uniform(1.5, 2.6)
    true = {"voltage": 12.0, "no_load_speed": no_load, "no_load_current": i0, "stall_current": i_s}
    exact = Build(
        stages=stages,
        motor=MotorReadings(**{k: Measured(v) for k, v in true.items()}, inertia=1.1e-6),
    )
    doubt = {
        "voltage": 1e-3,
        "no_load_speed": 3e-3,
        "no_load_current": 0.012,
        "stall_current": 8e-3,
    }
    known = Build(
        stages=stages,
        motor=MotorReadings(**{k: seen(v, doubt[k]) for k, v in true.items()}, inertia=1.1e-6),
    )
    drum, cord, hook, g = rng.uniform(0.03, 0.06), 1e-3, 0.05, 9.81
    zero, gain = rng.uniform(5e4, 9e4), rng.uniform(1800, 2400)
    points = calibration_points(zero, gain * g / 9.80665, [0.0, 0.5, 1.0, 2.0, 4.0], rng)
    true_rig = Rig(
        method=Hoist(
            drum_diameter=Measured(drum), cord_diameter=Measured(cord), hook_mass=Measured(hook)
        ),
        gravity=Measured(g),
    )
    rig = Rig(
        method=Hoist(
            drum_diameter=seen(drum, 1e-3),
            cord_diameter=seen(cord, 0.08),
            hook_mass=seen(hook, 0.01),
            travel=0.8,
        ),
        gravity=Measured(g + 0.003 * rng.standard_normal(), 0.003),
        calibration=Calibration(points=points),
        limits=Limits(),
    )
    bench = bench_of(exact, true_rig)
    a, b = bench.up
    stall = (bench.k * 12.0 / bench.R - bench.friction - b) / a
    loads = np.linspace(0.15, 0.72, LOADS) * stall / (g * bench.radius) - hook
    gains = [1 + acc / 2 * rng.standard_normal() for acc in (0.005, 0.01, 0.001)]
    return known, rig, bench, loads, (zero, gain, *gains)


@pytest.fixture(scope="module")
def cases():
    rng = np.random.default_rng(20)
    made = [random_case(rng) for _ in range(CASES)]

    def column(values):
        return np.repeat(np.asarray(values, float), LANES)

    true = [c[2] for c in made]
    fields = {
        name: column([getattr(b, name) for b in true])
        for name in ("k", "R", "friction", "ratio", "radius", "backlash")
    }
    a, offset = (column([b.up[j] for b in true]) for j in (0, 1))
    vary = 1 + 0.03 * rng.standard_normal(CASES * LANES)
    ideal = 1 / fields["ratio"]
    lanes = Bench(
        **fields,
        inertia=1.1e-6,
        heat_capacity=25.0,
        heat_resistance=12.0,
        up=(ideal + (a - ideal) * vary, offset * vary),
        down=(column([b.down[0] for b in true]), column([b.down[1] for b in true])),
        mass=np.concatenate([np.repeat(c[3], REPEATS) + 0.05 for c in made]),
        gravity=9.81,
    )
    zero, gain, gv, gi, gs = (column([c[4][j] for c in made]) for j in range(5))
    sensors = SensorSet(
        cell_zero=zero, cell_gain=gain, gain_voltage=gv, gain_current=gi, gain_speed=gs
    )
    lifted = lift(lanes, sensors, volts=12.0, method=Hoist(travel=0.8), seed=9, most=4.0)
    found = []
    for n, (build, rig, bench, loads, _) in enumerate(made):
        own = lifted[n * LANES : (n + 1) * LANES]
        plan = planned(tuple(Measured(float(m)) for m in loads), repeats=REPEATS)
        runs = [
            (
                Run(
                    step=i // REPEATS,
                    repeat=i % REPEATS + 1,
                    load=plan.loads[i // REPEATS],
                    voltage=12.0,
                ),
                x.recording,
            )
            for i, x in enumerate(own)
        ]
        result = analyse(build, rig, plan, runs)
        torque = (loads + 0.05) * 9.81 * bench.radius
        a, b = bench.up
        truth = {
            "torque": torque,
            "gearbox": torque / (bench.ratio * (a * torque + b)),
            "stall": (bench.k * 12.0 / bench.R - bench.friction - b) / a,
        }
        found.append((result, truth))
    return found


def coverage(pairs):
    hits = [abs(nominal(x) - true) <= 2 * std(x) for x, true in pairs]
    return np.mean(hits)


@pytest.mark.study
def test_every_lift_is_reduced(cases):
    assert all(len(result.lifted) == LOADS and not result.skipped for result, _ in cases)


@pytest.mark.study
@pytest.mark.parametrize("name", ["torque", "gearbox"])
@pytest.mark.parametrize("step", [0, LOADS // 2, LOADS - 1])
def test_truth_lies_in_the_stated_interval_95_times_in_100(cases, name, step):
    share = coverage(
        [(getattr(result.steps[step], name), truth[name][step]) for result, truth in cases]
    )
    # its motors neither weaken nor stood in another room: never narrow
    assert about_95(share, CASES, 1.0)


@pytest.mark.study
def test_stall_lies_in_its_interval_95_times_in_100(cases):
    share = coverage([(result.stall.by_line, truth["stall"]) for result, truth in cases])
    # its motors neither weaken nor stood in another room: never narrow
    assert about_95(share, CASES, 1.0)


@pytest.mark.study
def test_torque_from_the_load_cell_is_covered_too(cases):
    share = coverage(
        [(result.steps[2].points[0].torque_cell, truth["torque"][2]) for result, truth in cases]
    )
    # its motors neither weaken nor stood in another room: never narrow
    assert about_95(share, CASES, 1.0)
