"""What few specimens, or few failures, can say."""

from __future__ import annotations

import math
from typing import NamedTuple

LEVEL = 0.9
"""Confidence of a success run, unless asked."""


class SuccessRun(NamedTuple):
    """With `confidence` at least `reliability` of all reach `life`, as none of n failed before."""

    n: int
    life: float
    confidence: float
    reliability: float


def success_run(n: int, life: float, confidence: float = LEVEL) -> SuccessRun:
    """R = (1 − C)^(1/n), none of n having failed by `life` (binomial; from n = ln(1 − C)/ln R).
    Raises ValueError for no specimen.
    """
    if n < 1:
        raise ValueError("a success run needs a specimen that ran")
    return SuccessRun(n, life, confidence, (1 - confidence) ** (1 / n))


def needed(reliability: float, confidence: float = LEVEL) -> int:
    """Specimens that must all survive to show a reliability. Raises ValueError outside 0 to 1."""
    if not 0 < reliability < 1 or not 0 < confidence < 1:
        raise ValueError("reliability and confidence lie between 0 and 1")
    return math.ceil(math.log(1 - confidence) / math.log(reliability) - 1e-9)


def enough(width: float, failures: int, wanted: float = 2.0) -> int:
    """Further failures until B10's bounds lie within a factor `wanted` of it each way, from the
    factor `width` now: the logarithm narrows with the root of the failures.
    """
    if width <= wanted:
        return 0
    if not math.isfinite(width):
        return max(5 - failures, 2)
    return math.ceil(failures * ((math.log(width) / math.log(wanted)) ** 2 - 1))
