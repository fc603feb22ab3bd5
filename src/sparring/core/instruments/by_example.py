"""Which column of a board is which sensor: by what moves when somebody acts on it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

_LEAST = 8  # rows
_CLEAR = 8.0  # times its own scatter at rest that a column has to move
_ALONE = 2.0  # times the next one's, so that it is told apart
_TIMES = {"s": 1.0, "ms": 1e-3, "us": 1e-6}
_RATE = 0.1  # part by which a clock may seem to run wrong


class Moved(NamedTuple):
    """column: its place, from 0; before, after: what it showed; clearly: times its own scatter;
    next: the same of the column that moved second most.
    """

    column: int
    before: float
    after: float
    clearly: float
    next: float

    @property
    def alone(self) -> bool:
        """Whether no other moved as clearly."""
        return self.clearly > _ALONE * self.next


def moved(rows: np.ndarray, rest: int, acted: int) -> Moved | None:
    """The column that moved most, in times of its own scatter; None: none did clearly. rows: of
    figures, shape (n, columns), without a gap; left alone in the first `rest` of them, acted on
    from `acted` on.

    What runs on evenly by itself, a clock or a count, does not count as moved.
    """
    still, later = rows[:rest], rows[acted:]
    if min(len(still), len(later)) < _LEAST:
        return None
    n = np.arange(rest)
    scores = np.zeros(rows.shape[1])
    shown = np.zeros((rows.shape[1], 2))
    for c in range(rows.shape[1]):
        x, y = still[:, c], later[:, c]
        if not (np.isfinite(x).all() and np.isfinite(y).all()):
            continue
        slope, level = np.polyfit(n, x, 1)
        if abs(slope) * len(x) > 20 * np.std(x - slope * n - level):
            continue  # it runs on
        middle = float(np.median(x))
        scatter = 1.4826 * float(np.median(np.abs(x - middle)))
        digit = np.diff(np.unique(np.concatenate([x, y])))
        least = float(digit.min()) if digit.size else 0.0
        away = np.abs(y - middle)
        far = float(np.quantile(away, 0.9))
        scores[c] = far / max(scatter, least, 1e-12) if far > 0 else 0.0
        shown[c] = middle, float(y[int(np.argmin(np.abs(away - far)))])
    best = int(np.argmax(scores))
    if scores[best] < _CLEAR:
        return None
    others = np.delete(scores, best)
    before, after = shown[best].tolist()
    return Moved(best, before, after, float(scores[best]), float(others.max(initial=0.0)))


def clocks(arrived: np.ndarray, rows: np.ndarray) -> dict[int, str]:
    """Columns that count lines (`seq`) or tell the time (`t/ms`), by their place. arrived: shape
    (n,) [s], when each row came; rows: shape (n, columns).
    """
    found: dict[int, str] = {}
    if len(rows) < 2 * _LEAST:
        return found
    lasted = float(arrived[-1] - arrived[0])
    for c, x in enumerate(rows.T):
        steps = np.diff(x)
        if not np.isfinite(x).all() or (steps < 0).any():
            continue
        if (
            np.median(steps) == 1
            and (steps == np.round(steps)).all()
            and "seq" not in found.values()
        ):
            found[c] = "seq"
            continue
        if any(name.startswith("t/") for name in found.values()):
            continue  # one clock is enough
        for unit, size in _TIMES.items():
            took = float(x[-1] - x[0]) * size
            if lasted > 0 and abs(took / lasted - 1) < _RATE and (steps > 0).mean() > 0.9:
                found[c] = f"t/{unit}"
    return found
