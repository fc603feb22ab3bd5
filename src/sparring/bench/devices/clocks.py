"""The clocks of several devices, held against this machine's."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from sparring.bench.clock import BoardClock

_BUCKET = 10.0  # [s] of arrivals whose quickest is kept


class Arrivals:
    """When the samples of one device were taken, on this machine's clock.

    Lines are late by what buffers and schedulers make of them, never early: the quickest of the
    last ten to twenty seconds tells how the device's clock stands to this one, and follows its
    drift (50 parts in a million are 1 ms in 20 s).
    """

    def __init__(self, clock: Callable[[], float]) -> None:
        self._board = BoardClock(clock)
        self._before = self._now = math.inf
        self._since = -math.inf
        self.offset = math.nan  # this machine's clock less the device's [s]

    def on_ours(self, t: np.ndarray, arrived: float) -> np.ndarray:
        """Times of a block, shape (n,), the device's (NaN where it sends none), on ours [s].
        arrived: when its last line came.
        """
        t, anew = self._board.run_on(t, 0.0)
        late = arrived - float(t[-1])
        if anew or not math.isfinite(self.offset) or arrived - self._since > _BUCKET:
            self._before = math.inf if anew else self._now
            self._now, self._since = late, arrived
        self._now = min(self._now, late)
        self.offset = min(self._before, self._now)
        return np.asarray(t + self.offset)
