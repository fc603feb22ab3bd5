"""Drawbar: driven wheels pull a sled through a load cell in the tow line. Wheel torque is at least
T = F r.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain


class Drawbar(MethodBase):
    """A step's mass is ballast on the sled. on_wheels: mass that presses the driven wheels down;
    what traction they find is learnt from the pull. rolls: force that the puller's own rolling
    takes, from a pull with the sled unhooked.
    """

    TITLE: ClassVar[str] = "Drawbar"
    PURPOSE: ClassVar[str] = (
        "Driven wheels pull a loaded sled: pull and wheel torque at speed, up to the limit "
        "of drive or traction."
    )
    WANTS: ClassVar[str] = (
        "the load cell in the tow line, or its calibration, is missing: the pull is known "
        "only from it"
    )
    CARE: ClassVar[str] = "stand clear of the tow line, and of the wheels when they break loose"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Mass on driven wheels", "on_wheels"),
        ("Wheel diameter", "wheel_diameter"),
        ("Sled mass, empty", "sled_mass"),
        ("Rolling resistance", "rolls"),
        ("Sled friction coeff., about", "sled_friction"),
        ("Tyre friction coeff., about", "traction"),
        ("Drive time", "hold"),
    )
    MAIN: ClassVar[str] = "wheel_diameter"
    CORD: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("wheel_diameter", 8e-3, 1.5)
    STEP: ClassVar[str] = "ballast"
    ROLLS: ClassVar[tuple[str, str]] = ("wheels", "wheel_diameter")
    CELL: ClassVar[str] = "in the tow line"
    BY_EYE: ClassVar[tuple[str, ...]] = ("force", "voltage", "current")

    kind: Literal["drawbar"] = "drawbar"
    wheel_diameter: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(
        0.060, 2.5e-4
    )
    on_wheels: Annotated[Measured, Q("mass", "kg", above=0.0)] = Measured(2.5, 5e-3)
    rolls: Annotated[Measured, Q("force", "N", least=0.0)] = Measured(0.3, 0.1)
    sled_mass: Annotated[Measured, Q("mass", "kg", above=0.0)] = Measured(0.6, 1e-3)
    sled_friction: Annotated[float, Q("ratio", "", above=0.0, most=3.0)] = (
        0.35  # about, for predictions
    )
    traction: Annotated[float, Q("ratio", "", above=0.0, most=5.0)] = 0.9  # about, for predictions
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        force = mean("force")
        return None if force is None else (force + x["rolls"]) * x["wheel_diameter"] / 2

    def expected(self, load: float, g: float) -> float:
        pull = (
            min(
                self.sled_friction * (load + self.sled_mass.value),
                self.traction * self.on_wheels.value,
            )
            * g
        )
        return (pull + self.rolls.value) * self.wheel_diameter.value / 2

    def cell_force(self, torque: float) -> float | None:
        return torque / (self.wheel_diameter.value / 2) - self.rolls.value

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        mass = load + self.sled_mass.value
        r = self.wheel_diameter.value / 2
        return {
            "radius": r,
            "mass": mass,
            "weight": 0.0,
            "grip": self.sled_friction * mass * g,
            "bearing": self.rolls.value * r,
            "traction": self.traction * self.on_wheels.value * g,
            "cord_stiffness": 3000.0,
            "cord_damping": 25.0,
            "slack": 0.004,
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, 0.0
