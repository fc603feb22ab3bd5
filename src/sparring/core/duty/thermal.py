"""Winding and case through a cycle that repeats for ever: two bodies, copper that resists more as
it warms.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

_PIECES = 8
"""Into which a segment is cut at most, so that the copper's warming is followed within it."""
_FINE = 0.25  # of the winding's own time, that a piece takes
_HOTTEST = 600.0  # [K] above the room, beyond which nothing is a motor any more
_ROUNDS = 4
_STILL = 0.02  # [K]


class Cycle(NamedTuple):
    """Above the room [K]: winding and case, means over each segment, shape (s, c, d); peak: the
    winding's, warmest: the case's with the magnets, (c, d).
    """

    winding: np.ndarray
    case: np.ndarray
    peak: np.ndarray
    warmest: np.ndarray


def rises(
    bodies: np.ndarray,
    R: np.ndarray,
    zero: np.ndarray,
    away: np.ndarray,
    segments: Sequence[tuple[np.ndarray, np.ndarray, float]],
    period: float,
) -> Cycle:
    """The cycle in its steady state. bodies: as `Bodies`, shape (4, c, d); R: at the temperature of
    the readings [Ω], (c, d), zero: copper's at the room [K above it], away: the room above the
    readings [K]; segments: (mean of I² [A²], time [s], shape (c, d) each, how much warmer than the
    room it is around it [K]); then it rests in the room until the period [s] is over.

    The two bodies' equations are linear between instants (exact by their two modes); the copper's
    resistance is that of the middle of each piece, worked out again until it fits.
    """
    copper, iron, inner, outer = bodies
    rates, shapes, back = _modes(copper, iron, inner, outer)
    enters = back[:, 0] / copper  # what a watt in the copper adds to each mode [K/s]
    around = back[:, 1] / iron / outer  # and a kelvin around the case
    cold = R * (1 + away / (zero - away))
    fast = float(np.median(copper * inner))
    plan: list[tuple[int, np.ndarray, np.ndarray, float]] = []
    for n, (squared, time, warmer) in enumerate(segments):
        longest = float(np.median(time))
        pieces = int(np.clip(math.ceil(longest / (_FINE * fast)), 1, _PIECES))
        plan += [(n, squared, time / pieces, warmer)] * pieces
    times = [time for _, _, time, _ in plan]
    driven = sum(times, start=np.zeros_like(R))
    rest = np.maximum(period - driven, 0.0)
    warm = [np.zeros_like(R)] * len(plan)
    middle: list[tuple[np.ndarray, np.ndarray]] = []
    peak = warmest = np.zeros_like(R)
    for _ in range(_ROUNDS):
        pushes = [
            [enters[m] * s * cold * (1 + w / zero) + around[m] * warmer for m in (0, 1)]
            for (_, s, _, warmer), w in zip(plan, warm, strict=True)
        ]
        modes = _periodic(times, pushes, rates, rest)
        middle, (peak, warmest) = [], _warm(shapes, modes)
        for time, push in zip(times, pushes, strict=True):
            half = [_step(modes[m], rates[m], push[m], time / 2) for m in (0, 1)]
            modes = [_step(modes[m], rates[m], push[m], time) for m in (0, 1)]
            middle.append(_warm(shapes, half))
            ends = _warm(shapes, modes)
            peak, warmest = np.maximum(peak, ends[0]), np.maximum(warmest, ends[1])
        before, warm = warm, [w for w, _ in middle]
        if max(float(np.abs(w - b).max()) for w, b in zip(warm, before, strict=True)) < _STILL:
            break
    many = len(segments)
    winding = np.zeros((many, *R.shape))
    case = np.zeros((many, *R.shape))
    for n in range(many):
        own = [x for (which, *_), x in zip(plan, middle, strict=True) if which == n]
        winding[n] = np.mean([w for w, _ in own], axis=0)
        case[n] = np.mean([c for _, c in own], axis=0)
    return Cycle(winding, case, peak, warmest)


def _warm(shapes: np.ndarray, modes: Sequence[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """(winding, case) above the room [K]."""
    winding, case = (
        np.clip(shapes[n, 0] * modes[0] + shapes[n, 1] * modes[1], -_HOTTEST, _HOTTEST)
        for n in (0, 1)
    )
    return winding, case


def _modes(
    copper: np.ndarray, iron: np.ndarray, inner: np.ndarray, outer: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(rates [1/s] (2, c, 1), shapes (2, 2, c, 1): body by mode, the way back (2, 2, c, 1): mode by
    body)."""
    a, b = -1 / (copper * inner), 1 / (copper * inner)
    c, d = 1 / (iron * inner), -1 / (iron * inner) - 1 / (iron * outer)
    centre, apart = (a + d) / 2, np.sqrt(((a - d) / 2) ** 2 + b * c)
    rates = np.array([centre + apart, centre - apart])
    shapes = np.array([[b * np.ones_like(r) for r in rates], [r - a for r in rates]])
    det = shapes[0, 0] * shapes[1, 1] - shapes[0, 1] * shapes[1, 0]
    back = np.array([[shapes[1, 1], -shapes[0, 1]], [-shapes[1, 0], shapes[0, 0]]]) / det
    return rates, shapes, back


def _step(mode: np.ndarray, rate: np.ndarray, push: np.ndarray, time: np.ndarray) -> np.ndarray:
    kept = np.exp(rate * time)
    return np.asarray(mode * kept + push * (kept - 1) / rate)


def _periodic(
    times: Sequence[np.ndarray],
    pushes: Sequence[Sequence[np.ndarray]],
    rates: np.ndarray,
    rest: np.ndarray,
) -> list[np.ndarray]:
    """The modes at the beginning of a cycle that ends as it began."""
    found = []
    for m in (0, 1):
        mode = np.zeros_like(rest)
        whole = np.zeros_like(rest)
        for time, push in zip(times, pushes, strict=True):
            mode = _step(mode, rates[m], push[m], time)
            whole = whole + time
        mode = mode * np.exp(rates[m] * rest)
        found.append(mode / (1 - np.exp(rates[m] * (whole + rest))))
    return found
