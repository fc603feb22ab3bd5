"""Drum friction: what lifting and lowering slowly at one weight differ by, or what a run coupled
straight to the drum needs beyond the weight.

The torque at the drum's shaft is typed, recorded by a sensor, or that of a bare motor on the shaft:
k i − friction while it lifts, k i + friction while the weight goes down.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, Any, ClassVar

import numpy as np

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    SURELY,
    Accuracy,
    Current,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Part,
    Reading,
    Result,
    Torque,
    Use,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.motor import Motor
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal, std

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig


class DrumReading(Reading):
    """Torque at the drum's shaft with one weight, turning slowly, or the current of a bare motor on
    it. lowering: empty where it was only lifted."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Weight, hook included", "load"),
        ("Torque lifting", "lifting"),
        ("Torque lowering", "lowering"),
        ("or current lifting", "current_lifting"),
        ("or current lowering", "current_lowering"),
    )

    load: Mass = Measured(1.0, 5e-4)
    lifting: Torque | None = None
    lowering: Torque | None = None
    current_lifting: Current | None = None
    current_lowering: Annotated[Measured, Q("current", "A")] | None = None


class DrumFriction(Method):
    """Half the difference of the two ways is the friction; half their sum is the weight on the
    drum's radius.
    """

    ID: ClassVar[str] = "drum-friction"
    PART: ClassVar[Part] = "rig"
    TITLE: ClassVar[str] = "Drum friction of a hoist"
    PURPOSE: ClassVar[str] = (
        "Friction of the drum's own bearings, so that it is not attributed to the gearbox. "
        "Turn the drum at its shaft, without the drive."
    )
    CARE: ClassVar[str] = "Stay clear of the taut cord and from under the weight."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Radius to the cord's centre", "radius"),
        ("Gravity", "gravity"),
        ("Weight when recorded, hook included", "weight"),
        ("Motor on the shaft: constant k", "constant"),
        ("Motor on the shaft: friction", "friction"),
        ("Torque sensor accuracy ±", "torquemeter"),
        ("Ammeter accuracy ±", "ammeter"),
    )
    READING: ClassVar[type[Reading]] = DrumReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("speed", "current")
    GAINS: ClassVar[dict[str, str]] = {
        "lifting": "torquemeter",
        "lowering": "torquemeter",
        "current_lifting": "ammeter",
        "current_lowering": "ammeter",
    }

    radius: Length = Measured(0.0255, 1e-4)
    gravity: Gravity = STANDARD_GRAVITY
    weight: Mass = Measured(0.15, 2.5e-4)
    constant: Annotated[Measured, Q("constant", "N·m/A", least=0.0)] = Measured(0.0)
    friction: Annotated[Measured, Q("torque", "mN·m", least=0.0)] = Measured(0.0)
    torquemeter: Accuracy = 0.0
    ammeter: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[DrumReading]:
        """Each steady lifting with the steady lowering after it; by the torque sensor where there
        is one.
        """
        by_sensor = rec.has("torque")
        meter = "torque" if by_sensor else "current"
        logged.need(rec, ("speed", meter))
        fastest = float(np.nanmax(np.abs(rec.channels["speed"])))
        found: list[dict[str, Any]] = []
        for part in logged.steady_parts(rec, ("speed", meter)):
            speed = float(np.nanmean(part.channels["speed"]))
            if abs(speed) < 0.2 * fastest:
                continue
            way = "lifting" if speed > 0 else "lowering"
            if way == "lifting":
                found.append({})
            if found and way not in found[-1]:
                found[-1][way] = logged.level(part, meter)
        if not found:
            raise ValueError(
                "the drum never turns steadily in the lifting direction for 0.25 s in this "
                "recording"
            )
        prefix = "" if by_sensor else "current_"
        return [
            DrumReading(load=self.weight, **{prefix + way: figure for way, figure in ways.items()})
            for ways in found
        ]

    def with_motor(self, motor: Motor) -> DrumFriction:
        """With this motor on the shaft."""
        k, friction = (Measured(nominal(v), std(v)) for v in (motor.k, motor.friction))
        return self.model_copy(update={"constant": k, "friction": friction})

    def _torque(self, x: Inputs, r: DrumReading, way: str, n: int) -> Uncertain:
        """Torque at the shaft [N·m] one way of a reading, None where it is not known."""
        torque = self.read(x, r, way, n)
        if torque is not None:
            return torque
        current = self.read(x, r, f"current_{way}", n)
        if current is None:
            return None
        if self.constant.value == 0:
            raise ValueError(
                "the motor on the shaft is not known: enter its constant k and its "
                "friction from the bare-motor measurement"
            )
        takes = x.of(self, "friction")
        return x.of(self, "constant") * current + (takes if way == "lowering" else -takes)

    def reduce(self, readings: Sequence[DrumReading]) -> Judged:
        x = Inputs(self)
        radius, g = x.of(self, "radius"), x.of(self, "gravity")
        frictions, radii, findings = [], [], []
        for n, r in enumerate(readings, start=1):
            weight = x.of(r, "load", n) * g
            up, down = self._torque(x, r, "lifting", n), self._torque(x, r, "lowering", n)
            if up is None:
                raise ValueError(
                    f"reading {n}: the torque while lifting is missing, or the current"
                )
            frictions.append(up - weight * radius if down is None else (up - down) / 2)
            if down is not None and nominal(weight) > 0:
                radii.append((up + down) / 2 / weight)
        results = [over_repeats("drum-friction", "Drum friction", "torque", frictions)]
        if radii:
            seen = over_repeats("weight-radius", "Effective radius of the weight", "length", radii)
            results.append(seen)
            off = seen.value - radius
            if abs(nominal(off)) > max(SURELY * std(off), 1e-6 * nominal(radius)):
                findings.append(
                    noted(
                        "drum-radius-as-measured",
                        "caution",
                        title="The effective radius differs from the one entered",
                        seen="Lifting and lowering together give {acts}; {entered} is entered.",
                        why="Torque is proportional to this radius.",
                        remedies=(
                            ("Measure drum and cord again; the radius goes to the cord's centre."),
                        ),
                        acts=(seen.value, "length"),
                        entered=(radius, "length"),
                    )
                )
        if nominal(results[0].value) < -SURELY * std(results[0].value):
            findings.append(
                noted(
                    "drum-friction-negative",
                    "wrong",
                    title="The friction is negative",
                    seen="It is {friction}.",
                    why=(
                        "A bearing cannot drive: lifting and lowering are interchanged, or "
                        "radius or weight is wrong."
                    ),
                    remedies=("Check which way is lifting, then radius and weight.",),
                    friction=(results[0].value, "torque"),
                )
            )
        loads = [r.load.value for r in readings]
        if len(readings) > 1 and max(loads) > 1.5 * max(min(loads), 1e-9):
            first, last = (
                min(readings, key=lambda r: r.load.value),
                max(readings, key=lambda r: r.load.value),
            )
            by_light, by_heavy = (frictions[readings.index(r)] for r in (first, last))
            light, heavy, more = nominal(by_light), nominal(by_heavy), by_heavy - by_light
            if heavy > 1.3 * max(light, 1e-12) and nominal(more) > SURELY * std(more):
                findings.append(
                    noted(
                        "drum-friction-grows",
                        "note",
                        title="Friction increases with the weight",
                        seen="It is {light} at the lightest and {heavy} at the heaviest.",
                        why=(
                            "One value is then too high for light weights and too low for "
                            "heavy ones."
                        ),
                        remedies=(
                            (
                                "Use the value near the weights that matter, with a ± that "
                                "covers both."
                            ),
                        ),
                        light=(light, "torque"),
                        heavy=(heavy, "torque"),
                    )
                )
        return Judged(tuple(results), tuple(findings))

    def belongs(self, build: Build, rig: Rig) -> str:
        return "Use as this rig's drum friction" if hasattr(rig.method, "bearing") else ""

    def use(self, readings: Sequence[DrumReading], build: Build, rig: Rig) -> Use:
        value = self.as_friction(readings)
        said = f"{rig.name} now has this drum friction"
        return Use("rig", ("method", "bearing"), value, said)

    def as_friction(self, readings: Sequence[DrumReading]) -> Measured:
        """The figure for a hoist's `bearing`. Raises ValueError when it is no friction."""
        value: Result = self.reduce(readings).results[0]
        if nominal(value.value) < 0:
            raise ValueError("the friction is negative; it cannot be used")
        return Measured(nominal(value.value), std(value.value))
