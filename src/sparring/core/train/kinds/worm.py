"""The worm stage: screw and wheel on crossed axes."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.train import kinematics, outlines, teeth
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.pair import Pair
from sparring.core.train.stage import (
    Angle,
    Body,
    Capacity,
    Friction,
    Length,
    Loops,
    Module,
    StageBase,
    Teeth,
    Width,
)
from sparring.core.train.tooth_strength import bending_torque


class WormStage(StageBase):
    """η = tan γ/tan(γ + ρ'), back tan(γ − ρ')/tan γ, ρ' = atan(μ/cos α_n); it holds by itself when
    γ <= ρ'.
    """

    TITLE: ClassVar[str] = "Worm"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Starts", "starts"),
        ("Wheel teeth", "wheel"),
        ("Hand", "hand"),
        ("Axial module", "module"),
        ("Worm pitch diameter", "worm_diameter"),
        ("Wheel width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Wheel material", "material"),
    )

    kind: Literal["worm"] = "worm"
    starts: Annotated[int, Field(ge=1, le=12)] = 1
    wheel: Teeth = 40
    hand: Literal["right", "left"] = "right"
    module: Module = 1e-3
    worm_diameter: Length = 12e-3
    face_width: Width = 8e-3
    pressure_angle: Angle = teeth.ALPHA_20
    friction: Friction = Measured(0.10, 0.02)

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def lead_angle(self) -> float:
        """γ = atan(starts m/d₁) [rad]."""
        return math.atan(self.starts * self.module / self.worm_diameter)

    def efficiencies(self, friction: float) -> tuple[float, float]:
        """(worm drives, wheel drives) [-]; the second <= 0: it holds."""
        gamma, rho = self.lead_angle(), math.atan(friction / math.cos(self.pressure_angle))
        return math.tan(gamma) / math.tan(gamma + rho), math.tan(gamma - rho) / math.tan(gamma)

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        eta, back = self.efficiencies(self.friction.value if friction is None else friction)
        return [
            kinematics.worm(
                a,
                b,
                self.starts,
                self.wheel,
                left_hand=self.hand == "left",
                eta=max(eta, 1e-6),
                eta_back=back,
                name=name,
            )
        ]

    def centre_distance(self) -> float:
        """(d₁ + m z₂)/2 [m]."""
        return (self.worm_diameter + self.module * self.wheel) / 2

    def output_at(self) -> tuple[float, float]:
        return (0.0, -self.centre_distance())

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        pair = Pair(self.module, self.wheel, 10_000, alpha=self.pressure_angle)
        torque, basis = bending_torque(
            pair, 1, self.face_width, material=self.material, setting=setting
        )
        return (Capacity("wheel", "teeth break", b, torque=torque, basis=basis),) if torque else ()

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        wheel = (
            outlines.gear(self.module, self.wheel, 0.0, self.pressure_angle),
            outlines.circle(min(2e-3, self.module * self.wheel / 12)),
        )
        lead = self.starts * math.pi * self.module
        r, m = self.worm_diameter / 2, self.module
        half = max(2.5 * math.pi * m, min(self.module * self.wheel / 3, 5 * math.pi * m))
        side = -1.0 if self.hand == "left" else 1.0

        def screw(angle: float, _wave: float) -> Loops:
            """The worm from the side: its silhouette, whose ridges wander along as it turns, and
            the slant of the threads.
            """
            # a right-handed thread turning positively wanders backwards
            shift = -side * angle / (2 * math.pi) * lead
            x = np.linspace(-half, half, 400)

            def ridge(at: np.ndarray) -> np.ndarray:
                """Height of the silhouette [m] over the axial section of a thread (trapezoid)."""
                phase = np.abs((at / (math.pi * m) + 0.5) % 1.0 - 0.5) * math.pi * m
                flank = (math.pi * m / 4 - phase) / math.tan(self.pressure_angle)
                result: np.ndarray = r + np.clip(flank, -1.2 * m, 1.0 * m)
                return result

            low = ridge(x - shift)
            high = ridge(x - shift + side * lead / 2)
            body = np.column_stack(
                [np.concatenate([x, x[::-1], x[:1]]), np.concatenate([-low, high[::-1], -low[:1]])]
            )
            return (body,)

        x, y = self.output_at()
        return (
            Body(
                "wheel",
                wheel,
                b,
                at=(x, y),
                carrier="",
                phase=math.pi / 2 + math.pi / self.wheel,
                reach=self.module * (self.wheel / 2 + 1),
                field="wheel",
                teeth=self.wheel,
                width=self.face_width,
                material=self.material,
            ),
            Body(
                "worm",
                screw,
                a,
                reach=max(half, r + m),
                field="starts",
                teeth=self.starts,
                width=2 * r,
                material="steel",
                tall=r + m,
                turned_part=(r, 2 * half),
            ),
        )

    def in_words(self) -> str:
        return f"worm {self.starts}/{self.wheel}"
