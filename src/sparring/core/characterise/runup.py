"""Run-up: a known inertia is spun up and left to coast; T = J Δω/Δt + drag, everything that turns
reflected by the ratio squared.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Annotated, ClassVar

from sparring.core.characterise.base import (
    Inertia,
    Inputs,
    Judged,
    Method,
    Reading,
    Result,
    Speed,
    Time,
    over_repeats,
)
from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal


class RunUpReading(Reading):
    """Two speeds of the mass on the way up and the time between; the same while it coasts down, for
    the drag.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Speed, first", "first"),
        ("Speed, second", "second"),
        ("Time between", "time"),
        ("Coasting, first", "coast_first"),
        ("Coasting, second", "coast_second"),
        ("Time between", "coast_time"),
    )

    first: Speed = Measured(20.0, 0.2)
    second: Speed = Measured(60.0, 0.2)
    time: Time = Measured(2.0, 0.02)
    coast_first: Speed | None = None
    coast_second: Speed | None = None
    coast_time: Time | None = None


class RunUp(Method):
    """Inertias on both sides of a ratio; speeds are those of the mass."""

    ID: ClassVar[str] = "run-up"
    TITLE: ClassVar[str] = "Run-up of a known inertia"
    PURPOSE: ClassVar[str] = (
        "Torque and power from how fast a known inertia comes up to speed, the drag told by"
        " coasting."
    )
    CARE: ClassVar[str] = (
        "A spinning mass has a safe speed. A guard round it, eye protection, and nobody in its"
        " plane."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Inertia of the mass", "mass"),
        ("Inertia on the motor's shaft", "rotor"),
        ("Ratio, motor over mass", "ratio"),
        ("Safe speed of the mass", "safe"),
    )
    READING: ClassVar[type[Reading]] = RunUpReading

    mass: Inertia = Measured(0.020, 2e-4)
    rotor: Annotated[Measured, Q("inertia", "g·cm²", above=0.0)] = Measured(1.2e-6, 5e-8)
    ratio: Annotated[Measured, Q("ratio", "", above=0.0, most=1e5)] = Measured(3.0, 0.0)
    safe: Annotated[float, Q("speed", "rpm", above=0.0)] = 300.0

    def reduce(self, readings: Sequence[RunUpReading]) -> Judged:
        x = Inputs(self)
        ratio, rotor, mass = x.of(self, "ratio"), x.of(self, "rotor"), x.of(self, "mass")
        whole = mass + rotor * ratio**2
        torques, powers, drags = [], [], []
        for n, r in enumerate(readings, start=1):
            if r.second.value <= r.first.value:
                raise ValueError(
                    f"reading {n}: the second speed is not above the first; the mass must come up"
                    " to speed"
                )
            w1, w2 = x.of(r, "first", n), x.of(r, "second", n)
            drag = self._drag(x, whole, r, n)
            if drag is not None:
                drags.append(drag)
            torque = whole * (w2 - w1) / x.of(r, "time", n) + (0.0 if drag is None else drag)
            torques.append(torque)
            powers.append(torque * (w1 + w2) / 2)
        results = [
            over_repeats("mass-torque", "Torque at the mass", "torque", torques),
            over_repeats("middle-power", "Power at the middle speed", "power", powers),
        ]
        if drags:
            results.append(over_repeats("drag", "Drag", "torque", drags))
        at_motor = results[0].value / ratio
        results += [
            Result("motor-torque", "Torque at the motor, without losses", "torque", at_motor),
            Result(
                "inertia-at-motor",
                "Inertia of the mass seen by the motor",
                "inertia",
                mass / ratio**2,
            ),
        ]
        found = [*self._too_fast(readings), *self._doubts(mass, rotor * ratio**2, bool(drags))]
        return Judged(tuple(results), tuple(found))

    def _drag(self, x: Inputs, whole: Uncertain, r: RunUpReading, n: int) -> Uncertain:
        """Drag [N·m] of reading n by its coast-down; None where none was timed. Raises
        ValueError.
        """
        if r.coast_first is None or r.coast_second is None or r.coast_time is None:
            return None
        if r.coast_second.value >= r.coast_first.value:
            raise ValueError(
                f"reading {n}: coasting, the second speed is not below the first; exchange them"
            )
        lost = x.of(r, "coast_first", n) - x.of(r, "coast_second", n)
        return whole * lost / x.of(r, "coast_time", n)

    def _too_fast(self, readings: Sequence[RunUpReading]) -> Iterator[Finding]:
        for n, r in enumerate(readings, start=1):
            if r.second.value > self.safe:
                yield noted(
                    "above-safe-speed",
                    "wrong",
                    title="The mass ran above its safe speed",
                    seen=f"Reading {n} reached {{speed}}; {{safe}} is set as safe.",
                    why="A mass that bursts goes through guards.",
                    remedies=("Stay below, or take a smaller or stronger mass.",),
                    speed=(r.second.value, "speed"),
                    safe=(self.safe, "speed"),
                )

    def _doubts(self, mass: Uncertain, rotor: Uncertain, coasted: bool) -> Iterator[Finding]:
        """rotor: its inertia as the mass's shaft feels it."""
        if not coasted:
            yield noted(
                "no-coast-down",
                "note",
                title="The drag is not known",
                seen="No coast-down was timed.",
                why=(
                    "Bearings and air take part of the torque; without a coast-down the result"
                    " is what is left for the mass."
                ),
                remedies=("Cut the power at speed and time it between two speeds.",),
            )
        if nominal(rotor) > nominal(mass):
            yield noted(
                "inertia-on-the-wrong-side",
                "caution",
                title="The motor's own inertia outweighs the mass",
                seen="Behind the ratio the rotor counts as {rotor}; the mass is {mass}.",
                why="That is rare: the inertia may be entered for the wrong side of the ratio.",
                causes=(
                    "the mass sits on the motor's shaft",
                    "the ratio is entered the other way round",
                    "a factor of ten",
                ),
                remedies=(
                    (
                        "Enter the inertia of the mass itself, and the ratio as motor speed"
                        " over its speed."
                    ),
                ),
                rotor=(rotor, "inertia"),
                mass=(mass, "inertia"),
            )
