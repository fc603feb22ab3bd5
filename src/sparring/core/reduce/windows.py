"""Steady windows: where a recording may be averaged, and how well the average is known.

Everything is decided on block means, so ten million samples cost little more than reading them
once.
"""

from __future__ import annotations

import math
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


def autocorrelation_time(y: np.ndarray) -> float:
    """Integrated autocorrelation time τ = 1 + 2 Σ ρ_k of evenly spaced values, in samples, >= 1.

    The sum stops at the first lag M >= 5 τ(M) (Sokal 1997; from memory).
    """
    n = len(y)
    d = y - y.mean()
    variance = float((d * d).mean())
    if n < 8 or variance <= 0:
        return 1.0
    size = 1 << (2 * n - 1).bit_length()
    f = np.fft.rfft(d, size)
    rho = np.fft.irfft(f * np.conj(f), size)[: n // 2] / (variance * n)
    tau = 2 * np.cumsum(rho) - 1
    stop = np.nonzero(np.arange(len(tau)) >= 5 * tau)[0]
    return max(1.0, float(tau[stop[0] if len(stop) else -1]))


def mean_with_uncertainty(y: np.ndarray) -> tuple[float, float, float]:
    """(mean, standard uncertainty, effective sample size) of a steady signal; never s/√N of raw
    samples.

    y: shape (n,), NaN left out. u² = s² τ/n of the block means, τ their integrated autocorrelation
    time.
    """
    blocks = block_means(y)
    blocks = blocks[~np.isnan(blocks)]
    if len(blocks) == 0:
        return math.nan, math.nan, 0.0
    mean = float(blocks.mean())
    if len(blocks) < 2:
        return mean, math.inf, 1.0
    effective = len(blocks) / autocorrelation_time(blocks)
    # with few effective samples s itself is uncertain
    widen = t_widening(effective - 1)
    u = float(blocks.std(ddof=1)) / math.sqrt(effective) * widen
    return mean, u, effective


def parabola(t: np.ndarray, y: np.ndarray) -> tuple[float, float, float, float]:
    """(value, slope, their standard uncertainties) in the middle of the span, of the parabola
    through y by least squares.

    t, y: shape (n,), n >= 4, without NaN. With few points the uncertainties are widened as the
    t-distribution asks.
    """
    x = t - (t[0] + t[-1]) / 2
    X = np.column_stack([np.ones_like(x), x, x * x])
    coefficients, *_ = np.linalg.lstsq(X, y, rcond=None)
    left = y - X @ coefficients
    freedom = max(len(y) - 3, 1)
    widen = t_widening(freedom)
    covariance = np.linalg.pinv(X.T @ X) * float(left @ left) / freedom
    return (
        float(coefficients[0]),
        float(coefficients[1]),
        widen * math.sqrt(covariance[0, 0]),
        widen * math.sqrt(covariance[1, 1]),
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


def find_window(t: np.ndarray, y: np.ndarray, settle: float, measure: float) -> Window:
    """The longest stretch after `settle` [s] in which the slope of y is not significant.

    t, y: shape (n,), the drive being on throughout. A slope counts as significant when it exceeds
    twice its standard uncertainty (autocorrelation counted) and moves the mean by more than
    `NEGLIGIBLE_DRIFT`. Where no stretch of at least `measure` [s] passes, the last `measure` is
    returned, marked as not steady. Raises ValueError when the recording is shorter than `settle`
    and a few samples.
    """
    tb, yb = block_means(t, _SEARCH_BLOCKS), block_means(y, _SEARCH_BLOCKS)
    keep = (tb >= t[0] + settle) & ~np.isnan(yb)
    tb, yb = tb[keep], yb[keep]
    n = len(tb)
    if n < 5:
        raise ValueError(
            f"only {t[-1] - t[0]:.2f} s recorded under drive; {settle:g} s to settle leave nothing"
            " to measure"
        )
    step = (tb[-1] - tb[0]) / (n - 1)
    least = min(n, max(5, math.ceil(measure / step)))
    half = yb[n // 2 :]
    ramp = np.arange(len(half)) - (len(half) - 1) / 2
    slope_half = float((ramp * half).sum() / max((ramp**2).sum(), 1e-300))
    tau = autocorrelation_time(half - slope_half * ramp)
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
        drift = np.abs(slope) * span / np.maximum(np.abs(sy / length), 1e-300)
        ok = (np.abs(slope) <= 2 * u) | (drift <= NEGLIGIBLE_DRIFT)
        if ok.any():
            pick = int(i[ok][np.argmin(drift[ok])])
            best = (pick, length, True, float(drift[pick]))
            break
        if length == least:
            best = (n - length, length, False, float(drift[-1]))
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
    """Spans [s] in which the drive lifts: forward voltage, or current, or (lacking both) speed
    above a quarter of its most.

    The last sample of a span is left out: the drive may have gone off within it. Spans shorter than
    `least` [s] are left out. Lowering (drive reversed) is no lift.
    """
    tb = block_means(t, 20_000)
    on = np.zeros(len(tb), bool)
    for signal in (voltage, current) if voltage is not None or current is not None else (speed,):
        if signal is None:
            continue
        b = np.nan_to_num(block_means(signal, 20_000))
        if (most := _nearly_most(b)) > 0:
            on |= b > 0.25 * most
    if voltage is not None:
        on &= np.nan_to_num(block_means(voltage, 20_000)) >= 0
    edges = np.diff(np.concatenate([[0], on.astype(np.int8), [0]]))
    starts, stops = np.nonzero(edges == 1)[0], np.nonzero(edges == -1)[0]
    if len(starts) > 1 and voltage is not None:
        # a chopped supply is off between two pulses, and the drive is on all the same; without
        # volts a load drives it back
        b = np.nan_to_num(block_means(voltage, 20_000))
        most = _nearly_most(b)
        fed = np.array([b[i:j].max() > 0.25 * most for i, j in zip(starts, stops, strict=True)])
        apart = (tb[starts[1:]] - tb[stops[:-1] - 1] > _CHOPPED) | ~fed[1:]
        starts, stops = (
            starts[np.concatenate([[True], apart])],
            stops[np.concatenate([apart, [True]])],
        )
    # of neighbours: a clock that runs on in pauses nobody logged makes their mean long
    step = float(np.median(np.diff(tb))) if len(tb) > 1 else 0.0
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
