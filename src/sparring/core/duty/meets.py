"""Whether a drive does a duty, by how much, what it costs and what limits it: all candidates at
once, each with its figures as draws.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from sparring.core.duty.figures import Candidate
from sparring.core.duty.record import Duty, per_cycle
from sparring.core.duty.segment import Segment
from sparring.core.duty.thermal import Cycle, rises

_BEST = 100
"""Candidates that are looked at with all draws, after all were with their figures alone."""
_NOMINAL = slice(0, 1)
_ROUNDS = 6  # of currents by warmth and warmth by currents
_STILL = 0.02  # [K]
_LEAST = 1e-12
_LIFE_BESIDE = 1.1  # of the load that lives are of, up to which they are taken as they are

LIMITS = {
    "stalls": "stalls",
    "too-slow": "too slow",
    "current": "over the supply's current",
    "winding": "winding too hot",
    "breaks": "breaks",
    "turns-back": "turns back",
    "worn": "worn too early",
    "life": "fails too early",
}
"""What can keep a drive from a duty, by its id."""


class InSegment(NamedTuple):
    """A segment as the figures have it. speed of the output [rad/s]; its margin: over what is
    wanted; stall, strength, holding: torque that would stall it, break it, turn it back, over the
    segment's; current [A]; efficiency, NaN where nothing is driven; time [s]; energy [J]; reaches:
    chance that it does this.
    """

    speed: float
    speed_margin: float
    stall_margin: float
    strength_margin: float
    holding_margin: float
    current: float
    efficiency: float
    time: float
    energy: float
    reaches: float


@dataclass(frozen=True)
class Met:
    """A candidate at a duty. probability: that it meets it in every respect, NaN: not drawn;
    chances: of each limit, by its id, not being reached; figures: whether by its figures alone it
    is not;
    limit: the likeliest to be reached, "": none is; part: of it, in words; energy of a cycle [J];
    winding: hottest in the steady state [K], with its standard uncertainty; wears: cycles until a
    flank is worn, fails: until half of such drives have failed, NaN: not known.
    """

    candidate: Candidate
    probability: float
    chances: dict[str, float]
    figures: dict[str, bool]
    limit: str
    part: str
    segments: tuple[InSegment, ...]
    energy: float
    u_energy: float
    winding: float
    u_winding: float
    wears: float
    fails: float

    @property
    def meets(self) -> bool:
        """Whether its figures alone do."""
        return all(self.figures.values())


class _Stack(NamedTuple):
    """Candidates as arrays: shape (c, d), of what has one figure (c, 1)."""

    k: np.ndarray
    R: np.ndarray
    friction: np.ndarray
    brush: np.ndarray
    between: np.ndarray
    a: np.ndarray
    b: np.ndarray
    ratio: np.ndarray
    inertia: np.ndarray
    bodies: np.ndarray  # (4, c, 1)
    reference: np.ndarray
    zero: np.ndarray
    magnet: np.ndarray
    hottest: np.ndarray
    misfit: np.ndarray  # (2, c, d)


class _Run(NamedTuple):
    """One segment of all: speed, time, current (the most), copper: mean of I² [A²], energy, stalls
    (torque that it stands at), each (c, d).
    """

    speed: np.ndarray
    time: np.ndarray
    current: np.ndarray
    squared: np.ndarray
    energy: np.ndarray
    stalls: np.ndarray


class Ranking(NamedTuple):
    """found: the best first, by probability, then by the least margin, then by energy; looked_at:
    how many candidates there were, of which those behind the best hundred by their figures alone
    are not among them, unless they were measured.
    """

    found: tuple[Met, ...]
    looked_at: int


def meets(candidates: Sequence[Candidate], duty: Duty, *, most: int = _BEST) -> Ranking:
    """All candidates at a duty. most: of which the chances are worked out."""
    if not candidates:
        return Ranking((), 0)
    chosen = list(range(len(candidates)))
    if len(candidates) > most:
        seen = _look(candidates, duty, _NOMINAL)
        failing = ~np.all([ok[:, 0] for ok in seen.fine.values()], axis=0)
        margin, energy = (
            np.minimum(seen.least, 10.0),
            np.sum([r.energy[:, 0] for r in seen.runs], axis=0),
        )
        best = np.lexsort((energy, -margin, failing))[:most]
        measured = [n for n, c in enumerate(candidates) if c.measured]
        chosen = list(dict.fromkeys([*map(int, best), *measured]))
    some = [candidates[n] for n in chosen]
    seen = _look(some, duty, slice(None))
    found = [_met(seen, n, candidate) for n, candidate in enumerate(some)]
    return Ranking(tuple(sorted(found, key=_rank)), len(candidates))


def _rank(m: Met) -> tuple[float, ...]:
    return (-m.probability, not m.meets, -min(least_margin(m), 10.0), m.energy)


def least_margin(m: Met) -> float:
    """The least of the margins of its segments; where it stalls, that of the torque."""
    found = [
        x
        for s in m.segments
        for x in (s.speed_margin or math.nan, s.stall_margin, s.strength_margin, s.holding_margin)
        if not math.isnan(x)
    ]
    return min(found, default=math.inf)


@dataclass
class _Seen:
    """What a look at all candidates found: fine: by limit, whether it is not reached, (c, d); each:
    the same by segment, of all its limits; held, strength: margins (s, c, d); weakest: which limit
    of strength (c,); hot: winding [K]; wears, fails [cycles] (c, d); flank: which wears first.
    """

    duty: Duty
    runs: list[_Run]
    fine: dict[str, np.ndarray]
    each: list[np.ndarray]
    held: np.ndarray
    strength: np.ndarray
    weakest: np.ndarray
    hot: np.ndarray
    wears: np.ndarray
    fails: np.ndarray
    flank: list[str]

    @property
    def least(self) -> np.ndarray:
        """The least margin of each by its figures alone, shape (c,)."""
        rows = [*self.held[:, :, 0], *self.strength[:, :, 0]]
        for s, r in zip(self.duty.todo, self.runs, strict=True):
            if s.kind == "drive":
                rows.append(np.where(r.speed[:, 0] > 0, r.speed[:, 0] / s.speed, math.inf))
                rows.append(r.stalls[:, 0] / max(s.torque, _LEAST))
            elif s.kind == "spin up":
                rows.append(s.time / np.maximum(r.time[:, 0], _LEAST))
        return np.asarray(np.nanmin(np.nan_to_num(np.array(rows), nan=math.inf), axis=0))


def _look(candidates: Sequence[Candidate], duty: Duty, some: slice) -> _Seen:
    stack = _stacked(candidates, some)
    todo, shape = duty.todo, stack.k.shape
    cycle, runs = _warm(stack, duty)
    wears, fails, flank = _lasts(candidates, duty, some)
    trains = _each(candidates, "train")
    outputs, weakest = _weakest(trains, some)
    holds = _holds(trains, stack, some)
    seen = _Seen(
        duty,
        runs,
        {name: np.ones(shape, bool) for name in LIMITS},
        [np.ones(shape, bool) for _ in todo],
        np.full((len(todo), *shape), math.nan),
        np.full((len(todo), *shape), math.nan),
        weakest,
        stack.reference + cycle.peak,
        wears,
        fails,
        flank,
    )
    for n, (s, run) in enumerate(zip(todo, runs, strict=True)):
        if s.kind in ("drive", "spin up"):
            _driven(seen, n, s, run)
        if s.kind != "rest":
            seen.strength[n] = outputs / max(_carried(s), _LEAST)
            _note(seen, n, "breaks", seen.strength[n] >= 1)
        if s.kind == "hold" or (duty.holds and s.kind == "drive" and s.torque > 0):
            seen.held[n] = holds / max(s.torque, _LEAST)
            _note(seen, n, "turns-back", seen.held[n] >= 1)
    hottest = stack.hottest if duty.winding is None else np.full_like(stack.hottest, duty.winding)
    seen.fine["winding"] = seen.hot <= hottest
    if duty.cycles is not None:
        # what nobody knows is not held against it
        seen.fine["worn"] = ~(wears < duty.cycles)
        seen.fine["life"] = ~(fails < duty.cycles)
    return seen


def _driven(seen: _Seen, n: int, s: Segment, run: _Run) -> None:
    turns = run.speed > 0
    fast = run.speed >= s.speed * (1 - 1e-9) if s.kind == "drive" else run.time <= s.time
    _note(seen, n, "stalls", turns)
    _note(seen, n, "too-slow", fast | ~turns)
    if seen.duty.current is not None:
        _note(seen, n, "current", run.current <= seen.duty.current * (1 + 1e-9))


def _note(seen: _Seen, n: int, limit: str, fine: np.ndarray) -> None:
    seen.fine[limit] &= fine
    seen.each[n] &= fine


def _met(seen: _Seen, n: int, candidate: Candidate) -> Met:
    """One candidate's part of it."""
    drawn = seen.hot.shape[1] > 1
    rows = {name: ok[n, 1:] if drawn else ok[n, :1] for name, ok in seen.fine.items()}
    chances = {name: float(ok.mean()) for name, ok in rows.items()}
    figures = {name: bool(ok[n, 0]) for name, ok in seen.fine.items()}
    failing = [name for name, ok in figures.items() if not ok]
    limit = min(failing or chances, key=lambda name: chances[name])
    if chances[limit] == 1:
        limit = ""
    energy = np.sum([r.energy[n] for r in seen.runs], axis=0)
    return Met(
        candidate,
        float(np.all([*rows.values()], axis=0).mean()) if drawn else math.nan,
        chances,
        figures,
        limit,
        _part(seen, n, candidate, limit),
        tuple(_in_segment(seen, j, n) for j in range(len(seen.runs))),
        float(energy[0]),
        _spread(energy),
        float(seen.hot[n, 0]),
        _spread(seen.hot[n]),
        float(seen.wears[n, 0]),
        float(seen.fails[n, 0]),
    )


