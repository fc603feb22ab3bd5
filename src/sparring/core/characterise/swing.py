"""Swing test: inertia of a body hung on two or three cords, J = m g r² t²/(4π² L); or on a wire
against a known body.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    Gravity,
    Inertia,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Part,
    Reading,
    Result,
    Time,
    Use,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal, std

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig

_SMALL = math.radians(10)  # what a tester takes for a small swing


class SwingReading(Reading):
    """Time of so many whole swings, there and back."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Swings counted", "swings"),
        ("Time for these", "time"),
        ("Reference body alone, time", "known_time"),
        ("Amplitude, about", "amplitude"),
        ("Platform alone, time", "empty_time"),
    )

    swings: Annotated[int, Field(ge=1, le=1000)] = 20
    time: Time = Measured(24.0, 0.1)
    known_time: Time | None = None
    amplitude: Annotated[Measured, Q("angle", "deg", least=0.0, most=1.0)] | None = None
    empty_time: Time | None = None


class Swing(Method):
    """Cords: the body twists on cords of equal length at one radius. Wire: it twists on a wire that
    a known body has been timed on.
    """

    ID: ClassVar[str] = "swing"
    PART: ClassVar[Part] = "inertia"
    TITLE: ClassVar[str] = "Swing test of an inertia"
    PURPOSE: ClassVar[str] = (
        "Inertia of a flywheel, drum or rotor from the period of its torsional swings. "
        "Keep the amplitude under 10°."
    )
    CARE: ClassVar[str] = "A heavy body on thin cords can fall: hang it low, over something soft."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Suspension", "hung_on"),
        ("Mass of the body", "mass"),
        ("Radius of the cords", "radius"),
        ("Length of the cords", "length"),
        ("Inertia of the reference body", "known"),
        ("Gravity", "gravity"),
        ("Mass of the platform", "platform"),
    )
    READING: ClassVar[type[Reading]] = SwingReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("angle",)
    INPUTS: ClassVar[dict[str, str]] = {"amplitude-unknown": "amplitude of the swing"}

    hung_on: Literal["two or three cords", "a wire"] = "two or three cords"
    mass: Mass = Measured(1.2, 5e-4)
    radius: Length = Measured(0.060, 2.5e-4)
    length: Length = Measured(1.000, 1e-3)
    known: Inertia | None = None
    gravity: Gravity = STANDARD_GRAVITY
    platform: Mass = Measured(0.0)

    def from_log(self, rec: Recording) -> list[SwingReading]:
        """One reading: every whole swing in the recording. A known body on a wire is a recording of
        its own, typed in beside.
        """
        logged.need(rec, self.CHANNELS)
        count, time = logged.swings(rec)
        wide = Measured(math.sqrt(2) * float(np.nanstd(rec.channels["angle"])))
        return [SwingReading(swings=min(count, 1000), time=time, amplitude=wide)]

    def belongs(self, build: Build, rig: Rig) -> str:
        if rig.method.ACCELERATES:
            return f"Use as the mass of {rig.name}"
        return f"Use as the rotor of {build.motor.name}"

    def use(self, readings: Sequence[SwingReading], build: Build, rig: Rig) -> Use:
        found = self.reduce(readings).results[0].value
        if rig.method.ACCELERATES:
            value = Measured(nominal(found), std(found))
            return Use("rig", ("method", "inertia"), value, f"{rig.name} now has this mass")
        said = f"{build.motor.name} now has this rotor"
        return Use("build", ("motor", "inertia"), nominal(found), said)

    def _on_a_wire(self, x: Inputs, r: SwingReading, n: int) -> Uncertain:
        """J₀ t²/t₀², on a platform J₀ (t² − t_p²)/(t₀² − t_p²). Raises ValueError."""
        if self.known is None or r.known_time is None:
            raise ValueError(
                f"reading {n}: on a wire, enter the inertia of a reference body and the "
                "time for the same number of its swings on the same wire"
            )
        square, known = x.of(r, "time", n) ** 2, x.of(r, "known_time", n) ** 2
        empty = 0.0 if r.empty_time is None else x.of(r, "empty_time", n) ** 2
        if nominal(known) <= nominal(empty) or nominal(square) <= nominal(empty):
            raise ValueError(
                f"reading {n}: the platform alone swings as slowly as with the body on it"
            )
        return x.of(self, "known") * (square - empty) / (known - empty)

    def _on_cords(self, x: Inputs, r: SwingReading, n: int) -> Uncertain:
        """(m + m_p) g r² t²/(4π² L), what the platform alone has taken off. Raises ValueError."""
        period = x.of(r, "time", n) / r.swings / self._wide(x, r, n)
        platform = x.of(self, "platform")
        swung = (x.of(self, "mass") + platform) * period**2
        if self.platform.value > 0:
            if r.empty_time is None:
                raise ValueError(
                    f"reading {n}: enter the time for the same number of swings of the "
                    "platform alone, or delete the platform's mass"
                )
            alone = x.of(r, "empty_time", n) / r.swings / self._wide(x, r, n)
            swung = swung - platform * alone**2
        pull = x.of(self, "gravity") * x.of(self, "radius") ** 2
        return pull * swung / (4 * math.pi**2 * x.of(self, "length"))

    def _wide(self, x: Inputs, r: SwingReading, n: int) -> Uncertain:
        """By how much wide swings on cords take longer, 1 + φ²/16; of a swing that nobody measured
        anything up to 10° (rectangular).
        """
        if r.amplitude is not None:
            return 1 + x.of(r, "amplitude", n) ** 2 / 16
        most = _SMALL**2 / 16
        return 1 + most / 2 + x.further(0.0, most / 2 / math.sqrt(3), "amplitude-unknown", n)

    def reduce(self, readings: Sequence[SwingReading]) -> Judged:
        x, wire = Inputs(self), self.hung_on == "a wire"
        found = []
        for n, r in enumerate(readings, start=1):
            found.append(self._on_a_wire(x, r, n) if wire else self._on_cords(x, r, n))
        findings = []
        if self.hung_on != "a wire" and self.length.value < 5 * self.radius.value:
            findings.append(
                noted(
                    "cords-short",
                    "caution",
                    title="The cords are short",
                    seen="They are {length} long at a radius of {radius}.",
                    why="The formula holds for cords longer than five times their radius.",
                    remedies=("Use longer cords, or a smaller radius.",),
                    length=(self.length.value, "length"),
                    radius=(self.radius.value, "length"),
                )
            )
        if (
            min(r.time.value for r in readings) < 10
            and max(r.time.u / r.time.value for r in readings) > 0.005
        ):
            findings.append(
                noted(
                    "swings-few",
                    "note",
                    title="Too few swings were timed",
                    seen="The shortest time is {time}.",
                    why=(
                        "A stopwatch by hand is good to about 0.2 s, and the time enters squared."
                    ),
                    remedies=("Count more swings.",),
                    time=(min(r.time.value for r in readings), "time"),
                )
            )
        inertia = over_repeats("inertia", "Inertia", "inertia", found)
        results = [inertia]
        if self.hung_on != "a wire" and self.mass.value > 0:
            results.append(
                Result(
                    "radius-of-gyration",
                    "Radius of gyration",
                    "length",
                    (inertia.value / x.of(self, "mass")) ** 0.5,
                )
            )
        return Judged(tuple(results), tuple(findings))
