"""Haul: a crate pulled up a slope, or along a floor, by a cord on a drum.
F = (m_load + m_crate) g (sin α + μ cos α), T = F r.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures
from sparring.core.methods.cord import OnDrum
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, cosine, sine


class Haul(OnDrum):
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
    DONE: ClassVar[str] = "hauled"
    DOES: ClassVar[tuple[str, str, str]] = ("Haul", "Hauling", "Stopping")

    kind: Literal["haul"] = "haul"
    crate_mass: Annotated[Measured, Q("mass", "kg", above=0.0)] = Measured(0.4, 1e-3)
    slope: Annotated[Measured, Q("angle", "deg", least=0.0, most=1.5)] = Measured(
        math.radians(15), math.radians(0.5)
    )
    friction: Annotated[Measured, Q("ratio", "", least=0.0, most=3.0)] = Measured(0.30, 0.02)
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        along = sine(x["slope"]) + x["friction"] * cosine(x["slope"])
        return (load + x["crate_mass"]) * g * along * self.radius(x)

    def turned(self, x: Figures, travel: Uncertain) -> Uncertain:
        return travel / self.radius(x)

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