def _spread(x: np.ndarray) -> float:
    """Standard uncertainty by draws, of which a few that nearly stall say nothing."""
    return float(np.ptp(np.quantile(x[1:], [0.159, 0.841]))) / 2 if len(x) > 1 else 0.0


def _part(seen: _Seen, n: int, candidate: Candidate, limit: str) -> str:
    """What of the drive, or of the duty, a limit is reached at first."""
    todo = seen.duty.todo
    if limit == "breaks":
        return candidate.train.limits[int(seen.weakest[n])].part
    if limit == "worn":
        return seen.flank[n]
    if limit in ("stalls", "too-slow"):
        margins = [_margin(s, r, n) for s, r in zip(todo, seen.runs, strict=True)]
    elif limit == "turns-back":
        margins = [float(x) for x in seen.held[:, n, 0]]
    elif limit == "current":
        margins = [-float(r.current[n, 0]) for r in seen.runs]
    else:
        return ""
    at = int(np.nanargmin(margins))
    return todo[at].note or f"segment {at + 1}"


def _margin(s: Segment, run: _Run, n: int) -> float:
    if s.kind == "drive":
        return float(run.speed[n, 0] / s.speed)
    if s.kind == "spin up":
        return float(s.time / max(float(run.time[n, 0]), _LEAST))
    return math.nan


