"""An arm against a scale: the output is held while the drive pushes. T = F L cos φ."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.methods.lever import Angle
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, cosine

_HOLDS = 1e3  # [N·m] that stands for a scale which does not give way


class Scale(MethodBase):
    """Every run is a stall, whose torque is what the scale or the cell under the arm's end says,
    tared with the arm on it. angle: of the arm off square to the force."""

    TITLE: ClassVar[str] = "Arm on a scale"
    PURPOSE: ClassVar[str] = (
        "The output presses an arm on a scale at standstill: the stall torque itself, no "
        "running figures."
    )
    WANTS: ClassVar[str] = (
        "the force under the arm is not known: read the scale, or calibrate the load cell"
    )
    CARE: ClassVar[str] = (
        "clamp the frame, which turns the other way with the same torque; stall only "
        "briefly, the motor heats"
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Arm, axis to contact", "arm"),
        ("Arm, angle from square", "angle"),
    )
    STEP: ClassVar[str] = ""
    CELL: ClassVar[str] = "under the arm"
    DOES: ClassVar[tuple[str, str, str]] = ("Push", "Pushing", "Releasing")
    HELD: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("arm", 15e-3, 2.0)
    BY_EYE: ClassVar[tuple[str, ...]] = ("force", "rest", "voltage", "current")

    kind: Literal["scale"] = "scale"
    arm: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(0.150, 2.5e-4)
    angle: Angle = Measured(0.0, math.radians(0.5))

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        force, rest = mean("force"), mean("rest")
        if force is None:
            return None
        net = force if rest is None else force - rest
        return net * x["arm"] * cosine(x["angle"])

    def expected(self, load: float, g: float) -> float:
        return 0.0

    def setting(self, load: float | None, resistor: float | None) -> float:
        return 0.0  # one step: the push

    def cell_force(self, torque: float) -> float | None:
        return torque / (self.arm.value * math.cos(self.angle.value))

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        return {
            "radius": 1.0,
            "mass": 2e-3,
            "weight": 0.0,
            "grip": _HOLDS,
            "cell_arm": self.arm.value * math.cos(self.angle.value),
            "cord_stiffness": 1e3,
            "cord_damping": 0.5,
            "slack": 0.0,
        }
