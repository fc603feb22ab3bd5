"""Holding: whether a load stays where it is without power, for how long, and how far it creeps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, ClassVar

import numpy as np

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    Accuracy,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Part,
    Reading,
    Result,
    Time,
    Torque,
)
from sparring.core.finding import Fact, Finding, noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal, std

_MINUTE = 60.0
_SHORT = 60.0  # [s] below which a hold says little of creep
_LET_GO = np.pi / 6  # [rad] from where it was, beyond which it has let go
_ENDS = 0.1  # part of a recording at either end, of which its angle there is the mean


class HoldingReading(Reading):
    """One hold: the load as a torque or a weight on the shared radius; how far the output moved the
    way it is pulled in the time it was watched, and after which time it let go, if it did.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Load as torque", "load"),
        ("or as weight", "mass"),
        ("Watched for", "watched"),
        ("Moved", "moved"),
        ("Let go after", "let_go"),
    )

    load: Torque | None = None
    mass: Mass | None = None
    watched: Time = Measured(300.0, 1.0)
    moved: Annotated[Measured, Q("angle", "deg", least=-700.0, most=700.0)] | None = None
    let_go: Time | None = None


class _Hold:
    """torque [N·m]; moved [rad] in watched [s]; let_go [s]; None where it is not known."""

    def __init__(
        self, torque: Uncertain, watched: Uncertain, moved: Uncertain, let_go: Uncertain
    ) -> None:
        self.torque, self.watched, self.moved, self.let_go = torque, watched, moved, let_go

    @property
    def held(self) -> bool:
        """Whether nothing was seen to move, beyond what the reading of the angle leaves open."""
        return self.let_go is None and abs(nominal(self.moved)) <= 2 * std(self.moved)

    @property
    def creep(self) -> Uncertain:
        """Angle in a minute [rad]."""
        return self.moved / self.watched * _MINUTE


class Holding(Method):
    """The drive without power, a load on its output."""

    ID: ClassVar[str] = "holding"
    PART: ClassVar[Part] = "build"
    TITLE: ClassVar[str] = "Holding a load without power"
    PURPOSE: ClassVar[str] = (
        "Whether the drive holds a load without power, for how long, and how far it creeps. Lower "
        "the load onto the drive, switch off, mark where the output stands, and watch."
    )
    CARE: ClassVar[str] = (
        "A load that is let go falls: keep it a hand above the floor, and stay clear of it."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Radius of the weight", "radius"),
        ("Gravity", "gravity"),
        ("Torque sensor accuracy ±", "torquemeter"),
    )
    READING: ClassVar[type[Reading]] = HoldingReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("torque", "angle")
    GAINS: ClassVar[dict[str, str]] = {"load": "torquemeter"}

    radius: Length | None = None
    gravity: Gravity = STANDARD_GRAVITY
    torquemeter: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[HoldingReading]:
        """One hold: the mean torque, the angle at its end less that at its beginning, or when it
        let go.
        """
        logged.need(rec, self.CHANNELS)
        whole = float(rec.t[-1] - rec.t[0])
        first = rec.span(rec.t[0], rec.t[0] + _ENDS * whole)
        last = rec.span(rec.t[-1] - _ENDS * whole, np.inf)
        begins = logged.level(first, "angle")
        away = np.abs(rec.channels["angle"] - begins.value) > _LET_GO
        if away.any():
            n = int(np.argmax(away))
            load = logged.level(rec.span(rec.t[0], rec.t[n]), "torque")
            after = Measured(float(rec.t[n] - rec.t[0]), whole / len(rec))
            return [HoldingReading(load=load, watched=after, let_go=after)]
        steps = np.abs(np.diff(rec.channels["angle"]))
        if not (steps > 0).any():
            raise ValueError(
                "the angle shows one value in the whole recording: type the reading, with the "
                "encoder's step as the ± of how far it moved"
            )
        ends, load = logged.level(last, "angle"), logged.level(rec, "torque")
        step = float(steps[steps > 0].min()) / np.sqrt(12)
        doubt = float(np.hypot(max(ends.u, step), max(begins.u, step)))
        moved = Measured(ends.value - begins.value, doubt)
        return [HoldingReading(load=load, watched=Measured((1 - _ENDS) * whole), moved=moved)]

    def _holds(self, readings: Sequence[HoldingReading]) -> list[_Hold]:
        x, found = Inputs(self), []
        for n, r in enumerate(readings, start=1):
            torque = self.read(x, r, "load", n)
            if (torque is None) == (r.mass is None):
                raise ValueError(f"reading {n}: give the load once, as a torque or as a weight")
            if torque is None:
                if self.radius is None:
                    raise ValueError("enter the radius at which the weight hangs")
                torque = x.of(r, "mass", n) * x.of(self, "gravity") * x.of(self, "radius")
            if r.let_go is None and r.moved is None:
                raise ValueError(f"reading {n}: how far it moved is missing, or after what time")
            if r.let_go is None and r.moved is not None and not r.moved.u:
                raise ValueError(
                    f"reading {n}: write how far it moved with its ±, as 0 ± 0.5 deg: only that "
                    "says what “did not move” is worth"
                )
            moved, let_go = x.of(r, "moved", n), x.of(r, "let_go", n)
            found.append(_Hold(torque, x.of(r, "watched", n), moved, let_go))
        return found

    def reduce(self, readings: Sequence[HoldingReading]) -> Judged:
        holds = self._holds(readings)
        held = [h for h in holds if h.held]
        moved = [h for h in holds if not h.held]
        crept = [h for h in moved if h.let_go is None]
        gone = [h for h in moved if h.let_go is not None]
        results = []
        if held:
            most = max(held, key=lambda h: nominal(h.torque))
            results.append(Result("held", "Held", "torque", most.torque, repeats=len(held)))
        if moved:
            least = min(moved, key=lambda h: nominal(h.torque))
            results.append(Result("not-held", "Not held from", "torque", least.torque))
        if crept:
            worst = max(crept, key=lambda h: nominal(h.torque))
            label = "Creep in a minute, at its heaviest load"
            results.append(Result("creep-per-minute", label, "angle", worst.creep))
        if gone:
            soonest = min(gone, key=lambda h: nominal(h.let_go))
            results.append(Result("let-go-after", "Let go after", "time", soonest.let_go))
        return Judged(tuple(results), tuple(_findings(held, crept, gone)))


