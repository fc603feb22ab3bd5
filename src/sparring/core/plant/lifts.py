"""Lifts made offline: for the demo logbook, the command line and the closure tests."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from sparring.core.methods import MethodBase, RunUp
from sparring.core.plant.bench import Bench
from sparring.core.plant.plant import STEP, Plant
from sparring.core.plant.sensors import SensorSet
from sparring.core.recording import Recording
from sparring.core.rig import Rig
from sparring.core.run import Run

_REST_BEFORE = 0.3  # [s] recorded before the drive comes on
_REST_AFTER = 0.2
RAMP = 0.35  # [s] in which the drive comes on, as a careful hand or a board does it


def swept_part(course: float) -> float:
    """How far a swept load is on, 0 to 1, when `course` of the sweep is over: up and down again
    evenly.
    """
    return max(0.0, min(2 * course, 2 - 2 * course))


@dataclass(frozen=True)
class Lifted:
    """One simulated lift: what was recorded, what was true at the same moments, how it ended."""

    recording: Recording
    truth: dict[str, np.ndarray]
    ended: str
    stall_torque: float


def lift(
    bench: Bench,
    sensors: SensorSet,
    *,
    volts: Any,
    method: MethodBase,
    seed: int,
    rate: float = 80.0,
    most: float | None = None,
    stalled_for: float = 0.8,
    dt: float = STEP,
) -> list[Lifted]:
    """Runs on all lanes of `bench` at once, each until its course is done, a stall, or `most`
    seconds; one result a lane.

    volts: drive voltage, scalar or (n,); method: says how a run goes; rate: samples a second; seed:
    repeats the same run.
    """
    travel, hold, coast = method.course
    most = most if most is not None else 6.0 if math.isinf(hold) else _REST_BEFORE + RAMP + hold
    rng = np.random.default_rng(seed)
    plant = Plant(bench)
    n = plant.n
    period = 1.0 / rate
    still, ended, end_time = np.zeros(n), np.full(n, "stopped", dtype="<U8"), np.full(n, np.inf)
    crept = np.zeros(n)
    times: list[float] = []
    samples: dict[str, list[np.ndarray]] = {}
    truths: dict[str, list[np.ndarray]] = {}
    stall = np.zeros(n)
    before = plant.state.angle.copy()
    while True:
        now = plant.time
        ramp = min(max((now - _REST_BEFORE) / RAMP, 0.0), 1.0)
        plant.volts = np.where(now < end_time, ramp * np.asarray(volts), 0.0)
        plant.open = (now >= end_time) & (coast > 0)
        if method.swept:
            plant.tightened = swept_part((now - _REST_BEFORE - RAMP) / hold)
        # what is cut off below need not be run
        plant.asleep = now > end_time + _REST_AFTER + coast + period
        plant.advance(period, dt)
        truth = plant.truth()
        # a tachometer times whole periods
        truth["speed"] = (plant.state.angle - before) / bench.ratio / period
        truth["motor_speed"] = truth["speed"] * bench.ratio
        if isinstance(method, RunUp):
            truth["speed"] = truth["rise"] * method.gearing
        before = plant.state.angle.copy()
        crept += (truth["force"] - crept) * period / np.asarray(sensors.creep_time)
        now = plant.time
        read = sensors.read(truth, now, crept, rng, method.CHANNELS)
        if not method.CELL:
            del read["cell"]
        for store, values in ((samples, read), (truths, truth)):
            for key, value in values.items():
                store.setdefault(key, []).append(np.broadcast_to(value, (n,)))
        times.append(now)
        lifting = (now > _REST_BEFORE + RAMP) & np.isinf(end_time)
        still = np.where(lifting & (np.abs(truth["speed"]) < 0.02), still + period, 0.0)
        top = np.isinf(end_time) & (plant.state.height >= travel)
        stuck = np.isinf(end_time) & (still >= stalled_for)
        for reason, hit in (
            ("top", top),
            ("stalled", stuck),
            ("stopped" if math.isinf(hold) else "top", np.isinf(end_time) & (now >= most)),
        ):
            if hit.any():
                ended[hit], end_time[hit] = reason, now
                stall[hit] = plant.stall_torque()[hit]
        if now > end_time.max() + _REST_AFTER + coast:
            break
    t = np.array(times)
    jitter = np.clip(rng.standard_normal(len(t)) * 2e-4, -period / 3, period / 3)
    all_samples = {k: np.array(v) for k, v in samples.items()}
    all_truths = {k: np.array(v) for k, v in truths.items()}
    result = []
    for lane in range(n):
        stop = int(np.searchsorted(t, end_time[lane] + _REST_AFTER + coast)) + 1
        result.append(
            Lifted(
                Recording(
                    (t + jitter)[:stop], {k: v[:stop, lane].copy() for k, v in all_samples.items()}
                ),
                {k: v[:stop, lane].copy() for k, v in all_truths.items()},
                str(ended[lane]),
                float(stall[lane]),
            )
        )
    return result


def ladder(
    bench: Bench,
    sensors: SensorSet,
    rig: Rig,
    loads: Sequence[float],
    repeats: int,
    *,
    vary: float = 0.04,
    **how: Any,
) -> list[tuple[int, int, Lifted]]:
    """Every step of the plan's loads [kg] run `repeats` times: (step, repeat, run). One lane a run;
    the train's losses vary from run to run by the part `vary` (standard deviation), as on a bench.
    """
    steps = rig.method.settings(loads)
    n = len(steps) * repeats
    rng = np.random.default_rng(how.get("seed", 0))
    factor = 1 + vary * rng.standard_normal(n)
    slope, offset = bench.up
    ideal = 1.0 / np.asarray(bench.ratio)
    lanes = replace(
        loaded(bench, rig, steps, repeats), up=(ideal + (slope - ideal) * factor, offset * factor)
    )
    lifted = lift(lanes, sensors, method=rig.method, **how)
    return [(i // repeats, i % repeats + 1, x) for i, x in enumerate(lifted)]


def loaded(bench: Bench, rig: Rig, steps: Sequence[float], repeats: int = 1) -> Bench:
    """The bench with each step's load on it, `repeats` lanes each; what does not change with the
    load stays the bench's.
    """
    bodies = [rig.method.body(step, bench.gravity) for step in steps]
    keys = [k for k in ("mass", "weight", "grip", "resistor") if k in bodies[0]]
    changed: dict[str, Any] = {
        k: np.repeat(np.array([b[k] for b in bodies], float), repeats) for k in keys
    }
    return replace(bench, **changed)


def runs_of(
    lifts: list[tuple[int, int, Lifted]],
    loads: list[Any] | None,
    volts: float,
    source: str = "simulated",
    tare: Any = None,
) -> list[tuple[Run, Recording]]:
    """Simulated runs with their recordings; loads: the weights as the tester knows them, none where
    a step has no weight.
    """
    return [
        (
            Run(
                step=s,
                repeat=r,
                load=loads[s] if loads else None,
                voltage=volts,
                source=source,
                ended=x.ended,
                tare=tare,
            ),
            x.recording,
        )
        for s, r, x in lifts
    ]


def one_log(
    lifts: list[tuple[int, int, Lifted]], loads: list[float] | None, pause: float = 0.5
) -> Recording:
    """All lifts one after the other, as a logger that runs through would have them, with a column
    for the weight where there is one.
    """
    t: list[np.ndarray] = []
    columns: dict[str, list[np.ndarray]] = {}
    at = 0.0
    for step, _, lifted in lifts:
        rec = lifted.recording
        t.append(rec.t - rec.t[0] + at)
        at = float(t[-1][-1]) + pause
        weight = {} if loads is None else {"mass": np.full(len(rec), loads[step])}
        for key, values in {**rec.channels, **weight}.items():
            columns.setdefault(key, []).append(values)
    return Recording(np.concatenate(t), {k: np.concatenate(v) for k, v in columns.items()})