def _in_segment(seen: _Seen, j: int, n: int) -> InSegment:
    s, r = seen.duty.todo[j], seen.runs[j]
    driven = s.kind in ("drive", "spin up")
    energy = float(r.energy[n, 0])
    turns = bool(r.speed[n, 0] > 0)
    work = s.torque * s.speed * s.time if s.kind == "drive" and turns else math.nan
    ok = seen.each[j][n]
    return InSegment(
        float(r.speed[n, 0]) if driven else 0.0,
        _margin(s, r, n),
        float(r.stalls[n, 0] / s.torque) if driven and s.torque > 0 else math.nan,
        float(seen.strength[j, n, 0]),
        float(seen.held[j, n, 0]),
        float(r.current[n, 0]) if driven else 0.0,
        work / energy if energy > 0 else math.nan,
        float(r.time[n, 0]) if driven else s.time,
        energy,
        float(ok[1:].mean() if len(ok) > 1 else ok[0]),
    )


class _Each(NamedTuple):
    """What several candidates share: the different ones, and which of them each candidate has."""

    different: list[Any]
    which: np.ndarray

    def of(self, name: str, some: slice) -> np.ndarray:
        """A figure of all candidates, (c, d)."""
        found = np.array([getattr(x, name)[some] for x in self.different])
        return np.asarray(found[self.which])

    def one(self, name: str) -> np.ndarray:
        """One that has no draws, (c, 1)."""
        found = np.array([[getattr(x, name)] for x in self.different], float)
        return np.asarray(found[self.which])


