"""The clutch stage: a coupling that holds one way round, or up to a torque."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.train import kinematics, outlines
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import Body, Capacity, Length, StageBase, Width


class ClutchStage(StageBase):
    """Slip clutch, or one-way (ratchet) clutch. The one-way clutch drives when its input turns the
    way `drives` says.
    """

    TITLE: ClassVar[str] = "Clutch"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Clutch", "type"),
        ("Slip torque", "slips_at"),
        ("Drives when input turns", "drives"),
        ("Diameter", "diameter"),
        ("Width", "face_width"),
        ("Output drag torque", "drag"),
        ("Material", "material"),
    )

    kind: Literal["clutch"] = "clutch"
    type: Literal["slip", "one-way"] = "slip"
    slips_at: Annotated[float, Q("torque", "N·m", above=0.0)] = 1.0
    drives: Literal["forwards", "backwards"] = "forwards"
    diameter: Length = 30e-3
    face_width: Width = 8e-3
    material: str = "steel"

    @property
    def loss_figure(self) -> Measured:
        return Measured(0.0)

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        return [kinematics.coupling(a, b, name)]

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        return (
            (Capacity("clutch", "slips", b, torque=self.slips_at, basis="as entered"),)
            if self.type == "slip"
            else ()
        )

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        r = self.diameter / 2
        teeth = 12
        if self.type == "one-way":
            t = np.arange(teeth + 1) * 2 * math.pi / teeth
            turn = 1 if self.drives == "forwards" else -1
            saw = np.array(
                [
                    p
                    for k in t[:-1]
                    for p in (
                        (0.62 * r, turn * k),
                        (0.8 * r, turn * (k + 2 * math.pi / teeth * 0.98)),
                    )
                ]
            )
            inner = np.column_stack([saw[:, 0] * np.cos(saw[:, 1]), saw[:, 0] * np.sin(saw[:, 1])])
            inner = np.vstack([inner, inner[:1]])
        else:
            inner = outlines.circle(0.7 * r)
        return (
            Body(
                "outer half",
                (outlines.circle(r), outlines.circle(0.84 * r)),
                b,
                reach=r,
                field="type",
                width=self.face_width,
                material=self.material,
                look="ring",
            ),
            Body(
                "inner half",
                (inner, outlines.circle(0.2 * r)),
                a,
                reach=0.8 * r,
                field="type",
                width=self.face_width,
                material=self.material,
            ),
        )

    def in_words(self) -> str:
        return f"{self.type} clutch"
