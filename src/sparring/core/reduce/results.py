"""A test's runs to its results: repeats combined, curves, stall, loss model."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np

from sparring import __version__
from sparring.core.build import Build
from sparring.core.by_eye import READ
from sparring.core.finding import Finding, PeerStep
from sparring.core.plan import COUNTED, Plan
from sparring.core.reduce.fits import (
    LossModel,
    SpeedLine,
    Stall,
    found_stall,
    held_stall,
    loss_model,
    sound_losses,
    speed_line,
)
from sparring.core.reduce.points import Point
from sparring.core.reduce.spread import REPEATS, WINDOW, of_one_run, random_part, shared_parts
from sparring.core.reduce.step import Step
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import (
    Propagated,
    Uncertain,
    mean_of,
    means_of,
    nominal,
    std,
    t_widening,
    ufloat,
)

_SAME = 0.02  # part by which two voltages that were set are one
COMBINED = (
    "torque",
    "speed",
    "cold_speed",
    "voltage",
    "current",
    "power_in",
    "power_out",
    "motor_torque",
    "motor_power",
    "wire_to_shaft",
    "gearbox",
    "line_torque",
    "load_voltage",
    "load_power",
    "input_to_load",
)


@dataclass(frozen=True)
class Level:
    """What was found at one voltage [V]; first, last: its steps' places, the last one excluded;
    sound: lifted steps that the loss model rests on, those behind lose more than it expects.
    """

    voltage: float
    first: int
    last: int
    line: SpeedLine | None
    stall: Stall
    losses: LossModel | None
    sound: int


@dataclass(frozen=True)
class TestResult:
    """Everything derived from a test. steps: by voltage, then torque; levels: one a voltage, lowest
    first; losses: through the steps of all of them; line, stall, sound: of the `main` level;
    skipped: runs that could not be reduced, with the reason.
    """

    __test__ = False  # not a test case, for the collectors

    build: Build
    rig: Rig
    plan: Plan
    steps: tuple[Step, ...]
    line: SpeedLine | None
    stall: Stall
    losses: LossModel | None
    sound: int
    levels: tuple[Level, ...]
    findings: tuple[Finding, ...]
    skipped: tuple[tuple[Run, str], ...]

    @property
    def lifted(self) -> list[Step]:
        return [s for s in self.steps if s.lifted]

    @property
    def running(self) -> list[Step]:
        """The steps at which it turned steadily: with a speed, which an arm at its stop has not."""
        return [s for s in self.lifted if s.speed is not None]

    @property
    def well_running(self) -> list[Step]:
        """Those of them that lose no more than the lighter ones of their voltage tell."""
        sound = {s.index for s in _sound_steps(self)}
        return [s for s in self.running if s.index in sound]

    @property
    def main(self) -> Level | None:
        """The voltage with the most steps that turned, the highest of several such."""
        return max(self.levels, key=self._weight, default=None)

    def _weight(self, level: Level) -> tuple[int, float]:
        return sum(s.lifted for s in self.steps[level.first : level.last]), level.voltage

    @property
    def voltage(self) -> float:
        """Of the main level [V]; the plan's where nothing was measured."""
        return (
            self.main.voltage
            if self.main is not None
            else self.plan.voltage(self.build.motor.voltage.value)
        )

    def at(self, level: Level) -> TestResult:
        """The part of it that was measured at one voltage."""
        return replace(
            self,
            steps=self.steps[level.first : level.last],
            line=level.line,
            stall=level.stall,
            losses=level.losses,
            sound=level.sound,
            levels=(replace(level, first=0, last=level.last - level.first),),
        )

    @property
    def best(self) -> Step | None:
        """The step with the highest gearbox (else wire-to-shaft) efficiency."""
        for name in ("gearbox", "wire_to_shaft"):
            known = [s for s in self.lifted if getattr(s, name) is not None]
            if known:
                return max(known, key=lambda s: nominal(getattr(s, name)))
        return None


