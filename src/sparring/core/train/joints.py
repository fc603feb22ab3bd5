"""Joints between a gear and its shaft, and the shaft itself: the torque each carries.

Lengths [m], stresses [Pa], torques [N·m]. Formulas as in machine-design handbooks (from memory).
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from sparring.core.records import Q, Record

Size = Annotated[float, Q("length", "mm", above=0.0, most=1.0)]
Stress = Annotated[float, Q("pressure", "MPa", above=0.0)]

SHEAR = 1 / math.sqrt(3)  # shear over tensile strength (von Mises)
SIZES = {  # which sizes a kind asks for, and what they are
    "D flat": {"width": "Width of the flat"},
    "hex": {},
    "key": {"width": "Key width", "height": "Key height"},
    "pin": {"width": "Pin diameter"},
    "press": {"pressure": "Pressure in the fit", "friction": "Friction in the fit"},
    "glue": {"pressure": "Shear strength of the glue"},
    "spline": {"count": "Splines", "height": "Height of a spline"},
    "one piece": {},
}


class Joint(Record):
    """How a gear sits on its shaft. `SIZES` says which of the sizes its kind uses; diameter: of the
    shaft, or across flats.
    """

    kind: Literal["D flat", "hex", "key", "pin", "press", "glue", "spline", "one piece"] = "D flat"
    diameter: Size = 5e-3
    length: Size = 8e-3
    width: Size = 3e-3
    height: Size = 1e-3
    count: Annotated[int, Field(ge=2, le=200)] = 6
    pressure: Stress = 10e6
    friction: Annotated[float, Q("ratio", "", above=0.0, most=1.0)] = 0.15
    shaft: str = "steel"

    @model_validator(mode="after")
    def _fits(self) -> Joint:
        if self.kind in ("D flat", "pin") and self.width >= self.diameter:
            raise ValueError(
                f"the {'flat' if self.kind == 'D flat' else 'pin'} is {self.width * 1e3:.2f} mm"
                f" wide on a shaft of {self.diameter * 1e3:.2f} mm"
            )
        return self

    def carries(self, hub: float, shaft: float) -> float:
        """Torque at which the joint gives way [N·m]; hub, shaft: strengths of the two materials
        [Pa]; inf for one piece.

        D flat: pressure rising linearly from the middle of the flat to its edge, T = p L w²/12;
        hex: the same on six flats; key T = p d h L/4 or its shear; pin: two planes in shear; press
        and glue: T = τ π d² L/2.
        """
        d, length, weaker = self.diameter, self.length, min(hub, shaft)
        match self.kind:
            case "D flat":
                return weaker * length * self.width**2 / 12
            case "hex":
                return weaker * length * (d / math.sqrt(3)) ** 2 / 2
            case "key":
                return min(
                    weaker * d * self.height * length / 4,
                    SHEAR * shaft * self.width * length * d / 2,
                )
            case "pin":
                return SHEAR * shaft * math.pi * self.width**2 / 4 * d
            case "press":
                return self.friction * self.pressure * math.pi * d**2 * length / 2
            case "glue":
                return self.pressure * math.pi * d**2 * length / 2
            case "spline":
                # three quarters bear
                return 0.75 * weaker * self.count * self.height * length * (d - self.height) / 2
        return math.inf

    def core_diameter(self) -> float:
        """Diameter of the round that is left whole in the shaft [m]."""
        if self.kind == "D flat":
            return self.diameter - (self.diameter - math.sqrt(self.diameter**2 - self.width**2)) / 2
        if self.kind == "key":
            return self.diameter - self.height / 2
        return self.diameter

    def shaft_carries(self, shaft: float) -> float:
        """Torque that shears a solid round shaft, τ = 16 T/(π d³), d the round left whole [N·m];
        shaft: strength [Pa].
        """
        return SHEAR * shaft * math.pi * self.core_diameter() ** 3 / 16

    def failure(self) -> str:
        """What happens there, in words."""
        return {
            "D flat": "flat crushes",
            "hex": "hex rounds off",
            "key": "key crushes or shears",
            "pin": "pin shears",
            "press": "press fit slips",
            "glue": "glue shears",
            "spline": "splines crush",
        }.get(self.kind, "")
