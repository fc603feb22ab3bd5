"""The spectrum of a signal by order, and what stands out of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.orders.turning import Turning, kept, over_angle

MOST_CYCLES = 0.4  # of a wave a sample, above which splines keep too little of it
APART = 2.0  # lines nearer than so many resolutions are one (Hann window)
_BLOCK = 32  # orders over which the floor is one figure
_FREEDOM = 10.0  # independent figures that this floor is worth
_SMEARED = 4  # resolutions to each side
_TREND = 5  # degree of the course that is no ripple


@dataclass(frozen=True)
class Spectrum:
    """order, amplitude (peak, in the signal's unit), floor (root mean square amplitude of what is
    there anyway), shape (m,); resolution: 1 over the turns; most: the highest order that the
    sampling shows; mean: of the signal; effective: that is its root mean square.
    """

    order: np.ndarray
    amplitude: np.ndarray
    floor: np.ndarray
    resolution: float
    most: float
    mean: float
    effective: bool = False


FIRST = 3
"""Turns in a course, below which it is no ripple: where in a spectrum that begins."""


class Peak(NamedTuple):
    """A line: its order, amplitude and standard uncertainty; chance: that the floor alone rises so
    high at one order [0..1].
    """

    order: float
    amplitude: float
    u: float
    chance: float


def spectrum(turned: Turning, y: np.ndarray, *, effective: bool = False) -> Spectrum:
    """Amplitude spectrum of a signal, shape (n,), over the angle: a course of the 5th degree is
    taken off, Hann window, what the splines take of high orders given back. effective: its root
    mean square stands for its mean.
    """
    from scipy.fft import next_fast_len, rfft

    n = next_fast_len(len(y), real=True)
    at = np.arange(n) * (turned.whole / n)
    grid = over_angle(turned.turns, y, at)
    flat = _without_course(grid)
    mean = math.sqrt(float((flat**2).mean())) if effective else float(grid.mean())
    window = 0.5 - 0.5 * np.cos(2 * math.pi * np.arange(n) / n)
    order = np.arange(n // 2 + 1) / turned.whole
    most = MOST_CYCLES * turned.density
    shown = order <= most
    keeps = kept(order[shown] / turned.density)
    amplitude = np.abs(rfft(flat * window))[shown] * (4 / n) / keeps
    return Spectrum(
        order[shown], amplitude, _floor(amplitude), 1 / turned.whole, most, mean, effective
    )


def _without_course(y: np.ndarray) -> np.ndarray:
    """y less a slow course, fitted to its block means."""
    blocks = min(len(y), 512)
    size = len(y) // blocks
    means = y[: blocks * size].reshape(blocks, size).mean(axis=1)
    x = (np.arange(blocks) + 0.5) * size
    course = np.polynomial.Polynomial.fit(x, means, min(_TREND, blocks - 1))
    return np.asarray(y - course(np.arange(len(y)) + 0.5))


def _floor(amplitude: np.ndarray) -> np.ndarray:
    """Root mean square of noise alone: medians of blocks, which lines do not raise; the squares of
    noise are distributed exponentially, their median is ln 2 of the mean.
    """
    whole = max(len(amplitude) // _BLOCK, 1)
    squares = amplitude[: whole * _BLOCK].reshape(whole, -1) ** 2
    level = np.maximum(np.median(squares, axis=1) / math.log(2), 1e-300)
    middle = (np.arange(whole) + 0.5) * (squares.shape[1])
    logs = np.interp(np.arange(len(amplitude)), middle, np.log(level))
    return np.asarray(np.exp(logs / 2))


def peak_near(found: Spectrum, order: float, within: float) -> Peak | None:
    """The highest line within so much of an order; None where the spectrum does not reach, below
    three turns of what repeats, or where something beside it is higher.
    """
    low, high = (
        math.ceil((order - within) / found.resolution - 1e-9),
        math.floor((order + within) / found.resolution + 1e-9),
    )
    nearest = round(order / found.resolution)
    low, high = min(low, nearest), max(high, nearest)
    if low < 3 or high > len(found.order) - 3:
        return None
    a = found.amplitude
    j = low + int(np.argmax(a[low : high + 1]))
    left, right = float(a[j - 1]), float(a[j + 1])
    if max(left, right) > a[j] and high - low > 0:
        return None  # the flank of another line
    side, sign = (right, 1) if right >= left else (left, -1)
    ratio = side / float(a[j]) if a[j] > 0 else 0.0
    # of a Hann window's two highest orders: how far the line lies from the higher one
    off = min(max((2 * ratio - 1) / (1 + ratio), 0.0), 0.5)
    height = float(np.sinc(off)) / (1 - off * off)
    floor = float(found.floor[j])
    chance = (1 + (float(a[j]) / floor) ** 2 / _FREEDOM) ** -_FREEDOM if floor > 0 else 0.0
    cycles = found.order[j] * MOST_CYCLES / found.most
    given_back = float(a[j]) / height * (1 - float(kept(np.array(cycles))))
    u = math.hypot(floor / height / math.sqrt(2), given_back / 4)
    top = float(a[j]) / height
    if found.effective:
        # by a speed that was only heard the turns are not exact, and a line is smeared: all of it
        whole = _spread(found, j)
        u, top = math.hypot(u, (whole - top) / 2), whole
    at = (j + sign * off) * found.resolution
    return Peak(float(at), top, u, chance)


def _spread(found: Spectrum, j: int) -> float:
    """Amplitude of all that lies about a line, less the floor; a Hann window makes 3/2 of its
    square.
    """
    near = slice(max(j - _SMEARED, 0), j + _SMEARED + 1)
    squares = found.amplitude[near] ** 2 - found.floor[near] ** 2
    return math.sqrt(max(float(squares.sum()) / 1.5, 0.0))


def standing_out(found: Spectrum, chance: float, most: int) -> list[Peak]:
    """The highest lines that the floor does not make with this chance at any order."""
    a = found.amplitude
    tops = np.flatnonzero((a[1:-1] > a[:-2]) & (a[1:-1] >= a[2:])) + 1
    limit = _FREEDOM * ((chance / max(len(a), 1)) ** (-1 / _FREEDOM) - 1)
    tops = tops[(a[tops] > found.floor[tops] * math.sqrt(limit)) & (tops >= 3)]
    tops = tops[np.argsort(-a[tops])][:most]
    peaks = (peak_near(found, float(found.order[j]), 0.0) for j in tops)
    return [p for p in peaks if p is not None]
