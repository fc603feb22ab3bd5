"""The thermal figures of a motor, as its runs tell them: how winding and case warm."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import heat_doubt
from sparring.core.reduce.warmth import Bodies, Warmth, bodies_of

_FEWEST_KELVIN = 3.0  # that a case must warm, to tell anything
_THERMOMETER = 0.7  # [K], standard: of one that is stuck on
NAMES = ("copper", "iron", "inner", "outer")
"""Of the thermal figures, as `Bodies` has them."""
_TIMES = 120  # instants of a recording that are compared


class Heat(NamedTuple):
    """Thermal figures with the covariance of their logarithms, in the order of `Bodies`; told: of
    each whether the runs told it, or the motor's data.
    """

    bodies: Bodies
    covariance: np.ndarray
    told: tuple[bool, ...]
    kelvin: float  # by which the case warmed at most in the runs


def heat_bytes(heat: Heat) -> bytes:
    """As it is kept."""
    figures = [*heat.bodies], heat.covariance.tolist(), [bool(t) for t in heat.told], heat.kelvin
    return json.dumps(figures).encode()


def heat_from(data: bytes) -> Heat:
    """As it was kept by `heat_bytes`."""
    bodies, covariance, told, kelvin = json.loads(data)
    return Heat(Bodies(*bodies), np.array(covariance), tuple(told), kelvin)


class Course(NamedTuple):
    """One stretch of a test: times [s], shape (n,), current [A], case temperature [K] or nothing;
    rested: seconds without current before it.
    """

    t: np.ndarray
    current: np.ndarray
    case: np.ndarray | None
    rested: float


def as_entered(build: Build) -> Heat:
    """By the motor's own data alone."""
    doubt = heat_doubt(build.motor)
    return Heat(bodies_of(build), np.eye(4) * doubt**2, (False,) * 4, 0.0)


def identify(build: Build, courses: Sequence[Course]) -> Heat:
    """The thermal figures by what the case's thermometer did while the current was known: least
    squares on their logarithms, from the motor's data on (normal prior).

    The winding has no thermometer: what the case does not tell stays as entered.
    """
    from scipy.optimize import least_squares

    prior = as_entered(build)
    known = [c for c in courses if c.case is not None and len(c.t) > 8]
    warms = max((float(np.ptp(c.case)) for c in known if c.case is not None), default=0.0)
    if warms < _FEWEST_KELVIN:
        return prior._replace(kelvin=warms)
    R = build.motor_line().R
    zero = COPPER_ZERO + build.motor.winding_temperature - 273.15
    doubt = math.sqrt(float(prior.covariance[0, 0]))
    heated = [_heated(course, R) for course in courses]

    def left(x: np.ndarray) -> np.ndarray:
        bodies = Bodies(*np.array(prior.bodies) * np.exp(x * doubt))
        rows, now = [x], Warmth(whole=True)
        for course in heated:
            now = bodies.rest(now, course.rested)
            case, now = _case(bodies, course, now, zero)
            if course.shown is not None:
                # the room, and what the thermometer is off by, are not known: differences count
                away = course.shown - np.interp(course.at, course.t, case)
                # neighbouring instants are no independent readings
                own = _THERMOMETER * math.sqrt(_TIMES / 12)
                rows.append((away - away.mean()) / own)
        return np.concatenate(rows)

    found = least_squares(left, np.zeros(4), method="lm", max_nfev=60)
    covariance = np.linalg.inv(np.asarray(found.jac).T @ np.asarray(found.jac)) * doubt**2
    told = tuple(bool(math.sqrt(covariance[n, n]) < doubt / 2) for n in range(4))
    bodies = Bodies(*(float(b) for b in np.array(prior.bodies) * np.exp(found.x * doubt)))
    return Heat(bodies, covariance, told, warms)


class _Heated(NamedTuple):
    """A course as the fit takes it: the heat in a cold winding [W] between the times `t`; what the
    case's thermometer showed at the times `at`, None: nothing that counts.
    """

    t: np.ndarray
    step: float
    power: np.ndarray
    rested: float
    at: np.ndarray
    shown: np.ndarray | None


def _heated(course: Course, R: float) -> _Heated:
    span = float(course.t[-1] - course.t[0])
    step = max(span / 400, 0.02)
    t = course.t[0] + step * np.arange(max(int(span / step), 1) + 1)
    squared = np.interp(t, course.t, course.current**2)
    at = np.linspace(course.t[0], course.t[-1], _TIMES)
    shown = None
    if course.case is not None and len(course.t) > 8:
        good = np.isfinite(course.case)
        shown = np.interp(at, course.t[good], course.case[good])
    return _Heated(t, step, (squared[1:] + squared[:-1]) / 2 * R, course.rested, at, shown)


def _case(bodies: Bodies, course: _Heated, begin: Warmth, zero: float) -> tuple[np.ndarray, Warmth]:
    """(case above the room, how warm at the end)."""
    winding, case = bodies.follow(course.power, course.step, begin)
    for _ in range(2):  # warm copper resists more
        power = course.power * (1 + winding[:-1] / zero)
        winding, case = bodies.follow(power, course.step, begin)
    return case, Warmth(float(winding[-1]), float(case[-1]), begin.whole)


def courses_of(recordings: Iterable[tuple[Recording, float]]) -> list[Course]:
    """What `identify` takes, of recordings with the seconds of rest before each."""
    found = []
    for rec, rested in recordings:
        if not rec.has("current") or len(rec) < 2:
            continue
        good = np.isfinite(rec.channels["current"])
        t, current = rec.t[good], rec.channels["current"][good]
        if len(t) < 2:
            continue
        case = rec.channels["temperature"][good] if rec.has("temperature") else None
        if case is not None and np.isfinite(case).sum() < 8:
            case = None
        found.append(Course(t, current, case, rested))
    return found
