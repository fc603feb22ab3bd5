"""How many repeats a comparison needs: power of the t test, exactly, by the noncentral t."""

from __future__ import annotations

import math

LEVEL = 0.05
"""Chance of calling two equal drives different."""
_MOST = 10_000


def power(
    repeats: int, spread: float, difference: float, *, level: float = LEVEL, paired: bool = False
) -> float:
    """Chance [0..1] that a difference of this size is found between two builds, each run `repeats`
    times, by the two-sided t test.

    spread: standard deviation of one build's repeats; difference: that matters; both in the same
    unit. paired: run against each other block by block, spread then being that of the pairs'
    differences. Noncentral t (Cohen, Statistical Power Analysis, 2.2; exact). Range: repeats >= 2.
    Raises ValueError.
    """
    from scipy.special import nctdtr, stdtrit

    _check(spread, difference, level)
    if repeats < 2:
        return 0.0  # a single run each does not know its spread
    freedom = (repeats - 1) * (1 if paired else 2)
    shift = abs(difference) / spread * math.sqrt(repeats if paired else repeats / 2)
    edge = float(stdtrit(freedom, 1 - level / 2))
    if shift > 37:
        return 1.0  # beyond what the distribution is computed for
    below = float(nctdtr(freedom, shift, -edge)) if shift < 5 else 0.0  # the wrong way round
    return 1 - float(nctdtr(freedom, shift, edge)) + below


def repeats_for(
    spread: float,
    difference: float,
    wanted: float = 0.9,
    *,
    level: float = LEVEL,
    paired: bool = False,
) -> int:
    """The fewest repeats of each build for which `power` is at least `wanted`. Raises ValueError,
    also where more than ten thousand would be needed.
    """
    _check(spread, difference, level)
    if not level < wanted < 1:
        raise ValueError(f"a power of {100 * wanted:g} % cannot be planned; ask for 80 to 99 %")
    low, high = 1, 2
    while power(high, spread, difference, level=level, paired=paired) < wanted:
        low, high = high, 2 * high
        if high > 2 * _MOST:
            raise ValueError(
                "more than 10 000 repeats would be needed; accept a larger difference or reduce "
                "the spread"
            )
    while high - low > 1:
        middle = (low + high) // 2
        enough = power(middle, spread, difference, level=level, paired=paired) >= wanted
        low, high = (low, middle) if enough else (middle, high)
    return high


def _check(spread: float, difference: float, level: float) -> None:
    if not spread > 0:
        raise ValueError("the spread of repeats must be more than zero; measure it first")
    if not abs(difference) > 0:
        raise ValueError("the difference that matters must not be zero")
    if not 0 < level < 1:
        raise ValueError("the level must lie between 0 and 1")
