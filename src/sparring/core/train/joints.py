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
    "D flat": {"width": "Flat width"},
    "hex": {},
    "key": {"width": "Key width", "height": "Key height"},
    "pin": {"width": "Pin diameter", "height": "Hub wall thickness"},
    "press": {"pressure": "Fit pressure", "friction": "Fit friction coefficient"},
    "glue": {"pressure": "Adhesive shear strength"},
    "spline": {"count": "Splines", "height": "Spline height"},
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
        if self.kind == "spline" and 2 * self.height >= self.diameter:
            raise ValueError(
                f"splines {self.height * 1e3:.2f} mm high leave no core in a shaft of "
                f"{self.diameter * 1e3:.2f} mm"
            )
        if self.kind in ("D flat", "pin") and self.width >= self.diameter:
            raise ValueError(
                f"the {'flat' if self.kind == 'D flat' else 'pin'} is {self.width * 1e3:.2f} mm"
                f" wide on a shaft of {self.diameter * 1e3:.2f} mm"
            )
        return self

    def carries(self, hub: float, shaft: float) -> float:
        """Torque at which the joint gives way [N·m]; hub, shaft: strengths of the two materials
        [Pa]; inf for one piece.

        The least of `ways`."""
        return min(self.ways(hub, shaft).values(), default=math.inf)

    def ways(self, hub: float, shaft: float) -> dict[str, float]:
        """Each way in which it may give way, in words, and the torque then [N·m]; hub, shaft:
        strengths of the two materials [Pa]; empty for one piece.

        D flat: pressure rising linearly from the middle of the flat to its edge, T = p L w²/12;
        hex: the same on six flats; key T = p d h L/4 or its shear; pin: two planes in shear; its
        pressure in the shaft rising linearly from the middle, T = p w d²/6, and even in the hub's
        walls, T = p w ((d + 2 h)² − d²)/4; press and glue: T = τ π d² L/2.
        """
        d, length, weaker = self.diameter, self.length, min(hub, shaft)
        w, h = self.width, self.height
        match self.kind:
            case "D flat":
                return {"flat crushes": weaker * length * w**2 / 12}
            case "hex":
                return {"hex rounds off": weaker * length * (d / math.sqrt(3)) ** 2 / 2}
            case "key":
                return {
                    "key crushes": weaker * d * h * length / 4,
                    "key shears": SHEAR * shaft * w * length * d / 2,
                }
            case "pin":
                return {
                    "pin shears": SHEAR * shaft * math.pi * w**2 / 4 * d,
                    "pin enlarges its hole in the shaft": shaft * w * d**2 / 6,
                    "pin enlarges its hole in the hub": hub * w * ((d + 2 * h) ** 2 - d**2) / 4,
                }
            case "press":
                return {
                    "press fit slips": self.friction * self.pressure * math.pi * d**2 * length / 2
                }
            case "glue":
                return {"glue shears": self.pressure * math.pi * d**2 * length / 2}
            case "spline":
                # three quarters bear
                return {"splines crush": 0.75 * weaker * self.count * h * length * (d - h) / 2}
        return {}

    def core_diameter(self) -> float:
        """Diameter of the round that is left whole in the shaft [m]; of a spline that below its
        splines. A pin's hole goes through the middle: it is counted in `shaft_carries`.
        """
        if self.kind == "D flat":
            return self.diameter - (self.diameter - math.sqrt(self.diameter**2 - self.width**2)) / 2
        if self.kind == "key":
            return self.diameter - self.height / 2
        if self.kind == "spline":
            return self.diameter - 2 * self.height
        return self.diameter

    def shaft_carries(self, shaft: float) -> float:
        """Torque that shears the shaft, τ = T r/J, 16 T/(π d³) of a round one, d the round left
        whole [N·m]; shaft: strength [Pa]. Of a pin's hole the strip of its width is taken out of J.
        """
        r = self.core_diameter() / 2
        polar = math.pi * r**4 / 2
        if self.kind == "pin":
            polar -= _strip(r, self.width)
        return SHEAR * shaft * polar / r

    def failure(self, hub: float = 1.0, shaft: float = 1.0) -> str:
        """What happens there first, in words; hub, shaft: strengths [Pa]."""
        ways = self.ways(hub, shaft)
        return min(ways, key=ways.__getitem__, default="")


def _strip(r: float, width: float) -> float:
    """Polar moment of area [m⁴] of the strip of that width across a round of radius r: the integral
    of 2 x² h + 2 h³/3 over it, h = √(r² − x²).
    """
    x = width / 2
    h, angle = math.sqrt(r**2 - x**2), math.asin(x / r)
    # ∫ x² h and ∫ h³ from 0 to x
    second = (r**4 * angle - x * h * (r**2 - 2 * x**2)) / 8
    cubes = (x * h * (5 * r**2 - 2 * x**2) + 3 * r**4 * angle) / 8
    return 4 * second + 4 * cubes / 3
