"""What is known of motors and trains, as draws: how likely a drive does a duty follows from all its
figures together.
"""

from __future__ import annotations

import math
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO, MAGNETS
from sparring.core.outlook.drive import Drive
from sparring.core.outlook.foresee import STRENGTH
from sparring.core.performance.continuous import limits_of
from sparring.core.quantity import Measured
from sparring.core.reduce.inputs import heat_doubt
from sparring.core.reduce.warmth import bodies_of
from sparring.core.wear.result import Wear

DRAWS = 400
"""Random ones of each figure, behind the first, which is the figure itself."""
_BACK = 0.3
"""Standard uncertainty of the torque at which a train turns back, as a part of it: that of its
drags (common practice)."""


class Limit(NamedTuple):
    """A part and the torques at the output at which it fails, shape (d,)."""

    part: str
    output: np.ndarray


class Thins(NamedTuple):
    """A flank, and of which gear: depth for one turn of the output and N·m at it [m/(N·m)], and
    depth that is left [m], shape (d,); allowed: depth that a new one has [m].
    """

    flank: str
    gear: str
    depth: np.ndarray
    left: np.ndarray
    allowed: float


@dataclass(frozen=True)
class KnownMotor:
    """k [V·s/rad], R [Ω], friction [N·m], brush [V], between [A/V]: shape (d,); bodies: `Bodies`,
    shape (4, d); winding: of the readings [K]; zero: copper's [K above it]; magnet: part of k lost
    with a kelvin; hottest: winding, stands: magnets, at most [K].
    """

    name: str
    k: np.ndarray
    R: np.ndarray
    friction: np.ndarray
    brush: np.ndarray
    between: np.ndarray
    inertia: float
    bodies: np.ndarray
    winding: float
    zero: float
    magnet: float
    hottest: float
    stands: float
    mass: float


@dataclass(frozen=True)
class KnownTrain:
    """Torque at its input a T + b of a torque T at the output [N·m], shape (d,); back: torque at
    the output that it holds by itself, unpowered, with a motor that does nothing [N·m] and what a
    N·m of motor friction adds [-], None: it locks; thins, life: of what was inspected and run to
    failure; mass: without the motor, 0: not known.
    """

    name: str
    ratio: float
    a: np.ndarray
    b: np.ndarray
    limits: tuple[Limit, ...]
    back: tuple[np.ndarray, float] | None
    thins: tuple[Thins, ...]
    life: Life | None
    mass: float = 0.0


class Life(NamedTuple):
    """Turns of the output to failure, shape (d,), at a torque [N·m]; None: nobody says at which.
    scale: of Weibull's line, shape (d,), as far as it is known; shape: of it.
    """

    turns: np.ndarray
    load: float | None
    scale: np.ndarray
    shape: float


@dataclass(frozen=True)
class Candidate:
    """A motor on a train. measured: both were, together; misfit: standard uncertainty of speed and
    current beyond the figures', as parts; mass [kg], price: of all of it, 0: not known.
    """

    name: str
    motor: KnownMotor
    train: KnownTrain
    measured: bool
    misfit: tuple[float, float] = (0.0, 0.0)
    build: Build | None = field(default=None, compare=False)
    mass: float = 0.0
    price: float = 0.0

    @property
    def ratio(self) -> float:
        return self.train.ratio


def draws(drive: Drive, name: str, count: int = DRAWS) -> tuple[np.ndarray, np.ndarray]:
    """(figures of the drive, loss factors of single runs), shape (1 + count, p) and (1 + count,);
    the first as they are known. The name seeds them.
    """
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    mean, covariance = drive.mean, drive.covariance
    size, direction = np.linalg.eigh(covariance)
    root = direction * np.sqrt(np.maximum(size, 0.0))
    z = np.vstack([np.zeros(len(mean)), _halves(rng, count, len(mean))])
    values = np.array([p.value for p in drive.prior]) + np.array([p.u for p in drive.prior]) * (
        mean + z @ root.T
    )
    losses = 1 + drive.scatter * np.concatenate([[0.0], _halves(rng, count, 1)[:, 0]])
    return values, losses


