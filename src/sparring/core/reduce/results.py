"""A test's runs to its results: repeats combined, curves, stall, loss model."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from sparring import __version__
from sparring.core.build import Build
from sparring.core.by_eye import READ
from sparring.core.finding import Finding, PeerStep
from sparring.core.input_quantity import declare
from sparring.core.plan import Plan
from sparring.core.reduce.points import Point
from sparring.core.reduce.spread import REPEATS, WINDOW, of_one_run, random_part, shared_parts
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import (
    Uncertain,
    mean_of,
    means_of,
    nominal,
    std,
    t_widening,
    ufloat,
    unexplained,
)

NOTABLE_EXCESS = 0.15
"""Loss above the expected one, as a part of it, that is worth a word."""
_BRACKET = declare("stall-bracket", "loads that bracket the stall", "rig").id
_BENT_LOSS = declare("bent-loss", "departure from the loss line", "rig").id
_VISCOUS = declare("viscous-loss", "speed-dependent loss", "rig").id
_FREE = 0.05  # part of the mean speed by which speeds leave their line over the torque
_BENT = declare("bent-line", "departure from a straight line", "rig").id
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
)


@dataclass(frozen=True)
class Step:
    """All runs at one weight. The estimates hold type A parts within and between runs and all
    shared inputs.
    """

    index: int
    points: tuple[Point, ...]
    stalls: tuple[Point, ...]
    torque: Uncertain
    speed: Uncertain = None
    cold_speed: Uncertain = None
    voltage: Uncertain = None
    current: Uncertain = None
    power_in: Uncertain = None
    power_out: Uncertain = None
    motor_torque: Uncertain = None
    motor_power: Uncertain = None
    wire_to_shaft: Uncertain = None
    gearbox: Uncertain = None
    line_torque: Uncertain = None
    # relative SD between runs, this step alone
    spread: dict[str, float] = field(default_factory=dict)

    @property
    def lifted(self) -> bool:
        return bool(self.points)


@dataclass(frozen=True)
class SpeedLine:
    """Weighted straight line of speed over torque; a, b carry everything. intercept: torque at
    standstill.
    """

    a: Uncertain
    b: Uncertain
    intercept: Uncertain

    def __call__(self, torque: float) -> Uncertain:
        return self.a + self.b * torque


@dataclass(frozen=True)
class Stall:
    """lifted, not_lifted: torques the stall lies between [N·m], None where not seen; by_line: from
    the speed line; held: read while the output was held.
    """

    lifted: Uncertain = None
    not_lifted: Uncertain = None
    by_line: Uncertain = None
    held: Uncertain = None

    @property
    def bracket(self) -> Uncertain:
        """Middle of the interval, u = half-width/√3 (rectangular)."""
        if self.lifted is None or self.not_lifted is None:
            return None
        half = (nominal(self.not_lifted) - nominal(self.lifted)) / 2
        return (self.lifted + self.not_lifted) / 2 + ufloat(0.0, abs(half) / math.sqrt(3), _BRACKET)


@dataclass(frozen=True)
class LossModel:
    """Gearbox loss as torque at the output: P_loss/ω = T_c + c ω + ℓ T. constant [N·m],
    proportional [-], viscous [N·m·s/rad]; None where the speed followed the torque, as on a ladder
    at one voltage: then what part of T_c grows with the speed cannot be told, and both others have
    the doubt of it. line: constant and slope over the torque, at the speeds of the test.
    """

    constant: Uncertain
    proportional: Uncertain
    viscous: Uncertain = None
    line: tuple[Uncertain, Uncertain] | None = None

    def expected(self, torque: Uncertain, speed: float = 0.0) -> Uncertain:
        """Loss torque [N·m] at an output torque and speed [rad/s]."""
        constant, slope = self.line or (self.constant, self.proportional)
        loss = constant + slope * torque
        return loss if self.viscous is None else loss + self.viscous * speed


@dataclass(frozen=True)
class TestResult:
    """Everything derived from a test. skipped: runs that could not be reduced, with the reason."""

    __test__ = False  # not a test case, for the collectors

    build: Build
    rig: Rig
    plan: Plan
    steps: tuple[Step, ...]
    line: SpeedLine | None
    stall: Stall
    losses: LossModel | None
    sound: int  # lifted steps that the loss model rests on; those behind lose more than it expects
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
    ordered = sorted(now.values(), key=lambda d: nominal(d.points[0].torque))
    scatters = [d.scatter for d in ordered]
    steps = tuple(
        _step(n, d, [s for s in scatters[max(0, n - 1) : n + 2] if s is not None])
        for n, d in enumerate(ordered)
    )
    line = _speed_line(steps)
    losses, sound = sound_losses([s for s in steps if s.lifted])
    return TestResult(
        build,
        rig,
        plan,
        steps=steps,
        line=line,
        stall=_held(steps) if rig.method.HELD else _stall(steps, line),
        losses=losses,
        sound=sound,
        findings=(),
        skipped=tuple(skipped),
    )


def output_orders(build: Build) -> dict[str, float]:
    """Turns of each shaft per turn of the output."""
    speeds = build.flow(1.0).speeds
    return {shaft: speeds[shaft] / speeds["output"] for shaft in build.shafts()}


def sound_losses(steps: Sequence[Step]) -> tuple[LossModel | None, int]:
    """The loss model, and how many steps it rests on: those before the first that loses notably
    more than the lighter ones let expect (beyond k = 2, and by `NOTABLE_EXCESS`)."""
    for n in range(3, len(steps)):
        # what the points themselves say; their bend would hide the next one's
        model = loss_model(steps[:n], widened=False)
        if model is not None and steps[n].motor_power is not None:
            expected = model.expected(nominal(steps[n].torque), nominal(steps[n].speed))
            excess = loss_torque(steps[n]) - expected
            if nominal(excess) > max(2 * std(excess), NOTABLE_EXCESS * abs(nominal(expected))):
                return loss_model(steps[:n]), n
    return loss_model(steps), len(steps)


def loss_torque(step: Step) -> Uncertain:
    """What the gearbox loses, as torque at the output [N·m]."""
    return (step.motor_power - step.power_out) / step.speed


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
            for s in result.lifted
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
            for variable, slope in getattr(v, "derivatives", {}).items():
                if (variable.tag or "").startswith((f"{WINDOW.id}:", f"{READ.id}:")):
                    told = own.setdefault(variable, np.zeros(len(COMBINED)))
                    told[k] = slope * variable.std_dev / mean * scale
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
    return Step(n, running, stalls, spread=drawn.spread, **values)


def _speed_line(steps: Sequence[Step]) -> SpeedLine | None:
    """Weighted least squares through the lifted steps, done on the values with uncertainty so that
    all of it carries.

    The speeds are those with the winding as warm as at the start of a lift: the line is not bent by
    its own heat.
    """
    lifted = [s for s in steps if s.lifted and s.cold_speed is not None]
    if len(lifted) < 3:
        return None
    xs = [s.torque if s.line_torque is None else s.line_torque for s in lifted]
    ys = [s.cold_speed for s in lifted]

    def fit(
        y: Sequence[Uncertain], x: Sequence[Uncertain], extra: float
    ) -> tuple[Uncertain, Uncertain]:
        weights = np.array(
            [1.0 / (max(std(v), 1e-4 * abs(nominal(v))) ** 2 + extra**2) for v in ys]
        )
        weights = weights / weights.sum()
        xm = sum(w * v for w, v in zip(weights, x, strict=True))
        ym = sum(w * v for w, v in zip(weights, y, strict=True))
        slope = sum(w * (v - xm) * (u - ym) for w, v, u in zip(weights, x, y, strict=True)) / sum(
            w * (v - xm) ** 2 for w, v in zip(weights, x, strict=True)
        )
        return ym - slope * xm, slope

    plain_x, plain_y = [nominal(x) for x in xs], [nominal(y) for y in ys]
    a, b = fit(plain_y, plain_x, 0.0)
    misfit = math.sqrt(
        sum((y - a - b * x) ** 2 for x, y in zip(plain_x, plain_y, strict=True)) / (len(lifted) - 2)
    )
    own = math.sqrt(float(np.mean([std(y) ** 2 for y in ys])))
    extra = 0.0
    if (
        misfit > own
        # the points do not lie on a line within their own doubt: weigh them more equally, and say
        # so in
        # the band
    ):
        extra = math.sqrt(misfit**2 - own**2)
        a, b = fit(plain_y, plain_x, extra)
        extra = math.sqrt(
            sum((y - a - b * x) ** 2 for x, y in zip(plain_x, plain_y, strict=True))
            / (len(lifted) - 2)
        )
    few = t_widening(len(lifted) - 2)  # so many degrees of freedom tell how bent it is
    noisy = [y + ufloat(0.0, extra * few, _BENT) for y in ys] if extra else ys
    a, b = fit(noisy, xs, extra)
    return SpeedLine(a, b, -a / b if nominal(b) < 0 else None)


def _held(steps: Sequence[Step]) -> Stall:
    """The mean over the pushes, with what they scatter beyond their own readings."""
    pushes = [p for s in steps for p in s.stalls if not p.run.broke]
    torques = [p.torque for p in pushes]
    if not torques:
        return Stall()
    mean, n = mean_of(torques), len(torques)
    if n < 2:
        return Stall(held=mean)
    # that it warms from push to push is known, and no scatter
    s2 = float(np.var([nominal(p.torque) / p.weakened for p in pushes], ddof=1))
    own = sum(random_part(t) ** 2 for t in torques) / n
    u = math.sqrt(max(s2 - own, 0.0) / n) * t_widening(n - 1)
    return Stall(held=mean + ufloat(0.0, u, REPEATS) if u else mean)


def _stall(steps: Sequence[Step], line: SpeedLine | None) -> Stall:
    lifted = [s.torque for s in steps if s.lifted and not s.stalls]
    stalled = [
        s.torque for s in steps if any(not p.run.broke for p in s.stalls)
    ]  # what broke says nothing of the motor
    most = max(lifted, key=nominal) if lifted else None
    least = min(stalled, key=nominal) if stalled else None
    if most is not None and least is not None and nominal(least) <= nominal(most):
        least = None
    return Stall(most if least is not None else None, least, line.intercept if line else None)


def loss_model(steps: Sequence[Step], *, widened: bool = True) -> LossModel | None:
    """Least squares of the loss torque over the output torque; needs three steps with gearbox
    losses. widened: with what the points leave the line by beyond their own scatter.
    """
    known = [
        s
        for s in steps
        if s.motor_power is not None and s.speed is not None and nominal(s.speed) > 0
    ]
    if len(known) < 3:
        return None
    x = np.array([nominal(s.torque) for s in known])
    y = [loss_torque(s) for s in known]
    speeds = np.array([nominal(s.speed) for s in known])
    design = np.column_stack([np.ones_like(x), x])
    follows = np.linalg.lstsq(design, speeds, rcond=None)[0]  # the speed over the torque
    free = float(np.std(speeds - design @ follows)) / float(speeds.mean())
    told = len(known) > 3 and free > _FREE
    if told:
        design = np.column_stack([design, speeds])
    through = np.linalg.pinv(design)

    def fitted(ys: Sequence[Uncertain]) -> list[Uncertain]:
        return [
            sum(share * v for share, v in zip(row, ys, strict=True)) for row in through.tolist()
        ]

    found = fitted(y)
    left = np.array([nominal(v) for v in y]) - design @ [nominal(v) for v in found]
    # where the points' own scatter does not explain how they leave the line: more doubt for each
    u = unexplained(left, [random_part(v) ** 2 for v in y], len(y) - design.shape[1])
    if widened and u > 0:
        found = fitted([v + ufloat(0.0, u, _BENT_LOSS) for v in y])
    if not told and widened and follows[0] > 0:
        # any part of T_c may be c ω, up to all of it; ℓ follows by the speed line's fall
        part = ufloat(0.0, abs(nominal(found[0])) / 2, _VISCOUS)
        falls = float(follows[1] / follows[0])
        return LossModel(found[0] - part, found[1] - part * falls, line=(found[0], found[1]))
    return LossModel(*found)
