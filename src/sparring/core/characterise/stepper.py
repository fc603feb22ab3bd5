"""Stepper motor, bare: the torque at which it falls out of step at a step rate, accelerated gently
to it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, ClassVar

from pydantic import Field

from sparring.core.characterise.base import (
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    Time,
    Torque,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal


class StepReading(Reading):
    """One step rate: the largest torque it kept step with, the smallest at which it lost step, and
    how long it took to get there.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Steps per second", "rate"),
        ("In step with", "kept"),
        ("Lost step at", "lost"),
        ("Accelerated over", "ramp"),
    )

    rate: Annotated[Measured, Q("ratio", "", above=0.0)] = Measured(500.0)
    kept: Torque = Measured(0.20, 0.002)
    lost: Torque = Measured(0.22, 0.002)
    ramp: Time | None = None


class Stepper(Method):
    """Pull-out torque over step rate."""

    ID: ClassVar[str] = "stepper"
    PART: ClassVar[Part] = "motor"
    TITLE: ClassVar[str] = "Stepper, torque at a step rate"
    PURPOSE: ClassVar[str] = (
        "Pull-out torque of a stepper at the step rate of the test, for the drive behind it."
    )
    CARE: ClassVar[str] = "A stepper held under current gets hot, and so does its driver."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Full steps per revolution", "steps"),
        ("Microsteps per step", "micro"),
        ("Inertia it drives", "inertia"),
    )
    READING: ClassVar[type[Reading]] = StepReading
    INPUTS: ClassVar[dict[str, str]] = {"bracket": "between in step and lost"}

    steps: Annotated[int, Field(ge=4, le=10_000)] = 200
    micro: Annotated[int, Field(ge=1, le=256)] = 1
    inertia: Annotated[Measured, Q("inertia", "g·cm²", above=0.0)] | None = None

    def reduce(self, readings: Sequence[StepReading]) -> Judged:
        x = Inputs(self)
        results: list[Result] = []
        findings = []
        found = []
        for n, r in enumerate(readings, start=1):
            if r.lost.value <= r.kept.value:
                raise ValueError(
                    f"reading {n}: it lost step at {r.lost.value:.3g} N·m but stayed in "
                    f"step with {r.kept.value:.3g} N·m; interchange them"
                )
            kept, lost = (x.of(r, "kept", n), x.of(r, "lost", n))
            between = (nominal(lost) - nominal(kept)) / math.sqrt(12)
            torque: Uncertain = (kept + lost) / 2 + x.further(0.0, between, "bracket", n)
            speed = 2 * math.pi * x.of(r, "rate", n) / (self.steps * self.micro)
            found.append((nominal(speed), torque, speed))
            if self.inertia is not None and r.ramp is not None:
                needed = x.of(self, "inertia") * speed / x.of(r, "ramp", n)
                if nominal(needed) > 0.1 * nominal(torque):
                    findings.append(
                        noted(
                            "accelerated-too-quickly",
                            "caution",
                            title="The acceleration was too fast",
                            seen=(
                                f"Reading {n}: acceleration took {{needed}} of the {{torque}} "
                                "available."
                            ),
                            why=(
                                "It loses step while accelerating, so the pull-out torque "
                                "is too low."
                            ),
                            remedies=("Make the ramp ten times as long.",),
                            needed=(needed, "torque"),
                            torque=(torque, "torque"),
                        )
                    )
        for n, (speed, torque, exact) in enumerate(sorted(found, key=lambda f: f[0]), start=1):
            rpm = speed * 60 / (2 * math.pi)
            results.append(
                Result(
                    f"pull-out-torque:{n}", f"Pull-out torque at {rpm:.4g} rpm", "torque", torque
                )
            )
            results.append(Result(f"power:{n}", f"Power at {rpm:.4g} rpm", "power", torque * exact))
        torques = [nominal(t) for _, t, _ in sorted(found, key=lambda f: f[0])]
        if any(b > 1.15 * a for a, b in pairwise(torques)):
            findings.append(
                noted(
                    "stepper-resonance",
                    "note",
                    title="Pull-out torque is lower at a lower step rate",
                    seen="The torque increases with the step rate in part of the range.",
                    why=(
                        "A stepper loses step at its resonance, usually between 50 and 200 "
                        "steps per second."
                    ),
                    remedies=(
                        "Use microsteps, or pass through that rate quickly.",
                        "Add a damper or inertia.",
                    ),
                )
            )
        return Judged(tuple(results), tuple(findings))