def _halves(rng: np.random.Generator, count: int, p: int) -> np.ndarray:
    """Standard normal draws, each with its opposite, so that their mean is none."""
    half = rng.standard_normal(((count + 1) // 2, p))
    return np.vstack([half, -half])[:count]


def motor_of(drive: Drive, name: str, figures: np.ndarray) -> KnownMotor:
    """All motors of a drive as one line. figures: shape (d, p), as `draws`. Raises ValueError for a
    drive without a motor.
    """
    build = drive.build
    if not build.has_motor:
        raise ValueError(f"{build.name} is turned by {build.driven_by}; a duty needs a motor")
    own = [(build.motor, 1.0), *((f.readings, f.gearing) for f in build.further_motors)]
    lines = []
    for n, (r, gearing) in enumerate(own):
        volts, speed, free, stall, brush = figures[:, 5 * n : 5 * n + 5].T
        R = (volts - brush) / stall
        k = (volts - brush - free * R) / speed
        lines.append((motors.Motor(k, R, k * free, r.winding_temperature, brush=brush), gearing))
    line = motors.together(lines)
    ones = np.ones(len(figures))
    readings, limits = build.motor, limits_of(build)
    assert limits.magnets is not None
    rng = np.random.default_rng(zlib.crc32(f"warmth of {name}".encode()))
    z = np.column_stack([np.zeros(4), _halves(rng, len(figures) - 1, 4).T])
    bodies = np.array(bodies_of(build))[:, np.newaxis] * np.exp(heat_doubt(readings) * z)
    return KnownMotor(
        name,
        line.k * ones,
        line.R * ones,
        line.friction * ones,
        line.brush * ones,
        line.between * ones,
        build.rotor_inertia(),
        bodies,
        readings.winding_temperature,
        COPPER_ZERO + readings.winding_temperature - 273.15,
        MAGNETS[readings.magnets].value,
        limits.winding,
        limits.magnets,
        sum(r.mass for r, _ in own),
    )


def train_of(
    drive: Drive,
    name: str,
    figures: np.ndarray,
    losses: np.ndarray,
    *,
    wear: Wear | None = None,
    held: Measured | None = None,
    mass: float = 0.0,
) -> KnownTrain:
    """The train of a drive. held: torque at the output that was seen to be held without power, up
    to which it does not turn back.
    """
    build = drive.build
    many = 5 * (1 + len(build.further_motors)) if build.has_motor else 0
    entered = np.array(build.loss_figures())
    (a0, b0), slopes = drive.line
    away = figures[:, many : many + len(entered)] - entered
    ideal = 1 / abs(build.ratio())
    a = ideal + (a0 + away @ slopes[:, 0] - ideal) * losses
    b = (b0 + away @ slopes[:, 1]) * figures[:, -1] * losses
    rng = np.random.default_rng(zlib.crc32(f"strength of {name}".encode()))
    count = len(figures) - 1

    def spread(part: float) -> np.ndarray:
        return 1 + part * np.concatenate([[0.0], _halves(rng, count, 1)[:, 0]])

    limits = tuple(
        Limit(x.name, x.output * np.maximum(spread(STRENGTH), 0.05)) for x in build.limits[:6]
    )
    return KnownTrain(
        name,
        abs(build.ratio()),
        np.maximum(a, ideal),  # no train gives more than its ratio
        np.maximum(b, 0.0),
        limits,
        _back(build, spread(_BACK), held, spread),
        _thins(wear, spread),
        _life(build, rng, count),
        mass,
    )


def _back(
    build: Build, drags: np.ndarray, held: Measured | None, spread: object
) -> tuple[np.ndarray, float] | None:
    if held is not None and held.value > 0:
        return np.full_like(drags, held.value), 0.0
    line = build.back_drive_line()
    if line is None:
        return None
    slope, drag = line
    return drag / slope * np.maximum(drags, 0.0), 1 / slope


def _thins(wear: Wear | None, spread: object) -> tuple[Thins, ...]:
    if wear is None or wear.torque <= 0:
        return ()
    found = []
    for f in wear.flanks:
        each = f.per_turn
        part = (each.high - each.low) / 4 / each.value if each.value > 0 else 0.0
        factor = np.maximum(spread(min(part, 0.5)), 0.05)  # type: ignore[operator]
        left = max(f.allowed - f.thinning.value, 0.0)
        depth = each.value / wear.torque * factor
        remains = np.full_like(depth, left)
        found.append(Thins(f.flank.id, f.flank.body, depth, remains, f.allowed))
    return tuple(found)


def _life(build: Build, rng: np.random.Generator, count: int) -> Life | None:
    """Turns to failure of one drive, by Weibull's line through the lives of specimens that ran at
    one load, with the doubt of its scale.
    """
    from sparring.core.lives.weibull import fit

    failed = [x.ended == "failed" for x in build.lives]
    if sum(failed) < 2 or len({x.load for x in build.lives}) > 1:
        return None
    try:
        found = fit([x.turns for x in build.lives], failed)
    except ValueError:
        return None
    scale = found.scale
    doubt = min(math.log(scale.high / scale.low) / 4, 1.0) if scale.low > 0 else 1.0
    z = np.concatenate([[0.0], rng.standard_normal(count)])
    u = np.concatenate([[0.5], rng.uniform(1e-6, 1 - 1e-6, count)])
    drawn = scale.value * np.exp(doubt * z)
    turns = drawn * (-np.log(u)) ** (1 / found.shape.value)
    return Life(turns, build.lives[0].load, drawn, found.shape.value)


def known_drive(
    drive: Drive,
    *,
    measured: bool,
    misfit: tuple[float, float] = (0.0, 0.0),
    wear: Wear | None = None,
    held: Measured | None = None,
    mass: float = 0.0,
    price: float = 0.0,
    count: int = DRAWS,
) -> Candidate:
    """A build as it is, its figures drawn together. Raises ValueError for one without a motor."""
    build = drive.build
    figures, losses = draws(drive, build.name, count)
    motor = motor_of(drive, build.motor.name, figures)
    # without the motor's own mass nobody knows what the train alone weighs
    alone = max(mass - motor.mass, 0.0) if motor.mass > 0 else 0.0
    train = train_of(drive, build.name, figures, losses, wear=wear, held=held, mass=alone)
    return Candidate(build.name, motor, train, measured, misfit, build, mass, price)


def combined(motors_: Sequence[KnownMotor], trains: Sequence[KnownTrain]) -> list[Candidate]:
    """Every motor on every train."""
    return [
        Candidate(
            f"{m.name} on {t.name}",
            m,
            t,
            measured=False,
            mass=m.mass + t.mass if m.mass > 0 and t.mass > 0 else 0.0,
        )
        for m in motors_
        for t in trains
    ]
