"""Lever: an arm with a hung mass that the drive lifts or does not. T = g cos φ (m r + m_arm r_cg +
m_hook r).
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, cosine

Angle = Annotated[Measured, Q("angle", "deg", least=-1.4, most=1.4)]


class Lever(MethodBase):
    """start, top: angles of the arm above level at its lower and upper stop. A mass counts as
    lifted when the arm gets to the upper stop: then the drive made at least the torque of the worst
    angle between them."""

    TITLE: ClassVar[str] = "Lever"
    PURPOSE: ClassVar[str] = (
        "A mass on an arm is lifted or not: the stall torque lies between two masses."
    )
    WANTS: ClassVar[str] = "the mass hung on the arm is not known; enter it"
    CARE: ClassVar[str] = (
        "stand clear of the arm's swing, above and below; the mass drops when the power fails"
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Upper stop angle", "top"),
        ("Arm, axis to hook", "arm"),
        ("Arm mass", "arm_mass"),
        ("Arm, axis to centre of mass", "arm_centre"),
        ("Lower stop angle", "start"),
        ("Hook and washers", "hook_mass"),
    )
    DOES: ClassVar[tuple[str, str, str]] = ("Lift", "Lifting", "Lowering")
    MAIN: ClassVar[str] = "arm"
    SIZE: ClassVar[tuple[str, float, float]] = ("arm", 15e-3, 2.0)
    DONE: ClassVar[str] = "lifted"
    LETS_DOWN: ClassVar[bool] = True
    STANDS: ClassVar[bool] = True
    BY_EYE: ClassVar[tuple[str, ...]] = ()

    kind: Literal["lever"] = "lever"
    arm: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(0.150, 2.5e-4)
    arm_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.040, 2.5e-4)
    arm_centre: Annotated[Measured, Q("length", "mm", least=-5.0, most=5.0)] = Measured(0.070, 1e-3)
    hook_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.012, 2.5e-4)
    start: Angle = Measured(math.radians(-12), math.radians(0.5))
    top: Angle = Measured(math.radians(12), math.radians(0.5))

    def steepest(self, x: Figures) -> Uncertain:
        """Largest cos φ between the stops [-]: 1 where the arm passes through level."""
        if self.start.value <= 0.0 <= self.top.value:
            return 1.0
        nearer = x["start"] if abs(self.start.value) < abs(self.top.value) else x["top"]
        return cosine(nearer)

    def got_there(self, turned: float) -> bool:
        return turned >= 0.6 * (self.top.value - self.start.value)

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        return (
            g
            * self.steepest(x)
            * ((load + x["hook_mass"]) * x["arm"] + x["arm_mass"] * x["arm_centre"])
        )

    def expected(self, load: float, g: float) -> float:
        return float(self.known(self.figures(), load, g))

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        x = self.figures()
        r = x["arm"]
        hung = load + x["hook_mass"]
        inertia = hung * r**2 + x["arm_mass"] * 4 / 3 * x["arm_centre"] ** 2
        return {
            "radius": r,
            "mass": inertia / r**2,
            "weight": g * (hung + x["arm_mass"] * x["arm_centre"] / r),
            "reach": r,
            "lean": x["start"],
            "cord_stiffness": 2e5,
            "slack": 0.0,
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return self.arm.value * max(self.top.value - self.start.value, 1e-3), float("inf"), 0.0
