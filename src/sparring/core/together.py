"""Samples of several devices on one clock: by how much one is late after another."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

_LEAST = 40  # samples
_STEP = 0.002  # [s] of the grid that both are laid on
_LONGEST = 60.0  # [s] that are looked at
_ALIKE = 0.5  # correlation below which nothing is said


class Lag(NamedTuple):
    """seconds: by how much the second signal is late, u: standard uncertainty [s]; alike: their
    correlation when it is taken off; of: the two channels.
    """

    seconds: float
    u: float
    alike: float
    of: tuple[str, str]


def lag(
    t: np.ndarray, a: np.ndarray, u: np.ndarray, b: np.ndarray, most: float = 0.5
) -> Lag | None:
    """By how much b, at times u, is late after a, at times t [s]; None where they have too little
    in common. t, a: shape (n,); u, b: shape (m,); most [s]: the largest that is looked for.

    The middle of a is slid along b; the peak of their correlation, by a parabola, is where b = α +
    β a fits best. Its uncertainty is that of least squares, σ²/(β² Σ ȧ²) over as many samples as
    the slower device sends, σ² the mean square of what is left, with what lies open between the
    samples of either: one long gap on a flank says more than all the noise.
    """
    good, fine = np.isfinite(a) & np.isfinite(t), np.isfinite(b) & np.isfinite(u)
    t, a, u, b = t[good], a[good], u[fine], b[fine]
    if len(t) < _LEAST or len(u) < _LEAST:
        return None
    start, stop = max(t[0], u[0], t[-1] - _LONGEST), min(t[-1], u[-1])
    if stop - start < 6 * most:
        return None
    grid = np.arange(start, stop, _STEP)
    shifts = round(most / _STEP)
    x = np.interp(grid, t, a)[shifts:-shifts]
    y = np.interp(grid, u, b)
    x = x - x.mean()
    n = len(x)
    size = 1 << len(y).bit_length()
    with_x = np.fft.irfft(np.conj(np.fft.rfft(x, size)) * np.fft.rfft(y, size), size)
    with_x = with_x[: 2 * shifts + 1]
    sums, squares = (np.concatenate([[0.0], np.cumsum(v)]) for v in (y, y * y))
    k = np.arange(2 * shifts + 1)
    spread = (squares[k + n] - squares[k]) - (sums[k + n] - sums[k]) ** 2 / n
    power = float((x * x).sum())
    if power <= 0 or spread.min() <= 0:
        return None
    rho = with_x / np.sqrt(power * spread)
    peak = int(np.argmax(np.abs(rho)))
    if not 0 < peak < 2 * shifts or abs(rho[peak]) < _ALIKE:
        return None
    before, at, after = (float(abs(rho[peak + d])) for d in (-1, 0, 1))
    bend = before - 2 * at + after
    part = 0.5 * (before - after) / bend if bend < 0 else 0.0
    beta = float(with_x[peak]) / power
    left = max(float(spread[peak]) / n - beta**2 * power / n, 0.0)
    slope = np.gradient(_smooth(x), _STEP)
    sent = min(np.searchsorted(t, stop) - np.searchsorted(t, start), len(u)) * n / len(grid)
    steep = beta**2 * float((slope * slope).mean()) * max(float(sent), 1.0)
    doubt = math.sqrt(left / steep) if steep > 0 else math.inf
    held = grid[shifts:-shifts], (slope * slope).cumsum()
    doubt = math.hypot(doubt, *(_unseen(when, *held) for when in (t, u)))
    found = (peak - shifts + part) * _STEP
    return Lag(found, math.hypot(doubt, _STEP / math.sqrt(12)), min(at, 1.0), ("", ""))


def _unseen(sent: np.ndarray, grid: np.ndarray, steep: np.ndarray) -> float:
    """What the straight lines between samples sent at these times leave open [s]: a corner lies
    anywhere in its gap. steep: sum of the squared slope up to each place of the grid.
    """
    share = np.diff(np.interp(sent, grid, steep / steep[-1]))
    return float(np.sqrt(np.sum((share * np.diff(sent)) ** 2) / 12))


def lags(
    first: tuple[np.ndarray, Mapping[str, np.ndarray]],
    second: tuple[np.ndarray, Mapping[str, np.ndarray]],
    kinds: Mapping[str, str],
) -> list[Lag]:
    """What each pair of channels of two devices tells, the most alike first; pairs of one kind of
    quantity before all others, for between a current and a speed lies the drive. kinds: by channel.
    """
    found = []
    for a, x in first[1].items():
        for b, y in second[1].items():
            one = lag(first[0], x, second[0], y)
            if one is not None:
                found.append(one._replace(of=(a, b)))
    return sorted(found, key=lambda g: (kinds.get(g.of[0]) != kinds.get(g.of[1]), -g.alike))


def _smooth(x: np.ndarray) -> np.ndarray:
    """Means over 40 ms, so that noise has no slope."""
    n = max(1, round(0.04 / _STEP))
    return np.asarray(np.convolve(x, np.full(n, 1 / n), "same"))
