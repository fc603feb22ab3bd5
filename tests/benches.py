"""Benches by the hundred whose owners know them only so well, and what comes of their runs."""

import numpy as np
from helpers import CASES, planned

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.instruments.calibration import Calibration
from sparring.core.instruments.meters import METERS, Sensors
from sparring.core.motor import MotorReadings
from sparring.core.plant.bench import Bench, bench_of
from sparring.core.plant.lifts import lift, loaded
from sparring.core.plant.sensors import SensorSet, calibration_points
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.train.kinds.spur import SpurStage
from sparring.core.uncertainty import nominal, std

STEPS, REPEATS = 2, 1
G = 9.81


LOADS = {
    "hoist": (0.6, 2.2),
    "brake": (0.4, 2.0),
    "drawbar": (0.4, 2.4),
    "lever": (0.2, 1.4),
    "generator": (1.0, 1.0),
    "run-up": (1.0, 1.0),
    "rope-brake": (0.7, 3.0),
    "scale": (1.0, 1.0),
    "tackle": (1.0, 4.0),
    "haul": (0.6, 3.5),
}


def entered(method, rng):
    """The dimensions as their owner measured them: each off by its own uncertainty."""
    for _, name in method.FIELDS:
        v = getattr(method, name)
        if isinstance(v, Measured) and v.u > 0:
            seen = v.value + v.u * rng.standard_normal()
            if v.value > 0:  # what is near nothing is not read as less
                seen = max(seen, 0.0)
            method = changed(method, (name,), Measured(seen, v.u))
    return method


def drive(rng, friction):
    def seen(true, relative):
        u = abs(true) * relative
        return Measured(true + u * rng.standard_normal(), u)

    stages = tuple(
        SpurStage(pinion=12, wheel=66, friction=Measured(f, 0.03), drag=2e-3) for f in friction
    )
    true = {
        "voltage": 12.0,
        "no_load_speed": rng.uniform(400, 500),
        "no_load_current": 0.11,
        "stall_current": rng.uniform(1.8, 2.4),
    }
    doubt = {
        "voltage": 1e-3,
        "no_load_speed": 3e-3,
        "no_load_current": 0.012,
        "stall_current": 8e-3,
    }
    exact = Build(
        stages=stages,
        motor=MotorReadings(**{k: Measured(v) for k, v in true.items()}, inertia=1.1e-6),
    )
    known = Build(
        stages=stages,
        motor=MotorReadings(**{k: seen(v, doubt[k]) for k, v in true.items()}, inertia=1.1e-6),
    )
    return exact, known


def compared(rig, gains, zero_current, rng):
    """The rig after its meters were held against a reference that is right within 0.2 %."""
    wrong = 1 + 0.001 * rng.standard_normal(3)
    ranges = {
        "voltmeter": (3.0, 13.0, 0.002, 0.0),
        "ammeter": (0.2, 2.5, 0.002, zero_current),
        "tachometer": (4.0, 16.0, 0.01, 0.0),
    }
    meters = {}
    for (name, (low, high, noise, zero)), gain, reference in zip(
        ranges.items(), gains, wrong, strict=True
    ):
        true = np.linspace(low, high, 6)
        shown = zero + gain * true + noise * rng.standard_normal(6)
        kind, point, *_ = METERS[name]
        points = tuple(
            point(reference=float(r), shown=float(x))
            for r, x in zip(true * reference, shown, strict=True)
        )
        meters[name] = kind(reference_accuracy=0.002, points=points)
    return changed(rig, ("sensors",), Sensors(**meters))


