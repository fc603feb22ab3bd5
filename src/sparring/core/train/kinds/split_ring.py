"""The split ring (Wolfrom) stage: stepped planets run in a held ring and in a turning ring; high
ratio, little efficiency.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import ClassVar, Literal

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, losses, teeth
from sparring.core.train.kinds.planetary import carrier_body, neighbour_gap, planet_angles
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


class SplitRingStage(StageBase):
    """Sun in, lower ring held, upper ring out; each planet is two gears on one body."""

    TITLE: ClassVar[str] = "Split ring"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Sun teeth", "sun"),
        ("Lower planet teeth", "planet"),
        ("Held ring teeth", "ring"),
        ("Upper planet teeth", "upper_planet"),
        ("Turning ring teeth", "upper_ring"),
        ("Planets", "planets"),
        ("Mesh load factor", "mesh_load_factor"),
        ("Module", "module"),
        ("Upper module", "upper_module"),
        ("Face width of each", "face_width"),
        ("Pressure angle", "pressure_angle"),
        ("Helix angle", "helix"),
        ("Upper planet shift", "upper_planet_shift"),
        ("Turning ring shift", "upper_ring_shift"),
        ("Friction coefficient", "friction"),
        ("Output drag torque", "drag"),
        ("Material", "material"),
    )

    kind: Literal["split ring"] = "split ring"
    sun: Teeth = 12
    planet: Teeth = 27
    ring: Teeth = 66
    upper_planet: Teeth = 24
    upper_ring: Teeth = 63
    planets: Planets = 3
    mesh_load_factor: MeshLoad = 1.1  # of three with one member free to float; from memory
    module: Module = 0.8e-3
    upper_module: Module = 0.8e-3
    face_width: Width = 7e-3
    pressure_angle: Angle = teeth.ALPHA_20
    helix: Helix = 0.0
    upper_planet_shift: Shift = 0.0
    upper_ring_shift: Shift = 0.0
    friction: Friction = Measured(0.09, 0.0135)

    @property
    def loss_figure(self) -> Measured:
        return self.friction

    def radius(self) -> float:
        """Radius of the planets' axes [m]: that of sun and planets."""
        return self.sun_pair().centre_distance()

    def sun_pair(self) -> Pair:
        return Pair(self.module, self.sun, self.planet, alpha=self.pressure_angle, helix=self.helix)

    def _in_ring(self, free: Pair) -> Pair:
        # what cannot be is a finding, not an error
        opening = min(max(0.0, free.tight_distance() - self.radius()), 0.35 * free.module)
        return replace(free, opening=opening)

    def _rings(self) -> tuple[Pair, Pair]:
        """Both ring pairs, without regard to the planets' radius."""
        lower = Pair(
            self.module,
            self.planet,
            self.ring,
            alpha=self.pressure_angle,
            ring=True,
            helix=self.helix,
        )
        upper = Pair(
            self.upper_module,
            self.upper_planet,
            self.upper_ring,
            x1=self.upper_planet_shift,
            x2=self.upper_ring_shift,
            opening=0.0,
            alpha=self.pressure_angle,
            ring=True,
            helix=self.helix,
        )
        return lower, upper

    def ring_pairs(self) -> tuple[Pair, Pair]:
        """(held ring, turning ring) with the planets where the sun puts them."""
        lower, upper = self._rings()
        return self._in_ring(lower), self._in_ring(upper)

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        mu = self.friction.value if friction is None else friction
        lower, upper = self.ring_pairs()
        eta = [
            losses.basic_efficiency(mu, p.loss_factor()) for p in (self.sun_pair(), lower, upper)
        ]
        planets, carrier, held = f"{name} planets", f"{name} carrier", f"{name} ring"
        return [
            kinematics.external(
                a, planets, self.sun, self.planet, carrier, eta[0], name, "sun–planet"
            ),
            kinematics.internal(
                planets, held, self.planet, self.ring, carrier, eta[1], name, "planet–held ring"
            ),
            kinematics.internal(
                planets,
                b,
                self.upper_planet,
                self.upper_ring,
                carrier,
                eta[2],
                name,
                "planet–turning ring",
            ),
            kinematics.Ground(held, name),
        ]

    def passes(self, turns: Mapping[str, float], a: str, b: str, name: str) -> tuple[Pass, ...]:
        rims = {"sun": a, "held ring": f"{name} ring", "turning ring": b}
        own, carrier = f"{name} planets", f"{name} carrier"
        return planets_pass(turns, self.planets, own=own, carrier=carrier, rims=rims)

    def contacts(self) -> tuple[Contact, ...]:
        lower, upper = self.ring_pairs()
        w, m, n = self.face_width, self.material, paths_of(self.planets, self.mesh_load_factor)
        return (
            Contact(
                "sun–planet",
                "sun",
                "planet",
                pair=self.sun_pair(),
                width=w,
                material_a=m,
                material_b=m,
                paths=n,
            ),
            Contact(
                "planet–held ring",
                "planet",
                "held ring",
                pair=lower,
                width=w,
                material_a=m,
                material_b=m,
                paths=n,
                field_a="planet",
                field_b="ring",
            ),
            Contact(
                "planet–turning ring",
                "upper planet",
                "turning ring",
                pair=upper,
                width=w,
                material_a=m,
                material_b=m,
                paths=n,
                field_a="upper_planet",
                field_b="upper_ring",
            ),
        )

    def angles(self) -> list[float]:
        return planet_angles(self.planets, self.sun + self.ring)

    def phases(self) -> list[float]:
        """How far each planet's upper teeth must stand ahead of its lower teeth [rad], 0 to one
        upper pitch.

        The lower teeth are set by sun and held ring, the upper by the turning ring that all planets
        share.
        """
        found = []
        first = teeth.meshing_angle(self.sun, self.planet, 0.0, 0.0)
        ring = teeth.ring_angle(self.upper_planet, self.upper_ring, first, 0.0)
        for t in self.angles():
            lower = teeth.meshing_angle(self.sun, self.planet, 0.0, t)
            upper = t + (ring - t) * self.upper_ring / self.upper_planet
            pitch = 2 * math.pi / self.upper_planet
            ahead = (upper - lower) % pitch
            found.append(0.0 if pitch - ahead < 1e-9 else ahead)
        return found

    def backlash(self) -> float:
        """With the sun held: the held ring's play turns the carrier, and the carrier the other
        ring; R₁(1 + P₂ S/(R₂ P₁))/(S + R₁) of it arrives.
        """
        lower, upper = self.ring_pairs()
        back = 1 + self.upper_planet * self.sun / (self.upper_ring * self.planet)
        return upper.backlash() + lower.backlash() * self.ring * back / (self.sun + self.ring)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        lower, upper = self.ring_pairs()
        planets, carrier = f"{name} planets", f"{name} carrier"
        first = teeth.meshing_angle(self.sun, self.planet, 0.0, 0.0)
        w, m, r = self.face_width, self.material, self.radius()
        places = [(r * math.cos(t), r * math.sin(t)) for t in self.angles()]
        found = [
            ring_body(
                "held ring",
                lower,
                teeth.ring_angle(self.planet, self.ring, first, 0.0),
                shaft="",
                width=w,
                material=m,
                field="ring",
            ),
            ring_body(
                "turning ring",
                upper,
                teeth.ring_angle(self.upper_planet, self.upper_ring, first, 0.0),
                shaft=b,
                width=w,
                material=m,
                layer=w,
                field="upper_ring",
            ),
            carrier_body(
                places,
                carrier,
                0.3 * min(teeth.root_diameter(self.module, self.planet, helix=self.helix), r),
                width=w / 2,
                material=m,
            ),
        ]
        for t, at, ahead in zip(self.angles(), places, self.phases(), strict=True):
            phase = teeth.meshing_angle(self.sun, self.planet, 0.0, t)
            found.append(
                gear_body(
                    "planet",
                    self.sun_pair(),
                    2,
                    phase=phase,
                    shaft=planets,
                    width=w,
                    material=m,
                    at=at,
                    carrier=carrier,
                )
            )
            found.append(
                gear_body(
                    "upper planet",
                    upper,
                    1,
                    phase=phase + ahead,
                    shaft=planets,
                    width=w,
                    material=m,
                    at=at,
                    carrier=carrier,
                    layer=w,
                    field="upper_planet",
                )
            )
        found.append(gear_body("sun", self.sun_pair(), 1, phase=0.0, shaft=a, width=w, material=m))
        return tuple(found)

    def faults(self) -> list[Finding]:
        found = [*super().faults(), *self._axes()]
        if (self.sun + self.ring) % self.planets:
            found.append(
                noted(
                    "unequal-spacing",
                    "caution",
                    title=f"{self.planets} planets do not fit at equal spacing",
                    seen=(
                        "They fit at "
                        + ", ".join(f"{math.degrees(t):.1f}°" for t in self.angles())
                        + "."
                    ),
                    why="At equal spacing they cannot be assembled.",
                    remedies=(
                        "Drill the carrier at the angles shown.",
                        "Change sun or held ring so that their sum divides by the planets.",
                    ),
                    place="planets",
                )
            )
        widest = max(
            teeth.tip_diameter(self.module, self.planet, helix=self.helix),
            teeth.tip_diameter(
                self.upper_module, self.upper_planet, self.upper_planet_shift, self.helix
            ),
        )
        if neighbour_gap(self.planets, self.radius(), widest, self.angles()) <= 0:
            found.append(
                noted(
                    "planets-collide",
                    "wrong",
                    title="Neighbouring planets collide",
                    seen=f"The tips of {self.planets} planets overlap.",
                    why="The stage cannot be assembled.",
                    remedies=(f"Use {self.planets - 1} planets.",),
                    place="planets",
                )
            )
        return [*found, *self._unlike()]

    def _axes(self) -> Iterator[Finding]:
        r = self.radius()
        for which, pair, field in zip(
            ("held", "turning"), self._rings(), ("ring", "upper_ring"), strict=True
        ):
            off = r - pair.tight_distance()
            if off > 0.02 * self.module or off < -0.25 * self.module:
                yield noted(
                    "not-coaxial",
                    "wrong",
                    title=f"The planets do not fit the {which} ring",
                    seen=(
                        f"Sun and planets need a centre distance of {{at}}; {pair.z1} teeth "
                        f"in the {which} ring of {pair.z2} need {{wants}}."
                    ),
                    why="The stage cannot be assembled, or has excessive backlash.",
                    causes=("a tooth was miscounted", "profile shifts that are not entered"),
                    remedies=(
                        ("Keep ring − planet equal on both levels, or shift the upper pair."),
                    ),
                    place=field,
                    at=(r, "length"),
                    wants=(pair.tight_distance(), "length"),
                )

    def _unlike(self) -> Iterator[Finding]:
        phases = self.phases()
        if max(phases) - min(phases) > 1e-6:
            shown = ", ".join(f"{math.degrees(p):.2f}°" for p in phases)
            yield noted(
                "planet-phases",
                "note",
                title="The planets are not identical",
                seen=f"Their upper teeth must lead the lower ones by {shown} in turn.",
                why="Planets in the wrong place or order do not fit the turning ring.",
                remedies=(
                    "Mark each planet and its position.",
                    (
                        f"Make both tooth differences divisible by {self.planets}: then all "
                        "planets are identical."
                    ),
                ),
                place="upper_planet",
            )

    def in_words(self) -> str:
        return f"{self.sun}/{self.planet}/{self.ring}+{self.upper_planet}/{self.upper_ring}"
