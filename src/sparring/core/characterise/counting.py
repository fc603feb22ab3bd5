"""Speed by counting: pulses in a gate, the time of some periods, taps of a finger, frames of a slow
film; each with its uncertainty.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from sparring.core.characterise.base import (
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal, std

# standard uncertainty of one tap of a finger [s]; a stopwatch hand is about that good (from memory)
_HAND = 0.05
WAYS = (
    "pulses counted in a time",
    "time of so many pulses",
    "tapped with a finger",
    "frames of a film",
)


class CountReading(Reading):
    """So many pulses (turns, taps, marks passing) and the time, or the frames, they took."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Counted", "counted"),
        ("Over a time of", "time"),
        ("or in frames", "frames"),
    )

    counted: Annotated[int, Field(ge=1, le=10_000_000)] = 20
    time: Annotated[Measured, Q("time", "s", above=0.0)] | None = None
    frames: Annotated[int, Field(ge=1, le=10_000_000)] | None = None


class Counting(Method):
    """A tachometer of any kind, and what stands in for one."""

    ID: ClassVar[str] = "counting"
    PART: ClassVar[Part] = "rig"
    TITLE: ClassVar[str] = "Speed by counting"
    PURPOSE: ClassVar[str] = (
        "Speed of a shaft from pulses, taps or video frames, with its uncertainty: to "
        "check a tachometer, or without one."
    )
    CARE: ClassVar[str] = "Do not lean over rotating parts to see a mark; tape can fly off."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("How", "way"),
        ("Pulses per revolution", "pulses"),
        ("Revolutions of the counted shaft per revolution of the wanted one", "gear"),
        ("Frames per second", "rate"),
        ("Clock accuracy ±", "clock"),
    )
    READING: ClassVar[type[Reading]] = CountReading
    INPUTS: ClassVar[dict[str, str]] = {
        "frame": "first and last frame",
        "taps": "first and last tap",
        "pulse": "first and last pulse",
    }

    way: Literal[
        "pulses counted in a time",
        "time of so many pulses",
        "tapped with a finger",
        "frames of a film",
    ] = "pulses counted in a time"
    pulses: Annotated[int, Field(ge=1, le=100_000)] = 1
    gear: Annotated[float, Q("ratio", "", above=0.0)] = 1.0
    rate: Annotated[float, Q("ratio", "", above=0.0)] = 240.0
    clock: Annotated[float, Q("ratio", "%", least=0.0, most=0.2)] = 1e-4

    def _turns(self, x: Inputs, n: int, r: CountReading) -> tuple[Uncertain, Uncertain]:
        """(pulses, time [s]) of a reading with what its way leaves open. Raises ValueError where a
        figure is missing.
        """
        if self.way == "frames of a film":
            if r.frames is None:
                raise ValueError(f"reading {n}: the number of frames is missing; enter it")
            # begin and end each fall somewhere within a frame
            return (
                r.counted,
                (r.frames + x.further(0.0, math.sqrt(2 / 12), "frame", n)) / self.rate,
            )
        if r.time is None:
            raise ValueError(f"reading {n}: the time is missing; enter it")
        time: Uncertain = x.of(r, "time", n)
        if self.way == "tapped with a finger":
            return r.counted, time + x.further(0.0, _HAND * math.sqrt(2), "taps", n)
        if self.way == "time of so many pulses":
            return r.counted, time
        # a gate opens and closes anywhere between two pulses: one more or less (rectangular at each
        # end)
        return (r.counted + x.further(0.0, math.sqrt(2 / 12), "pulse", n), time)

    def reduce(self, readings: Sequence[CountReading]) -> Judged:
        x = Inputs(self)
        gain = x.gain("clock", self.clock / math.sqrt(3))
        speeds = []
        for n, r in enumerate(readings, start=1):
            pulses, time = self._turns(x, n, r)
            speeds.append(2 * math.pi * pulses / self.pulses / self.gear / time * gain)
        speed = over_repeats("wanted-speed", "Speed of the wanted shaft", "speed", speeds)
        results = [
            speed,
            Result("counted-speed", "Speed of the counted shaft", "speed", speed.value * self.gear),
        ]
        doubt = 2 * std(speed.value) / abs(nominal(speed.value))
        results.append(Result("known-to", "Relative uncertainty (k = 2)", "ratio", doubt))
        findings = []
        if doubt > 0.01:
            better = {
                "pulses counted in a time": (
                    "Time a number of pulses instead of counting for a fixed time, or "
                    "count for longer."
                ),
                "time of so many pulses": "Time more pulses.",
                "tapped with a finger": (
                    "Tap for longer: only the first and the last tap add uncertainty."
                ),
                "frames of a film": "Film more revolutions, or at a higher frame rate.",
            }[self.way]
            findings.append(
                noted(
                    "speed-coarse",
                    "caution",
                    title="The speed has a large uncertainty",
                    seen="Its uncertainty is {doubt}.",
                    why="No power or efficiency from it can be known better.",
                    remedies=(better,),
                    doubt=(doubt, "ratio"),
                )
            )
        per_second = (
            max(r.counted / r.time.value for r in readings if r.time is not None)
            if any(r.time for r in readings)
            else 0.0
        )
        if self.way == "tapped with a finger" and per_second > 4:
            findings.append(
                noted(
                    "taps-too-quick",
                    "caution",
                    title="The tapping rate is too high",
                    seen=f"It was {per_second:.1f} taps per second.",
                    why="Above about four per second taps are missed.",
                    remedies=(
                        ("Tap every fourth revolution and enter the revolutions, not the taps."),
                    ),
                )
            )
        if self.way == "frames of a film":
            seen = max(nominal(s) for s in speeds) * self.gear * self.pulses / (2 * math.pi)
            if seen > self.rate / 3:
                findings.append(
                    noted(
                        "film-too-slow",
                        "wrong",
                        title="The frame rate is too low for this speed",
                        seen=(
                            f"{seen:.0f} marks pass per second at {self.rate:.0f} frames "
                            "per second."
                        ),
                        why=(
                            "With fewer than three frames per mark the wheel may appear to "
                            "turn slowly or backwards."
                        ),
                        remedies=("Film at a higher rate, or use a single mark.",),
                    )
                )
        return Judged(tuple(results), tuple(findings))
