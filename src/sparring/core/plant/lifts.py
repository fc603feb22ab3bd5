"""Lifts made offline: for the demo logbook, the command line and the closure tests."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from sparring.core.methods import MethodBase
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
    runs = _Runs(bench, sensors, method, seed=seed, period=1.0 / rate, stalled_for=stalled_for)
    if most is not None:
        runs.most = most
    while not runs.over:
        runs.go_on(np.asarray(volts), dt)
    return runs.lifted()


class _Runs:
    """Runs of all lanes at once, sample by sample."""

    def __init__(
        self,
        bench: Bench,
        sensors: SensorSet,
        method: MethodBase,
        *,
        seed: int,
        period: float,
        stalled_for: float,
    ) -> None:
        """period: between two samples [s]."""
        self.bench, self.sensors, self.method = bench, sensors, method
        self.period, self.stalled_for = period, stalled_for
        self.travel, self.hold, self.coast = method.course
        self.most = 6.0 if math.isinf(self.hold) else _REST_BEFORE + RAMP + self.hold
        self.rng = np.random.default_rng(seed)
        self.plant = Plant(bench)
        n = self.plant.n
        self.still, self.crept, self.stall = np.zeros(n), np.zeros(n), np.zeros(n)
        self.ended, self.end_time = np.full(n, "stopped", dtype="<U8"), np.full(n, np.inf)
        self.times: list[float] = []
        self.samples: dict[str, list[np.ndarray]] = {}
        self.truths: dict[str, list[np.ndarray]] = {}
        self._before = self.plant.state.angle.copy()

    @property
    def over(self) -> bool:
        """Whether every lane has ended, and come to rest."""
        return bool(self.plant.time > self.end_time.max() + _REST_AFTER + self.coast)

    def go_on(self, volts: np.ndarray, dt: float) -> None:
        """One sample further."""
        plant, now = self.plant, self.plant.time
        ramp = min(max((now - _REST_BEFORE) / RAMP, 0.0), 1.0)
        plant.volts = np.where(now < self.end_time, ramp * volts, 0.0)
        plant.open = (now >= self.end_time) & (self.coast > 0)
        if self.method.swept:
            plant.tightened = swept_part((now - _REST_BEFORE - RAMP) / self.hold)
        # what is cut off below need not be run
        plant.asleep = now > self.end_time + _REST_AFTER + self.coast + self.period
        plant.advance(self.period, dt)
        truth = self._truth()
        self.crept += (
            (truth["force"] - self.crept) * self.period / np.asarray(self.sensors.creep_time)
        )
        read = self.sensors.read(truth, plant.time, self.crept, self.rng, self.method.CHANNELS)
        if not self.method.CELL:
            del read["cell"]
        for store, values in ((self.samples, read), (self.truths, truth)):
            for key, value in values.items():
                store.setdefault(key, []).append(np.broadcast_to(value, (plant.n,)))
        self.times.append(plant.time)
        self._see_the_end(truth["speed"])

    def _truth(self) -> dict[str, np.ndarray]:
        plant = self.plant
        truth = plant.truth()
        # a tachometer times whole periods
        truth["speed"] = (plant.state.angle - self._before) / self.bench.ratio / self.period
        truth["motor_speed"] = truth["speed"] * self.bench.ratio
        truth["speed"] = self.method.tachometer(truth["speed"], truth["rise"])
        self._before = plant.state.angle.copy()
        return truth

    def _see_the_end(self, speed: np.ndarray) -> None:
        """Notes which lanes end here, and how."""
        now, under_way = self.plant.time, np.isinf(self.end_time)
        lifting = (now > _REST_BEFORE + RAMP) & under_way
        slow = lifting & (np.abs(speed) < 0.02)
        self.still = np.where(slow, self.still + self.period, 0.0)
        whole = "stopped" if math.isinf(self.hold) else "top"
        for reason, hit in (
            ("top", under_way & (self.plant.state.height >= self.travel)),
            ("stalled", under_way & (self.still >= self.stalled_for)),
            (whole, np.isinf(self.end_time) & (now >= self.most)),
        ):
            if hit.any():
                self.ended[hit], self.end_time[hit] = reason, now
                self.stall[hit] = self.plant.stall_torque()[hit]

    def lifted(self) -> list[Lifted]:
        """One result a lane."""
        t = np.array(self.times)
        late = self.rng.standard_normal(len(t)) * 2e-4
        t_seen = t + np.clip(late, -self.period / 3, self.period / 3)
        samples = {k: np.array(v) for k, v in self.samples.items()}
        truths = {k: np.array(v) for k, v in self.truths.items()}
        found = []
        for lane in range(self.plant.n):
            stop = int(np.searchsorted(t, self.end_time[lane] + _REST_AFTER + self.coast)) + 1
            recording = Recording(
                t_seen[:stop], {k: v[:stop, lane].copy() for k, v in samples.items()}
            )
            true = {k: v[:stop, lane].copy() for k, v in truths.items()}
            ended, stall = str(self.ended[lane]), float(self.stall[lane])
            found.append(Lifted(recording, true, ended, stall))
        return found


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
