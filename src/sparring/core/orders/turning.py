"""How far a shaft has turned, from what was logged, and signals laid over that angle."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from sparring.core.recording import Recording
from sparring.core.reduce.inputs import ReductionError

_TURNS = 0.2  # part of its usual speed above which it turns
_STEADY, _MOSTLY = 0.8, 0.6  # the same for a run at one speed, whose start is no ripple
_BLOCKS = 40  # of a run, each with a speed of its own
_GAP = 4.0  # usual spans between two samples, beyond which something is missing
_FEWEST = 16  # samples
SOURCES = {
    "angle": ("output", "the angle of the output"),
    "motor_angle": ("motor", "the angle of the motor"),
    "speed": ("output", "the output speed, integrated"),
    "motor_speed": ("motor", "the motor speed, integrated"),
}
"""Channels that tell an angle, the best first: whose, and in words."""


@dataclass(frozen=True)
class Turning:
    """A stretch in which a shaft turned on. rows: its places in the recording; turns: of the shaft
    that is counted by, from its beginning; shape (n,), rising. doubt: of the turns, relative
    (standard); source: the channel that tells them; scale: by which they have been multiplied.
    """

    rows: slice
    t: np.ndarray
    turns: np.ndarray
    source: str
    doubt: float
    scale: float = 1.0

    @property
    def whole(self) -> float:
        """Turns of the stretch."""
        return float(self.turns[-1])

    @property
    def density(self) -> float:
        """Samples a turn, on average."""
        return len(self.turns) / self.whole

    @cached_property
    def varies(self) -> float:
        """Relative standard deviation of the speed over the stretch."""
        speed = np.diff(self.turns) / np.diff(self.t)
        slow = speed[: len(speed) // 64 * 64].reshape(-1, 64).mean(axis=1)
        return float(slow.std() / slow.mean()) if len(slow) > 1 else 0.0


def turning(rec: Recording, per_turn: dict[str, float], doubt: float = 0.0) -> Turning:
    """The longest stretch without a gap in which the drive turned.

    per_turn: turns of "output" and "motor" for one turn of the shaft that is counted by; doubt: of
    a speed's gain, relative (standard). Raises ReductionError when nothing tells an angle, or when
    it hardly turned.
    """
    source = next((s for s in SOURCES if rec.has(s) and np.isfinite(rec.channels[s]).any()), None)
    if source is None or len(rec) < _FEWEST:
        seen = ", ".join(rec.channels) or "nothing"
        raise ReductionError(
            f"nothing tells how far a shaft turned: the log has {seen}, {len(rec)} samples; record"
            " an angle or a speed (channels " + ", ".join(SOURCES) + ")"
        )
    y = rec.channels[source]
    good = np.isfinite(y)
    integrated = "speed" in source
    if integrated:
        speed = np.abs(y)
    else:
        y = np.unwrap(y) if np.nanmax(y) - np.nanmin(y) <= 2.01 * math.pi else y
        filled = np.interp(rec.t, rec.t[good], y[good]) if good.any() else y
        speed = np.abs(np.gradient(filled, rec.t))
    usual = float(np.median(speed[good][speed[good] >= np.median(speed[good])]))
    rows = _longest(rec.t, good & (speed > _STEADY * usual))
    while_on = _longest(rec.t, good & (speed > _TURNS * usual))
    if rows.stop - rows.start < _MOSTLY * (while_on.stop - while_on.start):
        rows = while_on  # it ramps: all of it
    else:
        rows = _settled(speed, rows)
    t = rec.t[rows]
    if len(t) < _FEWEST or usual <= 0:
        raise ReductionError(
            f"the longest stretch in which it turned without a gap has {max(len(t), 0)} samples;"
            f" {_FEWEST} are needed at least"
        )
    if integrated:
        w = speed[rows]
        angle = np.concatenate([[0.0], np.cumsum((w[1:] + w[:-1]) / 2 * np.diff(t))])
    else:
        angle = np.abs(y[rows] - y[rows][0])
        angle = np.maximum.accumulate(angle) + 1e-12 * np.arange(len(t))  # noise turns nothing back
    whose = SOURCES[source][0]
    turns = angle / (2 * math.pi) / abs(per_turn[whose])
    return Turning(rows, t, turns, source, doubt if integrated else 0.0)


def _settled(speed: np.ndarray, rows: slice) -> slice:
    """Without its beginning and end, where the speed has not settled yet, or falls already."""
    size = (rows.stop - rows.start) // _BLOCKS
    if size < 2:
        return rows
    start = rows.start
    means = speed[start : start + size * _BLOCKS].reshape(_BLOCKS, size).mean(axis=1)
    middle = float(np.median(means))
    scatter = 1.4826 * float(np.median(np.abs(means - middle)))
    settled = np.flatnonzero(np.abs(means - middle) <= max(4 * scatter, 2e-3 * middle))
    return slice(start + int(settled[0]) * size, start + (int(settled[-1]) + 1) * size)


def _longest(t: np.ndarray, good: np.ndarray) -> slice:
    """The longest stretch of good samples without a gap in time."""
    spans = np.diff(t)
    if not len(spans):
        return slice(0, 0)
    broken = np.flatnonzero(spans > _GAP * np.median(spans)) + 1
    edges = np.unique(np.concatenate([[0, len(t)], broken, np.flatnonzero(np.diff(good)) + 1]))
    best = max(
        ((int(b - a), int(a), int(b)) for a, b in itertools.pairwise(edges) if good[a]),
        default=(0, 0, 0),
    )
    return slice(best[1], best[2])


def over_angle(turns: np.ndarray, y: np.ndarray, at: np.ndarray) -> np.ndarray:
    """A signal, shape (n,), at other angles, shape (m,): cubic splines through what was sampled;
    missing values are bridged.
    """
    from scipy.interpolate import CubicSpline  # when first wanted: no window waits for it

    good = np.isfinite(y)
    return np.asarray(CubicSpline(turns[good], y[good])(at))


def kept(cycles: np.ndarray) -> np.ndarray:
    """What splines through samples leave of a wave's amplitude, on average over its phase; cycles:
    of the wave a sample, below 1/2.

    Transfer of cubic spline interpolation, sinc⁴(f)/((2 + cos 2πf)/3) (Unser 1999, "Splines: a
    perfect fit for signal and image processing", eq. 20).
    """
    return np.asarray(np.sinc(cycles) ** 4 / ((2 + np.cos(2 * math.pi * cycles)) / 3))
