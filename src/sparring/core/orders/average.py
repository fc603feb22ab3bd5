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
    times as often as the one that is counted by. The mean over the turn about each sample is taken
    off: what changes from turn to turn, and on the way from one to the next, is no shape. None with
    fewer than four turns or eight samples a turn.
    """
    turns = int(turned.whole * order + 1e-6)
    samples = int(turned.density / order)
    if turns < LEAST_TURNS or samples < LEAST_SAMPLES:
        return None
    at = np.arange(turns * samples) / (samples * order)
    flat = over_angle(turned.turns, y, at)
    whole = float(flat.mean())
    table = (flat - _course(flat, samples)).reshape(turns, samples)
    table = table - table.mean()
    u = table.std(axis=0, ddof=1) / math.sqrt(turns)
    return Average(shaft, order, turns, table.mean(axis=0) + whole, u, whole)


def _course(flat: np.ndarray, samples: int) -> np.ndarray:
    """The mean over the turn about each sample, shape (n,): of what repeats with the turn it is one
    figure, of what rises evenly it is that. Along a straight line where half a turn is not there.
    """
    half = samples // 2
    sums = np.concatenate([[0.0], np.cumsum(flat)])
    if samples % 2:
        middle = (sums[samples:] - sums[:-samples]) / samples
    else:  # both ends count half
        outer = (flat[samples:] + flat[:-samples]) / 2
        middle = (sums[samples:-1] - sums[1:-samples] + outer) / samples
    far = min(samples, len(middle) - 1)
    begins, ends = (middle[far] - middle[0]) / far, (middle[-1] - middle[-1 - far]) / far
    before = middle[0] + begins * np.arange(-half, 0)
    after = middle[-1] + ends * np.arange(1, len(flat) - half - len(middle) + 1)
    return np.concatenate([before, middle, after])
