"""The limits of a rig, held against every sample that comes, whatever the board does."""

from __future__ import annotations

import math

import numpy as np

from sparring.core.guard import Guard, Samples, Watched

# [s] over which the mean square is taken: what heats a winding, and few enough samples to act
# within 0.1 s
WINDOW = 0.05
NEAR = 0.9  # part of a limit from which it is warned
# [s] beyond the time at stall: the drive comes on slowly, and a board with a stop of its own
# comes first
GRACE = 0.5
_FED = 0.5  # [s] over which the voltage that is read is compared with the one that was set
_UNLIKE = 0.3  # part by which it may differ
_STILL = 0.02  # [rad/s] of the output, below which it stands
_DRIVEN = 0.05  # part of the voltage of a run, below which it is not driven


class LimitWatch:
    """Mean square of each figure over `WINDOW`, so that neither sign, chopping nor a missing
    reading hides an excess.

    A figure of which no reading comes for a while counts as over its limit: what cannot be seen
    cannot be watched. Nor may the output stand still for longer than allowed while `volts` [V] are
    given; 0: nobody drives it, and it may.
    """

    def __init__(self, guard: Guard, volts: float = 0.0) -> None:
        self.guard = guard
        self.near = ""  # what has come near its limit with the newest samples, once each
        self.stalled = False  # what was wrong is that it stood still for too long
        self._volts = abs(volts)
        self._warned: set[str] = set()
        self._tail: dict[str, np.ndarray] = {}
        self._t = np.empty(0)
        self._seen: dict[str, float] = {}
        self._began: float | None = None
        self._turned = 0.0  # when it last turned, or was not driven
        self._read: tuple[float, float, int] | None = None  # since [s], sum [V], readings

    def unwatched(self, channels: tuple[str, ...]) -> list[str]:
        """Names of the figures for which a bench does not send what they need."""
        nothing = {c: np.empty(0) for c in channels}
        return [w.name for w in self.guard.watched if w.of(nothing, 0.0) is None]

    def look(
        self,
        channels: tuple[str, ...],
        t: np.ndarray,
        values: np.ndarray,
        tare: float | None = None,
    ) -> str:
        """What is wrong with the newest samples, in words, or "". t: shape (n,) [s], growing;
        values: shape (n, channels), SI; tare [counts]: of the load cell.
        """
        self.near = ""
        if not len(t):
            return ""
        samples = dict(zip(channels, np.asarray(values, float).T, strict=True))
        whole = np.concatenate([self._t, t])
        # of each new sample, the first one inside its window
        first = np.searchsorted(whole, t - WINDOW, side="right")
        last = np.arange(len(self._t), len(whole)) + 1
        found = ""
        for w in self.guard.watched:
            new = w.of(samples, tare)
            if new is not None and math.isfinite(w.most):
                found = self._one(w, new - w.above, t, len(whole), (first, last)) or found
        self._t = whole[first[-1] :]
        found = found or self._standing(samples, t)
        self._feeds(samples, t)
        return found

    def _one(
        self,
        w: Watched,
        new: np.ndarray,
        t: np.ndarray,
        whole: int,
        window: tuple[np.ndarray, np.ndarray],
    ) -> str:
        """What is wrong with one figure. new: shape (n,), counted from where it is; window: (first,
        last) of the samples that each is judged with.
        """
        first, last = window
        new = np.maximum(new, 0.0) if w.above else new
        before = self._tail.get(w.name, np.full(whole - len(new), np.nan))
        with np.errstate(over="ignore"):
            squares = np.concatenate([before, new * new])
        read = np.isfinite(squares)
        sums = np.concatenate([[0.0], np.cumsum(np.where(read, squares, 0.0))])
        counts = np.concatenate([[0], np.cumsum(read)])
        n = counts[last] - counts[first]
        with np.errstate(invalid="ignore", divide="ignore"):
            size = np.sqrt((sums[last] - sums[first]) / n)
        most = w.most - w.above
        self._tail[w.name] = squares[first[-1] :]
        seen = t[np.isfinite(new)]
        self._seen[w.name] = float(seen[-1]) if len(seen) else self._seen.get(w.name, float(t[0]))
        over, near = (n > 0) & (size > most), (n > 0) & (size > NEAR * most)
        if over.any():
            worst = w.told(float(size[over].max()) + w.above)
            return f"{w.name} {worst} exceeded the rig's limit of {w.told(w.most)}"
        if near.any() and w.name not in self._warned:
            self._warned.add(w.name)
            self.near = (
                f"{w.name} {w.told(float(size[near].max()) + w.above)} is over"
                f" {100 * NEAR:.0f} % of the rig's limit of {w.told(w.most)}"
            )
        if float(t[-1]) - self._seen[w.name] > w.unread:
            return f"no {w.name} reading for {w.unread:g} s"
        return ""

    def _feeds(self, samples: Samples, t: np.ndarray) -> None:
        """Whether the voltage that is read is the one that was set: if not, the supply limits its
        current, or what is read is another figure. Told once.
        """
        volts = samples.get("voltage")
        if not self._volts or volts is None or self._began is None or "fed" in self._warned:
            return
        here = float(t[-1])
        if not self._began + _FED < here < self._began + self.guard.driven_for:
            return
        read = np.abs(volts[np.isfinite(volts)])
        since, total, count = self._read or (here, 0.0, 0)
        self._read = since, total + float(read.sum()), count + len(read)
        if here - since < _FED or not self._read[2]:
            return
        mean, self._read = self._read[1] / self._read[2], None
        if abs(mean - self._volts) > _UNLIKE * self._volts and not self.near:
            self._warned.add("fed")
            self.near = (
                f"{mean:.2f} V are read where {self._volts:g} V were set: the supply limits its"
                " current, or its readings are mixed up"
            )

    def _standing(self, samples: Samples, t: np.ndarray) -> str:
        """Whether the output has stood still for too long while it was driven."""
        if self._began is None:
            self._began = self._turned = float(t[0])
        speed = samples.get("speed", samples.get("motor_speed"))
        if not self._volts or speed is None or t[-1] > self._began + self.guard.driven_for:
            return ""
        volts = samples.get("voltage")
        turns = np.abs(speed) >= _STILL
        if volts is not None:
            turns |= np.abs(volts) < _DRIVEN * self._volts
        if turns.any():
            self._turned = float(t[turns][-1])
        stood = float(t[-1]) - self._turned
        if stood <= self.guard.stalled_for + GRACE:
            return ""
        self.stalled = True
        return (
            f"the output stood still for {stood:.1f} s while driven; the rig allows"
            f" {self.guard.stalled_for:g} s"
        )


def at_rest(guard: Guard, channels: tuple[str, ...], t: np.ndarray, values: np.ndarray) -> str:
    """What is wrong with the first readings of a bench that nobody drives, "" for nothing: a figure
    over its limit there is no figure of it.
    """
    told = tuple(w for w in guard.watched if w.kind in ("current", "speed", "power"))
    return LimitWatch(Guard(tuple(w._replace(unread=math.inf) for w in told))).look(
        channels, t, values
    )
