"""Weibull's distribution of lives, some of them censored (still running, or ended otherwise).

Two parameters, by maximum likelihood (SciPy's, with censored data); bounds where the likelihood of
shape and a quantile falls so far (likelihood ratio; Meeker and Escobar, Statistical Methods for
Reliability Data, 1998; IEC 61649:2008 names both). With few failures the usual χ² asks for too
little: the critical value is then simulated from specimens of the same number and failures, for
which the ratio does not depend on the true life (exact where a test ends at its last failure).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np

LEAST = 2
"""Failures below which there is no line."""
_CHI = 3.841458820694124  # χ² of one degree of freedom at 95 %
_SIMULATED = 4000
_STEEPNESS = 0.02, 500.0  # shapes looked at
_WIDEST = 1e4  # factor on either side of a figure to look for its bound


class Bound(NamedTuple):
    """A figure with bounds of 95 %; usual: the bounds by χ² (without the few-specimens
    correction).
    """

    value: float
    low: float
    high: float
    usual: tuple[float, float]


@dataclass(frozen=True)
class Fit:
    """shape β, scale η [unit of the lives] and the lives that 10 and 50 % do not reach. critical:
    by which the likelihood ratio is cut; left: log likelihood; ranks: (life, median rank) of each
    failure.
    """

    n: int
    failures: int
    shape: Bound
    scale: Bound
    b10: Bound
    b50: Bound
    critical: dict[str, float]
    ranks: tuple[tuple[float, float], ...]
    log_likelihood: float

    def life(self, part: float) -> float:
        """The life that a part of all does not reach."""
        return float(self.scale.value * (-math.log1p(-part)) ** (1 / self.shape.value))


def fit(lives: Sequence[float], failed: Sequence[bool]) -> Fit:
    """Raises ValueError for lives that are none, and for fewer than two different failures: see
    `few`.
    """
    return _fit(tuple(lives), tuple(failed))


@lru_cache(maxsize=64)  # a page asks for the same one whenever it is shown
def _fit(lives: tuple[float, ...], failed: tuple[bool, ...]) -> Fit:
    from scipy.stats import CensoredData, weibull_min

    t, f = np.asarray(lives, float), np.asarray(failed, bool)
    if len(t) != len(f):
        raise ValueError(f"{len(t)} lives, but {len(f)} of them said to have failed or not")
    if len(t) == 0 or not np.isfinite(t).all() or (t <= 0).any():
        raise ValueError("a life is a number above zero")
    if f.sum() < LEAST or len(np.unique(t[f])) < 2:
        raise ValueError(f"{int(f.sum())} failures at different lives; a line needs two or more")
    middle = float(np.exp(np.log(t).mean()))
    x = t / middle  # near 1 for the search
    data = CensoredData(uncensored=x[f], right=x[~f])
    shape, _, _ = weibull_min.fit(data, floc=0)
    shape = _polished(x, f, float(shape))
    scale = _scale_at(x, f, shape)
    best = float(_profile(x[None], f[None], None, np.array([shape]))[0])
    r = int(f.sum())
    critical = {name: critical_ratio(len(t), r, part) for name, part in _PARTS.items()}
    bounds = {
        name: _bounds(x, f, shape, scale, best, part=part, critical=critical[name], unit=middle)
        for name, part in _PARTS.items()
    }
    return Fit(
        len(t),
        r,
        bounds["shape"],
        bounds["scale"],
        bounds["b10"],
        bounds["b50"],
        critical,
        median_ranks(t, f),
        best - r * math.log(middle),
    )


_PARTS: dict[str, float | None] = {"shape": None, "scale": 1 - math.exp(-1), "b10": 0.1, "b50": 0.5}
"""What is bounded: the part that does not reach it; None: the shape."""


def _polished(t: np.ndarray, failed: np.ndarray, start: float) -> float:
    """The shape to the last digits: Newton on its likelihood equation."""
    return float(_shapes(t[None], failed[None], np.array([start]))[0])


def _shapes(t: np.ndarray, failed: np.ndarray, start: np.ndarray) -> np.ndarray:
    """Shapes of many samples (m, n) at once: Σ t^β ln t/Σ t^β − 1/β = mean ln t of the failures."""
    log = np.log(t)
    mean = (log * failed).sum(axis=1) / failed.sum(axis=1)
    shape = start.copy()
    for _ in range(60):
        w = np.exp(shape[:, None] * (log - log.max(axis=1, keepdims=True)))
        a, b, c = w.sum(axis=1), (w * log).sum(axis=1), (w * log**2).sum(axis=1)
        miss = b / a - 1 / shape - mean
        slope = (c * a - b**2) / a**2 + 1 / shape**2
        new = np.clip(shape - miss / slope, shape / 3, shape * 3)
        shape = np.clip(new, *_STEEPNESS)
        if np.max(np.abs(miss / slope) / shape) < 1e-12:
            break
    return shape


def _scale_at(t: np.ndarray, failed: np.ndarray, shape: float) -> float:
    return float((np.power(t, shape).sum() / failed.sum()) ** (1 / shape))


def _profile(
    t: np.ndarray, failed: np.ndarray, part: float | None, value: np.ndarray
) -> np.ndarray:
    """Greatest log likelihood of many samples (m, n) with the figure held at `value` (m,): the
    shape itself, or the life that `part` does not reach.
    """
    log = np.log(t)
    r = failed.sum(axis=1)
    sums = (log * failed).sum(axis=1)
    if part is None:
        shape = value
        most = log.max(axis=1)  # scale^shape = Σ t^shape/r, by its greatest term
        power = np.exp(shape[:, None] * (log - most[:, None])).sum(axis=1)
        grown = shape * most + np.log(power)
        return np.asarray(r * (np.log(shape * r) - grown) + (shape - 1) * sums - r)
    c = -math.log1p(-part)
    z = log - np.log(value)[:, None]  # at the quantile t^β/η^β = c
    sum_z = (z * failed).sum(axis=1)

    def of(shape: np.ndarray) -> np.ndarray:
        with np.errstate(over="ignore"):
            power = np.exp(np.minimum(shape[:, None] * z, 700.0)).sum(axis=1)
        return np.asarray(r * (np.log(shape) + math.log(c)) + shape * sum_z - sums - c * power)

    # golden section over the shape's logarithm: one maximum
    low, high = (np.full(len(value), math.log(x)) for x in _STEEPNESS)
    ratio = (math.sqrt(5) - 1) / 2
    a, b = high - ratio * (high - low), low + ratio * (high - low)
    fa, fb = of(np.exp(a)), of(np.exp(b))
    for _ in range(48):
        left = fa > fb
        low, high = np.where(left, low, a), np.where(left, b, high)
        new = np.where(left, high - ratio * (high - low), low + ratio * (high - low))
        f_new = of(np.exp(new))
        a, fa, b, fb = (
            np.where(left, new, b),
            np.where(left, f_new, fb),
            np.where(left, a, new),
            np.where(left, fa, f_new),
        )
    return np.asarray(np.maximum(fa, fb))


def _bounds(
    t: np.ndarray,
    failed: np.ndarray,
    shape: float,
    scale: float,
    best: float,
    *,
    part: float | None,
    critical: float,
    unit: float,
) -> Bound:
    at = shape if part is None else scale * (-math.log1p(-part)) ** (1 / shape)
    times = 1.0 if part is None else unit

    def gone_down(log_values: np.ndarray) -> np.ndarray:
        """Twice how far the likelihood has fallen at each value."""
        m = len(log_values)
        shown = np.broadcast_to(t, (m, len(t))), np.broadcast_to(failed, (m, len(t)))
        return 2 * (best - _profile(*shown, part, np.exp(log_values)))

    def bound(side: float, cut: float) -> float:
        near, far = math.log(at), math.log(at) + side * math.log(_WIDEST)
        for _ in range(4):  # each look at a hundredth of the last
            x = np.linspace(near, far, 101)
            over = np.flatnonzero(gone_down(x) > cut)
            if not len(over):
                return 0.0 if side < 0 else math.inf
            near, far = x[max(int(over[0]) - 1, 0)], x[int(over[0])]
        return times * math.exp(near)

    return Bound(
        times * at, bound(-1, critical), bound(1, critical), (bound(-1, _CHI), bound(1, _CHI))
    )


@lru_cache(maxsize=256)
def critical_ratio(n: int, failures: int, part: float | None) -> float:
    """The likelihood ratio below which 95 % of samples of n specimens, ended at so many failures,
    stay at the true figure; never below χ²'s.
    """
    if n > 200:
        return _CHI
    rng = np.random.default_rng(61649)
    t = np.sort(rng.exponential(size=(_SIMULATED, n)), axis=1)
    failed = np.zeros(t.shape, bool)
    failed[:, :failures] = True
    t[:, failures:] = t[:, failures - 1 : failures]
    shapes = _shapes(t, failed, np.full(len(t), 1.5))
    best = _profile(t, failed, None, shapes)  # with its own shape, the scale at its best
    true = np.full(len(t), 1.0 if part is None else -math.log1p(-part))
    ratio = 2 * (best - _profile(t, failed, part, true))
    return max(_CHI, float(np.quantile(ratio, 0.95)))


def median_ranks(
    lives: Sequence[float] | np.ndarray, failed: Sequence[bool] | np.ndarray
) -> tuple[tuple[float, float], ...]:
    """(life, part failed by then) of each failure: (i − 0.3)/(n + 0.4), i corrected for those taken
    out before (Johnson 1964; IEC 61649:2008).
    """
    t, f = np.asarray(lives, float), np.asarray(failed, bool)
    order = np.lexsort((~f, t))
    n, rank = len(t), 0.0
    found = []
    for k, place in enumerate(order):
        if f[place]:
            rank += (n + 1 - rank) / (1 + n - k)
            found.append((float(t[place]), (rank - 0.3) / (n + 0.4)))
    return tuple(found)
