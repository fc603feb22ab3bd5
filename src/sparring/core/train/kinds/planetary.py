"""The planetary stage: sun, planets, ring; any member driven, any held; and what it needs to
assemble.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, losses, teeth
from sparring.core.train.kinds.spur import gear_body, ring_body
from sparring.core.train.pair import Pair
from sparring.core.train.stage import (
    Angle,
    Body,
    Contact,
    Friction,
    Helix,
    MeshLoad,
    Module,
    Pass,
    Planets,
    Shift,
    StageBase,
    Teeth,
    Width,
    paths_of,
    planets_pass,
)


class PlanetaryStage(StageBase):
    """Sun, planets on a carrier, ring. `locked`: sun and carrier held together, the direct speed of
    a two-speed box.
    """

    TITLE: ClassVar[str] = "Planetary"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Driven", "driven"),
        ("Held", "held"),
        ("Sun teeth", "sun"),
        ("Planet teeth", "planet"),
        ("Ring teeth", "ring"),
        ("Planets", "planets"),
        ("Mesh load factor", "mesh_load_factor"),
        ("Planet pins supported", "support"),
        ("Module", "module"),
        ("Face width", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Helix angle", "helix"),
        ("Sun shift", "sun_shift"),
        ("Planet shift", "planet_shift"),
        ("Ring shift", "ring_shift"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Sun and planet material", "material"),
        ("Ring material", "ring_material"),
    )

    kind: Literal["planetary"] = "planetary"
    driven: Literal["sun", "carrier", "ring"] = "sun"
    held: Literal["ring", "carrier", "sun", "locked"] = "ring"
    sun: Teeth = 12
    planet: Teeth = 18
    ring: Teeth = 48
    planets: Planets = 3
    mesh_load_factor: MeshLoad = 1.1  # of three with one member free to float; from memory
    support: Literal["on both sides", "on one side"] = "on both sides"
    module: Module = 1e-3
    face_width: Width = 8e-3
    pressure_angle: Angle = teeth.ALPHA_20
    helix: Helix = 0.0
    sun_shift: Shift = 0.0
    planet_shift: Shift = 0.0
    ring_shift: Shift = 0.0
    friction: Friction = Measured(0.09, 0.0135)
    ring_material: str = ""

    @model_validator(mode="after")
    def _driven_is_free(self) -> PlanetaryStage:
        if self.driven == self.held:
            raise ValueError(f"the {self.driven} is both input and fixed; fix another member")
        return self

    @property
    def output(self) -> str:
        """The member that drives on."""
        if self.held == "locked":
            return "ring" if self.driven != "ring" else "carrier"
        return next(m for m in ("carrier", "ring", "sun") if m not in (self.driven, self.held))

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def sun_pair(self) -> Pair:
        return Pair(
            self.module,
            self.sun,
            self.planet,
            x1=self.sun_shift,
            x2=self.planet_shift,
            opening=0.0,
            alpha=self.pressure_angle,
            helix=self.helix,
        )

    def ring_pair(self) -> Pair:
        """Planet and ring at the centre distance of sun and planet; where that cannot be, as nearly
        as it can.
        """
        free = self._free_ring()
        return replace(
            free, opening=min(max(0.0, free.tight_distance() - self.radius()), 0.35 * self.module)
        )

    def _free_ring(self) -> Pair:
        """Planet and ring without regard to the sun."""
        return Pair(
            self.module,
            self.planet,
            self.ring,
            x1=self.planet_shift,
            x2=self.ring_shift,
            opening=0.0,
            alpha=self.pressure_angle,
            ring=True,
            helix=self.helix,
        )

    def radius(self) -> float:
        """Radius of the planets' axes [m]."""
        return self.sun_pair().centre_distance()

    def members(self, a: str, b: str, name: str) -> dict[str, str]:
        """Shaft of each member."""
        other = next(
            (m for m in ("sun", "carrier", "ring") if m not in (self.driven, self.output)), "sun"
        )
        return {
            self.driven: a,
            self.output: b,
            other: f"{name} {other}",
            "planets": f"{name} planets",
        }

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        mu = self.friction.value if friction is None else friction
        m = self.members(a, b, name)
        sun, ring = (
            losses.basic_efficiency(mu, p.loss_factor())
            for p in (self.sun_pair(), self.ring_pair())
        )
        found: list[kinematics.Element] = [
            kinematics.external(
                m["sun"], m["planets"], self.sun, self.planet, m["carrier"], sun, name, "sun–planet"
            ),
            kinematics.internal(
                m["planets"],
                m["ring"],
                self.planet,
                self.ring,
                m["carrier"],
                ring,
                name,
                "planet–ring",
            ),
        ]
        held = (
            kinematics.coupling(m["sun"], m["carrier"], name)
            if self.held == "locked"
            else kinematics.Ground(m[self.held], name)
        )
        return [*found, held]

    def passes(self, turns: Mapping[str, float], a: str, b: str, name: str) -> tuple[Pass, ...]:
        m = self.members(a, b, name)
        rims = {member: m[member] for member in ("sun", "ring")}
        own, carrier = m["planets"], m["carrier"]
        return planets_pass(turns, self.planets, own=own, carrier=carrier, rims=rims)

    def contacts(self) -> tuple[Contact, ...]:
        ring = self.ring_material or self.material
        return (
            Contact(
                "sun–planet",
                "sun",
                "planet",
                pair=self.sun_pair(),
                width=self.face_width,
                material_a=self.material,
                material_b=self.material,
                paths=paths_of(self.planets, self.mesh_load_factor),
            ),
            Contact(
                "planet–ring",
                "planet",
                "ring",
                pair=self.ring_pair(),
                width=self.face_width,
                material_a=self.material,
                material_b=ring,
                paths=paths_of(self.planets, self.mesh_load_factor),
            ),
        )

    def backlash(self) -> float:
        """Only what a planet wider of the ring than needed leaves; centres of sun and planets are
        taken as tight.
        """
        play = self.ring_pair().backlash()
        return (
            play
            * {
                "ring": 1.0,
                "carrier": self.ring / (self.sun + self.ring),
                "sun": self.ring / self.sun,
            }[self.output]
        )

    def angles(self) -> list[float]:
        """Directions of the planets [rad]: equal where they fit so, else the nearest places where
        they do.
        """
        return planet_angles(self.planets, self.sun + self.ring)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        m, r = self.members(a, b, name), self.radius()
        sp, pr = self.sun_pair(), self.ring_pair()
        held = dict.fromkeys((m[self.held],), "") if self.held != "locked" else {}
        turns = {k: held.get(v, v) for k, v in m.items()}
        first = teeth.meshing_angle(self.sun, self.planet, 0.0, 0.0)
        found = [
            ring_body(
                "ring",
                pr,
                teeth.ring_angle(self.planet, self.ring, first, 0.0),
                shaft=turns["ring"],
                width=self.face_width,
                material=self.ring_material or self.material,
            )
        ]
        places = [(r * math.cos(t), r * math.sin(t)) for t in self.angles()]
        found.append(
            carrier_body(
                places,
                turns["carrier"],
                0.45
                * min(
                    teeth.root_diameter(self.module, self.planet, self.planet_shift, self.helix), r
                ),
                width=self.face_width,
                material=self.material,
            )
        )
        for t, at in zip(self.angles(), places, strict=True):
            phase = teeth.meshing_angle(self.sun, self.planet, 0.0, t)
            found.append(
                gear_body(
                    "planet",
                    sp,
                    2,
                    phase=phase,
                    shaft=m["planets"],
                    width=self.face_width,
                    material=self.material,
                    at=at,
                    carrier=turns["carrier"],
                )
            )
        found.append(
            gear_body(
                "sun",
                sp,
                1,
                phase=0.0,
                shaft=turns["sun"],
                width=self.face_width,
                material=self.material,
            )
        )
        return tuple(found)

    def faults(self) -> list[Finding]:
        found = super().faults()
        free = self._free_ring()
        off = self.radius() - free.tight_distance()
        if off > 0.02 * self.module or off < -0.25 * self.module:
            found.append(
                noted(
                    "not-coaxial",
                    "wrong",
                    title="The planets cannot mesh with sun and ring at once",
                    seen=(
                        f"Sun {self.sun} + 2 × planet {self.planet} = "
                        f"{self.sun + 2 * self.planet}, but the ring has {self.ring}: the "
                        "two centre distances differ by {off}."
                    ),
                    why="The stage cannot be assembled, or has excessive backlash.",
                    causes=("a tooth was miscounted", "profile shifts that are not entered"),
                    remedies=(
                        (
                            f"Use a ring of {self.sun + 2 * self.planet} teeth, which fits "
                            "without shift."
                        ),
                        "Shift the planets to compensate.",
                    ),
                    place="ring",
                    off=(abs(off), "length"),
                )
            )
        found += spacing_faults(
            self.planets, self.sun + self.ring, f"sun {self.sun} + ring {self.ring}", self.angles()
        )
        gap = neighbour_gap(
            self.planets,
            self.radius(),
            teeth.tip_diameter(self.module, self.planet, self.planet_shift, self.helix),
            self.angles(),
        )
        if gap <= 0:
            found.append(
                noted(
                    "planets-collide",
                    "wrong",
                    title="Neighbouring planets collide",
                    seen=(
                        f"With {self.planets} planets of {self.planet} teeth the tips overlap by"
                        " {overlap}."
                    ),
                    why="The stage cannot be assembled.",
                    remedies=(
                        f"Use {self.planets - 1} planets.",
                        "Make the planets smaller and the sun larger.",
                    ),
                    place="planets",
                    overlap=(-gap, "length"),
                )
            )
        if self.support == "on one side":
            found.append(
                noted(
                    "planets-unsupported",
                    "caution",
                    title="The planet pins are supported on one side only",
                    seen="Each planet pin is free at its other end.",
                    why=(
                        "Under load the pins bend and the planets tilt, which loads one "
                        "edge of their teeth."
                    ),
                    remedies=(
                        "Add a plate that supports the other ends of the pins.",
                        "Use steel pins.",
                    ),
                    place="support",
                )
            )
        return found

    def in_words(self) -> str:
        return f"{self.sun}/{self.planet}/{self.ring}"


