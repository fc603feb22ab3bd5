"""The spur stage: two gears on parallel axes, the second one outside or round the first."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, losses, outlines, teeth
from sparring.core.train.pair import Pair
from sparring.core.train.stage import (
    Angle,
    Body,
    Contact,
    Friction,
    Helix,
    Module,
    Opening,
    Shift,
    StageBase,
    Teeth,
    Width,
)


class SpurStage(StageBase):
    """One pair. The friction coefficient carries the uncertainty that the predicted efficiency
    shows.
    """

    TITLE: ClassVar[str] = "Spur pair"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Pinion teeth", "pinion"),
        ("Wheel teeth", "wheel"),
        ("Mesh", "mesh"),
        ("Module", "module"),
        ("Face width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Helix angle", "helix"),
        ("Wheel module", "wheel_module"),
        ("Wheel pressure angle", "wheel_angle"),
        ("Pinion shift", "pinion_shift"),
        ("Wheel shift", "wheel_shift"),
        ("Centre offset", "opening"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Pinion material", "material"),
        ("Wheel material", "wheel_material"),
    )

    kind: Literal["spur"] = "spur"
    pinion: Teeth = 12
    wheel: Teeth = 48
    mesh: Literal["external", "internal"] = "external"
    module: Module = 1e-3
    face_width: Width = 6e-3
    pressure_angle: Angle = teeth.ALPHA_20
    helix: Helix = (
        0.0  # at the reference circles; pinion and wheel of opposite hands, internal of one
    )
    wheel_module: Module | None = None  # as measured on a gear that may not belong there
    wheel_angle: Angle | None = None
    pinion_shift: Shift = 0.0
    wheel_shift: Shift = 0.0
    opening: Opening = 0.0
    friction: Friction = Measured(0.09, 0.0135)
    wheel_material: str = ""  # "": as the pinion

    def pair(self) -> Pair:
        return Pair(
            self.module,
            self.pinion,
            self.wheel,
            x1=self.pinion_shift,
            x2=self.wheel_shift,
            opening=self.opening,
            alpha=self.pressure_angle,
            ring=self.mesh == "internal",
            helix=self.helix,
        )

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        mu = self.friction.value if friction is None else friction
        join = kinematics.internal if self.mesh == "internal" else kinematics.external
        eta = losses.basic_efficiency(mu, self.pair().loss_factor())
        return [join(a, b, self.pinion, self.wheel, eta=eta, name=name, contact="pinion–wheel")]

    def contacts(self) -> tuple[Contact, ...]:
        return (
            Contact(
                "pinion–wheel",
                "pinion",
                "wheel",
                pair=self.pair(),
                width=self.face_width,
                material_a=self.material,
                material_b=self.wheel_material or self.material,
            ),
        )

    def faults(self) -> list[Finding]:
        found = super().faults()
        module, angle = self.wheel_module or self.module, self.wheel_angle or self.pressure_angle
        pitch = self.module * math.cos(self.pressure_angle), module * math.cos(angle)
        # gears of other modules mesh all the same when their base pitches agree
        if abs(pitch[1] / pitch[0] - 1) > 2e-3:
            found.append(
                noted(
                    "does-not-mesh",
                    "wrong",
                    title="Pinion and wheel do not match",
                    seen=(
                        "The pinion has module {m1} at {a1}, the wheel {m2} at {a2}: their"
                        f" base pitches differ by {abs(pitch[1] / pitch[0] - 1):.1%}."
                    ),
                    why="Teeth of different base pitch jam or grind.",
                    causes=(
                        "a gear from another drive",
                        "a diametral pitch close to a module",
                        "a pressure angle of 14.5° instead of 20°",
                    ),
                    remedies=("Measure both gears over several teeth.",),
                    place="wheel_module",
                    m1=(self.module, "length"),
                    m2=(module, "length"),
                    a1=(self.pressure_angle, "angle"),
                    a2=(angle, "angle"),
                )
            )
        return found

    def backlash(self) -> float:
        return self.pair().backlash()

    def output_at(self) -> tuple[float, float]:
        return (self.pair().centre_distance() * (-1 if self.mesh == "internal" else 1), 0.0)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        p = self.pair()
        x, _ = self.output_at()
        if self.mesh == "internal":
            wheel = ring_body(
                "wheel",
                p,
                teeth.ring_angle(p.z1, p.z2, 0.0, 0.0),
                shaft=b,
                width=self.face_width,
                material=self.wheel_material or self.material,
                at=(x, 0.0),
            )
        else:
            wheel = gear_body(
                "wheel",
                p,
                2,
                phase=teeth.meshing_angle(p.z1, p.z2, 0.0, 0.0),
                shaft=b,
                width=self.face_width,
                material=self.wheel_material or self.material,
                at=(x, 0.0),
            )
        return (
            wheel,
            gear_body(
                "pinion",
                p,
                1,
                phase=0.0,
                shaft=a,
                width=self.face_width * 1.1,
                material=self.material,
            ),
        )

    def in_words(self) -> str:
        return f"{self.pinion}/{self.wheel}" + (" internal" if self.mesh == "internal" else "")


def gear_body(
    name: str,
    p: Pair,
    gear: int,
    phase: float,
    shaft: str,
    width: float,
    material: str,
    *,
    at: tuple[float, float] = (0.0, 0.0),
    carrier: str = "",
    layer: float = 0.0,
    field: str = "",
) -> Body:
    """Gear 1 or 2 of an external pair (or the gear inside a ring), with a bore."""
    z, x = (p.z1, p.x1) if gear == 1 else (p.z2, p.x2)
    root = teeth.root_diameter(p.module, z, x, p.helix) / 2
    bore = outlines.circle(min(max(root * 0.12, 0.6e-3), 2.5e-3, root / 2), points=32)
    loops = (outlines.gear(p.module, z, x, p.alpha, helix=p.helix), bore)
    tip = teeth.tip_diameter(p.module, z, x, p.helix) / 2
    slant = p.helix if gear == 1 else -p.helix
    return Body(
        name,
        loops,
        shaft,
        at=at,
        carrier=carrier,
        phase=phase,
        reach=tip,
        field=field or name,
        teeth=z,
        width=width,
        layer=layer,
        material=material,
        slant=slant,
    )


def ring_body(
    name: str,
    p: Pair,
    phase: float,
    shaft: str,
    width: float,
    material: str,
    *,
    at: tuple[float, float] = (0.0, 0.0),
    layer: float = 0.0,
    field: str = "",
) -> Body:
    """The ring of an internal pair, with a rim two modules thick or more."""
    tip, root, _ = p.radii(2)
    outer = root + max(2.2 * p.module, 0.05 * root)
    loops = (
        outlines.circle(outer, points=180),
        outlines.ring(p.module, p.z2, p.x2, p.alpha, tip=tip, helix=p.helix),
    )
    return Body(
        name,
        loops,
        shaft,
        at=at,
        carrier="",
        phase=phase,
        reach=outer,
        field=field or name,
        teeth=p.z2,
        width=width,
        layer=layer,
        material=material,
        look="ring",
    )
