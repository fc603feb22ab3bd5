"""The shift stage: several pairs in constant mesh on two shafts, one of them engaged. Each is a
state of the same build.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record, changed
from sparring.core.train import kinematics, losses, teeth
from sparring.core.train.kinds.spur import gear_body
from sparring.core.train.pair import Pair
from sparring.core.train.stage import (
    Angle,
    Body,
    Contact,
    Friction,
    Helix,
    Module,
    Shift,
    StageBase,
    Teeth,
    Width,
)


class ShiftPair(Record):
    """One speed of a shift stage."""

    pinion: Teeth = 16
    wheel: Teeth = 32
    module: Module = 1e-3
    pinion_shift: Shift = 0.0
    wheel_shift: Shift = 0.0


ShiftPairs = tuple[ShiftPair, ...]


def pairs_from_text(text: str, old: ShiftPairs = ()) -> ShiftPairs:
    """`14/42 24/32` as pairs; what else a pair says is kept by its place. Raises ValueError."""
    found = []
    for n, word in enumerate(text.replace(",", " ").split()):
        pinion, slash, wheel = word.partition("/")
        if not slash or not pinion.isdigit() or not wheel.isdigit():
            raise ValueError(f"“{word}” is not a pair; write pinion/wheel, for example 14/42")
        base = old[n] if n < len(old) else (old[-1] if old else ShiftPair())
        found.append(changed(changed(base, ("pinion",), int(pinion)), ("wheel",), int(wheel)))
    return tuple(found)


class ShiftStage(StageBase):
    """The wheels turn freely on the output shaft; the engaged one is locked to it."""

    TITLE: ClassVar[str] = "Shift gearbox"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Gear engaged", "engaged"),
        ("Gears (pinion/wheel)", "pairs"),
        ("Centre distance", "distance"),
        ("Face width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Helix angle", "helix"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Material", "material"),
    )

    kind: Literal["shift"] = "shift"
    engaged: Annotated[int, Field(ge=1, le=12)] = 1
    pairs: Annotated[ShiftPairs, Field(min_length=1, max_length=12)] = (
        ShiftPair.ours(pinion=14, wheel=42),
        ShiftPair.ours(pinion=24, wheel=32),
    )
    distance: Annotated[float, Q("length", "mm", above=0.0)] = 28e-3
    face_width: Width = 6e-3
    pressure_angle: Angle = teeth.ALPHA_20
    helix: Helix = 0.0
    friction: Friction = Measured(0.09, 0.0135)

    @model_validator(mode="after")
    def _engaged_exists(self) -> ShiftStage:
        if self.engaged > len(self.pairs):
            raise ValueError(
                f"gear {self.engaged} is engaged, but there are {len(self.pairs)} pairs"
            )
        return self

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def gear_pair(self, n: int) -> Pair:
        """Pair n (from 0), at the distance of the axes where that leaves play, else as if tight."""
        p = self.pairs[n]
        tight = Pair(
            p.module,
            p.pinion,
            p.wheel,
            x1=p.pinion_shift,
            x2=p.wheel_shift,
            opening=0.0,
            alpha=self.pressure_angle,
            helix=self.helix,
        )
        return replace(
            tight, opening=min(max(0.0, self.distance - tight.tight_distance()), 0.5 * p.module)
        )

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        mu = self.friction.value if friction is None else friction
        found: list[kinematics.Element] = []
        for n, p in enumerate(self.pairs):
            out = b if n == self.engaged - 1 else f"{name} wheel {n + 1}"
            eta = losses.basic_efficiency(mu, self.gear_pair(n).loss_factor())
            found.append(
                kinematics.external(
                    a, out, p.pinion, p.wheel, eta=eta, name=name, contact=f"speed {n + 1}"
                )
            )
        return found

    def contacts(self) -> tuple[Contact, ...]:
        return tuple(
            Contact(
                f"speed {n + 1}",
                f"pinion {n + 1}",
                f"wheel {n + 1}",
                pair=self.gear_pair(n),
                width=self.face_width,
                material_a=self.material,
                material_b=self.material,
                paths=1,
                field_a="pairs",
                field_b="pairs",
            )
            for n in range(len(self.pairs))
        )

    def backlash(self) -> float:
        return self.gear_pair(self.engaged - 1).backlash()

    def output_at(self) -> tuple[float, float]:
        return (self.distance, 0.0)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        found = []
        order = [n for n in range(len(self.pairs)) if n != self.engaged - 1] + [self.engaged - 1]
        for n in order:
            p, pair = self.pairs[n], self.gear_pair(n)
            layer = n * 1.5 * self.face_width
            out = b if n == self.engaged - 1 else f"{name} wheel {n + 1}"
            found.append(
                gear_body(
                    f"wheel {n + 1}",
                    pair,
                    2,
                    phase=teeth.meshing_angle(p.pinion, p.wheel, 0.0, 0.0),
                    shaft=out,
                    width=self.face_width,
                    material=self.material,
                    at=(self.distance, 0.0),
                    layer=layer,
                    field="pairs",
                )
            )
            found.append(
                gear_body(
                    f"pinion {n + 1}",
                    pair,
                    1,
                    phase=0.0,
                    shaft=a,
                    width=self.face_width,
                    material=self.material,
                    layer=layer,
                    field="pairs",
                )
            )
        return tuple(found)

    def faults(self) -> list[Finding]:
        found = super().faults()
        for n, p in enumerate(self.pairs, start=1):
            tight = self.gear_pair(n - 1).tight_distance()
            if tight > self.distance + 0.01 * p.module or tight < self.distance - 0.35 * p.module:
                found.append(
                    noted(
                        "pair-does-not-fit-axes",
                        "wrong",
                        title=f"Gear {n} does not fit the centre distance",
                        seen=(
                            f"{p.pinion} and {p.wheel} teeth need a centre distance of "
                            "{wants}; it is {has}."
                        ),
                        why="The pair jams, or does not mesh.",
                        remedies=(
                            "Give all pairs of one module the same sum of teeth.",
                            "Use profile shift.",
                        ),
                        place="pairs",
                        wants=(tight, "length"),
                        has=(self.distance, "length"),
                    )
                )
        return found

    def in_words(self) -> str:
        p = self.pairs[self.engaged - 1]
        return f"gear {self.engaged} of {len(self.pairs)} {p.pinion}/{p.wheel}"
