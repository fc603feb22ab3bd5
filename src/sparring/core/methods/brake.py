"""Brake with a reaction arm: the brake's body would turn with the shaft and presses on a load cell.
T = F L cos φ.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.methods.lever import Angle
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, cosine

_COLD = 293.15  # [K] that a brake begins with


def seconds_to_warm(heat_capacity: float, hottest: float, power: float) -> float:
    """Seconds from 20 °C until a body [J/K] that keeps all heat is as hot as allowed [K]."""
    return heat_capacity * max(hottest - _COLD, 0.0) / power if power > 0 else math.inf


def gripped(grip: Any, cell_arm: float, heat_capacity: float) -> dict[str, Any]:
    """What the simulated bench turns under a brake. grip: torque [N·m], for each instant or one;
    cell_arm: of the cell's force [m]; heat_capacity: for one kelvin [J].
    """
    return {
        "radius": 1.0,
        "mass": 2e-3,
        "weight": 0.0,
        "grip": grip,
        "cell_arm": cell_arm,
        "cord_stiffness": 1e4,
        "cord_damping": 0.25,
        "slack": 0.0,
        "body_heat": heat_capacity,
    }


class Brake(MethodBase):
    """A step's mass hangs on the brake's clamp and only sets it; the torque is what the cell says.
    The cell is tared with the arm on it and the brake open. grips: torque a clamp mass makes, for
    predictions only."""

    TITLE: ClassVar[str] = "Brake with reaction arm"
    PURPOSE: ClassVar[str] = (
        "A brake loads the turning drive: torque, speed, power and efficiency for as long "
        "as its heat allows."
    )
    WANTS: ClassVar[str] = (
        "the load cell under the arm, or its calibration, is missing: the torque of a "
        "brake is known only from it"
    )
    CARE: ClassVar[str] = "the brake stays hot; nothing loose near the shaft, the arm between stops"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Torque per kilogram", "grips"),
        ("Heat capacity", "heat_capacity"),
        ("Maximum temperature", "hottest"),
        ("Arm, axis to cell", "arm"),
        ("Arm, angle from square", "angle"),
        ("Drive time", "hold"),
        ("Load", "load"),
    )
    MAIN: ClassVar[str] = "arm"
    FADES: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("arm", 15e-3, 2.0)
    STEP: ClassVar[str] = "weight on the clamp"
    CELL: ClassVar[str] = "under the arm"
    BY_EYE: ClassVar[tuple[str, ...]] = ("force", "voltage", "current")

    kind: Literal["brake"] = "brake"
    arm: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(0.100, 2.5e-4)
    angle: Angle = Measured(0.0, math.radians(0.7))
    grips: Annotated[float, Q("torque", "N·m", above=0.0)] = 0.45  # a kilogram on the clamp
    heat_capacity: Annotated[float, Q("energy", "J", above=0.0)] = 60.0  # for one kelvin
    hottest: Annotated[float, Q("temperature", "°C", above=0.0)] = 393.15
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0
    load: Literal["in steps", "swept up and down"] = "in steps"

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        force = mean("force")
        return None if force is None else force * x["arm"] * cosine(x["angle"])

    def expected(self, load: float, g: float) -> float:
        return self.grips * load

    def cell_force(self, torque: float) -> float | None:
        return torque / (self.arm.value * math.cos(self.angle.value))

    def holds_for(self, power: float) -> float:
        return seconds_to_warm(self.heat_capacity, self.hottest, power)

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        arm = self.arm.value * math.cos(self.angle.value)
        return gripped(self.grips * load, arm, self.heat_capacity)

    @property
    def swept(self) -> bool:
        return self.load == "swept up and down"

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, 0.0