def combine(
    build: Build,
    rig: Rig,
    plan: Plan,
    points: Sequence[Point],
    skipped: Sequence[tuple[Run, str]] = (),
    drawn: dict[tuple[int, ...], Drawn] | None = None,
) -> TestResult:
    """Points of the same weight to steps, steps to curves; not judged yet. drawn: what was drawn
    together already; brought up to date.
    """
    groups: dict[int, list[Point]] = {}
    for p in points:
        if p.run.kind in COUNTED:
            groups.setdefault(p.run.step, []).append(p)
    before = {} if drawn is None else dict(drawn)
    now = {
        key: before.get(key) or _draw(group)
        for group in groups.values()
        if (key := tuple(map(id, group)))
    }
    if drawn is not None:
        drawn.clear()
        drawn |= now
    steps: list[Step] = []
    levels: list[Level] = []
    for voltage, group in _by_voltage(list(now.values())):
        ordered = sorted(group, key=lambda d: nominal(d.points[0].torque))
        scatters = [d.scatter for d in ordered]
        first = len(steps)
        steps += [
            _step(first + n, d, [s for s in scatters[max(0, n - 1) : n + 2] if s is not None])
            for n, d in enumerate(ordered)
        ]
        own = build.has_motor
        levels.append(_level(voltage, first, steps[first:], held=rig.method.HELD, has_motor=own))
    found = TestResult(
        build,
        rig,
        plan,
        steps=tuple(steps),
        line=None,
        stall=Stall(),
        losses=levels[0].losses if len(levels) == 1 else None,
        sound=0,
        levels=tuple(levels),
        findings=(),
        skipped=tuple((r, why) for r, why in skipped if r.kind in COUNTED),
    )
    if (main := found.main) is not None:
        losses = found.losses if len(levels) == 1 else loss_model(_sound_steps(found))
        found = replace(found, line=main.line, stall=main.stall, sound=main.sound, losses=losses)
    return found


def _level(
    voltage: float, first: int, steps: Sequence[Step], *, held: bool, has_motor: bool
) -> Level:
    """has_motor: without one its speed is what it was turned at, and no line over the torque."""
    line = speed_line(steps) if has_motor else None
    losses, sound = sound_losses([s for s in steps if s.lifted])
    stall = held_stall(steps) if held else found_stall(steps, line)
    return Level(voltage, first, first + len(steps), line, stall, losses, sound)


def _sound_steps(result: TestResult) -> list[Step]:
    """Of all voltages the steps that lose no more than the lighter ones let expect."""
    return [s for level in result.levels for s in result.at(level).lifted[: level.sound]]


def _by_voltage(drawn: Sequence[Drawn]) -> list[tuple[float, list[Drawn]]]:
    """Those that were run at one voltage, lowest first; a little more or less is the same."""
    groups: list[list[Drawn]] = []
    for d in sorted(drawn, key=lambda d: d.points[0].run.voltage):
        volts = d.points[0].run.voltage
        if groups and volts <= groups[-1][0].points[0].run.voltage * (1 + _SAME):
            groups[-1].append(d)
        else:
            groups.append([d])
    return [(max(d.points[0].run.voltage for d in g), g) for g in groups]


def output_orders(build: Build) -> dict[str, float]:
    """Turns of each shaft per turn of the output."""
    speeds = build.flow(1.0).speeds
    return {shaft: speeds[shaft] / speeds["output"] for shaft in build.shafts()}


def headline(result: TestResult) -> dict[str, Any]:
    """The figures that lists show, with the version that derived them."""
    best = result.best
    stall = result.stall.by_line if result.stall.held is None else result.stall.held
    if best is None:
        stall = result.stall.bracket if stall is None else stall
        held = {} if stall is None else {"stall": nominal(stall), "stall_u": std(stall)}
        return {"derived_by": __version__, "method": result.rig.method.kind, **held}
    kind = "gearbox" if best.gearbox is not None else "wire_to_shaft"
    value = getattr(best, kind)
    return {
        "derived_by": __version__,
        "kind": kind,
        "value": nominal(value),
        "u": std(value),
        "steps": [
            PeerStep(
                nominal(s.torque),
                nominal(s.gearbox),
                random_part(s.gearbox),
                lifts=len(s.points),
                shared=shared_parts(s.gearbox),
            )
            for s in (result.at(result.main) if result.main else result).lifted
            if s.gearbox is not None
        ],
        "method": result.rig.method.kind,
        "torque": nominal(best.torque),
        "stall": None if stall is None else nominal(stall),
    }


class _Scatter(NamedTuple):
    """Of `COMBINED` over one step's repeats, relative to their means: products of the deviations,
    shape (figures, figures), their freedom; those of the readings' own scatter, how many.
    """

    between: np.ndarray
    freedom: int
    within: np.ndarray
    readings: int


class Drawn(NamedTuple):
    """One weight's points drawn together: means and relative standard deviation of each figure of
    those that were lifted.
    """

    points: tuple[Point, ...]
    means: dict[str, Uncertain]
    spread: dict[str, float]
    scatter: _Scatter | None


_BY_WARMTH = ("speed", "power_out", "motor_power", "wire_to_shaft")
"""What falls with the speed as the motor warms from run to run, which is known and no scatter."""


