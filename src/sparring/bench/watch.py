"""The limits of a rig, held against every sample that comes, whatever the board does."""

from __future__ import annotations

import math

import numpy as np

# [s] over which the mean square is taken: what heats a winding, and few enough samples to act
# within 0.1 s
WINDOW = 0.05
UNREAD = 0.1  # [s] without one figure of a limited channel


class LimitWatch:
    """Mean square of current and speed over `WINDOW`, so that neither sign, chopping nor a missing
    reading hides an excess.

    A channel of which no figure came for `UNREAD` counts as over its limit: what cannot be seen
    cannot be watched.
    """

    def __init__(self, limits: dict[str, float]) -> None:
        """limits: of channels, SI; those that the board does not send are not watched."""
        self.limits = limits
        self._tail: dict[str, np.ndarray] = {}
        self._t = np.empty(0)
        self._seen: dict[str, float] = {}

    def look(self, channels: tuple[str, ...], t: np.ndarray, values: np.ndarray) -> str:
        """What is wrong with the newest samples, in words, or "". t: shape (n,) [s], growing;
        values: shape (n, channels), SI.
        """
        if not len(t):
            return ""
        whole = np.concatenate([self._t, t])
        # of each new sample, the first one inside its window
        first = np.searchsorted(whole, t - WINDOW, side="right")
        last = np.arange(len(self._t), len(whole)) + 1
        found = ""
        for channel, limit in self.limits.items():
            if channel not in channels or not math.isfinite(limit):
                continue
            new = np.asarray(values[:, channels.index(channel)], float)
            with np.errstate(over="ignore"):
                squares = np.concatenate([self._tail.get(channel, np.empty(0)), new * new])
            squares = (
                squares
                if len(squares) == len(whole)
                else np.concatenate([np.full(len(whole) - len(new), np.nan), new * new])
            )
            read = np.isfinite(squares)
            sums = np.concatenate([[0.0], np.cumsum(np.where(read, squares, 0.0))])
            counts = np.concatenate([[0], np.cumsum(read)])
            n = counts[last] - counts[first]
            with np.errstate(invalid="ignore", divide="ignore"):
                over = (sums[last] - sums[first]) / n > limit * limit
            if not found and (over & (n > 0)).any():
                found = f"the {channel} exceeded the rig's limit"
            seen = t[np.isfinite(new)]
            self._seen[channel] = (
                float(seen[-1]) if len(seen) else self._seen.get(channel, float(t[0]))
            )
            if not found and float(t[-1]) - self._seen[channel] > UNREAD:
                found = f"no {channel} reading for {UNREAD:g} s"
            self._tail[channel] = squares[first[-1] :]
        self._t = whole[first[-1] :]
        return found
