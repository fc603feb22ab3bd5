"""The last minutes of all channels in memory."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from sparring.core.recording import Recording

_KEEP = 150_000  # samples of a channel


class Ring:
    """The newest samples of all channels: one array, written in place, read
    as views in time order."""

    def __init__(self, channels: tuple[str, ...], size: int = _KEEP) -> None:
        self.channels, self.size = channels, size
        self._data = np.empty((len(channels) + 1, 2 * size))
        self.count = 0
        self._end = 0

    def add(self, t: np.ndarray, values: np.ndarray) -> None:
        """t: shape (n,); values: shape (n, channels)."""
        n = min(len(t), self.size)
        if self._end + n > 2 * self.size:  # slide the newest half to the front
            keep = min(self.size, self._end)
            self._data[:, :keep] = self._data[:, self._end - keep : self._end]
            self._end = keep
        self._data[0, self._end : self._end + n] = t[-n:]
        self._data[1:, self._end : self._end + n] = values[-n:].T
        self._end += n
        self.count = min(self.size, self._end)

    @property
    def t(self) -> np.ndarray:
        """Times [s], oldest first."""
        return self._data[0, self._end - self.count : self._end]

    def values(self, channel: str) -> np.ndarray:
        """A channel at those times, SI."""
        return self._data[self.channels.index(channel) + 1, self._end - self.count : self._end]

    def recording(self, start: float, gaps: Sequence[tuple[float, float]] = ()) -> Recording:
        """A copy of what came from `start` [s] on."""
        part = self.since(start)
        channels = {c: self.values(c)[part].copy() for c in self.channels}
        return Recording(self.t[part].copy(), channels, gaps=tuple(gaps))

    def since(self, start: float) -> slice:
        """The part of the arrays with t >= start."""
        return slice(int(np.searchsorted(self.t, start)), self.count)
