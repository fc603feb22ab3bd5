"""Whether the clock of a log stood in pauses that nobody logged: then its runs look like back to
back, and the motor was colder than its current says.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from sparring.core import nan
from sparring.core.motor import COPPER_ZERO
from sparring.core.recording import Recording
from sparring.core.reduce.warmth import Bodies, Course, Warmth, course_of
from sparring.core.reduce.windows import block_means, powered_spans
from sparring.core.uncertainty import t_widening

_PAUSE = 10.0  # [s] between runs, from which the clock is believed
_SURELY = 5.0  # standard uncertainties by which the heat of earlier runs is not there
_RUNS = 5  # that tell two figures of the motor and how much of the heat is there
_MANY = 400  # runs of a log that are looked at


class Line(NamedTuple):
    """A motor's: k [V·s] by the output's turning, R [Ω], brush drop [V], part of k lost with 1 K of
    the magnets, temperature of its readings [K].
    """

    k: float
    R: float
    brush: float
    magnets: float
    temperature: float


def with_pauses(line: Line, bodies: Bodies, log: Recording, course: Course) -> Course:
    """The course of the warmth in a log whose runs were made one after the other, as its clock says
    (`course`); or with each run begun cold, where voltage, current and speed contradict that.

    V - brush - k ω - R I is what warmth takes from the voltage. Of k, R and the part of the heat
    of earlier runs that is there least squares tell the last, if it is below a half by more than
    five standard uncertainties: a motor's readings need not be right.
    """
    ch = log.channels
    if not {"voltage", "current", "speed"} <= ch.keys():
        return course
    spans = powered_spans(log.t, ch["voltage"], ch["current"], ch["speed"])
    if not _RUNS <= len(spans) <= _MANY:
        return course
    rests = [after[0] - before[1] for before, after in pairwise(spans)]
    if float(np.median(rests)) > _PAUSE:
        return course
    cold = _begun_cold(line, bodies, log, course, spans)
    seen = [_late(log, a, b) for a, b in spans]
    means = np.array([[nan.mean(block_means(y)) for y in part] for part in seen])
    volts, amps, speed = means.T
    middles = np.array([(a + 3 * b) / 4 for a, b in spans])

    def takes(by: Course) -> np.ndarray:
        winding, case = (np.interp(middles, by.t, y) for y in (by.winding, by.case))
        per_kelvin = 1 / (COPPER_ZERO + line.temperature - 273.15)
        lost = line.R * amps * per_kelvin * winding - line.k * speed * line.magnets * case
        return np.asarray(lost)

    told, at_least = takes(course), takes(cold)
    X = np.column_stack([speed, amps, told - at_least])
    y = volts - line.brush - at_least
    known = np.isfinite(X).all(axis=1) & np.isfinite(y) & (speed > 0)
    X, y = X[known], y[known]
    if len(y) < _RUNS or np.linalg.matrix_rank(X) < X.shape[1]:
        return course
    found, left, *_ = np.linalg.lstsq(X, y, rcond=None)
    free = len(y) - X.shape[1]
    square = float(left[0]) / free if len(left) else 0.0
    u = math.sqrt(square * float(np.linalg.inv(X.T @ X)[2, 2])) * t_widening(free)
    there = float(found[2])
    return cold if there < 0.5 and 1 - there > _SURELY * max(u, 0.02) else course


def _late(log: Recording, start: float, stop: float) -> list[np.ndarray]:
    """Voltage, current and speed in the second half of a run."""
    part = log.span((start + stop) / 2, stop)
    return [part.channels[name] for name in ("voltage", "current", "speed")]


def _begun_cold(
    line: Line, bodies: Bodies, log: Recording, course: Course, spans: list[tuple[float, float]]
) -> Course:
    """The same, each run from the room's temperature."""
    winding, case = np.zeros(len(course.t)), np.zeros(len(course.t))
    ends = [*(start for start, _ in spans[1:]), math.inf]
    for (start, stop), end in zip(spans, ends, strict=True):
        own = course_of(bodies, line.R, line.temperature, log.span(start, stop), Warmth())
        if own is None:
            continue
        at = (course.t >= start) & (course.t < end)
        winding[at] = np.interp(course.t[at], own.t, own.winding)
        case[at] = np.interp(course.t[at], own.t, own.case)
    return course._replace(winding=winding, case=case, paused=True)
