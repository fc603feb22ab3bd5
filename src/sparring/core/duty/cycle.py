"""One cycle of a duty in its steady state: speeds and currents that follow from the warmth, and the
warmth from the currents; all candidates at once.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from sparring.core.duty.figures import Candidate
from sparring.core.duty.record import Duty
from sparring.core.duty.segment import Segment
from sparring.core.duty.thermal import Cycle, rises

_ROUNDS = 24  # of currents by warmth and warmth by currents
_STILL = 0.02  # [K]
LEAST = 1e-12
"""What is divided by where it might be nothing."""


class Stack(NamedTuple):
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
    bodies: np.ndarray  # (4, c, d)
    reference: np.ndarray
    zero: np.ndarray
    magnet: np.ndarray
    hottest: np.ndarray
    stands: np.ndarray
    misfit: np.ndarray  # (2, c, d)

    def rows(self, some: np.ndarray) -> Stack:
        """Some of the candidates."""
        return Stack(*(x[..., some, :] for x in self))


class Driven(NamedTuple):
    """One segment of all: speed, time, current (the most), copper: mean of I² [A²], energy, stalls
    (torque that it stands at; of what stands once it is warm the segment's own), stands: whether it
    does, or never reaches the speed it is spun up to; each (c, d).
    """

    speed: np.ndarray
    time: np.ndarray
    current: np.ndarray
    squared: np.ndarray
    energy: np.ndarray
    stalls: np.ndarray
    stands: np.ndarray


class Shared(NamedTuple):
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


def shared(candidates: Sequence[Candidate], what: str) -> Shared:
    place: dict[int, int] = {}
    different: list[Any] = []
    which: list[int] = []
    for c in candidates:
        x = getattr(c, what)
        if id(x) not in place:
            place[id(x)] = len(different)
            different.append(x)
        which.append(place[id(x)])
    return Shared(different, np.array(which))


def stacked(candidates: Sequence[Candidate], some: slice) -> Stack:
    motors, trains = shared(candidates, "motor"), shared(candidates, "train")
    k = motors.of("k", some)
    z = np.zeros(k.shape[1])
    if len(z) > 1:
        z[1:] = np.random.default_rng(7).standard_normal(len(z) - 1)
    by = np.array([c.misfit for c in candidates]).T[:, :, np.newaxis]
    misfit = 1 + by * np.array([z, np.roll(z, 1) * (z != 0)])[:, np.newaxis, :]
    bodies = np.array([m.bodies[:, some] for m in motors.different])[motors.which]
    return Stack(
        k,
        motors.of("R", some),
        motors.of("friction", some),
        motors.of("brush", some),
        motors.of("between", some),
        trains.of("a", some),
        trains.of("b", some),
        trains.one("ratio"),
        motors.one("inertia"),
        bodies.transpose(1, 0, 2),
        motors.one("winding"),
        motors.one("zero"),
        motors.one("magnet"),
        motors.one("hottest"),
        motors.one("stands"),
        misfit,
    )


def warm(stack: Stack, duty: Duty) -> tuple[Cycle, list[Driven]]:
    """The steady cycle: currents that follow from the warmth, and the warmth from the currents.

    From the coldest that is around it, it only gets warmer from round to round: what stands once
    has no steady cycle in which it turns, and stands from then on, though it may be cooler for it.
    """
    away, todo = duty.room - stack.reference, duty.todo
    coldest = min([duty.room, *(duty.around(s) for s in todo)])
    winding = np.zeros((len(todo), *stack.k.shape)) + coldest - stack.reference
    case, stands = winding.copy(), np.zeros(winding.shape, bool)
    cycle: Cycle | None = None
    runs: list[Driven] = []
    moving = np.arange(len(stack.k))
    for _ in range(_ROUNDS):
        some, room = stack.rows(moving), away[moving]
        now = [
            _segment(some, duty, s, winding[n, moving], case[n, moving], stands[n, moving])
            for n, s in enumerate(todo)
        ]
        found = rises(
            some.bodies,
            some.R,
            some.zero + room,
            room,
            [
                (r.squared, r.time, duty.around(s) - duty.room)
                for r, s in zip(now, todo, strict=True)
            ],
            duty.period,
        )
        if cycle is None:
            cycle, runs = found, now
        for whole, part in zip([cycle, *runs], [found, *now], strict=True):
            _put(whole, part, moving)
        stand = stands[:, moving] | [r.stands for r in now]
        still = (np.abs(found.winding + room - winding[:, moving]) < _STILL) & (
            stand == stands[:, moving]
        )
        winding[:, moving], case[:, moving] = found.winding + room, found.case + room
        stands[:, moving] = stand
        moving = moving[~still.all(axis=(0, 2))]
        if not len(moving):
            break
    assert cycle is not None
    return cycle._replace(peak=cycle.peak + away, warmest=cycle.warmest + away), runs


def _put(whole: tuple[np.ndarray, ...], part: tuple[np.ndarray, ...], rows: np.ndarray) -> None:
    """Some candidates' figures in place of those before, arrays of shape (…, c, d)."""
    for x, y in zip(whole, part, strict=True):
        x[..., rows, :] = y


def _segment(
    c: Stack, duty: Duty, s: Segment, winding: np.ndarray, case: np.ndarray, stood: np.ndarray
) -> Driven:
    """winding, case: above the temperature of the motor's readings [K], on the mean; stood: where
    it stood in a cooler cycle.
    """
    zero = np.zeros(c.k.shape)
    if s.kind in ("hold", "rest"):
        return Driven(zero, zero + s.time, zero, zero, zero, zero, zero > 0)
    R = c.R * (1 + winding / c.zero) + duty.source
    k = c.k * np.maximum(1 - c.magnet * case, 0.2)
    free = duty.voltage - c.brush
    idle = c.friction / k + c.between * free
    stalled = (k * (free / R - c.between * free) - c.friction - c.b) / c.a
    current = (c.a * s.torque + c.b) / k + idle
    if s.kind == "spin up":
        return _spin_up(c, duty, s, k, R, current, stalled, stood)
    speed = (free - current * R) / k / c.ratio * c.misfit[0]
    stands = stood | (speed <= 0) | (stalled <= s.torque)
    speed = np.where(stands, 0.0, speed)
    current = np.where(stands, free / R, current) * c.misfit[1]
    way = s.speed * s.time
    if duty.control == "held to the speed":
        slow = speed < s.speed
        time = np.where(slow & ~stands, way / np.maximum(speed, LEAST), s.time)
        held = np.minimum(speed, s.speed)
        volts = c.brush + current * R + k * held * c.ratio
        power = np.where(stands, duty.voltage, np.minimum(volts, duty.voltage)) * current
    else:
        time = np.where(stands, s.time, way / np.maximum(speed, LEAST))
        power = duty.voltage * current
    time = np.minimum(time, duty.period)
    stalled = np.where(stands, np.minimum(stalled, s.torque), stalled)
    return Driven(speed, time, current, current**2, power * time, np.maximum(stalled, 0.0), stands)


def _spin_up(
    c: Stack,
    duty: Duty,
    s: Segment,
    k: np.ndarray,
    R: np.ndarray,
    steady: np.ndarray,
    stalled: np.ndarray,
    stood: np.ndarray,
) -> Driven:
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
    push = np.maximum(k * (most - steady), LEAST)
    first = J * even / push
    tau = J * R / k**2
    begin, end = np.maximum(top - even, LEAST), top - target
    reaches = (end > 0) & (most > steady) & (top > 0) & ~stood
    ratio = np.where(reaches, np.maximum(end, LEAST) / begin, math.e**-3)
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
    return Driven(
        np.where(reaches, s.speed, 0.0),
        time,
        most,
        heat / np.maximum(first + second, LEAST),
        energy,
        np.maximum(stalled, 0.0),
        ~reaches,
    )


def carried(s: Segment) -> float:
    """Torque at the output in a segment, with what speeds its inertia up evenly [N·m]."""
    if s.kind == "spin up" and s.inertia is not None:
        return s.torque + s.inertia * s.speed / s.time
    return s.torque


def weakest(trains: Shared, some: slice) -> tuple[np.ndarray, np.ndarray]:
    """(torque at the output that breaks the weakest part (c, d), which of its limits (c,))."""
    rows, parts = [], []
    for t in trains.different:
        each = np.array([x.output[some] for x in t.limits] or [np.full_like(t.a[some], math.inf)])
        rows.append(each.min(axis=0))
        parts.append(int(np.argmin(each[:, 0])))
    return np.array(rows)[trains.which], np.array(parts)[trains.which]


def holds(trains: Shared, stack: Stack, some: slice) -> np.ndarray:
    """Torque at the output that is held without power (c, d)."""
    none = [t.back is None for t in trains.different]
    alone = [
        np.zeros_like(t.a[some]) if t.back is None else t.back[0][some] for t in trains.different
    ]
    gain = [[0.0 if t.back is None else t.back[1]] for t in trains.different]
    found = np.array(alone)[trains.which] + np.array(gain)[trains.which] * stack.friction
    return np.where(np.array(none)[trains.which][:, np.newaxis], math.inf, found)
