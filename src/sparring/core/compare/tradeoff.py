"""Two figures against each other: which builds no other beats in both."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.compare.known import Known, table

_DRAWS = 2000
_AT_ONCE = 4_000_000  # comparisons held in memory


class Standing(NamedTuple):
    """undominated: shape (n,), by the figures alone: no other is at least as good in both and
    better in one; chance: that it is so, with what is not known of the figures.
    """

    undominated: np.ndarray
    chance: np.ndarray


def standing(across: Sequence[Known], up: Sequence[Known], better: tuple[int, int]) -> Standing:
    """across, up: the two figures of each, n of them, better: 1 where more is, −1 where less.

    The chance is by 2000 draws: inputs that several share move together, scatter by Student's t of
    its freedom. Raises ValueError where a figure is neither better more nor less.
    """
    if 0 in better:
        raise ValueError("one of the figures is neither better more nor less")
    values = [
        better[0] * np.array([k.value for k in across]),
        better[1] * np.array([k.value for k in up]),
    ]
    rng = np.random.default_rng(5)
    both = table([*across, *up])
    drawn = _draws(both.value, both.random, both.freedom, both.shared, rng)
    n = len(across)
    x, y = better[0] * drawn[:, :n], better[1] * drawn[:, n:]
    chance = np.zeros(n)
    step = max(1, _AT_ONCE // max(n * n, 1))
    for first in range(0, len(x), step):
        some = slice(first, first + step)
        chance += _undominated(x[some], y[some]).sum(axis=0)
    alone = _undominated(values[0][np.newaxis], values[1][np.newaxis])[0]
    return Standing(alone, chance / len(x))


def _draws(
    value: np.ndarray,
    random: np.ndarray,
    freedom: np.ndarray,
    shared: np.ndarray,
    rng: np.random.Generator,
) -> np.ndarray:
    """Shape (draws, n)."""
    common = rng.standard_normal((_DRAWS, shared.shape[1])) @ shared.T
    t = rng.standard_normal((_DRAWS, len(value)))
    few = np.isfinite(freedom) & (freedom > 0)
    if few.any():
        t[:, few] /= np.sqrt(rng.chisquare(freedom[few], (_DRAWS, int(few.sum()))) / freedom[few])
    return np.asarray(value + common + random * t)


def _undominated(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Of each draw, shape (draws, n), higher being better in both."""
    no_worse = (x[:, :, np.newaxis] <= x[:, np.newaxis, :]) & (
        y[:, :, np.newaxis] <= y[:, np.newaxis, :]
    )
    more = (x[:, :, np.newaxis] < x[:, np.newaxis, :]) | (y[:, :, np.newaxis] < y[:, np.newaxis, :])
    return np.asarray(~(no_worse & more).any(axis=2))
