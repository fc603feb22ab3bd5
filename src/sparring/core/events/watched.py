"""What detectors look at: a recording corrected by the rig's instruments, where the drive is on,
and levels before and after a moment.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from sparring.core import nan
from sparring.core.build import Build
from sparring.core.live import Instruments
from sparring.core.recording import Recording
from sparring.core.rig import Rig
from sparring.core.run import Run

_ON = 0.25  # part of its most from which a signal counts as on
_BESIDE = 10.0  # [s] of a log that are looked at before and after a run
_GAP = 4  # lost samples that a moment may lack


@dataclass(frozen=True)
class Watched:
    """A recording of one run on a rig. Arrays have the shape (n,), NaN where nothing was read."""

    build: Build
    rig: Rig
    run: Run
    recording: Recording
    log: Recording | None = None  # that it is a part of

    @cached_property
    def around(self) -> Watched:
        """The same run with what its log has before and after it, as long as nothing drives there:
        where a log was taken apart at its pauses, they tell what the run left behind.
        """
        if self.log is None or not len(self.recording):
            return self
        begins, ends = float(self.t[0]), float(self.t[-1])
        near = self.log.span(begins - _BESIDE, ends + _BESIDE)
        beside = Watched(self.build, self.rig, self.run, near)
        before = near.t[beside.on & (near.t < begins - self.dt)]
        after = near.t[beside.on & (near.t > ends + self.dt)]
        first = float(before[-1]) + self.dt if len(before) else -math.inf
        last = float(after[0]) - self.dt if len(after) else math.inf
        whole = near.span(min(first, begins), max(last, ends + self.dt))
        return Watched(self.build, self.rig, self.run, whole, self.log)

    @property
    def t(self) -> np.ndarray:
        return self.recording.t

    @cached_property
    def dt(self) -> float:
        """Time between two samples [s], the usual one."""
        return float(np.median(np.diff(self.t))) if len(self.t) > 1 else 1.0

    @cached_property
    def _instruments(self) -> Instruments:
        own = self.run.calibration
        rig = self.rig if own is None else self.rig.model_copy(update={"calibration": own})
        return Instruments(rig)

    def get(self, channel: str) -> np.ndarray | None:
        """A channel [SI] as it truly was; `force` also from a calibrated cell's counts. None where
        it was not recorded.
        """
        tare = None if self.run.tare is None else self.run.tare.value
        found = self._instruments.series(channel, self.recording.channels, tare)
        if found is None or not np.isfinite(found).any():
            return None
        return np.asarray(found, float)

    def many(self, seconds: float) -> int:
        """So many samples are in a time."""
        return max(3, round(seconds / self.dt))

    @cached_property
    def on(self) -> np.ndarray:
        """Where the drive is on and goes forward, shape (n,): by the voltage, or else the current,
        or else the speed.
        """
        for name in ("voltage", "current", "motor_speed", "speed"):
            if (y := self.get(name)) is not None:
                y = np.nan_to_num(y)
                most = float(np.quantile(y, 0.98)) if len(y) else 0.0
                return np.asarray(y > _ON * most) if most > 0 else np.zeros(len(y), bool)
        return np.zeros(len(self.t), bool)

    @cached_property
    def spans(self) -> list[tuple[int, int]]:
        """(first, last + 1) of each stretch over which the drive is on, a lost sample or two
        within.
        """
        edges = np.diff(np.concatenate([[0], self.on.astype(np.int8), [0]]))
        starts, stops = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
        found: list[tuple[int, int]] = []
        for a, b in zip(starts.tolist(), stops.tolist(), strict=True):
            if found and a - found[-1][1] <= _GAP:
                found[-1] = found[-1][0], b
            else:
                found.append((a, b))
        return [(a, b) for a, b in found if b - a >= self.many(0.3)]

    @cached_property
    def free_speed(self) -> float:
        """A speed of the output to hold others against [rad/s]: what it would do unloaded, or the
        most it did; 0: not known.
        """
        if self.build.has_motor and self.run.voltage > 0:
            drag = self.build.torque_line()[1]
            motor = self.build.motor_line().speed(drag, self.run.voltage)
            if motor > 0:
                return float(motor) / abs(self.build.ratio())
        speed = self.get("speed")
        return 0.0 if speed is None else nan.quantile(np.abs(speed), 0.98)


def before_and_after(y: np.ndarray, width: int, gap: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """Medians of the `width` samples before each one and of those after it, `gap` samples apart;
    shape (n,) each, NaN where there are not so many.
    """
    n = len(y)
    before, after = np.full(n, np.nan), np.full(n, np.nan)
    if n < 2 * width + gap:
        return before, after
    medians = nan.medians(np.lib.stride_tricks.sliding_window_view(y, width))
    before[width:] = medians[: n - width]
    after[: n - width + 1 - gap] = medians[gap:]
    return before, after


def stretches(where: np.ndarray, least: int) -> list[tuple[int, int]]:
    """(first, last + 1) of each stretch of at least `least` samples over which something holds."""
    edges = np.diff(np.concatenate([[0], np.asarray(where).astype(np.int8), [0]]))
    pairs = zip(
        np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True
    )
    return [(a, b) for a, b in pairs if b - a >= least]
