"""A quick log of one figure: the current against what was done to the drive, with the clock."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any, ClassVar

from pydantic import Field

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    SURELY,
    Accuracy,
    Current,
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    over_repeats,
)
from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.uncertainty import Uncertain, nominal, std

_REST = re.compile(r"\b(at rest|resting|standing|off)\b", re.IGNORECASE)
_TIME_OF_DAY = r"^([01]?\d|2[0-3]):[0-5]\d(:[0-5]\d)?$"
_DRIFTS = 0.05  # part of a current by which it is another


class CurrentReading(Reading):
    """What was done, what it drew, and when."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Done", "done"),
        ("Current", "current"),
        ("At", "clock"),
    )
    CLOCK: ClassVar[str] = "clock"

    done: Annotated[str, Field(min_length=1, max_length=60)] = "at rest"
    current: Current = Measured(0.12, 0.005)
    clock: Annotated[str, Field(pattern=_TIME_OF_DAY)] | None = None

    @classmethod
    def understand(cls, name: str, text: str) -> Any:
        if name == cls.CLOCK and not re.match(_TIME_OF_DAY, text):
            raise ValueError(f"“{text}” is not a time of day; write 14:05 or 14:05:30")
        if name == "done" and len(text) > 60:
            raise ValueError(f"{len(text)} characters; say it in 60")
        return super().understand(name, text)


class Currents(Method):
    """Readings of the same words are repeats; the ammeter is the same in all."""

    ID: ClassVar[str] = "currents"
    PART: ClassVar[Part] = "build"
    TITLE: ClassVar[str] = "Current against what is done"
    PURPOSE: ClassVar[str] = (
        "A quick log: the current at rest, turning free, held by hand, under each weight. Write "
        "what is done in your own words; the clock is filled in."
    )
    CARE: ClassVar[str] = "Hold an output only where it cannot take the hand with it."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (("Ammeter accuracy ±", "ammeter"),)
    READING: ClassVar[type[Reading]] = CurrentReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("current",)
    GAINS: ClassVar[dict[str, str]] = {"current": "ammeter"}

    ammeter: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[CurrentReading]:
        """One reading: the mean of the recording; what was done is still to be written."""
        logged.need(rec, self.CHANNELS)
        mean = logged.level(rec, "current")
        now = f"{datetime.now():%H:%M:%S}"
        level = Measured(max(mean.value, 0.0), mean.u)
        return [CurrentReading(done="recorded", current=level, clock=now)]

    def reduce(self, readings: Sequence[CurrentReading]) -> Judged:
        x = Inputs(self)
        groups: dict[str, list[int]] = {}
        for n, r in enumerate(readings, start=1):
            groups.setdefault(r.done.strip().casefold(), []).append(n)
        results, findings = [], []
        for numbers in groups.values():
            of = [readings[n - 1] for n in numbers]
            figures = [self.read(x, r, "current", n) for r, n in zip(of, numbers, strict=True)]
            done = of[0].done.strip()
            id = "current-" + re.sub(r"[^a-z0-9]+", "-", done.casefold()).strip("-")
            results.append(over_repeats(id, done, "current", figures))
            findings += _at_rest(done, results[-1])
            findings += _drifts(done, [r.clock for r in of], figures[0], figures[-1])
        return Judged(tuple(results), tuple(findings))


def _at_rest(done: str, result: Result) -> list[Finding]:
    """A current while nothing turns is in every other current too."""
    if not _REST.search(done) or nominal(result.value) <= SURELY * std(result.value):
        return []
    return [
        noted(
            "current-at-rest",
            "note",
            title="It draws current at rest",
            seen="With “" + done.replace("{", "(").replace("}", ")") + "” it draws {current}.",
            why="It is part of every current measured, and none of it turns the drive.",
            causes=("the controller's own current", "the ammeter's zero"),
            remedies=("Zero the ammeter, or measure between the controller and the motor.",),
            current=(result.value, "current"),
        )
    ]


def _drifts(
    done: str, clocks: Sequence[str | None], first: Uncertain, last: Uncertain
) -> list[Finding]:
    """The same done again, with another current."""
    apart = last - first
    if abs(nominal(apart)) <= max(SURELY * std(apart), _DRIFTS * abs(nominal(first))):
        return []
    times = (clocks[0], clocks[-1])
    when = f", at {times[0]} and {times[1]}" if all(times) else ""
    what = done.replace("{", "(").replace("}", ")")
    return [
        noted(
            "current-drifts",
            "caution",
            title="The same is done with another current",
            seen=f"“{what}” drew {{first}} first and {{last}} last{when}.",
            why="Something changed in between: warmth, grease, wear, or the supply.",
            remedies=("Go back to the first load and read it again.",),
            first=(first, "current"),
            last=(last, "current"),
        )
    ]
