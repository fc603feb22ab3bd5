"""Lifts made offline: for the demo logbook, the command line and the closure tests."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from sparring.core.methods import MethodBase
from sparring.core.plan import Plan, PlanStep, sequence
from sparring.core.plan.record import STILL
from sparring.core.plant.bench import Bench
from sparring.core.plant.mishaps import Mishap
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
    lasting: Sequence[float | None] = (),
    stalled_for: float = 0.8,
    dt: float = STEP,
    mishap: Mishap | None = None,
) -> list[Lifted]:
    """Runs on all lanes of `bench` at once, each until its course is done, a stall, or `most`
    seconds, or what `lasting` says of a lane; one result a lane.

    volts: drive voltage, scalar or (n,); method: says how a run goes; rate: samples a second; seed:
    repeats the same run; mishap: what happens on the way.
    """
    runs = _Runs(bench, sensors, method, seed=seed, period=1.0 / rate, stalled_for=stalled_for)
    runs.mishap = mishap
    if most is not None:
        runs.most = most
    if any(x is not None for x in lasting):
        whole = np.broadcast_to(runs.most, (len(lasting),))
        asked = [
            m if x is None else _REST_BEFORE + RAMP + x for x, m in zip(lasting, whole, strict=True)
        ]
        runs.most = np.array(asked)
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
        self.most: Any = 6.0 if math.isinf(self.hold) else _REST_BEFORE + RAMP + self.hold
        self.rng = np.random.default_rng(seed)
        self.plant = Plant(bench)
        n = self.plant.n
        self.still, self.crept, self.stall = np.zeros(n), np.zeros(n), np.zeros(n)
        self.ended, self.end_time = np.full(n, "stopped", dtype="<U8"), np.full(n, np.inf)
        self.times: list[float] = []
        self.truths: list[dict[str, np.ndarray]] = []
        self.creeps: list[np.ndarray] = []
        self._before = self.plant.state.angle.copy()
        self.mishap: Mishap | None = None

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
        if self.mishap is not None:
            self.mishap.act(plant, now - _REST_BEFORE)
        # what is cut off below need not be run
        plant.asleep = now > self.end_time + _REST_AFTER + self.coast + self.period
        plant.advance(self.period, dt)
        truth = self._truth()
        follows = self.period / np.asarray(self.sensors.creep_time)
        self.crept = self.crept + (truth["force"] - self.crept) * follows
        self.truths.append(truth)
        self.creeps.append(self.crept)
        self.times.append(plant.time)
        self._see_the_end(truth["speed"])

    def _truth(self) -> dict[str, np.ndarray]:
        plant = self.plant
        truth = plant.truth()
        # a tachometer times whole periods
        truth["speed"] = (plant.state.angle - self._before) / self.bench.ratio / self.period
        truth["motor_speed"] = truth["speed"] * self.bench.ratio
        truth["speed"] = self.method.tachometer(truth["speed"], truth["rise"])
        if self.mishap is not None:
            self.mishap.see(truth, plant.time - _REST_BEFORE)
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

    def _read(self, truths: dict[str, np.ndarray], t: np.ndarray) -> dict[str, np.ndarray]:
        """What the sensors make of all samples, arrays of shape (len(t), n)."""
        read = self.sensors.read(
            truths, t[:, None], np.array(self.creeps), self.rng, self.method.CHANNELS
        )
        if not self.method.CELL:
            del read["cell"]
        if np.any(self.bench.turned):  # its source is weighed in place of a supply
            read["input_force"] = read.pop("current") / np.asarray(self.bench.arm)
            del read["voltage"], read["temperature"]
        return read

    def lifted(self) -> list[Lifted]:
        """One result a lane."""
        t = np.array(self.times)
        truths = {k: np.array([true[k] for true in self.truths]) for k in self.truths[0]}
        samples = self._read(truths, t)
        late = self.rng.standard_normal(len(t)) * 2e-4
        t_seen = t + np.clip(late, -self.period / 3, self.period / 3)
        found = []
        for lane in range(self.plant.n):
            stop = int(np.searchsorted(t, self.end_time[lane] + _REST_AFTER + self.coast)) + 1
            recording = Recording(
                t_seen[:stop], {k: v[:stop, lane].copy() for k, v in samples.items()}
            )
            if self.mishap is not None:
                recording = self.mishap.spoil(recording, lane)
            true = {k: v[:stop, lane].copy() for k, v in truths.items()}
            ended, stall = str(self.ended[lane]), float(self.stall[lane])
            found.append(Lifted(recording, true, ended, stall))
        return found


Ladder = list[tuple[PlanStep, int, Lifted]]
"""Runs of a plan: (step, repeat, run)."""


def ladder(
    bench: Bench,
    sensors: SensorSet,
    rig: Rig,
    plan: Plan,
    *,
    vary: float = 0.04,
    seed: int = 0,
    **how: Any,
) -> Ladder:
    """Every run of the plan that drives, in its order, one lane each; the train's losses vary from
    run to run by the part `vary` (standard deviation), as on a bench.

    A step set by a speed must have its voltage by now. Raises ValueError.
    """
    plan = plan.on(rig.method)
    steps = {s.id: s for s in plan.todo if s.kind not in STILL}
    made = [(steps[x.step], x.repeat) for x in sequence(plan) if x.step in steps]
    if any(s.voltage is None for s, _ in made):
        raise ValueError("a step is set by its speed; work its voltage out first")
    factor = 1 + vary * np.random.default_rng(seed).standard_normal(len(made))
    slope, offset = bench.up
    ideal = 1.0 / np.asarray(bench.ratio)
    settings = [s.setting(rig.method) for s, _ in made]
    lanes = replace(
        loaded(bench, rig, settings), up=(ideal + (slope - ideal) * factor, offset * factor)
    )
    lifted = lift(
        lanes,
        sensors,
        method=rig.method,
        volts=np.array([s.voltage for s, _ in made]),
        seed=seed,
        lasting=[s.time for s, _ in made],
        **how,
    )
    return [(s, repeat, x) for (s, repeat), x in zip(made, lifted, strict=True)]


def loaded(bench: Bench, rig: Rig, settings: Sequence[float]) -> Bench:
    """The bench with each setting's load on it, a lane each; what does not change with the load
    stays the bench's.
    """
    bodies = [rig.method.body(setting, bench.gravity) for setting in settings]
    keys = [k for k in ("mass", "weight", "grip", "resistor") if k in bodies[0]]
    changed: dict[str, Any] = {k: np.array([b[k] for b in bodies], float) for k in keys}
    return replace(bench, **changed)


def runs_of(
    lifts: Ladder, method: MethodBase, source: str = "simulated", tare: Any = None
) -> list[tuple[Run, Recording]]:
    """Simulated runs with their recordings, with the weights as the tester knows them."""
    return [
        (
            Run(
                step=s.id,
                kind=s.kind,
                repeat=r,
                load=s.load if method.weighed() else None,
                voltage=s.voltage if "voltage" in x.recording.channels else 0.0,
                source=source,
                ended=x.ended,
                tare=tare,
            ),
            x.recording,
        )
        for s, r, x in lifts
    ]


def one_log(lifts: Ladder, method: MethodBase, pause: float = 0.5) -> Recording:
    """All lifts one after the other, as a logger that runs through would have them, with a column
    for the weight where there is one.
    """
    weighed = method.SET_BY[1] == "mass"
    t: list[np.ndarray] = []
    columns: dict[str, list[np.ndarray]] = {}
    at = 0.0
    for step, _, lifted in lifts:
        rec = lifted.recording
        t.append(rec.t - rec.t[0] + at)
        at = float(t[-1][-1]) + pause
        hung = step.load.value if step.load is not None else 0.0
        weight = {"mass": np.full(len(rec), hung)} if weighed else {}
        for key, values in {**rec.channels, **weight}.items():
            columns.setdefault(key, []).append(values)
    return Recording(np.concatenate(t), {k: np.concatenate(v) for k, v in columns.items()})
