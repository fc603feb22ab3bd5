"""Whether a line has grown between two times, beyond its own scatter from run to run."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.orders.lines import Line, Orders
from sparring.core.orders.spectrum import peak_near
from sparring.core.uncertainty import t_widening

_LEAST = 0.001  # of the mean, that a line must gain to be worth a word (common practice)


class Growth(NamedTuple):
    """A line before and after, as parts of the mean, with the standard uncertainty of each; grew:
    beyond k = 2 and by more than is worth a word.
    """

    line: Line
    before: float
    u_before: float
    after: float
    u_after: float
    grew: bool


def growth(before: Sequence[Orders], after: Sequence[Orders]) -> list[Growth]:
    """Each line that stands out in any run of either time. Both in the same channel, counted by the
    same shaft. Raises ValueError where they are not, or where one is empty.
    """
    if not before or not after:
        raise ValueError("a growth needs a run before and one after")
    kinds = {(o.channel, o.counted) for o in (*before, *after)}
    if len(kinds) > 1:
        raise ValueError(
            "the runs are not of one kind: "
            + "; ".join(sorted(f"{channel} by turns of {shaft}" for channel, shaft in kinds))
        )
    lines = {x.id: x for o in (*before, *after) for x in o.lines if x.kind != "unknown"}
    found = []
    for line in sorted(lines.values(), key=lambda x: x.order):
        (a, ua), (b, ub) = (_level(runs, line) for runs in (before, after))
        beyond = b - a > 2 * math.hypot(ua, ub)
        found.append(Growth(line, a, ua, b, ub, beyond and b - a > _LEAST))
    return found


def _level(runs: Sequence[Orders], line: Line) -> tuple[float, float]:
    """Mean of a line over some runs, and its standard uncertainty: their scatter where there are
    several, never less than each one's own.
    """
    levels, own = [], []
    for o in runs:
        known = next((x for x in o.lines if x.id == line.id), None)
        if known is not None:
            level, u = known.amplitude, known.u
        else:  # it does not stand out: what there is at its order, floor included
            peak = peak_near(o.spectrum, line.order, o.spectrum.resolution / 2)
            level, u = (0.0, 0.0) if peak is None else (peak.amplitude, peak.u)
        whole = abs(o.spectrum.mean) or math.inf
        levels.append(level / whole)
        own.append(u / whole)
    mean, n = float(np.mean(levels)), len(levels)
    u = float(np.sqrt(np.mean(np.square(own)) / n))
    if n > 1:
        u = max(u, float(np.std(levels, ddof=1)) / math.sqrt(n) * t_widening(n - 1))
    return mean, u
