"""One clock for all that a bench sends, whatever its board's own does."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

_BACK = 0.5  # [s] that a clock goes back by its jitter; further, and it began anew
_LEAP = 60.0  # [s] further than which a clock has not run on but was set
_LEAST = 1e-7  # [s] between two samples


class BoardClock:
    """Times that always grow: the board's own, carried on where it begins anew; of a board that
    sends none, when its lines came.
    """

    def __init__(self, clock: Callable[[], float]) -> None:
        self._clock = clock
        self._offset = 0.0
        self.last: float | None = None

    def run_on(self, t: np.ndarray, away: float) -> tuple[np.ndarray, bool]:
        """Times of a block, shape (n,) [s], on this clock, and whether the board's began anew. away
        [s]: for how long nothing had come before it."""
        anew = False
        if np.isnan(t).any():
            t = self._when_they_came(len(t))
        else:
            t = t + self._offset
            if self.last is not None and not self.last - _BACK <= t[0] <= self.last + _LEAP:
                anew = bool(t[0] < self.last)
                shift = self.last + max(1e-6, away) - t[0]
                self._offset += shift
                t = t + shift
        steps = _LEAST * np.arange(len(t))
        t = (
            np.maximum.accumulate(
                np.maximum(t, (-math.inf if self.last is None else self.last) + 1e-6) - steps
            )
            + steps
        )
        self.last = float(t[-1])
        return t, anew

    def _when_they_came(self, n: int) -> np.ndarray:
        """Evenly up to now, no further back than the block before it."""
        now = self._clock()
        if self.last is None:
            self._offset = -now
        end = now + self._offset
        start = end - 1e-3 if self.last is None else self.last
        return end - min(max(end - start, 0.0) / n, 0.1) * np.arange(n - 1, -1, -1.0)
