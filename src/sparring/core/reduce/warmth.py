"""How warm winding and magnets became, from the current and all that came before it.

Two bodies: copper, heated by I² R, and the iron around it with the magnets, which passes the heat
on to the room. Both are linear but for the copper's resistance, so their course is two first-order
lags, exact between two instants.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO
from sparring.core.recording import Recording
from sparring.core.reduce.windows import median_of

_IRON = 450.0  # [J/(kg K)], of a motor beside its winding (from memory)
_WITHIN = 1 / 3  # part of the way to the room that is between winding and case (common practice)
_MOST = 20_000  # instants of a course
_ALIKE = 1e-5  # [K] between two rounds of a course
_GAP = 1.0  # [s] without a line, in which nobody knows of a current: the drive was off


class Warmth(NamedTuple):
    """Winding and case above the room [K]; whole: whether all that warmed them is known."""

    winding: float = 0.0
    case: float = 0.0
    whole: bool = False


COLD = Warmth()


class Bodies(NamedTuple):
    """Heat that warms each by a kelvin [J/K]; ways from the winding to the case and on to the room
    [K/W].
    """

    copper: float
    iron: float
    inner: float
    outer: float

    def rest(self, begin: Warmth, seconds: float) -> Warmth:
        """After a time without current."""
        rates, shapes, back = modes_of(self)
        found = shapes @ (np.exp(rates * max(seconds, 0.0)) * (back @ np.array(begin[:2])))
        return Warmth(round(float(found[0]), 2), round(float(found[1]), 2), begin.whole)

    def follow(self, power: np.ndarray, step: float, begin: Warmth) -> tuple[np.ndarray, ...]:
        """(winding, case) at the ends of the spans `step` [s] long in which `power` [W], shape
        (n,), heats the winding; shape (n + 1,).
        """
        rates, shapes, back = modes_of(self)
        modes = back @ np.array(begin[:2])
        enters = back @ np.array([1 / self.copper, 0.0])
        courses = []
        for rate, mode, share in zip(rates, modes, enters, strict=True):
            gain = share * (math.exp(rate * step) - 1) / rate
            courses.append(_lag(rate * step, mode, gain * power))
        winding, case = shapes @ np.array(courses)
        return winding, case


@lru_cache(maxsize=256)
def modes_of(bodies: Bodies) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(rates, their shapes, the way back); shape (2,), (2, 2), (2, 2)."""
    a = 1 / (bodies.copper * bodies.inner)
    b, c = 1 / (bodies.iron * bodies.inner), 1 / (bodies.iron * bodies.outer)
    rates, shapes = np.linalg.eig(np.array([[-a, a], [b, -b - c]]))
    return rates, shapes, np.linalg.inv(shapes)


def _lag(log_kept: float, begin: float, gains: np.ndarray) -> np.ndarray:
    """y[0] = begin, y[n + 1] = exp(log_kept) · y[n] + gains[n]: `scipy.signal.lfilter`, whose
    package takes a second to load. Summed in stretches in which nothing grows beyond e³⁰.
    """
    y = np.empty(len(gains) + 1)
    y[0] = begin
    stretch = max(1, int(min(30.0 / max(-log_kept, 1e-12), len(gains))))
    kept = np.exp(log_kept * np.arange(1, stretch + 1))
    for n in range(0, len(gains), stretch):
        part = gains[n : n + stretch]
        powers = kept[: len(part)]
        y[n + 1 : n + 1 + len(part)] = powers * (y[n] + np.cumsum(part / powers))
    return y


def bodies_of(build: Build) -> Bodies:
    """Of all motors together, by what is entered of the first's heating."""
    m, count = build.motor, 1 + len(build.further_motors)
    mass = m.mass + sum(f.readings.mass for f in build.further_motors)
    way = m.heat_resistance / count
    return Bodies(build.heat_capacity(), _IRON * mass, way * _WITHIN, way * (1 - _WITHIN))


def _squares(t: np.ndarray, current: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(times, squares of the current [A²]) of the samples that are there; of many the means of
    blocks, where the clock never stands still for long. Shape (n,) each.
    """
    size = len(t) // _MOST // 4
    if size > 1:
        whole = len(t) // size * size
        times, blocks = t[:whole].reshape(-1, size), current[:whole].reshape(-1, size)
        squares = np.einsum("ij,ij->i", blocks, blocks) / size
        longest = float((times[:, -1] - times[:, 0]).max())
        if longest < _GAP and not np.isnan(squares).any():
            return times.sum(axis=1) / size, squares
    there = ~np.isnan(current)
    return t[there], current[there] ** 2


class Course(NamedTuple):
    """t [s], winding and case above the room [K], shape (n,); paused: the clock stood between
    the runs, so that nobody knows what each began with.
    """

    t: np.ndarray
    winding: np.ndarray
    case: np.ndarray
    begun: Warmth
    paused: bool = False

    def mean(self, start: float, stop: float) -> Warmth:
        """Over a span [s]."""
        at = np.linspace(start, stop, 17)
        winding, case = (np.interp(at, self.t, y) for y in (self.winding, self.case))
        known = self.begun.whole and not self.paused
        return Warmth(float(winding.mean()), float(case.mean()), known)

    @property
    def end(self) -> Warmth:
        return Warmth(float(self.winding[-1]), float(self.case[-1]), self.begun.whole)


def course_of(
    bodies: Bodies, resistance: float, temperature: float, rec: Recording, begin: Warmth
) -> Course | None:
    """How warm the motor became in a recording, by its current; None where that was not recorded.

    resistance [Ω] at `temperature` [K], taken as the room's; begin: how warm it was before.
    """
    if not rec.has("current") or len(rec) < 2:
        return None
    t, squared = _squares(rec.t, rec.channels["current"])
    if len(t) < 2 or t[-1] <= t[0]:
        return None
    spans = np.diff(t)
    gap = max(_GAP, 20 * median_of(spans))
    heats = np.where(spans > gap, 0.0, (squared[1:] + squared[:-1]) / 2 * spans)
    total = np.concatenate([[0.0], np.cumsum(heats)])
    step = max((t[-1] - t[0]) / _MOST, 0.01)
    at = t[0] + step * np.arange(math.ceil((t[-1] - t[0]) / step) + 1)
    mean = np.diff(np.interp(at, t, total)) / step
    per_kelvin = 1 / (COPPER_ZERO + temperature - 273.15)
    winding = case = np.zeros(len(at))
    for _ in range(8):  # warm copper resists more, and so warms more
        power, before = mean * resistance * (1 + per_kelvin * winding[:-1]), winding
        winding, case = bodies.follow(power, step, begin)
        if np.abs(winding - before).max() < _ALIKE:
            break
    return Course(at, winding, case, begin)