def _each(candidates: Sequence[Candidate], what: str) -> _Each:
    place: dict[int, int] = {}
    different: list[Any] = []
    which: list[int] = []
    for c in candidates:
        x = getattr(c, what)
        if id(x) not in place:
            place[id(x)] = len(different)
            different.append(x)
        which.append(place[id(x)])
    return _Each(different, np.array(which))


def _stacked(candidates: Sequence[Candidate], some: slice) -> _Stack:
    motors, trains = _each(candidates, "motor"), _each(candidates, "train")
    k = motors.of("k", some)
    z = np.zeros(k.shape[1])
    if len(z) > 1:
        z[1:] = np.random.default_rng(7).standard_normal(len(z) - 1)
    by = np.array([c.misfit for c in candidates]).T[:, :, np.newaxis]
    misfit = 1 + by * np.array([z, np.roll(z, 1) * (z != 0)])[:, np.newaxis, :]
    bodies = np.array([m.bodies for m in motors.different], float)[motors.which]
    return _Stack(
        k,
        motors.of("R", some),
        motors.of("friction", some),
        motors.of("brush", some),
        motors.of("between", some),
        trains.of("a", some),
        trains.of("b", some),
        trains.one("ratio"),
        motors.one("inertia"),
        bodies.T[:, :, np.newaxis],
        motors.one("winding"),
        motors.one("zero"),
        motors.one("magnet"),
        motors.one("hottest"),
        misfit,
    )


def _warm(stack: _Stack, duty: Duty) -> tuple[Cycle, list[_Run]]:
    """The steady cycle: currents that follow from the warmth, and the warmth from the currents."""
    away = duty.room - stack.reference
    todo = duty.todo
    winding = np.zeros((len(todo), *stack.k.shape)) + away
    case = winding.copy()
    cycle, runs = None, []
    for _ in range(_ROUNDS):
        runs = [_segment(stack, duty, s, winding[n], case[n]) for n, s in enumerate(todo)]
        cycle = rises(
            stack.bodies,
            stack.R,
            stack.zero + away,
            away,
            [(r.squared, r.time) for r in runs],
            duty.period,
        )
        before, (winding, case) = winding, (cycle.winding + away, cycle.case + away)
        if float(np.abs(winding - before).max()) < _STILL:
            break
    assert cycle is not None
    return cycle._replace(peak=cycle.peak + away), runs


def _segment(c: _Stack, duty: Duty, s: Segment, winding: np.ndarray, case: np.ndarray) -> _Run:
    """winding, case: above the temperature of the motor's readings [K], on the mean."""
    zero = np.zeros(c.k.shape)
    if s.kind in ("hold", "rest"):
        return _Run(zero, zero + s.time, zero, zero, zero, zero)
    R = c.R * (1 + winding / c.zero) + duty.source
    k = c.k * np.maximum(1 - c.magnet * case, 0.2)
    free = duty.voltage - c.brush
    idle = c.friction / c.k * c.k / k + c.between * free
    stalled = (k * (free / R - c.between * free) - c.friction - c.b) / c.a
    current = (c.a * s.torque + c.b) / k + idle
    if s.kind == "spin up":
        return _spin_up(c, duty, s, k, R, current, stalled)
    speed = (free - current * R) / k / c.ratio * c.misfit[0]
    stands = (speed <= 0) | (stalled <= s.torque)
    speed = np.where(stands, 0.0, speed)
    current = np.where(stands, free / R, current) * c.misfit[1]
    way = s.speed * s.time
    if duty.control == "held to the speed":
        slow = speed < s.speed
        time = np.where(slow & ~stands, way / np.maximum(speed, _LEAST), s.time)
        held = np.minimum(speed, s.speed)
        volts = c.brush + current * R + k * held * c.ratio
        power = np.where(stands, duty.voltage, np.minimum(volts, duty.voltage)) * current
    else:
        time = np.where(stands, s.time, way / np.maximum(speed, _LEAST))
        power = duty.voltage * current
    time = np.minimum(time, duty.period)
    return _Run(speed, time, current, current**2, power * time, np.maximum(stalled, 0.0))


