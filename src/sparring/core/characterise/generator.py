"""Generator: volts, amperes and watts at a speed into a load; the constant from open terminals."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, ClassVar

from sparring.core.characterise.base import (
    SURELY,
    Current,
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    Speed,
    Torque,
    Use,
    Voltage,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal, std

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig


class GeneratorReading(Reading):
    """One load at one speed; open terminals: current 0."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Speed", "speed"),
        ("Voltage", "voltage"),
        ("Current", "current"),
        ("Torque at its shaft, if known", "torque"),
    )

    speed: Speed = Measured(200.0, 1.0)
    voltage: Voltage = Measured(6.0, 0.01)
    current: Current = Measured(0.0, 0.0)
    torque: Torque | None = None


class Generator(Method):
    """A machine driven at its shaft, into a resistor or open."""

    ID: ClassVar[str] = "generator"
    PART: ClassVar[Part] = "rig"
    TITLE: ClassVar[str] = "Generator into a load"
    PURPOSE: ClassVar[str] = (
        "Power of a driven generator: its constant from a reading with open terminals, its "
        "internal resistance from the others."
    )
    CARE: ClassVar[str] = (
        "A fast generator has a high voltage on open terminals. Load resistors get hot."
    )
    READING: ClassVar[type[Reading]] = GeneratorReading

    def belongs(self, build: Build, rig: Rig) -> str:
        return "Use as this rig's generator" if hasattr(rig.method, "constant") else ""

    def use(self, readings: Sequence[GeneratorReading], build: Build, rig: Rig) -> Use:
        results = self.reduce(readings).results
        found = next((r.value for r in results if r.id == "constant"), None)
        if found is None:
            raise ValueError("the constant is not known: add a reading with open terminals")
        value = Measured(nominal(found), std(found))
        return Use("rig", ("method", "constant"), value, f"{rig.name} now has this generator")

    def reduce(self, readings: Sequence[GeneratorReading]) -> Judged:
        x = Inputs(self)
        rows = [
            (
                x.of(r, "speed", n),
                x.of(r, "voltage", n),
                x.of(r, "current", n),
                x.of(r, "torque", n),
            )
            for n, r in enumerate(readings, start=1)
        ]
        if any(nominal(w) <= 0 for w, *_ in rows):
            raise ValueError("a reading at zero speed tells nothing about a generator; delete it")
        results: list[Result] = []
        findings = []
        free = [v / w for w, v, i, _ in rows if nominal(i) == 0]
        constant = (
            over_repeats("constant", "Constant, open terminals", "constant", free) if free else None
        )
        if constant is not None:
            results.append(constant)
        powers = [v * i for _, v, i, _ in rows if nominal(i) > 0]
        if powers:
            results.append(
                Result("most-power", "Maximum output power", "power", max(powers, key=nominal))
            )
        if constant is not None and powers:
            inner = [(constant.value * w - v) / i for w, v, i, _ in rows if nominal(i) > 0]
            results.append(
                over_repeats("inner-resistance", "Internal resistance", "resistance", inner)
            )
        both = [
            v * i / (t * w)
            for w, v, i, t in rows
            if t is not None and nominal(i) > 0 and nominal(t) > 0
        ]
        if both:
            best = max(both, key=nominal)
            results.append(
                Result("best-efficiency", "Best efficiency, shaft to wire", "ratio", best)
            )
            if nominal(best) - SURELY * std(best) > 1:
                findings.append(
                    noted(
                        "output-above-input",
                        "wrong",
                        title="Output power exceeds input power",
                        seen="Shaft-to-wire efficiency is {eta}.",
                        why="This is impossible: torque, speed or a factor of ten is wrong.",
                        remedies=("Check units and decimal points of the readings.",),
                        eta=(best, "ratio"),
                    )
                )
        if not results:
            raise ValueError("add a reading with open terminals (current 0), or one with a current")
        return Judged(tuple(results), tuple(findings))
