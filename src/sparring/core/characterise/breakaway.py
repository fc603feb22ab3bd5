"""Break-away and back-drive: the torque at which an output that stands begins to turn, and the
torque that keeps it turning.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    SURELY,
    Accuracy,
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    Torque,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.uncertainty import nominal, std

_MOVES = 0.1  # part of the fastest turning from which it counts as turning
_PULL = 10  # samples of the pull that its line needs
_WATCHED = 0.3  # [s] before it turns, whose torque is followed to the moment it moves


class BreakawayReading(Reading):
    """One slow pull from standstill: the torque at which it moved, and the mean once it did."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Break-away at", "starts"),
        ("Running torque", "turns"),
    )

    starts: Torque = Measured(0.25, 0.005)
    turns: Torque | None = None


def _end_of(pull: Recording) -> Measured:
    """The torque at the end of a slow pull, by the line through it: the largest of noisy samples
    would lie above it.

    The angle may show the start a sample late, and the torque has dropped by then: it moved within
    a sample of the last one, and the last two are no part of the line.
    """
    if len(pull) < _PULL:
        raise ValueError(
            f"only {len(pull)} samples before it moved; log at 40 lines per second or more"
        )
    step = float(pull.t[-1] - pull.t[0]) / (len(pull) - 1)
    x, y = pull.t[:-2] - pull.t[-1], np.abs(pull.channels["torque"][:-2])
    X = np.column_stack([np.ones_like(x), x])
    line, *_ = np.linalg.lstsq(X, y, rcond=None)
    scatter = float(np.sqrt(((y - X @ line) ** 2).sum() / max(len(x) - 2, 1)))
    by_line = scatter * float(np.sqrt(np.linalg.pinv(X.T @ X)[0, 0]))
    return Measured(float(line[0]), float(np.hypot(by_line, line[1] * step / np.sqrt(3))))


class Breakaway(Method):
    """The output turned from outside, the motor's terminals open, or held."""

    ID: ClassVar[str] = "break-away"
    PART: ClassVar[Part] = "build"
    TITLE: ClassVar[str] = "Break-away and back-drive torque"
    PURPOSE: ClassVar[str] = (
        "Torque needed to turn the drive from its output. Pull slowly from standstill, "
        "several times, in one direction at a time."
    )
    CARE: ClassVar[str] = (
        "A drive that releases suddenly throws the lever. Leave the motor's terminals "
        "open: shorted, it brakes."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (("Torque sensor accuracy ±", "torquemeter"),)
    READING: ClassVar[type[Reading]] = BreakawayReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("torque", "angle")
    GAINS: ClassVar[dict[str, str]] = {"starts": "torquemeter", "turns": "torquemeter"}

    torquemeter: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[BreakawayReading]:
        """Each time the angle begins to move: the torque to which the pull had grown, the mean
        while it turns.
        """
        logged.need(rec, self.CHANNELS)
        size = max(1, round(0.02 * (len(rec) - 1) / max(float(rec.t[-1] - rec.t[0]), 1e-9)))
        n = len(rec) // size
        t, angle = (
            np.nanmean(v[: n * size].reshape(n, size), axis=1)
            for v in (rec.t, rec.channels["angle"])
        )
        smooth = np.convolve(angle, np.ones(5) / 5, "same")
        speed = np.abs(np.gradient(smooth, t))
        speed[:3], speed[-3:] = 0.0, 0.0  # the average has no neighbours there
        edges = np.diff(np.concatenate([[0], (speed > _MOVES * speed.max()).astype(np.int8), [0]]))
        found = []
        for i, j in zip(np.nonzero(edges == 1)[0], np.nonzero(edges == -1)[0], strict=True):
            if t[j - 1] - t[i] < 0.2:
                continue
            still, turning = (
                rec.span(t[i] - _WATCHED - 0.3, t[i] - 0.1),
                rec.span(t[i] + 0.15, t[j - 1] - 0.1),
            )
            if len(still) < 8 or len(turning) < 8:
                continue
            rest, noise = (
                float(np.nanmean(still.channels["angle"])),
                float(np.nanstd(still.channels["angle"])),
            )
            near = rec.span(t[i] - 0.1, t[i] + 0.2)
            off = np.nonzero(np.abs(near.channels["angle"] - rest) > max(5 * noise, 1e-9))[0]
            moved = float(near.t[off[0]]) if len(off) else float(t[i])
            level = logged.level(turning, "torque")
            found.append(
                BreakawayReading(
                    starts=_end_of(rec.span(moved - _WATCHED, moved)),
                    turns=Measured(abs(level.value), level.u),
                )
            )
        if not found:
            raise ValueError("the angle never moves for 0.2 s in this recording")
        return found

    def reduce(self, readings: Sequence[BreakawayReading]) -> Judged:
        x = Inputs(self)
        starts = [self.read(x, r, "starts", n) for n, r in enumerate(readings, start=1)]
        turns = [
            self.read(x, r, "turns", n)
            for n, r in enumerate(readings, start=1)
            if r.turns is not None
        ]
        results = [over_repeats("break-away-torque", "Break-away torque", "torque", starts)]
        if turns:
            results.append(over_repeats("turning-torque", "Running torque", "torque", turns))
        findings = []
        if turns:
            over = (
                results[0].value / results[1].value
                if nominal(results[1].value)
                else results[0].value * 0
            )
            results.append(Result("break-away-ratio", "Break-away over running", "ratio", over))
            if nominal(over) + SURELY * std(over) < 1:
                findings.append(
                    noted(
                        "breakaway-below-running",
                        "caution",
                        title="Running torque exceeds break-away torque",
                        seen="Break-away is {starts}, running {turns}.",
                        why="Static friction is never below sliding friction.",
                        causes=(
                            "it was already moving",
                            "the pull was too fast, so inertia was included",
                            "the two values are interchanged",
                        ),
                        starts=(results[0].value, "torque"),
                        turns=(results[1].value, "torque"),
                    )
                )
            elif nominal(over) > 2 and nominal(over) - SURELY * std(over) > 1:
                findings.append(
                    noted(
                        "sticks",
                        "note",
                        title="The drive sticks before it turns",
                        seen="Break-away is {starts}, running {turns}.",
                        why="A drive that sticks starts with a jerk and positions badly.",
                        remedies=("Turn it one revolution and measure again.",),
                        starts=(results[0].value, "torque"),
                        turns=(results[1].value, "torque"),
                    )
                )
        return Judged(tuple(results), tuple(findings))
