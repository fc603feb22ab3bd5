"""Over the ratio, for one motor: how fast, how strong, how long, how much energy and heat; which
ratio is best for a duty, and how flat the best is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np

from sparring.core.duty.figures import Candidate, KnownMotor, KnownTrain
from sparring.core.duty.meets import OF_POWER, Met, least_of, meets
from sparring.core.duty.record import Duty
from sparring.core.duty.tasks import Vehicle
from sparring.core.quantity import G_N

Aim = Literal["margin", "time", "energy"]
AIMS: dict[Aim, str] = {
    "margin": "the largest margin",
    "time": "the least time",
    "energy": "the least energy",
}
_FLAT = 0.02
"""Part by which a ratio may be worse than the best and count as good as it."""
_POINTS = 81


def scaled(train: KnownTrain, ratio: float) -> KnownTrain:
    """A train of another ratio that loses the same part of what goes through it and the same drag
    at its input; what it holds and carries at the output is taken as it is.
    """
    return replace(train, ratio=ratio, a=train.a * train.ratio / ratio, name=f"{ratio:.3g}:1")


def plain(
    efficiency: float, drag: float, ratio: float, draws: int, *, u_efficiency: float = 0.03
) -> KnownTrain:
    """A train that nobody has built: efficiency without drag, drag at its input [N·m]; nothing
    breaks or holds in it.

    u_efficiency: standard uncertainty (common practice).
    """
    z = np.random.default_rng(11).standard_normal(draws)
    z[0] = 0.0
    found = np.clip(efficiency + u_efficiency * z, 0.02, 1.0)
    none = np.zeros(draws)
    return KnownTrain(
        f"{ratio:.3g}:1", ratio, 1 / (found * ratio), none + drag, (), (none, 0.0), (), None
    )


class OverRatio(NamedTuple):
    """Shape (n,): ratio; met: the duty at each; top_speed: of the output at the duty's lightest
    drive [rad/s]; stall: torque at the output, with the current that the supply gives [N·m]; of a
    vehicle, pull at the rim [N] and seconds to the distance from rest, NaN where it slips or does
    not move.
    """

    ratio: np.ndarray
    met: tuple[Met, ...]
    top_speed: np.ndarray
    stall: np.ndarray
    pull: np.ndarray
    to_distance: np.ndarray

    @property
    def margin(self) -> np.ndarray:
        """The least of speed and stall: strength and holding are the same at every ratio."""
        free = {"strength_margin": math.nan, "holding_margin": math.nan}
        return np.array([least_of([s._replace(**free) for s in m.segments]) for m in self.met])

    @property
    def energy(self) -> np.ndarray:
        """Of a cycle [J]."""
        return self._turning([m.energy for m in self.met])

    @property
    def time(self) -> np.ndarray:
        """Of what is driven in a cycle [s]."""
        return self._turning([sum(s.time for s in m.segments if s.current > 0) for m in self.met])

    @property
    def winding(self) -> np.ndarray:
        """The hottest in a cycle [K]."""
        return self._turning([m.winding for m in self.met])

    def _turning(self, of: Sequence[float]) -> np.ndarray:
        """NaN where it stalls: nobody would leave it so."""
        return np.where([m.figures["stalls"] for m in self.met], of, math.nan)


@dataclass(frozen=True)
class Best:
    """ratio: the best of those that meet the duty, where none does of those that drive it, else of
    all; low, high: between which a ratio is within 2 % of it; limit: of that ratio, by its id;
    grip: (needed, held) of a vehicle [N], None of anything else.
    """

    aim: Aim
    ratio: float
    low: float
    high: float
    meets: bool
    limit: str
    grip: tuple[float, float] | None


def over_ratio(
    motor: KnownMotor,
    train: KnownTrain,
    duty: Duty,
    ratios: Sequence[float] | np.ndarray | None = None,
    *,
    distance: float = 10.0,
) -> OverRatio:
    """train: whose losses hold at every ratio; ratios: None: from an eighth to eight times that of
    the train; distance: of a vehicle [m].
    """
    found = (
        np.geomspace(train.ratio / 8, train.ratio * 8, _POINTS)
        if ratios is None
        else np.asarray(ratios, float)
    )
    trains = [scaled(train, float(r)) for r in found]
    candidates = [Candidate(t.name, motor, t, measured=False) for t in trains]
    place = {id(c): n for n, c in enumerate(candidates)}
    ranked = meets(candidates, duty, most=len(candidates)).found
    met = tuple(sorted(ranked, key=lambda m: place[id(m.candidate)]))
    k, R, brush = (float(x[0]) for x in (motor.k, motor.R, motor.brush))
    friction = float(motor.friction[0])
    a = np.array([float(t.a[0]) for t in trains])
    b = float(train.b[0])
    R = R + duty.source
    current = (duty.voltage - brush) / R
    if duty.current is not None:
        current = min(current, duty.current)
    stall = np.maximum((k * current - friction - b) / a, 0.0)
    driven = [s for s in duty.todo if s.kind in ("drive", "spin up")]
    light = min((s.torque for s in driven), default=0.0)
    idle = (a * light + b + friction) / k
    top = np.maximum((duty.voltage - brush - idle * R) / k / found, 0.0)
    pull = np.full(len(found), math.nan)
    to = pull.copy()
    if isinstance(task := duty.task, Vehicle):
        radius = task.wheel / 2
        pull = stall / radius
        to = _to_distance(task, motor, found, a, b, duty, distance)
    return OverRatio(found, met, top, stall, pull, to)


def _to_distance(
    task: Vehicle,
    motor: KnownMotor,
    ratio: np.ndarray,
    a: np.ndarray,
    b: float,
    duty: Duty,
    distance: float,
) -> np.ndarray:
    """Seconds from rest over a distance on the flat, at full voltage: at the force at which the
    wheels slip or that the supply's current gives until the motor's line asks for less, then along
    it (v = v_∞ (1 − e^(−t/τ))). Air drag is taken at half of the top speed.
    """
    k, R, brush, friction = (float(x[0]) for x in (motor.k, motor.R, motor.brush, motor.friction))
    R = R + duty.source
    radius = task.wheel / 2
    resist = task.force(0.0, task.top_speed / 2)
    free = duty.voltage - brush
    # at the rim, by the speed v of the rim: F = strongest − slope v
    strongest = (k * free / R - friction - b) / a / radius
    slope = k * k * ratio / (R * a * radius**2)
    mass = task.mass + motor.inertia / (a / ratio) / radius**2 * np.ones(len(ratio))
    grip = task.friction * task.gripping * task.mass * G_N
    most = np.full(len(ratio), grip)
    if duty.current is not None:
        most = np.minimum(most, (k * duty.current - friction - b) / a / radius)
    most = np.minimum(most, strongest)
    push = most - resist
    moves = push > 0
    push = np.where(moves, push, 1.0)
    bend = np.maximum((strongest - most) / slope, 0.0)  # speed up to which it is held
    t1 = bend * mass / push
    x1 = bend * t1 / 2
    whole = x1 >= distance
    only = np.sqrt(2 * distance * mass / push)
    top = (strongest - resist) / slope
    tau = mass / slope
    left = np.maximum(distance - x1, 0.0)

    def gone(t: np.ndarray) -> np.ndarray:
        return np.asarray(top * t - (top - bend) * tau * (1 - np.exp(-t / tau)))

    low, high = (
        np.zeros(len(ratio)),
        left / np.maximum(np.minimum(bend, top), 1e-3) + 10 * tau + 1e4,
    )
    for _ in range(80):
        middle = (low + high) / 2
        short = gone(middle) < left
        low, high = np.where(short, middle, low), np.where(short, high, middle)
    found = np.where(whole, only, t1 + high)
    return np.where(moves & (top > 0) & (found < 1e4), found, math.nan)


def best(over: OverRatio, duty: Duty, aim: Aim = "margin") -> Best:
    """The best ratio, and how flat the best is."""
    worth = {
        "margin": over.margin,
        "time": -np.where(np.isnan(over.to_distance), over.time, over.to_distance),
        "energy": -over.energy,
    }[aim]
    does = np.array([m.meets for m in over.met])
    drives = np.array([all(m.figures[x] for x in OF_POWER) for m in over.met])
    among = does if does.any() else drives
    if not among.any():
        among, worth = np.ones(len(does), bool), over.margin
    rated = np.where(among & ~np.isnan(worth), worth, -math.inf)
    n = int(np.argmax(rated))
    near = np.abs(rated - rated[n]) <= _FLAT * abs(rated[n])
    first, last = n, n
    while first > 0 and near[first - 1]:
        first -= 1
    while last < len(near) - 1 and near[last + 1]:
        last += 1
    grip = duty.task.grip() if isinstance(duty.task, Vehicle) else None
    ratios = over.ratio
    return Best(
        aim,
        float(ratios[n]),
        float(ratios[first]),
        float(ratios[last]),
        bool(does.any()),
        over.met[n].limit,
        grip,
    )
