"""Where the better of two changes over the load: torques at which their curves cross."""

from __future__ import annotations

import itertools
import math
from typing import NamedTuple

import numpy as np

from sparring.core.compare import apart
from sparring.core.compare.known import Known
from sparring.core.compare.observed import BY_ID, at_torque, span_of, values_at
from sparring.core.compare.subject import Subject

_POINTS = 25


class Over(NamedTuple):
    """The difference a − b over the torque, shape (n,): value, half of its 95 % interval."""

    torque: np.ndarray
    value: np.ndarray
    half: np.ndarray


class Crossing(NamedTuple):
    """Torque [N·m] at which they are equal; low, high: between which it lies (95 %), NaN where the
    interval goes on beyond the loads that both lifted.
    """

    torque: float
    low: float
    high: float


def over_torque(a: Subject, b: Subject, figure: str, voltage: float) -> Over | None:
    """None where they have no two loads in common."""
    if (torque := _common(a, b, voltage)) is None:
        return None
    f = BY_ID[figure]
    rows: list[tuple[float, float, float]] = []
    for t in torque:
        x, y = at_torque(a, f, float(t), voltage), at_torque(b, f, float(t), voltage)
        if x is None or y is None:
            continue
        rows.append((float(t), *_apart(x, y)))
    if len(rows) < 2:
        return None
    return Over(*np.array(rows).T)


def may_cross(a: Subject, b: Subject, figure: str, voltage: float) -> bool:
    """Whether the better of two changes over the loads in common, by their figures alone; where it
    does not, no interval is needed to say so.
    """
    if (torque := _common(a, b, voltage)) is None:
        return False
    x, y = (values_at(s, BY_ID[figure], torque, voltage) for s in (a, b))
    return x is None or y is None or not (np.all(x > y) or np.all(x < y))


def _common(a: Subject, b: Subject, voltage: float) -> np.ndarray | None:
    """Torques that both lifted."""
    spans = span_of(a, voltage), span_of(b, voltage)
    if spans[0] is None or spans[1] is None:
        return None
    low, high = max(spans[0][0], spans[1][0]), min(spans[0][1], spans[1][1])
    return np.linspace(low, high, _POINTS) if high > low else None


def _apart(a: Known, b: Known) -> tuple[float, float]:
    found = apart.pairs([a, b], [(0, 1)])
    return float(found.value[0]), float(found.t[0] * found.u[0])


def crossings(found: Over) -> list[Crossing]:
    """By straight lines between the points. Its interval is where the band of the difference holds
    nothing (Fieller's, read off the band); only those that one is surely better on both sides of,
    or on neither, are told: a wobble within the band is none.
    """
    surely = np.where(np.abs(found.value) > found.half, np.sign(found.value), 0)
    told = np.flatnonzero(surely)
    out = []
    for i, j in itertools.pairwise(told):
        if surely[i] == surely[j]:
            continue
        inside = range(int(i), int(j))
        k = next(n for n in inside if found.value[n] * found.value[n + 1] <= 0)
        edge = (
            _zero(found, int(i), found.value - surely[i] * found.half),
            _zero(found, int(j) - 1, found.value - surely[j] * found.half),
        )
        out.append(Crossing(_zero(found, k, found.value), *edge))
    return out


def _zero(found: Over, k: int, y: np.ndarray) -> float:
    """Where y is nothing between the points k and k + 1."""
    a, b = float(y[k]), float(y[k + 1])
    if a == b or not math.isfinite(a - b):
        return math.nan
    part = min(max(a / (a - b), 0.0), 1.0)
    return float(found.torque[k] + part * (found.torque[k + 1] - found.torque[k]))
