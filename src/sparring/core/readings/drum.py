"""Drum friction: what lifting and lowering slowly at one weight differ by, or what a run coupled straight to the drum needs beyond the weight."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.readings.method import (
    STANDARD_GRAVITY,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Reading,
    Result,
    Torque,
    over_repeats,
)
from sparring.core.uncertainty import nominal, std


class DrumReading(Reading):
    """Torque at the drum's shaft with one weight, turning slowly. lowering: empty where it was only lifted."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Weight, hook and all", "load"),
        ("Torque lifting", "lifting"),
        ("Torque lowering", "lowering"),
    )

    load: Mass = Measured(1.0, 5e-4)
    lifting: Torque = Measured(0.26, 0.002)
    lowering: Torque | None = None


class DrumFriction(Method):
    """Half the difference of the two ways is the friction; half their sum is the weight on the drum's radius."""

    TITLE: ClassVar[str] = "Drum friction of a hoist"
    PURPOSE: ClassVar[str] = (
        "What the drum's own bearings take, so that it is not charged to the gearbox. The drum turned at its shaft, without the drive."
    )
    CARE: ClassVar[str] = "Keep clear of the taut cord, and nobody under the weight."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (("Radius of the cord's middle", "radius"), ("Gravity", "gravity"))
    READING: ClassVar[type[Reading]] = DrumReading

    radius: Length = Measured(0.0255, 1e-4)
    gravity: Gravity = STANDARD_GRAVITY

    def reduce(self, readings: Sequence[DrumReading]) -> Judged:
        x = Inputs()
        radius, g = x.of(self, "radius", "radius"), x.of(self, "gravity", "gravity")
        frictions, radii, findings = [], [], []
        for n, r in enumerate(readings, start=1):
            weight = x.of(r, "load", f"reading {n}: weight") * g
            up, down = (x.of(r, name, f"reading {n}: {name}") for name in ("lifting", "lowering"))
            frictions.append(up - weight * radius if down is None else (up - down) / 2)
            if down is not None and nominal(weight) > 0:
                radii.append((up + down) / 2 / weight)
        results = [over_repeats("Drum friction", "torque", frictions)]
        if radii:
            seen = over_repeats("Radius the weight acts at", "length", radii)
            results.append(seen)
            off = seen.value - radius
            if abs(nominal(off)) > max(2 * std(off), 1e-6 * nominal(radius)):
                findings.append(
                    noted(
                        "drum-radius-as-measured",
                        "caution",
                        "The weight acts at another radius than entered",
                        "The two ways together give {acts}, entered is {entered}.",
                        "Cord thickness, a second layer, or the diameter entered as radius.",
                        tries=("Measure the drum and the cord again; the radius runs to the cord's middle.",),
                        acts=(seen.value, "length"),
                        entered=(radius, "length"),
                    )
                )
        if nominal(results[0].value) < -2 * std(results[0].value):
            findings.append(
                noted(
                    "drum-friction-negative",
                    "wrong",
                    "The friction is negative",
                    "It comes out as {friction}.",
                    "A bearing does not help: lifting and lowering are exchanged, or radius or weight is wrong.",
                    friction=(results[0].value, "torque"),
                )
            )
        loads = [r.load.value for r in readings]
        if len(readings) > 1 and max(loads) > 1.5 * max(min(loads), 1e-9):
            first, last = (min(readings, key=lambda r: r.load.value), max(readings, key=lambda r: r.load.value))
            light, heavy = (nominal(frictions[readings.index(r)]) for r in (first, last))
            if heavy > 1.3 * max(light, 1e-12):
                findings.append(
                    noted(
                        "drum-friction-grows",
                        "note",
                        "The friction grows with the weight",
                        "It is {light} at the lightest and {heavy} at the heaviest.",
                        "One figure for all weights is then too much at the light ones and too little at the heavy ones.",
                        tries=("Take the figure near the weights that matter, with a ± that spans both.",),
                        light=(light, "torque"),
                        heavy=(heavy, "torque"),
                    )
                )
        return Judged(tuple(results), tuple(findings))

    def as_friction(self, readings: Sequence[DrumReading]) -> Measured:
        """The figure for a hoist's `bearing`. Raises ValueError when it is no friction."""
        value: Result = self.reduce(readings).results[0]
        if nominal(value.value) < 0:
            raise ValueError("the friction comes out negative; it cannot be used")
        return Measured(nominal(value.value), std(value.value))
