"""What a drive may carry for ever, for ten minutes, for one, by what its winding, magnets and teeth
stand.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO, MAGNETS
from sparring.core.outlook.drive import Load, State
from sparring.core.performance.heat import Heat
from sparring.core.performance.model import Performance
from sparring.core.reduce.warmth import Bodies
from sparring.core.train import materials

MAGNETS_STAND = {"ferrite": 423.15, "neodymium": 353.15, "not known": 353.15}
"""Temperature of a magnet [K]: ferrite 150 °C, common neodymium 80 °C (from memory)."""
SPANS = (math.inf, 600.0, 60.0)
"""Seconds that a load is carried from cold: S1, and S2 of ten minutes and one (IEC 60034-1)."""
CARRIED_FOR = (*(10.0, 20.0, 40.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0, 4 * 3600.0), math.inf)
"""Spans of a chart of what is carried for how long [s]."""
_TEETH_DOUBT = 0.15  # of the torque at which teeth soften, relative (standard; common practice)
_TEETH_AFTER = 60.0  # [s] in which teeth are as warm as they become
_ROOM = 3.0  # [K], standard, by which another room is warmer or colder
_RUNS_AWAY = 50.0  # exponent, beyond any temperature
_MOST_KELVIN = 500.0  # to which a motor's figures are reckoned


class Carries(NamedTuple):
    """seconds: from cold; torque at the output [N·m], standard uncertainty; limit: what ends it;
    current [A].
    """

    seconds: float
    torque: float
    u: float
    limit: str
    current: float


@dataclass(frozen=True)
class Limits:
    """What may become how warm [K]; room: what is around."""

    winding: float
    magnets: float | None = None  # None: by what they are
    room: float | None = None  # None: that of the motor's readings


def limits_of(build: Build) -> Limits:
    """As the build has them."""
    magnets = build.magnet_limit or MAGNETS_STAND[build.motor.magnets]
    return Limits(build.winding_limit, magnets)


class _Softening(NamedTuple):
    """Torque at which plastic teeth soften, infinite where none do, and which."""

    torque: float
    part: str


def carries(
    found: Performance, heat: Heat, limits: Limits | None = None, spans: tuple[float, ...] = SPANS
) -> list[Carries]:
    """What it carries from cold for each of some spans [s], at the main voltage. limits: None:
    those of the build.
    """
    limits, teeth = limits or limits_of(found.drive.build), _softening(found)
    return [_Carrier(found, limits, seconds, None, teeth).carried(heat) for seconds in spans]


def carries_in_cycles(
    found: Performance, heat: Heat, on: float, off: float, limits: Limits | None = None
) -> Carries:
    """What it carries for so many seconds on, and rests for so many, again and again (S3)."""
    limits = limits or limits_of(found.drive.build)
    return _Carrier(found, limits, on, off, _softening(found)).carried(heat)


def warmed(
    bodies: Bodies, heat: Any, zero: float, seconds: float, off: float | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """(winding, case) above the room [K] after so long with I²R of `heat` [W] in cold copper, shape
    (n,) or a number; seconds inf: for ever; off: seconds of rest between spans that follow one
    another for ever, at the end of a span. Infinite where the copper's own warming runs away.

    The two bodies' equations are linear, the copper's share of their own warmth included: exact by
    the eigenvalues of their 2 × 2 matrix, which are real.
    """
    heat = np.atleast_1d(np.asarray(heat, float))
    on = _Rates.of(bodies, heat / zero)
    gained = heat / bodies.copper
    if math.isinf(seconds):
        stable = (on.high < 0) & (on.low < 0)
        det = np.where(stable, on.a * on.d - on.b * on.c, 1.0)
        # −A⁻¹ (heat/C, 0)
        return _or_infinite(stable, -on.d * gained / det, on.c * gained / det)
    fits = on.high * seconds < _RUNS_AWAY
    on = on.where(fits)
    b0, b1 = on.integral(seconds)
    winding, case = (b0 + b1 * on.a) * gained, b1 * on.c * gained
    if off is None:
        return _or_infinite(fits, winding, case)
    rest = _Rates.of(bodies, np.zeros_like(heat))
    m = _product(on.exponential(seconds), rest.exponential(off))
    # warmest at the end of a span: x = M x + gained
    p, q, r, t = 1 - m[0], -m[1], -m[2], 1 - m[3]
    det = p * t - q * r
    fits &= (det > 0) & (p > 0)
    det = np.where(fits, det, 1.0)
    return _or_infinite(fits, (t * winding - q * case) / det, (p * case - r * winding) / det)


def _or_infinite(fits: np.ndarray, *values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    winding, case = (np.where(fits, v, math.inf) for v in values)
    return winding, case


class _Rates(NamedTuple):
    """A matrix [[a, b], [c, d]] of rates [1/s] for each heat, and its eigenvalues; shape (n,)."""

    a: np.ndarray
    b: np.ndarray
    c: np.ndarray
    d: np.ndarray
    high: np.ndarray
    low: np.ndarray

    @classmethod
    def of(cls, bodies: Bodies, own: np.ndarray) -> _Rates:
        """own: heat that a kelvin more of copper adds [W/K]."""
        one = np.ones_like(own)
        a = (own - 1 / bodies.inner) / bodies.copper
        b = one / bodies.inner / bodies.copper
        c = one / bodies.inner / bodies.iron
        d = -one * (1 / bodies.inner + 1 / bodies.outer) / bodies.iron
        middle, apart = (a + d) / 2, np.sqrt(((a - d) / 2) ** 2 + b * c)
        return cls(a, b, c, d, middle + apart, middle - apart)

    def where(self, fits: np.ndarray) -> _Rates:
        """With all rates 0 where they do not fit, and eigenvalues that are not one."""
        a, b, c, d, high = (np.where(fits, x, 0.0) for x in self[:5])
        return _Rates(a, b, c, d, high, np.where(fits, self.low, -1.0))

    def exponential(self, t: float) -> tuple[np.ndarray, ...]:
        """e^(A t), row by row: α₀ + α₁ A (Sylvester's formula)."""
        up, down = np.exp(self.high * t), np.exp(self.low * t)
        a1 = (up - down) / (self.high - self.low)
        a0 = up - self.high * a1
        return a0 + a1 * self.a, a1 * self.b, a1 * self.c, a0 + a1 * self.d

    def integral(self, t: float) -> tuple[np.ndarray, np.ndarray]:
        """(β₀, β₁) of ∫ e^(A s) ds = β₀ + β₁ A from 0 to t."""
        up, down = (
            np.where(np.abs(x * t) < 1e-9, t, np.expm1(x * t) / np.where(x == 0, 1.0, x))
            for x in (self.high, self.low)
        )
        b1 = (up - down) / (self.high - self.low)
        return up - self.high * b1, b1


def _product(x: tuple[np.ndarray, ...], y: tuple[np.ndarray, ...]) -> tuple[np.ndarray, ...]:
    """Of two 2 × 2 matrices, row by row."""
    a, b, c, d = x
    e, f, g, h = y
    return a * e + b * g, a * f + b * h, c * e + d * g, c * f + d * h


@dataclass(frozen=True)
class _Carrier:
    """What is carried for one span."""

    found: Performance
    limits: Limits
    seconds: float
    off: float | None
    teeth: _Softening

    def carried(self, heat: Heat) -> Carries:
        """With the uncertainty of the thermal figures and of the drive's own."""
        drive = self.found.drive
        torque, limit, current, case = self.at(heat.bodies, drive.mean)
        if limit == self.teeth.part:
            return Carries(self.seconds, torque, _TEETH_DOUBT * torque, limit, current)
        size = np.array(heat.bodies)
        by_heat = [
            (self.at(Bodies(*size * np.exp(d)), drive.mean)[0] - torque) / 0.05
            for d in 0.05 * np.eye(4)
        ]
        by_drive = [
            (self.at(heat.bodies, drive.mean + d)[0] - torque) / 0.1
            for d in 0.1 * np.eye(len(drive.mean))
        ]
        warmer = replace(self, limits=replace(self.limits, room=self.room + _ROOM))
        variance = (self.found.misfit_current * torque) ** 2
        variance += (warmer.at(heat.bodies, drive.mean)[0] - torque) ** 2
        # what magnets lose with their warmth is not known well, and the torque goes with them
        variance += (MAGNETS[drive.build.motor.magnets].u * case * torque) ** 2
        for J, covariance in ((by_heat, heat.covariance), (by_drive, drive.covariance)):
            variance += float(np.array(J) @ covariance @ np.array(J))
        return Carries(self.seconds, torque, math.sqrt(variance), limit, current)

    @property
    def room(self) -> float:
        """What is around [K]."""
        room = self.limits.room
        return self.found.drive.build.motor.winding_temperature if room is None else room

    def at(self, bodies: Bodies, z: np.ndarray) -> tuple[float, str, float, float]:
        """(torque, what limits it, current, case above the room)."""
        motor, drive = self.found.drive.build.motor, self.found.drive
        zero = COPPER_ZERO + motor.winding_temperature - 273.15
        room = self.room
        away = room - motor.winding_temperature
        R = float(drive.build.motor_line().R) * (1 + away / zero)
        allowed = {
            "winding": self.limits.winding - room,
            "magnets": (self.limits.magnets or MAGNETS_STAND[motor.magnets]) - room,
        }

        def rises(current: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            return warmed(bodies, current * current * R, zero + away, self.seconds, self.off)

        def used(current: np.ndarray) -> np.ndarray:
            """Part of what is allowed that currents take, of winding and magnets."""
            return np.array([r / a for r, a in zip(rises(current), allowed.values(), strict=True)])

        ends = 1e-3, 50.0 * float(motor.stall_current.value)
        for _ in range(3):  # ever finer, between the last that is allowed and the first that is not
            tried = np.geomspace(*ends, 48)
            n = int(np.argmax(used(tried).max(axis=0) >= 1))
            ends = (tried[max(n - 1, 0)], tried[max(n, 1)])
        low = float(ends[0])
        shares = used(np.array([low]))[:, 0]
        limit = [*allowed][int(np.argmax(shares))]
        warm = [
            min(float(share) * a, _MOST_KELVIN) + away
            for share, a in zip(shares, allowed.values(), strict=True)
        ]
        volts = self.found.result.voltage
        held = drive.state(Load.of(math.inf, volts, winding=warm[0], case=warm[1]), z)
        most = float(held.torque[0])
        if most <= 0:
            return 0.0, limit, low, warm[1]
        two = Load.of(np.array([0.0, most / 2]), volts, winding=warm[0], case=warm[1])
        idle, half = (float(x) for x in drive.state(two, z).current)
        torque = (low - idle) * (most / 2) / (half - idle)  # current is straight in the torque
        if torque > most:  # it stalls before it is as warm as that

            def standing(current: np.ndarray) -> tuple[State, np.ndarray]:
                """At the end of a span in which currents warmed it, and its case."""
                winding, case = (np.minimum(r, _MOST_KELVIN) + away for r in rises(current))
                load = Load.of(math.inf, volts, winding=winding, case=case)
                return drive.state(load, z), case

            low = _just_held(lambda current: standing(current)[0].current, low)
            held, cases = standing(np.array([low]))
            torque, limit, warm[1] = float(held.torque[0]), "stall", float(cases[0])
        if self.seconds > _TEETH_AFTER and self.teeth.torque < torque:
            torque, limit = self.teeth.torque, self.teeth.part
            low = idle + (half - idle) * torque / (most / 2)
        return max(torque, 0.0), limit, low, warm[1]


def _just_held(held: Callable[[np.ndarray], np.ndarray], most: float) -> float:
    """The current [A] at which a drive just stalls that it has warmed by itself. held: what it
    draws at standstill once currents have warmed it, falling with them; most: what it is not above.
    """
    low, high = 0.0, most
    for _ in range(2):
        tried = np.linspace(low, high, 17)
        above = held(tried) - tried
        if above[-1] > 0:
            return high
        n = max(int(np.argmax(above <= 0)), 1)
        low, high = float(tried[n - 1]), float(tried[n])
    part = above[n - 1] / (above[n - 1] - above[n])
    return low + float(part) * (high - low)


def _softening(found: Performance) -> _Softening:
    """By the temperature of plastic teeth in a steady state (VDI 2736-2), at the main voltage."""
    build, volts = found.drive.build, found.result.voltage
    stall, _ = found.stall(volts)
    motor, (slope, drag) = build.motor_line(), build.torque_line()

    def over(torque: float) -> tuple[float, str]:
        """By how much the warmest teeth are too warm [K], and which."""
        speed = float(motor.speed(slope * torque + drag, volts))
        rows = [(-math.inf, "")]
        for (n, name), kelvin in (
            build.teeth_at(build.flow(torque, speed)) if speed > 0 else {}
        ).items():
            contact = next(c for c in build.stages[n].contacts() if c.name == name)
            known = (
                materials.find(m, build.materials) for m in (contact.material_a, contact.material_b)
            )
            softens = min((m.softens for m in known if m is not None), default=math.inf)
            rows.append((kelvin - softens, f"teeth of stage {n + 1}"))
        return max(rows)

    tried = np.linspace(0.02, 0.95, 24) * stall
    first = next((n for n, t in enumerate(tried) if over(t)[0] > 0), None)
    if first is None:
        return _Softening(math.inf, "")
    low, high = float(tried[first - 1]) if first else 0.0, float(tried[first])
    for _ in range(16):
        middle = (low + high) / 2
        low, high = (middle, high) if over(middle)[0] < 0 else (low, middle)
    return _Softening(high, over(high)[1])
