"""Steady windows: where a recording may be averaged, and how well the average is known.

Everything is decided on block means, so ten million samples cost little more than reading them
once.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from sparring.core.uncertainty import t_widening

_MOST_BLOCKS = 4096
_CHOPPED = 0.06  # [s] longest time off that does not end a run
_SEARCH_BLOCKS = 400
NEGLIGIBLE_DRIFT = 1e-3
"""A drift over the window below this part of the mean is no drift for a bench: it is far below any
repeat.
"""


NOTABLE_DRIFT = 5e-3
"""One that is worth a word where nothing better is found."""


@dataclass(frozen=True)
class Window:
    """A part of a recording taken as steady. start, stop [s]; drift: change over it as a part of
    the mean [-].
    """

    start: float
    stop: float
    steady: bool
    drift: float

    @property
    def length(self) -> float:
        return self.stop - self.start


def block_means(y: np.ndarray, most: int = _MOST_BLOCKS) -> np.ndarray:
    """Means of equal blocks, at most about `most` of them, missing samples (NaN) left out; shape
    (n,) -> (blocks,).
    """
    size = max(1, -(-len(y) // most))
    if size == 1:
        return np.asarray(y, float)
    whole = len(y) // size * size
    blocks = np.asarray(y[:whole]).reshape(-1, size)
    means: np.ndarray = blocks.mean(axis=1)
    holes = np.isnan(means)
    if holes.any():
        part = blocks[holes]
        count = (~np.isnan(part)).sum(axis=1)
        means[holes] = np.where(count > 0, np.nansum(part, axis=1) / np.maximum(count, 1), np.nan)
    return means


def product_means(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Block means of a product, which is nowhere whole in memory; a, b: shape (n,) -> (blocks,)."""
    size = max(1, -(-len(a) // _MOST_BLOCKS))
    if size == 1:
        return np.asarray(a * b)
    whole = len(a) // size * size
    means = np.einsum("ij,ij->i", a[:whole].reshape(-1, size), b[:whole].reshape(-1, size)) / size
    return block_means(a * b) if np.isnan(means).any() else np.asarray(means)


def block_means_of(
    course: Callable[[np.ndarray], np.ndarray], t: np.ndarray, most: int = _MOST_BLOCKS
) -> np.ndarray:
    """The same of a smooth course over time, at the times t; of many it is taken in the middle of
    each block. Shape (n,) -> (blocks,).
    """
    return course(block_means(t, most)) if len(t) > 16 * most else block_means(course(t), most)


_FIRST_LAGS = 32  # worked out one by one: most noise is forgotten before


def median_of(values: np.ndarray) -> float:
    """The median of numbers without NaN, for the tenth of the time that NumPy's takes of a few
    hundred; NaN of none.
    """
    n = len(values)
    if n == 0:
        return math.nan
    places = ((n - 1) // 2, n // 2)
    parted = np.partition(values, places)
    return float(parted[places[0]] + parted[places[1]]) / 2


def autocorrelation_time(y: np.ndarray) -> float:
    """Integrated autocorrelation time τ = 1 + 2 Σ ρ_k of evenly spaced values, in samples, >= 1.

    The sum stops at the first lag M >= 5 τ(M) (Sokal 1997; from memory).
    """
    n = len(y)
    if n < 8:
        return 1.0
    d = y - y.sum() / n
    square = float(d @ d)
    if square <= 0:
        return 1.0
    tau = 1.0
    for lag in range(min(_FIRST_LAGS, n // 2)):
        if lag:
            tau += 2 * float(d[lag:] @ d[:-lag]) / square
        if lag >= 5 * tau:
            return max(1.0, tau)
    if n // 2 <= _FIRST_LAGS:
        return max(1.0, tau)
    size = 1 << (2 * n - 1).bit_length()
    f = np.fft.rfft(d, size)
    rho = np.fft.irfft(f * np.conj(f), size)[: n // 2] / square
    taus = 2 * np.cumsum(rho) - 1
    stop = np.nonzero(np.arange(len(taus)) >= 5 * taus)[0]
    return max(1.0, float(taus[stop[0] if len(stop) else -1]))


def next_to_next(left: np.ndarray, fitted: int) -> float:
    """Correlation φ >= 0 of evenly spaced residuals from one to the next, freed of what fitting
    took from it: of a mean (`fitted` 1) E r₁ = φ − (1 + 3φ)/n (Kendall 1954; from memory), of a
    parabola (3) about φ − (4 + 9φ)/n, found by simulation.
    """
    n, square = len(left), float(left @ left)
    if n < 4 or square <= 0:
        return 0.0
    first = float(left[1:] @ left[:-1]) / square
    constant, slope = (1.0, 3.0) if fitted == 1 else (4.0, 9.0)
    return min(max((n * first + constant) / max(n - slope, n / 2), 0.0), 0.98)


def _at_most(phi: float, n: int) -> float:
    """A correlation that n samples show, as it may be too: few that hang together show too little
    of it, and what is then taken for many samples is one. Half its standard error more, of 20
    samples or fewer; by simulation.
    """
    if phi <= 1 / math.sqrt(n):
        return phi
    more = 0.5 * min(1.0, 20 / n) * math.sqrt(max(1 - phi * phi, 0.0) / n)
    return min(phi + more, 0.98)


_FEW = 5  # samples, fewer do not know their own scatter


def mean_with_uncertainty(
    y: np.ndarray, known: np.ndarray | None = None
) -> tuple[float, float, float]:
    """(mean, standard uncertainty, effective sample size) of a steady signal; never s/√N of raw
    samples.

    y: shape (n,), NaN left out; known: the block means of a course that is no noise, taken off
    before the scatter is judged. u² = s² τ/n of the block means, τ their integrated autocorrelation
    time, or (1 + φ)/(1 − φ) of noise of first order where that is longer: a short signal shows too
    little of it. s is freed of what the mean followed (n − τ in place of n). u is infinite where
    fewer than five samples scatter.
    """
    blocks = block_means(y)
    flat = blocks if known is None else blocks - known
    good = ~np.isnan(blocks)
    if not good.all():
        blocks, flat = blocks[good], flat[good]
    n = len(blocks)
    if n == 0:
        return math.nan, math.nan, 0.0
    mean = float(blocks.sum()) / n
    if n < 2:
        return mean, math.inf, 1.0
    left = flat - flat.sum() / n
    phi = _at_most(next_to_next(left, 1), n)
    tau = max(autocorrelation_time(flat), (1 + phi) / (1 - phi))
    effective = n / tau
    scatter = math.sqrt(float(left @ left) / max(n - tau, 1.0))
    if n < _FEW and scatter > 0:
        return mean, math.inf, effective
    # with few effective samples s itself is uncertain
    u = scatter / math.sqrt(max(effective, 1.0)) * t_widening(effective - 1)
    return mean, u, effective


def unseen_between_steps(seen: np.ndarray, window: np.ndarray) -> float:
    """Standard uncertainty of a window's mean that the display's steps hide. seen: all that was
    shown, whose distinct values tell the steps; shape (n,).

    A figure that stands still is somewhere within its step, a/√12 (JCGM 100:2008, F.2.2.1); noise
    of σ carries the mean across the steps, and leaves exp(−2π² σ²/a²) of that (Widrow; from
    memory).
    """
    some = _first(seen)
    apart = np.diff(np.sort(some))
    apart = apart[apart > 0]  # between neighbours of the distinct values
    if len(apart) == 0 or 2 * (len(apart) + 1) > len(some):
        return 0.0
    step = float(apart[apart > 1e-9 * float(np.ptp(some))].min())
    shown = _first(window, len(window))
    low, high = shown.min(), shown.max()
    if not ((shown != low) & (shown != high)).any():  # two do not tell how much noise there is
        return step / math.sqrt(12)
    noise = max(float(shown.var()) - step**2 / 12, 0.0)
    return step / math.sqrt(12) * math.exp(-2 * math.pi**2 * noise / step**2)


def _first(values: np.ndarray, most: int = _MOST_BLOCKS) -> np.ndarray:
    """The first that are there."""
    holes = np.isnan(values[:most])
    if not holes.any():
        return values[:most]
    there: np.ndarray = values[~np.isnan(values)][:most]
    return there


_MOST_IN_A_FIT = 400


def parabola(
    t: np.ndarray, y: np.ndarray, time_constant: float = math.inf
) -> tuple[float, float, float, float]:
    """(value, slope, their standard uncertainties) in the middle of the span, of the parabola
    through y by least squares.

    t, y: shape (n,), n >= 4, without NaN; time_constant [s]: of what follows an exponential about,
    which is then no bend: the parabola is one of τ (1 − exp(−t/τ)). The uncertainties are those of
    noise of first order, of the correlation that the residuals show; with few effective points they
    are widened as the t-distribution asks.
    """
    middle = (t[0] + t[-1]) / 2
    t, y = block_means(t, _MOST_IN_A_FIT), block_means(y, _MOST_IN_A_FIT)
    n, x = len(y), t - middle
    if math.isfinite(time_constant):
        x = -time_constant * np.expm1(-x / time_constant)
    X = np.column_stack([np.ones_like(x), x, x * x])
    through = np.linalg.pinv(X)
    coefficients = through @ y
    left = y - X @ coefficients
    phi = next_to_next(left, 3)
    V = phi ** np.abs(np.subtract.outer(np.arange(n), np.arange(n)))
    covariance = through @ V @ through.T
    # what is left of the noise's variance beside the parabola
    freedom = n - float(np.trace(X @ through @ V))
    square = float(left @ left) / max(freedom, 1e-3 * n)
    widen = t_widening((n - 3) * (1 - phi) / (1 + phi))
    return (
        float(coefficients[0]),
        float(coefficients[1]),
        widen * math.sqrt(square * covariance[0, 0]),
        widen * math.sqrt(square * covariance[1, 1]),
    )


def middle_with_uncertainty(t: np.ndarray, y: np.ndarray) -> tuple[float, float, float]:
    """(value in the middle of the span, standard uncertainty, readings) of a signal that runs
    through it.
    """
    good = ~np.isnan(y)
    if good.sum() < 4:
        return math.nan, math.nan, 0.0
    value, _, u, _ = parabola(t[good], y[good])
    return value, u, float(good.sum())


def find_window(
    t: np.ndarray,
    y: np.ndarray,
    settle: float,
    measure: float,
    known: Callable[[np.ndarray], np.ndarray] | None = None,
) -> Window:
    """The longest stretch after `settle` [s] in which the slope of y is not significant.

    t, y: shape (n,), the drive being on throughout; known: a course of y [its unit] over the time
    that no waiting ends, taken off, of which half as much again may be left. A slope counts as
    significant when it exceeds twice its standard uncertainty (autocorrelation counted) and moves
    the mean by more than `NEGLIGIBLE_DRIFT`. Where no stretch of at least `measure` [s] passes, the
    last `measure` is returned, marked as not steady where its slope is beyond three times its
    uncertainty and `NOTABLE_DRIFT`. Raises ValueError when the recording is shorter than `settle`
    and a few samples.
    """
    tb, yb = block_means(t, _SEARCH_BLOCKS), block_means(y, _SEARCH_BLOCKS)
    course = np.zeros(len(yb)) if known is None else block_means_of(known, t, _SEARCH_BLOCKS)
    keep = (tb >= t[0] + settle) & ~np.isnan(yb)
    tb, yb, course = tb[keep], yb[keep] - course[keep], course[keep]
    n = len(tb)
    if n < 5:
        raise ValueError(
            f"only {t[-1] - t[0]:.2f} s recorded under drive; after {settle:g} s of "
            "settling nothing is left to measure"
        )
    step = (tb[-1] - tb[0]) / (n - 1)
    least = min(n, max(5, math.ceil(measure / step)))
    half = yb[n // 2 :]
    ramp = np.arange(len(half)) - (len(half) - 1) / 2
    slope_half = float((ramp * half).sum() / max((ramp**2).sum(), 1e-300))
    flat = half - slope_half * ramp
    phi = next_to_next(flat - flat.mean(), 1)
    tau = max(autocorrelation_time(flat), (1 + phi) / (1 - phi))
    sums = [np.concatenate([[0.0], np.cumsum(v)]) for v in (tb, yb, tb * tb, tb * yb, yb * yb)]

    best = None
    length = n
    while True:
        i = np.arange(n - length + 1)
        st, sy, stt, sty, syy = (s[i + length] - s[i] for s in sums)
        sxx = stt - st * st / length
        sxy = sty - st * sy / length
        slope = sxy / sxx
        residual = np.maximum(syy - sy * sy / length - slope * sxy, 0.0) / (length - 2)
        u = np.sqrt(residual * tau / sxx)
        span = step * length
        level = np.maximum(np.abs(sy / length), 1e-300)
        left = np.abs(course[length - 1 :] - course[: n - length + 1]) / (2 * level)
        drift = np.abs(slope) * span / level
        ok = (np.abs(slope) <= 2 * u) | (drift <= NEGLIGIBLE_DRIFT + left)
        if ok.any():
            pick = int(i[ok][np.argmin(drift[ok])])
            best = (pick, length, True, float(drift[pick]))
            break
        if length == least:
            small = abs(slope[-1]) <= 3 * u[-1] or drift[-1] <= NOTABLE_DRIFT + left[-1]
            best = (n - length, length, bool(small), float(drift[-1]))
            break
        length = max(least, min(length - 1, math.floor(length * 0.96)))
    first, length, steady, drift_found = best
    last = first + length - 1
    return Window(
        float(tb[first] - step / 2),
        float(tb[last] + step / 2),
        steady and length >= least,
        drift_found,
    )


def powered_spans(
    t: np.ndarray,
    voltage: np.ndarray | None,
    current: np.ndarray | None,
    speed: np.ndarray | None,
    least: float = 0.4,
) -> list[tuple[float, float]]:
    """Spans [s] in which the drive lifts: forward voltage, or (lacking it) current, or (lacking
    both) speed above a quarter of its most.

    The last sample of a span is left out: the drive may have gone off within it. Spans shorter than
    `least` [s] are left out. Lowering (drive reversed) is no lift.
    """
    tb = block_means(t, 20_000)
    on = np.zeros(len(tb), bool)
    # the first that is there: a load that drives it back makes a current when the volts have gone
    signal = next((s for s in (voltage, current, speed) if s is not None), None)
    if signal is not None:
        b = np.nan_to_num(block_means(signal, 20_000))
        if (most := _nearly_most(b)) > 0:
            on = b > 0.25 * most
    if voltage is not None:
        on &= b >= 0
    edges = np.diff(np.concatenate([[0], on.astype(np.int8), [0]]))
    starts, stops = np.nonzero(edges == 1)[0], np.nonzero(edges == -1)[0]
    if len(starts) > 1 and voltage is not None:
        # a chopped supply is off between two pulses, and the drive is on all the same; without
        # volts a load drives it back
        fed = np.array([b[i:j].max() > 0.25 * most for i, j in zip(starts, stops, strict=True)])
        apart = (tb[starts[1:]] - tb[stops[:-1] - 1] > _CHOPPED) | ~fed[1:]
        starts, stops = (
            starts[np.concatenate([[True], apart])],
            stops[np.concatenate([apart, [True]])],
        )
    # of neighbours: a clock that runs on in pauses nobody logged makes their mean long
    step = median_of(np.diff(tb)) if len(tb) > 1 else 0.0
    return [
        (float(tb[i] - step / 2), float(tb[j - 1] - step / 2))
        for i, j in zip(starts, stops, strict=True)
        if tb[j - 1] - tb[i] >= least
    ]


def _nearly_most(values: np.ndarray) -> float:
    """What two in a hundred of the values exceed: single spikes do not set the scale."""
    if len(values) == 0:
        return 0.0
    place = int(0.98 * (len(values) - 1))
    return float(np.partition(values, place)[place])