def _spin_up(
    c: _Stack,
    duty: Duty,
    s: Segment,
    k: np.ndarray,
    R: np.ndarray,
    steady: np.ndarray,
    stalled: np.ndarray,
) -> _Run:
    """At full voltage, or at the current that the supply gives until the speed takes over: ω = ω_∞
    (1 − e^(−t/τ)), τ = J R/k² (the inertia at the output as a J/i at the motor, its losses in a).
    """
    assert s.inertia is not None
    free = duty.voltage - c.brush
    J = c.inertia + c.a * s.inertia / c.ratio
    most = free / R if duty.current is None else np.minimum(free / R, duty.current)
    target = s.speed * c.ratio
    top = (free - steady * R) / k
    bends = np.clip((free - most * R) / k, 0.0, None)  # until there the current is held
    even = np.minimum(bends, target)
    push = np.maximum(k * (most - steady), _LEAST)
    first = J * even / push
    tau = J * R / k**2
    begin, end = np.maximum(top - even, _LEAST), top - target
    reaches = (end > 0) & (most > steady) & (top > 0)
    ratio = np.where(reaches, np.maximum(end, _LEAST) / begin, math.e**-3)
    second = np.where(even < target, -tau * np.log(np.minimum(ratio, 1.0)), 0.0)
    per = k / R
    swept, squared = tau * begin * (1 - ratio), tau * begin**2 * (1 - ratio**2) / 2
    second_charge = steady * second + per * swept
    second_heat = steady**2 * second + 2 * steady * per * swept + per**2 * squared
    second_charge, second_heat = (
        np.where(even < target, x, 0.0) for x in (second_charge, second_heat)
    )
    time = first + second
    heat = most**2 * first + second_heat
    # with its current held it takes from an ideal supply what it turns and loses, not V I
    held = (c.brush + most * R) * most * first + k * most * even / 2 * first
    energy = held + duty.voltage * second_charge
    time = np.where(reaches, time, s.time * 10)
    return _Run(
        np.where(reaches, s.speed, 0.0),
        time,
        most,
        heat / np.maximum(first + second, _LEAST),
        energy,
        np.maximum(stalled, 0.0),
    )


def _carried(s: Segment) -> float:
    """Torque at the output in a segment, with what speeds its inertia up evenly [N·m]."""
    if s.kind == "spin up" and s.inertia is not None:
        return s.torque + s.inertia * s.speed / s.time
    return s.torque


def _weakest(trains: _Each, some: slice) -> tuple[np.ndarray, np.ndarray]:
    """(torque at the output that breaks the weakest part (c, d), which of its limits (c,))."""
    rows, parts = [], []
    for t in trains.different:
        each = np.array([x.output[some] for x in t.limits] or [np.full_like(t.a[some], math.inf)])
        rows.append(each.min(axis=0))
        parts.append(int(np.argmin(each[:, 0])))
    return np.array(rows)[trains.which], np.array(parts)[trains.which]


def _holds(trains: _Each, stack: _Stack, some: slice) -> np.ndarray:
    """Torque at the output that is held without power (c, d)."""
    none = [t.back is None for t in trains.different]
    alone = [
        np.zeros_like(t.a[some]) if t.back is None else t.back[0][some] for t in trains.different
    ]
    gain = [[0.0 if t.back is None else t.back[1]] for t in trains.different]
    found = np.array(alone)[trains.which] + np.array(gain)[trains.which] * stack.friction
    return np.where(np.array(none)[trains.which][:, np.newaxis], math.inf, found)


def _lasts(
    candidates: Sequence[Candidate], duty: Duty, some: slice
) -> tuple[np.ndarray, np.ndarray, list[str]]:
    """(cycles until a flank is worn, until it fails, which flank), NaN where nobody knows."""
    turns, work = per_cycle(duty)
    most = max((s.torque for s in duty.todo if s.kind in ("drive", "spin up")), default=0.0)
    wears, fails, flanks = [], [], []
    for c in candidates:
        nothing = np.full_like(c.train.a[some], math.nan)
        cycles, flank = nothing, ""
        if c.train.thins and work > 0:
            each = np.array([f.left[some] / (f.depth[some] * work) for f in c.train.thins])
            cycles, flank = each.min(axis=0), c.train.thins[int(np.argmin(each[:, 0]))].flank
        life = c.train.life
        known = life is not None and (life.load is None or most <= _LIFE_BESIDE * life.load)
        wears.append(cycles)
        fails.append(life.turns[some] / turns if known and life and turns > 0 else nothing)
        flanks.append(flank)
    return np.array(wears), np.array(fails), flanks
