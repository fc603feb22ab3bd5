"""Lever with hung mass: T = g cos φ (m r + m_arm r_cg + m_hook r); what is lifted and what is not
bracket the stall.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar

from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    Angle,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Reach,
    Reading,
    Result,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.uncertainty import cosine, nominal


class LeverReading(Reading):
    """The heaviest mass lifted, and the lightest not lifted."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Lifted", "lifted"),
        ("Not lifted", "not_lifted"),
        ("Arm above the level", "angle"),
    )

    lifted: Mass = Measured(0.5, 5e-4)
    not_lifted: Mass | None = None
    angle: Angle = Measured(0.0, math.radians(0.5))


class Lever(Method):
    """An arm on the output shaft with a mass hung from it."""

    ID: ClassVar[str] = "lever"
    TITLE: ClassVar[str] = "Lever, hung mass"
    PURPOSE: ClassVar[str] = (
        "Stall torque between the mass that is lifted and the one that is not. A static figure: it"
        " says nothing of running."
    )
    CARE: ClassVar[str] = (
        "Stand clear of the arm's circle and from under the mass. First power at low voltage."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Arm, axis to hook", "arm"),
        ("Mass of the arm", "arm_mass"),
        ("Axis to the arm's mass centre", "arm_centre"),
        ("Mass of hook and washers", "hook_mass"),
        ("Gravity", "gravity"),
    )
    READING: ClassVar[type[Reading]] = LeverReading
    INPUTS: ClassVar[dict[str, str]] = {"bracket": "between lifted and not"}

    arm: Length = Measured(0.200, 2.5e-4)
    arm_mass: Mass = Measured(0.040, 5e-4)
    arm_centre: Reach = Measured(0.095, 1e-3)
    hook_mass: Mass = Measured(0.010, 5e-4)
    gravity: Gravity = STANDARD_GRAVITY

    def reduce(self, readings: Sequence[LeverReading]) -> Judged:
        x = Inputs(self)
        arm, g = x.of(self, "arm"), x.of(self, "gravity")
        own = x.of(self, "arm_mass") * x.of(self, "arm_centre") + x.of(self, "hook_mass") * arm
        findings = []
        lifted, stalls = [], []
        for n, r in enumerate(readings, start=1):
            cos = cosine(x.of(r, "angle", n))
            low = g * cos * (x.of(r, "lifted", n) * arm + own)
            lifted.append(low)
            if r.not_lifted is None:
                continue
            if r.not_lifted.value <= r.lifted.value:
                raise ValueError(
                    f"reading {n}: what was not lifted ({r.not_lifted.value:.3g} kg) is not heavier"
                    f" than what was lifted ({r.lifted.value:.3g} kg); exchange them"
                )
            high = g * cos * (x.of(r, "not_lifted", n) * arm + own)
            half = (nominal(high) - nominal(low)) / 2
            stalls.append((low + high) / 2 + x.further(0.0, half / math.sqrt(3), "bracket", n))
        results = [
            Result("most-lifted", "Most lifted", "torque", max(lifted, key=nominal))
        ]  # bounds from below: a mean of them would be none
        if stalls:
            results.append(over_repeats("stall-torque", "Stall torque", "torque", stalls))
        results.append(Result("arm-torque", "Torque of the bare arm and hook", "torque", g * own))
        if self.arm_mass.value == 0 and self.arm.value > 0.05:
            findings.append(
                noted(
                    "arm-weight-ignored",
                    "caution",
                    title="The arm's own weight is left out",
                    seen="The arm is entered as weightless; it is {arm} long.",
                    why=(
                        "An arm of 20 cm and 40 g makes 0.04 N·m by itself; small masses are then"
                        " read far too low."
                    ),
                    remedies=(
                        (
                            "Weigh the arm, balance it on an edge to find its mass centre, and"
                            " enter both."
                        ),
                    ),
                    arm=(self.arm.value, "length"),
                )
            )
        if stalls and len(stalls) == len(readings) and nominal(results[1].value) > 0:
            widest = (
                max((r.not_lifted.value - r.lifted.value) for r in readings if r.not_lifted)
                * self.arm.value
                * self.gravity.value
            )
            if widest > 0.2 * nominal(results[1].value):
                findings.append(
                    noted(
                        "wide-bracket",
                        "note",
                        title="The stall is only loosely bracketed",
                        seen="Between lifted and not lifted lie {gap}; the stall is near {stall}.",
                        why="The bracket is the largest part of the uncertainty.",
                        remedies=(
                            (
                                "Add small masses to the lifted one until it no longer moves: halve"
                                " the gap each time."
                            ),
                        ),
                        gap=(widest, "torque"),
                        stall=(results[1].value, "torque"),
                    )
                )
        return Judged(tuple(results), tuple(findings))