def planet_angles(n: int, places: int) -> list[float]:
    """Directions of n planets [rad] when they fit at `places` equal places round the sun: the
    nearest to equal spacing.
    """
    return [2 * math.pi * round(k * places / n) / places for k in range(n)]


def neighbour_gap(n: int, radius: float, tip_diameter: float, angles: list[float]) -> float:
    """Least gap between the tips of neighbouring planets [m]; negative: they overlap. One planet:
    no neighbour.
    """
    if n < 2:
        return math.inf
    apart = [
        (b - a) % (2 * math.pi)
        for a, b in zip(angles, [*angles[1:], angles[0] + 2 * math.pi], strict=True)
    ]
    return 2 * radius * math.sin(min(min(apart), math.pi) / 2) - tip_diameter


def spacing_faults(n: int, places: int, words: str, angles: list[float]) -> list[Finding]:
    """Whether n equal planets fit at equal spacing: `places`/n must be whole."""
    if places % n == 0:
        return []
    shown = ", ".join(f"{math.degrees(a):.1f}°" for a in angles)
    return [
        noted(
            "unequal-spacing",
            "caution",
            title=f"{n} planets do not fit at equal spacing",
            seen=f"({words})/{n} = {places / n:.2f} is not whole; they fit at {shown}.",
            why=(
                "At equal spacing they cannot be assembled; at unequal spacing sun and "
                "carrier are unbalanced."
            ),
            causes=("a tooth was miscounted",),
            remedies=(
                "Drill the carrier at the angles shown.",
                "Change sun or ring so that their sum divides by the planets.",
            ),
            place="planets",
        )
    ]


def carrier_body(
    places: list[tuple[float, float]], shaft: str, reach: float, width: float, material: str
) -> Body:
    """A plate under the planets: an arm to each."""
    loop = []
    n = max(len(places), 3)
    for k in range(n):
        x, y = places[k % len(places)]
        r, t = math.hypot(x, y), math.atan2(y, x) + (0 if k < len(places) else 2 * math.pi * k / n)
        for d in np.linspace(-1.9, 1.9, 15):
            loop.append(
                (
                    r * math.cos(t) + reach * math.cos(t + d),
                    r * math.sin(t) + reach * math.sin(t + d),
                )
            )
    loop.append(loop[0])
    return Body(
        "carrier",
        (np.array(loop),),
        shaft,
        reach=max(math.hypot(*p) for p in places) + reach,
        field="planets",
        width=width / 3,
        material=material,
        look="arm",
    )
