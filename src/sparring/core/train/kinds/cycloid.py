"""The cycloid stage: an eccentric rolls a lobed disc round a circle of pins."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, outlines
from sparring.core.train.joints import SHEAR
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import Body, Capacity, Length, Opening, Share, StageBase, Width

_PHASES = 48  # of the crank, over one pin


class CycloidStage(StageBase):
    """Eccentric in; out through rollers in the disc's holes with the pins held, or through the
    turning pins.
    """

    TITLE: ClassVar[str] = "Cycloid"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Held", "held"),
        ("Pins", "pins"),
        ("Discs", "discs"),
        ("Pin circle diameter", "pin_circle"),
        ("Pin diameter", "pin_diameter"),
        ("Eccentricity", "eccentricity"),
        ("Clearance", "clearance"),
        ("Disc thickness", "face_width"),
        ("Output rollers", "rollers"),
        ("Roller diameter", "roller_diameter"),
        ("Mesh loss", "loss"),
        ("Output drag torque", "drag"),
        ("Disc material", "material"),
        ("Pin material", "pin_material"),
    )

    kind: Literal["cycloid"] = "cycloid"
    held: Literal["pins", "disc"] = "pins"
    pins: Annotated[int, Field(ge=4, le=200)] = 12
    discs: Annotated[int, Field(ge=1, le=2)] = 2
    pin_circle: Length = 50e-3
    pin_diameter: Length = 5e-3
    eccentricity: Length = 1.2e-3
    clearance: Opening = 0.0
    face_width: Width = 6e-3
    rollers: Annotated[int, Field(ge=3, le=24)] = 6
    roller_diameter: Length = 4e-3
    loss: Share = Measured(0.012, 0.004)
    pin_material: str = "steel"

    @property
    def lobes(self) -> int:
        return self.pins - 1

    @property
    def loss_figure(self) -> Measured:
        return self.loss

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        eta = max(1e-6, 1 - (self.loss.value if friction is None else friction))
        fixed = f"{name} {self.held}"
        disc, pins = (b, fixed) if self.held == "pins" else (fixed, b)
        return [
            kinematics.cycloid(
                disc, pins, a, lobes=self.lobes, n_pins=self.pins, eta=eta, name=name
            ),
            kinematics.Ground(fixed, name),
        ]

    def backlash(self) -> float:
        """Clearance over the flanks, as an angle of what turns [rad], the mean over the crank's
        turn: either way the pin with the longest lever arm about the disc's centre meets its flank
        first. With many pins that arm is the rolling circle's radius e (N − 1), so 2 c/(e (N − 1));
        of the pins round a held disc, that over N/(N − 1).
        """
        phases = np.linspace(0, 2 * math.pi / self.pins, _PHASES, endpoint=False)
        turned = math.pi * np.arange(self.discs)  # the second disc is on the other side
        both = [self._arms(phases[:, np.newaxis] + more) for more in turned]
        arm, way = (np.hstack(x) for x in zip(*both, strict=True))
        longest = [np.where(way * side > 0, arm, 0.0).max(axis=1) for side in (1, -1)]
        play = float(np.mean(self.clearance / longest[0] + self.clearance / longest[1]))
        return play if self.held == "pins" else play * self.lobes / self.pins

    def _arms(self, phase: Any = 0.0) -> tuple[np.ndarray, np.ndarray]:
        """(lever arm of the force on each pin about the disc's centre [m], which way it turns the
        disc). phase: of the crank against the pins [rad].
        """
        roll = self.eccentricity * self.lobes
        # the instant centre lies here, from the pin circle's centre
        point = self.eccentricity * self.pins
        k = np.arange(self.pins) * 2 * math.pi / self.pins + phase
        r = self.pin_circle / 2
        toward = np.hypot(r * np.cos(k) - point, r * np.sin(k))
        return roll * np.abs(r * np.sin(k)) / toward, np.sin(k)

    def pin_forces(self, torque: float) -> tuple[float, int]:
        """(largest force on a pin [N], pins that bear) with `torque` on one disc: half of the pins
        bear, each in proportion to its lever arm about the disc's centre (rigid disc, equally stiff
        pins)."""
        arm, way = self._arms()
        bearing = way > 1e-9
        return float(torque * arm[bearing].max() / (arm[bearing] ** 2).sum()), int(bearing.sum())

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        pin, disc = setting.material(self.pin_material), setting.material(self.material)
        force, _ = self.pin_forces(1.0 / self.discs)
        found = []
        # torque on the disc over torque at the output
        share = 1.0 if self.held == "pins" else self.lobes / self.pins
        if pin is not None:
            shear = (
                SHEAR * pin.strength_at(setting.temperature) * math.pi * self.pin_diameter**2 / 4
            )
            found.append(
                Capacity(
                    "pins",
                    "shear off",
                    b,
                    torque=2 * shear / (force * share),
                    basis="most loaded pin in double shear",
                )
            )
        if disc is not None:
            crush = (
                disc.strength_at(setting.temperature, setting.layers)
                * self.pin_diameter
                * self.face_width
            )
            found.append(
                Capacity(
                    "disc",
                    "lobes crush on the pins",
                    b,
                    torque=crush / (force * share),
                    basis="strength × projected area of the most loaded pin",
                )
            )
        return tuple(found)

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        disc, pins = (b, "") if self.held == "pins" else ("", b)
        r, e = self.pin_circle / 2, self.eccentricity
        rp = self.pin_diameter / 2
        t = 2 * math.pi * np.arange(self.pins) / self.pins
        ring = tuple(outlines.circle(rp, r * math.cos(k), r * math.sin(k), 24) for k in t)
        hole_circle = 0.62 * r
        hole = self.roller_diameter / 2 + e
        u = 2 * math.pi * np.arange(self.rollers) / self.rollers
        bearing = min(0.3 * r, hole_circle - hole - 0.8e-3)
        w = self.face_width
        found = [
            Body(
                "housing",
                (
                    outlines.circle(r + 2.2 * rp + 1e-3, points=180),
                    outlines.circle(r + 0.2 * rp, points=180),
                ),
                pins,
                reach=r + 2.2 * rp + 1e-3,
                field="pin_circle",
                width=w * self.discs,
                material=self.material,
                look="ring",
            )
        ]
        found += self._discs(a, disc, hole_circle=hole_circle, hole=hole, bearing=bearing)
        rollers = tuple(
            outlines.circle(
                self.roller_diameter / 2, hole_circle * math.cos(k), hole_circle * math.sin(k), 24
            )
            for k in u
        )
        found += [
            Body(
                "pins",
                ring,
                pins,
                reach=r + rp,
                field="pin_diameter",
                teeth=self.pins,
                width=w * self.discs,
                material=self.pin_material,
                look="pin",
            ),
            Body(
                "rollers",
                rollers,
                disc,
                reach=hole_circle,
                field="rollers",
                width=w * self.discs,
                material="steel",
                look="pin",
            ),
            Body(
                "eccentric",
                (
                    outlines.circle(bearing * 0.92, points=60),
                    outlines.circle(bearing * 0.35, -e, 0.0, 30),
                ),
                a,
                at=(e, 0.0),
                carrier=a,
                phase=0.0,
                reach=bearing,
                field="eccentricity",
                teeth=0,
                width=w * self.discs,
                layer=0.0,
                material="steel",
            ),
        ]
        return tuple(found)

    def _discs(
        self, a: str, disc: str, *, hole_circle: float, hole: float, bearing: float
    ) -> list[Body]:
        """The discs, the rearmost first; radii [m] of the circle of holes, of a hole, of the
        bearing.
        """
        r, e, w = self.pin_circle / 2, self.eccentricity, self.face_width
        rp = self.pin_diameter / 2
        u = 2 * math.pi * np.arange(self.rollers) / self.rollers
        found = []
        outline = outlines.cycloid_disc(self.pins, r, rp, eccentricity=e, clearance=self.clearance)
        for n in reversed(range(self.discs)):
            x = e if n == 0 else -e
            # the second disc's holes stand otherwise to its lobes, as both take the same rollers
            ahead = n * math.pi / self.lobes
            holes = tuple(
                outlines.circle(
                    hole, hole_circle * math.cos(k + ahead), hole_circle * math.sin(k + ahead), 180
                )
                for k in u
            )
            found.append(
                Body(
                    "disc",
                    (outline, outlines.circle(bearing, points=60), *holes),
                    disc,
                    at=(x, 0.0),
                    carrier=a,
                    phase=-n * math.pi / self.lobes,
                    reach=r,
                    field="pins",
                    teeth=self.lobes,
                    width=w,
                    layer=n * w,
                    material=self.material,
                )
            )
        return found

    def faults(self) -> list[Finding]:
        found = []
        r = self.pin_circle / 2
        if self.eccentricity * self.pins >= r:
            found.append(
                noted(
                    "cycloid-loops",
                    "wrong",
                    title="The disc's outline loops",
                    seen=(
                        "Eccentricity × pins is {reach}, above the pin circle radius of {radius}."
                    ),
                    why="A disc with this outline cannot be made.",
                    remedies=(
                        "Make the eccentricity smaller than {most}.".format(
                            most=f"{r / self.pins * 1e3:.2f} mm"
                        ),
                    ),
                    place="eccentricity",
                    reach=(self.eccentricity * self.pins, "length"),
                    radius=(r, "length"),
                )
            )
        elif outlines.least_hollow(self.pins, r, self.eccentricity) < self.pin_diameter / 2:
            found.append(
                noted(
                    "cycloid-undercut",
                    "wrong",
                    title="The lobes are undercut",
                    seen="Pins of {pin} exceed the smallest lobe radius of curvature, {bend}.",
                    why="Lobes lose their tips, knock and wear.",
                    remedies=("Use thinner pins or a smaller eccentricity.",),
                    place="pin_diameter",
                    pin=(self.pin_diameter, "length"),
                    bend=(2 * outlines.least_hollow(self.pins, r, self.eccentricity), "length"),
                )
            )
        if self.pin_diameter >= 2 * r * math.sin(math.pi / self.pins):
            found.append(
                noted(
                    "pins-touch",
                    "wrong",
                    title="The pins overlap",
                    seen=f"{self.pins} pins of {{pin}} do not fit on the circle.",
                    why="The stage cannot be assembled.",
                    remedies=("Use thinner pins or a larger circle.",),
                    place="pin_diameter",
                    pin=(self.pin_diameter, "length"),
                )
            )
        if self.discs == 1:
            found.append(
                noted(
                    "one-disc",
                    "note",
                    title="A single disc is unbalanced",
                    seen="A single disc orbits with an eccentricity of {e}.",
                    why="It vibrates at input speed and loads the bearings on one side.",
                    remedies=("Use two discs 180° apart, or a counterweight.",),
                    place="discs",
                    e=(self.eccentricity, "length"),
                )
            )
        return found

    def in_words(self) -> str:
        return f"cycloid {self.lobes}/{self.pins}"
