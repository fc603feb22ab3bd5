"""Numbers that carry their slopes towards independent inputs, to the first order (JCGM 100:2008,
5.1 and 5.2): arithmetic keeps them, so whatever shares an input stays correlated.

The slopes are worked out with the value; a run's figures over its inputs are then a matrix that is
read off (`matrix_of`), not a tree that is gone through again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np


class Propagated:
    """value: the figure; slopes: what a unit more of each input adds to it. Neither is changed."""

    __slots__ = ("slopes", "value")
    __array_ufunc__ = None  # a NumPy number leaves the arithmetic to it

    def __init__(self, value: float, slopes: Mapping[Input, float]) -> None:
        self.value = value
        self.slopes = slopes

    @property
    def u(self) -> float:
        """Standard uncertainty."""
        return math.sqrt(sum((s * i.own_u) ** 2 for i, s in self.slopes.items()))

    def parts(self) -> dict[Input, float]:
        """The standard uncertainty that each input causes."""
        return {i: abs(s) * i.own_u for i, s in self.slopes.items()}

    def times(self, factor: float, value: float) -> Propagated:
        """A function of it alone. factor: its slope here; value: its value here."""
        return Propagated(value, {i: factor * s for i, s in self.slopes.items()})

    def __add__(self, other: Any) -> Propagated:
        if isinstance(other, Propagated):
            slopes = dict(self.slopes)
            for i, s in other.slopes.items():
                slopes[i] = slopes.get(i, 0.0) + s
            return Propagated(self.value + other.value, slopes)
        return Propagated(self.value + float(other), self.slopes)

    __radd__ = __add__

    def __sub__(self, other: Any) -> Propagated:
        if isinstance(other, Propagated):
            slopes = dict(self.slopes)
            for i, s in other.slopes.items():
                slopes[i] = slopes.get(i, 0.0) - s
            return Propagated(self.value - other.value, slopes)
        return Propagated(self.value - float(other), self.slopes)

    def __rsub__(self, other: Any) -> Propagated:
        return self.times(-1.0, float(other) - self.value)

    def __neg__(self) -> Propagated:
        return self.times(-1.0, -self.value)

    def __abs__(self) -> Propagated:
        return -self if self.value < 0 else self

    def __mul__(self, other: Any) -> Propagated:
        if isinstance(other, Propagated):
            return _both(self, other.value, other, self.value, self.value * other.value)
        factor = float(other)
        return self.times(factor, self.value * factor)

    __rmul__ = __mul__

    def __truediv__(self, other: Any) -> Propagated:
        if isinstance(other, Propagated):
            value = self.value / other.value
            return _both(self, 1 / other.value, other, -value / other.value, value)
        divisor = float(other)
        return self.times(1 / divisor, self.value / divisor)

    def __rtruediv__(self, other: Any) -> Propagated:
        value = float(other) / self.value
        return self.times(-value / self.value, value)

    def __pow__(self, power: float) -> Propagated:
        return self.times(power * self.value ** (power - 1), self.value**power)

    def __lt__(self, other: Any) -> bool:
        return self.value < value_of(other)

    def __le__(self, other: Any) -> bool:
        return self.value <= value_of(other)

    def __gt__(self, other: Any) -> bool:
        return self.value > value_of(other)

    def __ge__(self, other: Any) -> bool:
        return self.value >= value_of(other)

    def __repr__(self) -> str:
        return f"{self.value!r} ± {self.u:.3g}"


class Input(Propagated):
    """An independent input. own_u: its standard uncertainty; tag: what it is."""

    __slots__ = ("own_u", "tag")

    def __init__(self, value: float, u: float, tag: str) -> None:
        super().__init__(value, {self: 1.0})
        self.own_u = u
        self.tag = tag


def _both(x: Propagated, of_x: float, y: Propagated, of_y: float, value: float) -> Propagated:
    slopes = {i: of_x * s for i, s in x.slopes.items()}
    for i, s in y.slopes.items():
        slopes[i] = slopes.get(i, 0.0) + of_y * s
    return Propagated(value, slopes)


def value_of(x: Any) -> float:
    """Of a number with or without uncertainty."""
    return float(x.value if isinstance(x, Propagated) else x)


def matrix_of(values: Sequence[Any]) -> np.ndarray:
    """What a standard uncertainty of each input adds to each value; shape (values, inputs), inputs
    in the order in which they come. Of plain numbers a row of zeros.
    """
    own = [x.slopes if isinstance(x, Propagated) else {} for x in values]
    place = {i: n for n, i in enumerate(dict.fromkeys(i for slopes in own for i in slopes))}
    matrix = np.zeros((len(values), len(place)))
    for row, slopes in zip(matrix, own, strict=True):
        for i, s in slopes.items():
            row[place[i]] = s * i.own_u
    return matrix


def covariance(values: Sequence[Any]) -> np.ndarray:
    """Of values with or without uncertainty; shape (values, values)."""
    matrix = matrix_of(values)
    found: np.ndarray = matrix @ matrix.T
    return found
