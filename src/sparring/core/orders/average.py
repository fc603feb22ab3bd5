"""A signal averaged over one shaft's turns: what belongs to it stays, all else averages away."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from sparring.core.orders.turning import Turning, over_angle

LEAST_SAMPLES = 8  # a turn
LEAST_TURNS = 4.0


@dataclass(frozen=True)
class Average:
    """Of one shaft's turn. order: its turns for one of the shaft that is counted by; turns: how
    many were averaged; mean, u: over the turn, shape (samples,), in the signal's unit, u standard,
    from what the turns scatter; whole: of the signal over all of it.
    """

    shaft: str
    order: float
    turns: int
    mean: np.ndarray
    u: np.ndarray
    whole: float

    @property
    def angle(self) -> np.ndarray:
        """Of its samples [rad]."""
        return np.arange(len(self.mean)) * (2 * math.pi / len(self.mean))


def average_over(turned: Turning, y: np.ndarray, shaft: str, order: float) -> Average | None:
    """Synchronous average of a signal, shape (n,), over the turns of a shaft that turns `order`
    times as often as the one that is counted by. The mean of each turn is taken off: what changes
    from turn to turn is no shape. None with fewer than four turns or eight samples a turn.
    """
    turns = int(turned.whole * order + 1e-6)
    samples = int(turned.density / order)
    if turns < LEAST_TURNS or samples < LEAST_SAMPLES:
        return None
    at = np.arange(turns * samples) / (samples * order)
    table = over_angle(turned.turns, y, at).reshape(turns, samples)
    whole = float(table.mean())
    table = table - table.mean(axis=1, keepdims=True)
    u = table.std(axis=0, ddof=1) / math.sqrt(turns)
    return Average(shaft, order, turns, table.mean(axis=0) + whole, u, whole)