def _draw(group: Sequence[Point]) -> Drawn:
    running = [p for p in group if not p.stalled]
    figures = {
        name: xs
        for name in COMBINED
        if (xs := [v for p in running if (v := getattr(p, name)) is not None])
    }
    spread: dict[str, float] = {}
    repeats = len(running)
    away = np.zeros((len(COMBINED), repeats))
    own: dict[Any, np.ndarray] = {}  # of each input of one run alone, what it does to each figure
    for k, name in enumerate(COMBINED):
        rows = [(n, v) for n, p in enumerate(running) if (v := getattr(p, name)) is not None]
        x = np.array([nominal(v) * _colder(running[n], name) for n, v in rows])
        if len(x) < 2 or not (mean := float(x.mean())):
            continue
        spread[name] = float(x.std(ddof=1) / abs(mean))
        # one that is missing tells nothing: the others stand for it
        scale = math.sqrt((repeats - 1) / (len(x) - 1))
        away[k, [n for n, _ in rows]] = (x / mean - 1) * scale
        for _, v in rows:
            for variable, slope in (v.slopes if isinstance(v, Propagated) else {}).items():
                if variable.tag.startswith((f"{WINDOW.id}:", f"{READ.id}:")):
                    told = own.setdefault(variable, np.zeros(len(COMBINED)))
                    told[k] = slope * variable.own_u / mean * scale
    scatter = None
    if spread:
        noise = np.array([*own.values()]) if own else np.zeros((0, len(COMBINED)))
        scatter = _Scatter(away @ away.T, repeats - 1, noise.T @ noise, repeats)
    return Drawn(tuple(group), means_of(figures, of_one_run), spread, scatter)


def _colder(point: Point, name: str) -> float:
    """What takes the warming since the first run off a figure."""
    if name not in _BY_WARMTH or point.cold_speed is None or not nominal(point.speed):
        return 1.0
    return nominal(point.cold_speed) / nominal(point.speed)


def _random_effects(near: Sequence[_Scatter]) -> np.ndarray:
    """How repeats scatter beyond their readings, pooled over steps: each column is what one random
    effect of a run does to `COMBINED`, relative, widened for few; shape (figures, effects).

    One run has one spread: what follows from a figure that scatters scatters with it, and what
    does not follow from it does not.
    """
    freedom, readings = sum(s.freedom for s in near), sum(s.readings for s in near)
    if not freedom:
        return np.zeros((len(COMBINED), 0))
    between = sum((s.between for s in near), start=np.zeros((len(COMBINED),) * 2)) / freedom
    within = sum((s.within for s in near), start=np.zeros((len(COMBINED),) * 2)) / readings
    size, direction = np.linalg.eigh(between - within)
    kept = size > 1e-14
    # with few repeats the spread itself is uncertain
    effects: np.ndarray = direction[:, kept] * np.sqrt(size[kept]) * t_widening(freedom)
    return effects


def _step(n: int, drawn: Drawn, near: Sequence[_Scatter]) -> Step:
    """One weight's runs combined. near: the scatters that are pooled, this step's and its
    neighbours': losses, and with them the scatter, change along the ladder, so that far weights say
    little of this one's."""
    running = tuple(p for p in drawn.points if not p.stalled)
    stalls = tuple(p for p in drawn.points if p.stalled)
    if not running:
        return Step(n, (), stalls, mean_of([p.torque for p in stalls]))
    effects = _random_effects(near)
    strange = [ufloat(0.0, 1.0, REPEATS) for _ in range(effects.shape[1])]
    values: dict[str, Uncertain] = {}
    for name, mean in drawn.means.items():
        count = sum(getattr(p, name) is not None for p in running)
        row = effects[COMBINED.index(name)] * nominal(mean) / math.sqrt(count)
        parts = zip(row.tolist(), strange, strict=True)
        values[name] = sum((part * x for part, x in parts if part), start=mean)
    shares = _shares(running)
    return Step(n, running, stalls, spread=drawn.spread, shares=shares, **values)


def _shares(running: Sequence[Point]) -> tuple[Uncertain, ...]:
    """What each motor gives of the torque: the repeats' mean, with their scatter."""
    known = [p.shares for p in running if p.shares]
    if not known:
        return ()
    seen = np.array([[nominal(x) for x in shares] for shares in known])
    means = [mean_of(of_motor) for of_motor in zip(*known, strict=True)]
    if len(known) < 2:
        return tuple(means)
    widened = t_widening(len(known) - 1) / math.sqrt(len(known))
    scatter = seen.std(axis=0, ddof=1) * widened
    return tuple(m + ufloat(0.0, float(s), REPEATS) for m, s in zip(means, scatter, strict=True))
