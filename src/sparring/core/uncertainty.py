"""Law of propagation of uncertainty (JCGM 100:2008): inputs, means, lines, and budgets.

The tests hold it against JCGM 101 Monte Carlo and against a reference library.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple, TypeAlias

import numpy as np

from sparring.core.input_quantity import declare, words
from sparring.core.propagation import Input, Propagated, covariance, value_of
from sparring.core.quantity import Measured

__all__ = [
    "Input",
    "LineFit",
    "Propagated",
    "Share",
    "Uncertain",
    "budget",
    "cosine",
    "covariance",
    "fit_line",
    "from_measured",
    "linear",
    "logarithm",
    "mean_of",
    "means_of",
    "nominal",
    "second_order",
    "std",
    "t_widening",
    "ufloat",
    "unexplained",
]

Uncertain: TypeAlias = Any
"""A number with or without uncertainty: a float, or a Propagated. They share no type; `nominal` and
`std` take it apart.
"""


class Share(NamedTuple):
    """One input's part in a result: standard uncertainty it causes [result's unit] and its share of
    the variance. id: the input's tag; name: in words.
    """

    id: str
    name: str
    u: float
    share: float


def ufloat(value: float, u: float, tag: str) -> Uncertain:
    """A new independent input; without uncertainty, a plain float."""
    return Input(float(value), float(u), tag) if u > 0 else float(value)


def from_measured(m: Measured, tag: str) -> Uncertain:
    """A new independent input named `tag`."""
    return ufloat(m.value, m.u, tag)


def nominal(x: Uncertain) -> float:
    return value_of(x)


def std(x: Uncertain) -> float:
    return x.u if isinstance(x, Propagated) else 0.0


def linear(terms: Sequence[tuple[float, Uncertain]], constant: float = 0.0) -> Uncertain:
    """constant + Σ c x of (c, x), made at once: a fraction of the time that it takes term by
    term.
    """
    value = constant + sum(c * nominal(x) for c, x in terms)
    slopes: dict[Input, float] = {}
    for c, x in terms:
        if isinstance(x, Propagated):
            for i, s in x.slopes.items():
                slopes[i] = slopes.get(i, 0.0) + c * s
    return Propagated(value, slopes) if slopes else value


def cosine(angle: Uncertain) -> Uncertain:
    """cos of an angle [rad] with or without uncertainty, to the second order: near φ = 0 the first
    says nothing, and the mean of cos φ is 1 − u²/2 (JCGM 100:2008, F.2.4.4).
    """
    if isinstance(angle, Propagated):
        u2, level = angle.u**2, math.cos(angle.value)
        first = angle.times(-math.sin(angle.value), level)
        return first * (1 - u2 / 2) + level * u2 / math.sqrt(2) * second_order(angle)
    return math.cos(float(angle))


def sine(angle: Uncertain) -> Uncertain:
    """sin of an angle [rad] with or without uncertainty, to the first order, which is all there is
    of it near 0.
    """
    if isinstance(angle, Propagated):
        return angle.times(math.cos(angle.value), math.sin(angle.value))
    return math.sin(float(angle))


@lru_cache(maxsize=256)
def second_order(angle: Any) -> Uncertain:
    """What the second order of a cosine adds about its mean, in units of cos φ u²/√2: one input for
    one angle.
    """
    return ufloat(0.0, 1.0, _SECOND_ORDER.of(str(angle.tag).rpartition(".")[2]))


def logarithm(x: Uncertain) -> Uncertain:
    """Natural logarithm of a number above zero with or without uncertainty."""
    if isinstance(x, Propagated):
        return x.times(1 / x.value, math.log(x.value))
    return math.log(float(x))


def budget(x: Uncertain) -> list[Share]:
    """Inputs of `x`, largest first. Inputs of the same name (one per repeat, say) are one line."""
    variances: dict[str, float] = {}
    for i, part in (x.parts() if isinstance(x, Propagated) else {}).items():
        variances[i.tag] = variances.get(i.tag, 0.0) + part**2
    total = sum(variances.values())
    rows = [
        Share(tag, words(tag), math.sqrt(v), v / total)
        for tag, v in variances.items()
        if v > _ROUNDING * total
    ]
    return sorted(rows, key=lambda row: (-float(f"{row.u:.9g}"), row.name))


_ROUNDING = 1e-24
"""Part of a variance that is what is left of an input that cancelled."""


@lru_cache(maxsize=4096)
def t_widening(freedom: float) -> float:
    """t₉₅.₄₅(ν)/2: by how much a standard uncertainty from ν degrees of freedom is widened so that
    twice of it holds the truth as often as Student's t says (JCGM 100:2008, G.3; 6.98 for one
    degree, 2.26 for two, 1.14 for ten). Fewer than one count as one.
    """
    from scipy.special import stdtrit  # when first wanted: no window waits for it

    return float(stdtrit(max(freedom, 1.0), _WITHIN_TWO)) / 2


def unexplained(left: np.ndarray, own: Sequence[float], freedom: int) -> float:
    """Standard uncertainty of each point by which a fit is left beyond the points' own, widened for
    few; 0 where chance explains it (χ² below its 95 % point), or nothing is left to tell.

    left: residuals; own: variances of the points, in the same order; freedom: points less
    parameters.
    """
    if freedom < 1:
        return 0.0
    from scipy.special import chdtri  # when first wanted: no window waits for it

    expected, seen = float(np.mean(own)), float((np.asarray(left) ** 2).sum()) / freedom
    if seen <= expected * float(chdtri(freedom, 0.05)) / freedom:
        return 0.0
    return math.sqrt(seen - expected) * t_widening(freedom)


_WITHIN_TWO = 0.5 + 0.5 * math.erf(math.sqrt(2.0))
"""Part of a normal distribution below two standard deviations."""


def mean_of(xs: Sequence[Uncertain]) -> Uncertain:
    """Plain mean, correlations kept."""
    return sum(xs[1:], start=xs[0]) / len(xs)


def means_of(
    figures: Mapping[str, Sequence[Uncertain]], alone: Callable[[str], bool]
) -> dict[str, Uncertain]:
    """The plain mean of each figure over the same repeats, correlations kept, also those between
    the figures.

    alone: tells by its tag whether an input belongs to one repeat alone. Of those of a tag, many
    repeats leave as many as there are figures: independent ones of the same covariance (JCGM 102,
    6.2.1.3), however many repeats there were.
    """
    slopes: list[dict[Input, float]] = [{} for _ in figures]
    parts: dict[str, dict[Input, list[float]]] = {}  # tag -> input -> what it adds to each figure
    for k, xs in enumerate(figures.values()):
        for x in xs:
            for variable, slope in (x.slopes if isinstance(x, Propagated) else {}).items():
                if alone(variable.tag):
                    row = parts.setdefault(variable.tag, {}).setdefault(
                        variable, [0.0] * len(slopes)
                    )
                    row[k] += slope / len(xs)
                else:
                    slopes[k][variable] = slopes[k].get(variable, 0.0) + slope / len(xs)
    for tag, rows in parts.items():
        matrix = np.array([*rows.values()]).T  # figures × inputs
        variables = [*rows]
        if len(variables) > len(slopes):
            scaled = matrix * [v.own_u for v in variables]
            size, direction = np.linalg.eigh(scaled @ scaled.T)
            kept = size > size[-1] * 1e-14
            matrix = direction[:, kept] * np.sqrt(size[kept])
            variables = [Input(0.0, 1.0, tag) for _ in range(matrix.shape[1])]
        for own, row in zip(slopes, matrix, strict=True):
            own |= {v: float(slope) for v, slope in zip(variables, row, strict=True) if slope}
    means = {}
    for (name, xs), own in zip(figures.items(), slopes, strict=True):
        mean = math.fsum(nominal(x) for x in xs) / len(xs)
        means[name] = Propagated(mean, own) if own else mean
    return means


_SECOND_ORDER = declare("second-order", "{0} near square, second order", "rig")


class LineFit(NamedTuple):
    """y = intercept + slope (x − x0) by least squares; the two carry their covariance. scatter:
    residual SD.
    """

    intercept: Uncertain
    slope: Uncertain
    x0: float
    scatter: float
    residuals: np.ndarray

    def __call__(self, x: Uncertain) -> Uncertain:
        return self.intercept + self.slope * (x - self.x0)

    def widened(self) -> LineFit:
        """With the doubt that few points leave of their own scatter."""
        wider = t_widening(len(self.residuals) - 2)
        intercept, slope = (
            nominal(v) + wider * (v - nominal(v)) for v in (self.intercept, self.slope)
        )
        return self._replace(intercept=intercept, slope=slope)


def fit_line(
    x: np.ndarray,
    y: np.ndarray,
    x0: float = 0.0,
    inputs: tuple[str, str] = ("line.zero", "line.slope"),
) -> LineFit:
    """Ordinary least squares with the covariance from the scatter (JCGM 100:2008, H.3). x, y: shape
    (n,), n >= 3; inputs: tags of intercept and slope.

    Raises ValueError with fewer than three points, or all at one x.
    """
    n = len(x)
    if n < 3:
        raise ValueError(f"a line with uncertainty needs at least 3 points, not {n}")
    d = np.asarray(x, float) - x0
    y = np.asarray(y, float)
    middle = float(d.mean())
    across = float(((d - middle) ** 2).sum())
    if across <= 1e-12 * float((d**2).sum()):
        raise ValueError("all points coincide; the slope cannot be determined")
    slope, level = float(((d - middle) * y).sum()) / across, float(y.mean())
    residuals = y - level - slope * (d - middle)
    s2 = float((residuals**2).sum() / (n - 2))
    # the level in the middle of the points and the slope are two inputs that do not depend on each
    # other; the intercept follows from both
    b = ufloat(slope, math.sqrt(s2 / across), inputs[1])
    a = ufloat(level, math.sqrt(s2 / n), inputs[0]) - b * middle
    return LineFit(a, b, x0, scatter=math.sqrt(s2), residuals=residuals)
