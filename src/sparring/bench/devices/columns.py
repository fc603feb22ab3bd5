"""Columns of devices beside the first, brought to the first one's moments."""

from __future__ import annotations

import numpy as np

_AGE = 0.3  # [s] for which a reading holds where no newer has come
_PERIODS = 3.0  # of the device, for which it does too
_KEPT = 4096  # samples of a device at most


class Column:
    """The newest samples of one device, on this machine's clock. values: shape (n, channels)."""

    def __init__(self, channels: tuple[str, ...]) -> None:
        self.channels = channels
        self._t = np.empty(0)
        self._values = np.empty((0, len(channels)))
        self._period = 0.1

    def series(self) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        """Its times [s] and channels."""
        t, values = self._t, self._values
        return t, dict(zip(self.channels, values.T, strict=True))

    @property
    def newest(self) -> float:
        """When its newest sample was taken [s]."""
        return float(self._t[-1]) if len(self._t) else -np.inf

    def add(self, t: np.ndarray, values: np.ndarray) -> None:
        """t: shape (n,) [s], growing; values: shape (n, channels), SI."""
        if len(self._t) and len(t):
            t = np.maximum(t, self._t[-1] + 1e-7 * np.arange(1, len(t) + 1))
            step = (float(t[-1]) - float(self._t[-1])) / len(t)
            self._period = 0.9 * self._period + 0.1 * min(step, 1.0)
        self._t = np.concatenate([self._t, t])[-_KEPT:]
        self._values = np.concatenate([self._values, values])[-_KEPT:]

    def at(self, t: np.ndarray) -> np.ndarray:
        """Its readings at moments t, shape (n,): on the straight line between two, the last one
        where no newer has come, NaN where there is none for too long. Shape (n, channels).
        """
        if not len(self._t):
            return np.full((len(t), len(self.channels)), np.nan)
        holds = max(_AGE, _PERIODS * self._period)
        after = np.searchsorted(self._t, t)
        before = np.maximum(after - 1, 0)
        after = np.minimum(after, len(self._t) - 1)
        span = self._t[after] - self._t[before]
        with np.errstate(invalid="ignore", divide="ignore"):
            part = np.where(span > 0, (t - self._t[before]) / span, 0.0)
        part = np.clip(part, 0.0, 1.0)[:, None]
        found = self._values[before] * (1 - part) + self._values[after] * part
        away = np.minimum(np.abs(t - self._t[before]), np.abs(self._t[after] - t))
        gone = (away > holds) | (span > 2 * holds)
        found[gone] = np.nan
        return np.asarray(found)
