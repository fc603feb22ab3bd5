"""Bevel stages: the pair on crossing axes, and the differential."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from sparring.core.finding import Finding
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, losses, outlines, teeth
from sparring.core.train.pair import Pair
from sparring.core.train.stage import (
    Angle,
    Body,
    Contact,
    Friction,
    Loops,
    Module,
    StageBase,
    Teeth,
    Width,
    pair_faults,
)


def virtual_pair(module: float, z1: int, z2: int, alpha: float) -> Pair:
    """The spur pair that a straight bevel pair on axes at 90° amounts to, at the middle of its
    face: z/cos δ teeth (Tredgold; Shigley, 13-8). Virtual numbers are rounded, as a pair has whole
    teeth."""
    d1 = math.atan2(z1, z2)
    return Pair(
        module, max(4, round(z1 / math.cos(d1))), max(4, round(z2 / math.sin(d1))), alpha=alpha
    )


def seen_from_side(module: float, z: int, length: float, cone: float, axis: float) -> Body:
    """A bevel gear seen across its axis, which points along `axis` [rad]: a frustum whose teeth
    pass by as it turns.
    """
    big = module * z / 2
    small = max(big - length * math.sin(cone), 0.2 * big)
    deep = (big - small) / math.tan(cone) if cone < 1.55 else length
    c, s = math.cos(axis), math.sin(axis)

    def turned(points: list[tuple[float, float]]) -> np.ndarray:
        xy = np.array(points)
        return np.column_stack([c * xy[:, 0] - s * xy[:, 1], s * xy[:, 0] + c * xy[:, 1]])

    def loops(angle: float, _wave: float) -> Loops:
        edge = 1 + 2 / z
        found = [
            turned(
                [
                    (0, -big * edge),
                    (deep, -small * edge),
                    (deep, small * edge),
                    (0, big * edge),
                    (0, -big * edge),
                ]
            )
        ]
        for k in range(z):
            t = angle + 2 * math.pi * k / z
            if math.cos(t) > 0.05:  # the near half
                h = math.pi / (2.6 * z)
                low, high = math.sin(t - h), math.sin(t + h)
                found.append(
                    turned(
                        [
                            (0, big * low),
                            (deep, small * low),
                            (deep, small * high),
                            (0, big * high),
                            (0, big * low),
                        ]
                    )
                )
        return tuple(found)

    return Body("", loops, reach=big * (1 + 2 / z), teeth=z, turned_part=((big + small) / 2, deep))


class BevelStage(StageBase):
    """Two straight bevel gears on axes at 90°. `wheel on the far side` turns the sense of the
    output round.
    """

    TITLE: ClassVar[str] = "Bevel pair"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Pinion teeth", "pinion"),
        ("Wheel teeth", "wheel"),
        ("Wheel", "side"),
        ("Outer module", "module"),
        ("Face width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Material", "material"),
    )

    kind: Literal["bevel"] = "bevel"
    pinion: Teeth = 18
    wheel: Teeth = 36
    side: Literal["on the near side", "on the far side"] = "on the near side"
    module: Module = 1e-3
    face_width: Width = 6e-3
    pressure_angle: Angle = teeth.ALPHA_20
    friction: Friction = Measured(0.09, 0.0135)

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def pair(self) -> Pair:
        """Its virtual spur pair, with the module at the middle of the face."""
        cone = self.module * math.hypot(self.pinion, self.wheel) / 2
        return virtual_pair(
            self.module * max(0.3, 1 - self.face_width / (2 * cone)),
            self.pinion,
            self.wheel,
            self.pressure_angle,
        )

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        eta = losses.basic_efficiency(
            self.friction.value if friction is None else friction, self.pair().loss_factor()
        )
        join = kinematics.external if self.side == "on the near side" else kinematics.internal
        return [join(a, b, self.pinion, self.wheel, eta=eta, name=name, contact="pinion–wheel")]

    def contacts(self) -> tuple[Contact, ...]:
        p = self.pair()
        return (
            Contact(
                "pinion–wheel",
                "pinion",
                "wheel",
                pair=p,
                width=self.face_width,
                material_a=self.material,
                material_b=self.material,
                arm_a=self.pinion / p.z1,
                arm_b=self.wheel / p.z2,
            ),
        )

    def faults(self) -> list[Finding]:
        return [f for c in self.contacts() for f in pair_faults(c)]

    def output_at(self) -> tuple[float, float]:
        return (self.module * (self.wheel / 2 + 1), 0.0)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        cone = math.atan2(self.pinion, self.wheel)
        x = self.output_at()[0]
        pinion = seen_from_side(self.module, self.pinion, self.face_width, cone, 0.0)
        face = (
            outlines.gear(self.module, self.wheel, 0.0, self.pressure_angle),
            outlines.circle(self.module * self.wheel / 2 - self.face_width * math.cos(cone)),
        )
        hub = outlines.circle(min(3e-3, self.module * self.wheel / 10))
        inside = self.module * self.wheel / 2 - self.face_width * math.cos(cone)
        loops = (*face, hub) if inside > 4e-3 else (face[0], hub)
        own: dict[str, Any] = {"width": self.face_width, "material": self.material}
        return (
            Body(
                "wheel",
                loops,
                b,
                at=(x, 0.0),
                carrier="",
                phase=math.pi,
                reach=self.module * (self.wheel / 2 + 1),
                field="wheel",
                teeth=self.wheel,
                **own,
            ),
            pinion._replace(
                name="pinion", shaft=a, at=(-self.face_width * 0.2, 0.0), field="pinion", **own
            ),
        )

    def in_words(self) -> str:
        return f"bevel {self.pinion}/{self.wheel}"


class DifferentialStage(StageBase):
    """A bevel differential with one member held: ω₁ + ω₂ = 2 ω_cage."""

    TITLE: ClassVar[str] = "Bevel differential"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Driven", "driven"),
        ("Held", "held"),
        ("Side gear teeth", "side"),
        ("Planet teeth", "planet"),
        ("Outer module", "module"),
        ("Face width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Material", "material"),
    )

    kind: Literal["differential"] = "differential"
    driven: Literal["side gear", "cage"] = "side gear"
    held: Literal["other side gear", "cage"] = "other side gear"
    side: Teeth = 20
    planet: Teeth = 14
    module: Module = 1e-3
    face_width: Width = 5e-3
    pressure_angle: Angle = teeth.ALPHA_20
    friction: Friction = Measured(0.09, 0.0135)

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def pair(self) -> Pair:
        cone = self.module * math.hypot(self.side, self.planet) / 2
        return virtual_pair(
            self.module * max(0.3, 1 - self.face_width / (2 * cone)),
            self.planet,
            self.side,
            self.pressure_angle,
        )

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        mesh = losses.basic_efficiency(
            self.friction.value if friction is None else friction, self.pair().loss_factor()
        )
        if self.driven == "cage":  # the held side gear reacts, the other one is the output
            held = f"{name} side gear"
            return [
                kinematics.differential(held, b, a, mesh**2, name),
                kinematics.Ground(held, name),
            ]
        if self.held == "cage":
            held = f"{name} cage"
            return [
                kinematics.differential(a, b, held, mesh**2, name),
                kinematics.Ground(held, name),
            ]
        held = f"{name} side gear"
        return [kinematics.differential(a, held, b, mesh**2, name), kinematics.Ground(held, name)]

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        cone = math.atan2(self.side, self.planet)
        r1, r2 = self.module * self.side / 2, self.module * self.planet / 2
        left = {"cage": f"{name} side gear"}.get(self.driven, a)
        right = b if self.driven == "cage" or self.held == "cage" else f"{name} side gear"
        cage = a if self.driven == "cage" else (f"{name} cage" if self.held == "cage" else b)
        held = f"{name} side gear" if f"{name} side gear" in (left, right) else f"{name} cage"
        live = {s: "" if s == held else s for s in (left, right, cage)}
        side_gear = seen_from_side(self.module, self.side, self.face_width, cone, 0.0)
        other = seen_from_side(self.module, self.side, self.face_width, cone, math.pi)
        planet = seen_from_side(
            self.module, self.planet, self.face_width, math.pi / 2 - cone, -math.pi / 2
        )
        frame = np.array(
            [
                (-r2 * 1.2, -r1 * 1.5),
                (r2 * 1.2, -r1 * 1.5),
                (r2 * 1.2, r1 * 1.5),
                (-r2 * 1.2, r1 * 1.5),
                (-r2 * 1.2, -r1 * 1.5),
            ]
        )
        own: dict[str, Any] = {"width": self.face_width, "material": self.material}
        return (
            Body(
                "cage",
                (frame, frame * 0.92),
                "",
                reach=r1 * 1.55,
                field="driven",
                look="arm",
                **own,
            ),
            planet._replace(name="planet", at=(0.0, r1), field="planet", **own),
            side_gear._replace(
                name="side gear", shaft=live[left], at=(-r2, 0.0), field="side", **own
            ),
            other._replace(name="side gear", shaft=live[right], at=(r2, 0.0), field="side", **own),
        )

    def in_words(self) -> str:
        return f"differential {self.side}/{self.planet}"
