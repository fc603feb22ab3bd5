"""What values say of which some were not read (NaN). Where none was, the answer is NaN, without a
word: NumPy's own functions warn, and a filter of warnings is one for all threads.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike


def read(y: ArrayLike) -> np.ndarray:
    """Those that were read, shape (k,)."""
    flat = np.asarray(y, float).ravel()
    return np.asarray(flat[~np.isnan(flat)])


def most(y: ArrayLike) -> float:
    """The highest."""
    return float(known.max()) if (known := read(y)).size else np.nan


def least(y: ArrayLike) -> float:
    """The lowest."""
    return float(known.min()) if (known := read(y)).size else np.nan


def mean(y: ArrayLike) -> float:
    """Their mean."""
    return float(known.mean()) if (known := read(y)).size else np.nan


def deviation(y: ArrayLike) -> float:
    """Their standard deviation about their mean."""
    return float(known.std()) if (known := read(y)).size else np.nan


def quantile(y: ArrayLike, part: float) -> float:
    """The value that a part [0..1] of them do not exceed."""
    return float(np.quantile(known, part)) if (known := read(y)).size else np.nan


def median(y: ArrayLike) -> float:
    """The value in their middle."""
    return quantile(y, 0.5)


def scatter(y: ArrayLike) -> float:
    """Standard deviation by their distances from the middle, which a few outliers do not move:
    1.4826 is 1 over the upper quartile of the normal distribution.
    """
    return 1.4826 * median(np.abs(np.asarray(y, float) - median(y)))


def medians(rows: np.ndarray) -> np.ndarray:
    """The median of each row, shape (n, m) to (n,)."""
    found = np.full(len(rows), np.nan)
    some = ~np.isnan(rows).all(axis=1)
    found[some] = np.nanmedian(rows[some], axis=1)
    return found
