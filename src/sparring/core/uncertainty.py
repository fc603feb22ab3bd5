"""Law of propagation of uncertainty (JCGM 100:2008): values that remember what they came from, and their budgets.

The propagation itself is the `uncertainties` library's (first order, correlations through shared inputs kept);
the tests hold it against JCGM 101 Monte Carlo.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from sparring.core.quantity import Measured

__all__ = ["LineFit", "Share", "budget", "cosine", "fit_line", "from_measured", "mean_of", "nominal", "std", "ufloat"]


class Share(NamedTuple):
    """One input's part in a result: standard uncertainty it causes [result's unit] and its share of the variance."""

    name: str
    u: float
    share: float


def ufloat(value: float, u: float, tag: str) -> Any:
    """A new independent input; without uncertainty, a plain float."""
    if not u > 0:
        return float(value)
    from uncertainties import ufloat as independent  # when first wanted: no window waits for it

    return independent(value, u, tag)


def from_measured(m: Measured, tag: str) -> Any:
    """A new independent input named `tag`."""
    return ufloat(m.value, m.u, tag)


def nominal(x: Any) -> float:
    return float(getattr(x, "nominal_value", x))


def std(x: Any) -> float:
    return float(getattr(x, "std_dev", 0.0))


def cosine(angle: Any) -> Any:
    """cos of an angle [rad] with or without uncertainty."""
    if hasattr(angle, "nominal_value"):
        from uncertainties import umath

        return umath.cos(angle)
    return math.cos(float(angle))


def budget(x: Any) -> list[Share]:
    """Inputs of `x`, largest first. Inputs of the same name (one per repeat, say) are one line."""
    variances: dict[str, float] = {}
    for variable, part in getattr(x, "error_components", dict)().items():
        name = variable.tag or "unnamed"
        variances[name] = variances.get(name, 0.0) + part**2
    total = sum(variances.values())
    rows = [Share(name, math.sqrt(v), v / total) for name, v in variances.items() if v > 0]
    return sorted(rows, key=lambda row: -row.u)


def mean_of(xs: Sequence[Any]) -> Any:
    """Plain mean, correlations kept."""
    return sum(xs[1:], start=xs[0]) / len(xs)


class LineFit(NamedTuple):
    """y = intercept + slope (x − x0) by least squares; the two carry their covariance. scatter: residual SD."""

    intercept: Any
    slope: Any
    x0: float
    scatter: float
    residuals: np.ndarray

    def __call__(self, x: Any) -> Any:
        return self.intercept + self.slope * (x - self.x0)


def fit_line(x: np.ndarray, y: np.ndarray, x0: float = 0.0, tag: str = "line") -> LineFit:
    """Ordinary least squares with the covariance from the scatter (JCGM 100:2008, H.3). x, y: shape (n,), n >= 3.

    Raises ValueError with fewer than three points, or all at one x.
    """
    n = len(x)
    if n < 3:
        raise ValueError(f"a line with uncertainty needs at least 3 points, not {n}")
    d = np.asarray(x, float) - x0
    y = np.asarray(y, float)
    D = n * (d**2).sum() - d.sum() ** 2
    if 1e-12 * n * (d**2).sum() >= D:
        raise ValueError("all points lie at one place; the slope cannot be known")
    slope = float((n * (d * y).sum() - d.sum() * y.sum()) / D)
    intercept = (y.sum() - slope * d.sum()) / n
    residuals = y - intercept - slope * d
    s2 = float((residuals**2).sum() / (n - 2))
    covariance = s2 / D * np.array([[(d**2).sum(), -d.sum()], [-d.sum(), n]])
    if s2 > 0:
        from uncertainties import correlated_values

        a, b = correlated_values([intercept, slope], covariance, tags=[f"{tag}: zero", f"{tag}: slope"])
    else:
        a, b = float(intercept), slope
    return LineFit(a, b, x0, math.sqrt(s2), residuals)
