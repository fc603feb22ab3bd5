"""Sheave efficiency: what the pull at the drum's end of the cord is while one load is lifted over a
tackle, and lowered.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, ClassVar

from pydantic import Field

from sparring.core.characterise.base import (
    Accuracy,
    Force,
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Use,
    over_repeats,
)
from sparring.core.methods.tackle import Tackle, sheave_efficiency
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal, std

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig


class SheaveReading(Reading):
    """Pull at the drum's end of the cord, the same load moving slowly and steadily each way."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Pull lifting", "lifting"),
        ("Pull lowering", "lowering"),
    )

    lifting: Force = Measured(3.2, 0.02)
    lowering: Force = Measured(2.9, 0.02)


class Sheaves(Method):
    """A balance's gain is the same in both pulls, so that it does not count in their quotient."""

    ID: ClassVar[str] = "sheaves"
    PART: ClassVar[Part] = "rig"
    TITLE: ClassVar[str] = "Sheave efficiency of a tackle"
    PURPOSE: ClassVar[str] = (
        "Efficiency of a sheave, from the pull at the drum while the same load is slowly lifted "
        "and lowered, so that its friction is not attributed to the gearbox."
    )
    CARE: ClassVar[str] = "Stay clear of the taut cord and from under the weight."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Parts of line", "parts"),
        ("Lead sheaves", "lead"),
        ("Balance accuracy ±", "scale"),
    )
    READING: ClassVar[type[Reading]] = SheaveReading
    GAINS: ClassVar[dict[str, str]] = {"lifting": "scale", "lowering": "scale"}

    parts: Annotated[int, Field(ge=1, le=20)] = 2
    lead: Annotated[int, Field(ge=0, le=20)] = 1
    scale: Accuracy = 0.0

    def reduce(self, readings: Sequence[SheaveReading]) -> Judged:
        x = Inputs(self)
        found = []
        for n, r in enumerate(readings, start=1):
            up, down = self.read(x, r, "lifting", n), self.read(x, r, "lowering", n)
            try:
                found.append(sheave_efficiency(up, down, self.parts, self.lead))
            except ValueError as err:
                raise ValueError(f"reading {n}: {err}") from err
        return Judged((over_repeats("sheave", "Sheave efficiency", "ratio", found),))

    def of_rig(self, rig: Rig) -> Method:
        if not isinstance(rig.method, Tackle):
            return self
        return self.model_copy(update={"parts": rig.method.parts, "lead": rig.method.lead})

    def belongs(self, build: Build, rig: Rig) -> str:
        tackle = isinstance(rig.method, Tackle)
        return "Use as this rig's sheave efficiency" if tackle else ""

    def use(self, readings: Sequence[SheaveReading], build: Build, rig: Rig) -> Use:
        value = self.reduce(readings).results[0].value
        said = f"{rig.name} now has this sheave efficiency"
        return Use("rig", ("method", "sheave"), Measured(nominal(value), std(value)), said)
