"""Haul: a crate pulled up a slope, or along a floor, by a cord on a drum.
F = (m_load + m_crate) g (sin α + μ cos α), T = F r.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.methods.hoist import effective_radius
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, cosine, sine


class Haul(MethodBase):
    """slope: of the way, 0 on a floor; friction: of the crate on it, from a slow pull. By mass the
    torque is as doubtful as the friction; by a cell in the cord it is not.
    """

    TITLE: ClassVar[str] = "Crate on slope or floor"
    PURPOSE: ClassVar[str] = (
        "A loaded crate hauled by a cord: torque and power at a pull that weight, slope and "
        "friction make."
    )
    CARE: ClassVar[str] = "stand clear of the taut cord and from behind the crate on a slope"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Drum diameter", "drum_diameter"),
        ("Cord diameter", "cord_diameter"),
        ("Crate mass, empty", "crate_mass"),
        ("Slope", "slope"),
        ("Friction coeff. of crate", "friction"),
        ("Drive time", "hold"),
    )
    ROLLS: ClassVar[tuple[str, str]] = ("drum", "drum_diameter")
    CELL: ClassVar[str] = "in the cord"
    CORD: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("drum_diameter", 3e-3, 0.8)
    DONE: ClassVar[str] = "hauled"
    DOES: ClassVar[tuple[str, str, str]] = ("Haul", "Hauling", "Stopping")

    kind: Literal["haul"] = "haul"
    drum_diameter: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(
        0.050, 5e-5
    )
    cord_diameter: Annotated[Measured, Q("length", "mm", least=0.0, most=0.1)] = Measured(
        1e-3, 1e-4
    )
    crate_mass: Annotated[Measured, Q("mass", "kg", above=0.0)] = Measured(0.4, 1e-3)
    slope: Annotated[Measured, Q("angle", "deg", least=0.0, most=1.5)] = Measured(
        math.radians(15), math.radians(0.5)
    )
    friction: Annotated[Measured, Q("ratio", "", least=0.0, most=3.0)] = Measured(0.30, 0.02)
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0

    def radius(self, x: Figures) -> Uncertain:
        """Radius at which the cord's middle runs [m]."""
        return effective_radius(x["drum_diameter"], x["cord_diameter"])

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        along = sine(x["slope"]) + x["friction"] * cosine(x["slope"])
        return (load + x["crate_mass"]) * g * along * self.radius(x)

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        force = mean("force")
        return None if force is None else force * self.radius(x)

    def turned(self, x: Figures, travel: Uncertain) -> Uncertain:
        return travel / self.radius(x)

    def expected(self, load: float, g: float) -> float:
        return float(self.known(self.figures(), load, g))

    def cell_force(self, torque: float) -> float | None:
        return float(torque / self.radius(self.figures()))

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        mass = load + self.crate_mass.value
        a = self.slope.value
        return {
            "radius": self.radius(self.figures()),
            "mass": mass,
            "weight": mass * g * math.sin(a),
            "grip": self.friction.value * mass * g * math.cos(a),
            "grip_rest": 0.0,
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, 0.0
