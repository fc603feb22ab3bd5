"""The flux-modulated magnetic gear: two rings of magnets with steel segments between; any member
held, any driven.
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, outlines
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import Body, Capacity, Length, Share, StageBase, Torque, Width

Poles = Annotated[int, Field(ge=1, le=200)]
Member = Literal["inner", "outer", "segments"]


class MagneticStage(StageBase):
    """p_i ω_i + p_o ω_o = n_s ω_s. Nothing touches; beyond the pull-out torque a pole jumps and
    nothing breaks. loss: part of the power lost with the segments held; with another member held
    the part differs, as in a planetary stage, and follows from it.
    """

    TITLE: ClassVar[str] = "Magnetic"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Driven", "driven"),
        ("Held", "held"),
        ("Inner pole pairs", "inner"),
        ("Outer pole pairs", "outer"),
        ("Steel segments", "segments"),
        ("Outer diameter", "diameter"),
        ("Length", "face_width"),
        ("Loss, segments fixed", "loss"),
        ("Pull-out torque at output", "pulls_out_at"),
        ("Output drag torque", "drag"),
    )

    kind: Literal["magnetic"] = "magnetic"
    driven: Member = "inner"
    held: Member = "segments"
    inner: Poles = 2
    outer: Poles = 10
    segments: Poles = 12
    diameter: Length = 60e-3
    face_width: Width = 20e-3
    loss: Share = Measured(0.03, 0.015)
    pulls_out_at: Torque | None = None
    material: str = "steel"

    @model_validator(mode="after")
    def _driven_is_free(self) -> MagneticStage:
        if self.driven == self.held:
            raise ValueError(f"the {self.driven} member is both input and fixed; fix another one")
        return self

    @property
    def loss_figure(self) -> Measured:
        return self.loss

    def members(self, a: str, b: str, name: str) -> dict[str, str]:
        output = next(
            m for m in ("segments", "outer", "inner") if m not in (self.driven, self.held)
        )
        return {self.driven: a, output: b, self.held: f"{name} {self.held}"}

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        lost = self.loss.value if friction is None else friction
        m = self.members(a, b, name)
        return [
            kinematics.magnetic(
                m["inner"],
                m["outer"],
                m["segments"],
                p_inner=self.inner,
                p_outer=self.outer,
                eta=max(1e-6, 1 - lost),
                name=name,
            ),
            kinematics.Ground(m[self.held], name),
        ]

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        return (
            ()
            if self.pulls_out_at is None
            else (
                Capacity(
                    "magnets",
                    "pull-out, a pole slips",
                    b,
                    torque=self.pulls_out_at,
                    basis="as entered",
                ),
            )
        )

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        m = {k: "" if k == self.held else v for k, v in self.members(a, b, name).items()}
        r = self.diameter / 2
        w = self.face_width
        rotor, inner, seg_in, seg_out, outer_in, outer_out = (
            r * f for f in (0.36, 0.50, 0.53, 0.63, 0.66, 0.80)
        )

        def poles(field: str, sectors: tuple[float, float], count: int, part: float) -> list[Body]:
            """North and south in turn."""
            return [
                Body(
                    field,
                    _sectors(*sectors, 2 * count, part, n),
                    m[field],
                    reach=sectors[1],
                    field=field,
                    width=w,
                    material="magnet",
                    look=look,
                )
                for n, look in enumerate(("north", "south"))
            ]

        return (
            Body(
                "outer",
                (outlines.circle(r, points=180), outlines.circle(outer_out, points=180)),
                m["outer"],
                reach=r,
                field="outer",
                teeth=self.outer,
                width=w,
                material=self.material,
                look="ring",
            ),
            *poles("outer", (outer_in, outer_out), self.outer, 0.96),
            Body(
                "segments",
                _sectors(seg_in, seg_out, 2 * self.segments, fill=0.9, first=0),
                m["segments"],
                reach=seg_out,
                field="segments",
                teeth=self.segments,
                width=w,
                material="steel",
                look="pin",
            ),
            Body(
                "inner",
                (outlines.circle(rotor, points=120), outlines.circle(rotor * 0.2)),
                m["inner"],
                reach=rotor,
                field="inner",
                teeth=self.inner,
                width=w,
                material=self.material,
            ),
            *poles("inner", (rotor, inner), self.inner, 0.97),
        )

    def faults(self) -> list[Finding]:
        if self.inner + self.outer == self.segments:
            return []
        return [
            noted(
                "segments-do-not-fit",
                "wrong",
                title="The steel segments do not couple the two magnet rings",
                seen=(
                    f"{self.inner} inner + {self.outer} outer pole pairs need "
                    f"{self.inner + self.outer} segments; there are {self.segments}."
                ),
                why=(
                    "Only the sum of the pole pairs couples both rings, so no torque is "
                    "transmitted."
                ),
                causes=("magnets were counted instead of pairs",),
                remedies=(f"Use {self.inner + self.outer} segments.",),
                place="segments",
            )
        ]

    def in_words(self) -> str:
        return f"magnetic {self.inner}/{self.segments}/{self.outer}"


def _sectors(inner: float, outer: float, n: int, fill: float, first: int) -> tuple[np.ndarray, ...]:
    """Every other one of n equal sectors of an annulus, beginning with `first`; sector 0 lies on
    +x.
    """
    found = []
    for k in range(first, n, 2):
        t = 2 * math.pi * (k + np.linspace(-fill / 2, fill / 2, 13)) / n
        xy = np.vstack(
            [
                np.column_stack([outer * np.cos(t), outer * np.sin(t)]),
                np.column_stack([inner * np.cos(t[::-1]), inner * np.sin(t[::-1])]),
            ]
        )
        found.append(np.vstack([xy, xy[:1]]))
    return tuple(found)
