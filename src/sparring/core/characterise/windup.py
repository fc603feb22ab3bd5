"""Wind-up and lost motion: the output is turned slowly to and fro with the input held; the loop of
angle over torque.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, ClassVar

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
    Use,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured, text
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal, std

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig

_SMALL_PART = 0.03


class WindUpReading(Reading):
    """One point of the loop, in the order they were taken."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Torque, signed", "torque"),
        ("Angle of the output", "angle"),
    )

    torque: Torque = Measured(0.0, 0.0)
    angle: Annotated[Measured, Q("angle", "deg", least=-100.0, most=100.0)] = Measured(0.0, 0.0)


class WindUp(Method):
    """Points on a loop from one torque through zero to the other and back."""

    ID: ClassVar[str] = "wind-up"
    PART: ClassVar[Part] = "build"
    TITLE: ClassVar[str] = "Wind-up and lost motion"
    PURPOSE: ClassVar[str] = (
        "Backlash, stiffness and friction from a slow loop: torque one way, back, the "
        "other way, and back."
    )
    CARE: ClassVar[str] = "Lock the input; a wound-up drive releases suddenly."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Torque that takes up the backlash", "small"),
        ("Lost motion at ± (default 3 % of the largest)", "read_at"),
        ("Torque sensor accuracy ±", "torquemeter"),
        ("Angle sensor accuracy ±", "protractor"),
    )
    READING: ClassVar[type[Reading]] = WindUpReading
    INPUTS: ClassVar[dict[str, str]] = {"corners": "loop corners between points"}
    ALL: ClassVar[frozenset[str]] = frozenset(("corners",))
    CHANNELS: ClassVar[tuple[str, ...]] = ("torque", "angle")
    PICTURE: ClassVar[tuple[str, ...]] = ("torque", "angle")
    LOOP: ClassVar[bool] = True
    GAINS: ClassVar[dict[str, str]] = {"torque": "torquemeter", "angle": "protractor"}

    small: Annotated[float, Q("torque", "N·m", above=0.0)] = 0.05
    read_at: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    torquemeter: Accuracy = 0.0
    protractor: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[WindUpReading]:
        """The loop in equal pieces of time."""
        logged.need(rec, self.CHANNELS)
        return [
            WindUpReading(torque=torque, angle=angle)
            for torque, angle in logged.points(rec, self.CHANNELS, "torque")
        ]

    def belongs(self, build: Build, rig: Rig) -> str:
        return "Use as this build's stiffness"

    def use(self, readings: Sequence[WindUpReading], build: Build, rig: Rig) -> Use:
        found = next(r.value for r in self.reduce(readings).results if r.id == "stiffness")
        return Use("build", ("windup",), nominal(found), f"{build.name} now has this stiffness")

    def _lost_motion(self, rows: Sequence[tuple[Uncertain, Uncertain]]) -> Iterator[Result]:
        """Angle between a small torque one way and the same the other way, the mean of all passes
        through it; 3 % of the largest (common practice) where none is stated. Nothing where the
        loop does not pass both.
        """
        at = self.read_at or _SMALL_PART * max(abs(nominal(t)) for t, _ in rows)
        angles = {}
        for torque in (at, -at):
            passes = [
                a0 + (a1 - a0) * (torque - t0) / (t1 - t0)
                for (t0, a0), (t1, a1) in pairwise([*rows, rows[0]])
                if (nominal(t0) - torque) * (nominal(t1) - torque) <= 0
                and nominal(t0) != nominal(t1)
            ]
            if not passes:
                return
            angles[torque] = sum(passes) / len(passes)
        shown = text(at, "torque", "N·m")
        yield Result("lost-motion", f"Lost motion at ± {shown}", "angle", angles[at] - angles[-at])

    def reduce(self, readings: Sequence[WindUpReading]) -> Judged:
        x = Inputs(self)
        rows = [
            (self.read(x, r, "torque", n), self.read(x, r, "angle", n))
            for n, r in enumerate(readings, start=1)
        ]
        course = [nominal(t) for t, _ in rows]
        after, before = [*course[1:], course[-1]], [course[0], *course[:-1]]
        rising = [b > a for a, b in zip(before, after, strict=True)]
        sides = {
            s: [
                (t, a, up)
                for (t, a), up in zip(rows, rising, strict=True)
                if s * nominal(t) >= self.small
            ]
            for s in (1, -1)
        }
        if any(len(side) < 2 for side in sides.values()):
            raise ValueError(
                f"at least two points beyond {self.small:.3g} N·m are needed on each side; "
                f"there are {len(sides[1])} and {len(sides[-1])}"
            )
        fits = {s: _line(side) for s, side in sides.items()}
        slope = (fits[1][1] + fits[-1][1]) / 2
        if nominal(slope) <= 0:
            raise ValueError(
                "the angle does not follow the torque; was the sign of one of them lost?"
            )
        play = fits[1][0] - fits[-1][0]
        torque, angle = [t for t, _ in rows], [a for _, a in rows]
        loop: Uncertain = sum(
            (t0 + t1) / 2 * (a1 - a0)
            for t0, t1, a0, a1 in zip(
                torque, torque[1:] + torque[:1], angle, angle[1:] + angle[:1], strict=True
            )
        )
        loop = (loop if nominal(loop) >= 0 else -loop) * x.further(1.0, 2 / len(rows), "corners")
        results = [
            Result("play", "Backlash, extrapolated to zero torque", "angle", play),
            *self._lost_motion(rows),
            Result("stiffness", "Stiffness", "stiffness", 1 / slope),
            Result("loop-energy", "Energy lost per loop", "energy", loop),
        ]
        findings = []
        apart = fits[1][1] - fits[-1][1]
        uneven = abs(nominal(apart / fits[-1][1])) if nominal(fits[-1][1]) else 1.0
        if uneven > 0.3 and abs(nominal(apart)) > SURELY * std(apart):
            findings.append(
                noted(
                    "wind-up-uneven",
                    "note",
                    title="Stiffness differs between the two directions",
                    seen="The two slopes differ by {uneven}.",
                    why="One flank, one side of a joint or a bearing yields more.",
                    uneven=(uneven, "ratio"),
                )
            )
        if nominal(play) + SURELY * std(play) < 0:
            findings.append(
                noted(
                    "play-negative",
                    "caution",
                    title="The two sides overlap",
                    seen="Lost motion is {play}.",
                    why="Angle and torque have opposite signs, or the loop is out of order.",
                    play=(play, "angle"),
                )
            )
        return Judged(tuple(results), tuple(findings))


def _line(points: Sequence[tuple[Uncertain, Uncertain, bool]]) -> tuple[Uncertain, Uncertain]:
    """(intercept, slope) of angle over torque by least squares, inputs kept: one slope for the way
    up and the way down, which friction sets apart, and the middle of their two intercepts."""
    ways = [[(t, a) for t, a, rising in points if rising is way] for way in (True, False)]
    ways = [way for way in ways if way]
    means = [(sum(t for t, _ in way) / len(way), sum(a for _, a in way) / len(way)) for way in ways]
    stt: Uncertain = sum(
        (t - tm) ** 2 for way, (tm, _) in zip(ways, means, strict=True) for t, _ in way
    )
    sta: Uncertain = sum(
        (t - tm) * (a - am) for way, (tm, am) in zip(ways, means, strict=True) for t, a in way
    )
    if abs(nominal(stt)) < 1e-15:
        raise ValueError("all points of one side are at one torque; the stiffness needs several")
    slope = sta / stt
    return sum(am - slope * tm for tm, am in means) / len(means), slope