def study(
    method,
    seed,
    cases=CASES,
    trap=lambda rig: rig,
    sensors=None,
    off=1.0,
    compare=False,
    eye=None,
    repeats=REPEATS,
    **changes,
):
    """[(result, {name: truth by step})] of `cases` benches whose owners know them only so well, all
    on the plant at once. off: how many times further than their data sheets say the meters are off;
    compare: they were held against a reference; eye: reads each run, in place of a board.
    """
    rng = np.random.default_rng(seed)
    low, high = LOADS[method.kind]
    masses = np.linspace(low, high, STEPS) if method.STEP else [0.0]
    plan = planned([Measured(float(max(m, 0.1))) for m in masses], repeats=repeats).on(method)
    steps = [s.setting(method) for s in plan.todo for _ in range(repeats)]
    lanes = len(steps)
    made, columns, cells = [], {}, []
    for _ in range(cases):
        exact, known = drive(rng, rng.uniform(0.08, 0.3, 2))
        true_rig = Rig(method=method, gravity=Measured(G))
        zero, gain = rng.uniform(6e4, 9e4), rng.uniform(1900, 2300)
        points = calibration_points(zero, gain * G / 9.80665, [0.0, 0.5, 1.0, 2.0, 4.0], rng)
        rig = trap(
            Rig(
                method=entered(method, rng),
                gravity=Measured(G + 0.003 * rng.standard_normal(), 0.003),
                calibration=Calibration(points=points),
            )
        )
        bench = loaded(bench_of(exact, true_rig, load=steps[0], **changes), true_rig, steps)
        made.append((known, rig, bench))
        for name, value in vars(bench).items():
            parts = value if isinstance(value, tuple) else (value,)
            columns.setdefault(name, []).append(
                [np.broadcast_to(np.asarray(0.0 if v is None else v, float), lanes) for v in parts]
            )
        gains = [1 + off * acc / 2 * rng.standard_normal() for acc in (0.005, 0.01, 0.001)]
        if compare:
            zero_current = (sensors or {}).get("zero_current", 0.0)
            made[-1] = (known, compared(rig, gains, zero_current, rng), bench)
        cells.append(np.repeat([[zero, gain, *gains]], lanes, axis=0))
    joined = {
        k: tuple(np.concatenate([c[j] for c in v]) for j in range(len(v[0])))
        for k, v in columns.items()
    }
    del joined["each"], joined["waves"]  # of one motor, its gears true
    fields = {k: v if k in ("up", "down", "generates") else v[0] for k, v in joined.items()}
    for optional in ("weight", "cell_arm"):
        if getattr(made[0][2], optional) is None:
            fields[optional] = None
    zero, gain, gv, gi, gs = np.concatenate(cells).T
    sensing = SensorSet(
        cell_zero=zero,
        cell_gain=gain,
        gain_voltage=gv,
        gain_current=gi,
        gain_speed=gs,
        **(sensors or {}),
    )
    runs = lift(Bench(**fields), sensing, volts=12.0, method=method, seed=seed)
    found = []
    for n, (known, rig, _) in enumerate(made):
        own = runs[n * lanes : (n + 1) * lanes]
        records, begun = made_of(own, plan, method, eye, rng)
        found.append(
            (
                analyse(known, rig, plan, records),
                [x.truth for x in own],
                [x.recording.t - start for x, start in zip(own, begun, strict=True)],
            )
        )
    return found


def made_of(lifted, plan, method, eye, rng):
    """(runs of a bench as a board recorded or `eye` read them, when each was begun to be read)."""
    records, begun = [], [0.0] * len(lifted)
    off = rng.standard_normal()  # one scale serves all runs of a bench
    for i, x in enumerate(lifted):
        step = plan.steps[i // plan.repeats]
        load = step.load if method.weighed() else None
        run, seen = (
            Run(step=step.id, repeat=i % plan.repeats + 1, load=load, ended=x.ended, voltage=12.0),
            x.recording,
        )
        if eye is not None:
            figures, begun[i] = eye(x, rng, method=method, scale=off)
            run, seen = run.model_copy(update={"read": figures}), Recording.nothing()
        records.append((run, seen))
    return records, begun


def in_window(point, truths, times, name, repeats=REPEATS):
    """Mean truth over the point's own window."""
    lane = point.run.step * repeats + point.run.repeat - 1
    t, v = times[lane], truths[lane]
    inside = (t >= point.window.start) & (t <= point.window.stop)
    return {
        "torque": np.mean(v["torque"][inside]),
        "gearbox": np.mean(v["power_out"][inside]) / np.mean(v["motor_power"][inside]),
        "wire_to_shaft": np.mean(v["power_out"][inside]) / np.mean(v["power_in"][inside]),
    }[name]


def shares(found, name, step):
    hits = []
    for result, truths, times in found:
        if step < len(result.lifted) and (value := getattr(result.lifted[step], name)) is not None:
            true = np.mean([in_window(p, truths, times, name) for p in result.lifted[step].points])
            hits.append(abs(nominal(value) - true) <= 2 * std(value))
    assert len(hits) > 0.9 * len(found)
    return np.mean(hits)