def _findings(held: list[_Hold], crept: list[_Hold], gone: list[_Hold]) -> list[Finding]:
    found = []
    if gone:
        h = min(gone, key=lambda h: nominal(h.torque))
        found.append(
            noted(
                "lets-go",
                "wrong",
                title="The drive lets the load go",
                seen="At {load} it let go after {time}.",
                why="A drive that lets go once does so again, with a shock or a little warmth.",
                remedies=("Hold the load by a brake or a self-locking stage.",),
                load=(h.torque, "torque"),
                time=Fact(nominal(h.let_go), "time", digits=2),
            )
        )
    if crept:
        h = min(crept, key=lambda h: nominal(h.torque))
        found.append(
            noted(
                "creeps",
                "caution",
                title="The load creeps",
                seen="At {load} the output moved {moved} in {time}.",
                why="Friction holds it only in part; vibration and warmth make it faster.",
                causes=(
                    "the teeth are near the limit of self-locking",
                    "plastic parts that yield under a standing load",
                    "a cord that stretches: watch the output itself",
                ),
                load=(h.torque, "torque"),
                moved=(h.moved, "angle"),
                time=Fact(nominal(h.watched), "time", digits=3),
            )
        )
    if held:
        h = max(held, key=lambda h: nominal(h.torque))
        short = nominal(h.watched) < _SHORT
        found.append(
            noted(
                "held-for-a-time",
                "note" if short else "good",
                title="The load was held, for a short time" if short else "The load was held",
                seen="At {load} it moved less than {most} in {time}.",
                why=(
                    "Creep shows in minutes: watch it longer before a load hangs over somebody."
                    if short
                    else "Held at rest is not held under vibration."
                ),
                load=(h.torque, "torque"),
                most=Fact(abs(nominal(h.moved)) + 2 * std(h.moved), "angle", digits=2),
                time=Fact(nominal(h.watched), "time", digits=3),
            )
        )
    moved = [*crept, *gone]
    if held and moved:
        most = max(nominal(h.torque) for h in held)
        least = min(nominal(h.torque) for h in moved)
        if most > least * 1.001:
            found.append(
                noted(
                    "holds-not-always",
                    "caution",
                    title="It held more than it let creep",
                    seen="It held {most}, and did not hold {least}.",
                    why="The friction that holds it is not the same each time.",
                    causes=("another tooth was in mesh", "it was warmer", "it was shaken"),
                    remedies=("Turn it on by a tooth and repeat.",),
                    most=(most, "torque"),
                    least=(least, "torque"),
                )
            )
    return found
