"""Load cycles of a recording by rainflow counting (ASTM E1049-85, 5.4.4), which the library
`rainflow` does.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Cycles:
    """Each cycle that was counted: its range and mean [unit of the load], count: 1 or ½, shape (n,)
    each; reversals: turning points of the load.
    """

    ranges: np.ndarray
    means: np.ndarray
    counts: np.ndarray
    reversals: int

    def by_range(self, bins: int | None = None) -> list[tuple[float, float, float, float]]:
        """(from, to, mean of the means, cycles) of every range that occurs, or of so many equal
        classes up to the greatest.
        """
        if not len(self.ranges):
            return []
        if bins is None:
            values, place = np.unique(np.round(self.ranges, 12), return_inverse=True)
            low, high = values, values
        else:
            edges = np.linspace(0.0, float(self.ranges.max()), bins + 1)
            place = np.clip(np.searchsorted(edges, self.ranges, side="left") - 1, 0, bins - 1)
            low, high = edges[:-1], edges[1:]
        counts = np.bincount(place, self.counts, minlength=len(low))
        means = np.bincount(place, self.counts * self.means, minlength=len(low))
        return [
            (float(a), float(b), float(m / n), float(n))
            for a, b, m, n in zip(low, high, means, counts, strict=True)
            if n > 0
        ]


def cycles_of(load: np.ndarray, gate: float = 0.0) -> Cycles:
    """Of a load, shape (n,), NaN left out; gate: ranges up to it are noise, and are not counted.
    Raises ValueError where nothing changes.
    """
    import rainflow

    y = np.asarray(load, float)
    y = _gated(y[np.isfinite(y)], gate)
    if len(y) < 2 or np.ptp(y) <= gate:
        raise ValueError("the load does not change by more than its noise: there is no cycle")
    found = np.array([(r, m, c) for r, m, c, _, _ in rainflow.extract_cycles(y)]).reshape(-1, 3)
    return Cycles(found[:, 0], found[:, 1], found[:, 2], len(y))


def _gated(y: np.ndarray, gate: float) -> np.ndarray:
    """The turning points, those left out from which it turns back by no more than `gate`."""
    if len(y) < 2:
        return y
    step = np.sign(np.diff(y))
    moves = np.flatnonzero(step)
    if not len(moves):
        return y[:1]
    turns = moves[1:][step[moves[1:]] != step[moves[:-1]]]
    points = y[np.concatenate([[0], turns, [len(y) - 1]])]
    if gate <= 0:
        return np.asarray(points)
    kept = [float(points[0])]
    for p in points[1:].tolist():
        if len(kept) > 1 and (kept[-1] - kept[-2]) * (p - kept[-1]) > 0:
            kept[-1] = p  # on in the same direction
        elif abs(p - kept[-1]) > gate:
            kept.append(p)
    return np.asarray(kept)
