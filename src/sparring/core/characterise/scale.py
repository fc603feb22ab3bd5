"""A lever pressed on a scale or load cell: T = F L cos φ, the arm's tare taken off."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    Accuracy,
    Angle,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Reading,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.uncertainty import cosine, nominal


class ScaleReading(Reading):
    """What the scale shows; at rest with the arm on it: `tare`."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Scale shows", "shows"),
        ("With the arm alone", "tare"),
        ("Arm above the level", "angle"),
    )

    shows: Mass = Measured(1.0, 1e-3)
    tare: Mass = Measured(0.0, 1e-3)
    angle: Angle = Measured(0.0, math.radians(0.5))


class Scale(Method):
    """The output shaft presses (or pulls) a lever against a scale that is read in mass."""

    ID: ClassVar[str] = "scale"
    TITLE: ClassVar[str] = "Lever on a scale"
    PURPOSE: ClassVar[str] = (
        "Torque at standstill from what a scale shows under the end of a lever. Read the peak only"
        " as a peak."
    )
    CARE: ClassVar[str] = (
        "Hold the motor's frame fast: it turns the other way with the same torque."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Arm, axis to contact", "arm"),
        ("The lever", "way"),
        ("Gravity", "gravity"),
        ("Scale, beyond ±", "scale"),
    )
    READING: ClassVar[type[Reading]] = ScaleReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("force", "current")
    GAINS: ClassVar[dict[str, str]] = {"shows": "scale", "tare": "scale"}

    arm: Length = Measured(0.150, 2.5e-4)
    way: Literal["presses on it", "pulls at it"] = "presses on it"
    gravity: Gravity = STANDARD_GRAVITY
    scale: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[ScaleReading]:
        """Each push with the drive on: the force at its steady end, and the
        arm alone just before."""
        logged.need(rec, self.CHANNELS)
        g = self.gravity.value

        def mass(part: Recording) -> Measured:
            force = logged.level(part, "force")
            return Measured(abs(force.value) / g, force.u / g)

        pushes = logged.driven(rec)
        if any(len(before) < 4 for before, _ in pushes):
            raise ValueError(
                "the arm alone was not recorded before each push; leave half a second with the"
                " drive off"
            )
        return [ScaleReading(shows=mass(on), tare=mass(before)) for before, on in pushes]

    def reduce(self, readings: Sequence[ScaleReading]) -> Judged:
        x = Inputs(self)
        arm, g = x.of(self, "arm"), x.of(self, "gravity")
        torques = []
        findings = []
        for n, r in enumerate(readings, start=1):
            net = self.read(x, r, "shows", n) - self.read(x, r, "tare", n)
            if nominal(net) < 0:
                net = -net
                if self.way == "presses on it":
                    findings.append(
                        noted(
                            "scale-sign",
                            "caution",
                            title="The scale shows less than the arm alone",
                            seen=f"Reading {n} is {{net}} below its tare.",
                            why=(
                                "The lever lifts off: it pulls where pressing was meant, or reading"
                                " and tare are exchanged."
                            ),
                            net=(net, "mass"),
                        )
                    )
            torques.append(net * g * arm * cosine(x.of(r, "angle", n)))
        worst = max(abs(r.angle.value) for r in readings)
        if worst > math.radians(8):
            findings.append(
                noted(
                    "lever-steep",
                    "note",
                    title="The lever is far from level",
                    seen="It stands {angle} off.",
                    why=(
                        "The force is no longer square to the arm; the cosine is reckoned with, but"
                        " a sideways load on the scale is not."
                    ),
                    remedies=("Shim the scale until the lever is level under load.",),
                    angle=(worst, "angle"),
                )
            )
        return Judged((over_repeats("torque", "Torque", "torque", torques),), tuple(findings))
