"""Hoist: a weight lifted on a cord over a drum. T = (m_load + m_hook) g r + T_bearing, r = (drum ⌀
+ (2 n − 1) cord ⌀)/2.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from sparring.core.methods.base import Figures
from sparring.core.methods.cord import OnDrum
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain

_NESTED = math.sqrt(3) / 2


class Hoist(OnDrum):
    """drum_radius: entered beside the diameter by those who measured it, to be compared. bearing:
    friction torque of the drum's own bearings, from a run coupled straight to the drum, or from
    half of what lifting and lowering differ by. cord_mass: of the cord that hangs at the beginning,
    half of which hangs on the mean of a lift.
    """

    TITLE: ClassVar[str] = "Hoist"
    PURPOSE: ClassVar[str] = (
        "Weights lifted on a cord: torque, speed, power and efficiency at each weight, and the"
        " weight at which it stalls."
    )
    CARE: ClassVar[str] = "stand clear of the taut cord and from under the weight"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Drum diameter", "drum_diameter"),
        ("Drum radius (check)", "drum_radius"),
        ("Drum friction", "bearing"),
        ("Cord layers", "layers"),
        ("Cord diameter", "cord_diameter"),
        ("Hook mass", "hook_mass"),
        ("Mass of hanging cord", "cord_mass"),
        ("Travel", "travel"),
    )
    DOES: ClassVar[tuple[str, str, str]] = ("Lift", "Lifting", "Lowering")
    DONE: ClassVar[str] = "lifted"
    LETS_DOWN: ClassVar[bool] = True

    kind: Literal["hoist"] = "hoist"
    drum_radius: Annotated[Measured, Q("length", "mm", above=0.0, most=2.5)] | None = None
    layers: Annotated[int, Field(ge=1, le=20)] = 1
    hook_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.047, 5e-4)
    cord_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.0)
    bearing: Annotated[Measured, Q("torque", "mN·m", least=0.0)] = Measured(0.0)
    travel: Annotated[float, Q("length", "m", above=0.0)] = 1.2

    def radius(self, x: Figures) -> Uncertain:
        """Radius at which the cord's middle runs [m], in the layer it winds on: each nests in the
        grooves of the one below, √3/2 of the cord's diameter higher.
        """
        return super().radius(x) + (self.layers - 1) * _NESTED * x["cord_diameter"]

    def least_size(self) -> float:
        return max(4 * self.cord_diameter.value, self.SIZE[1])

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        hung = load + x["cord_mass"] / 2 + x["hook_mass"]
        return hung * g * self.radius(x) + x["bearing"]

    def turned(self, x: Figures, travel: Uncertain) -> Uncertain:
        return travel / self.radius(x)

    def beside(self, x: Figures) -> Uncertain:
        return x["bearing"]

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        x = self.figures()
        return {
            "radius": self.radius(x),
            "mass": load + x["hook_mass"] + x["cord_mass"] / 2,
            "bearing": x["bearing"],
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return self.travel, float("inf"), 0.0
