"""Run-up: a mass of known inertia is brought up to speed, then coasts. T = J dω/dt + drag(ω), the
drag from the coast-down.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from sparring.core.methods.base import MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain

_POISSON = 0.3


class RunUp(MethodBase):
    """The mass turns `gearing` times as fast as the gearbox's output, and its speed is what the
    tachometer on it reads.

    coasts: alone, where a freewheel lets it run on when the drive stops; with the drive, where it
    drags the train along, whose drag then cannot be told from the mass's own. outer_radius, bore,
    density, shape: for the largest stress in it; a disc has a bore, however small, unless another
    is given.
    """

    TITLE: ClassVar[str] = "Run-up of a flywheel"
    PURPOSE: ClassVar[str] = (
        "A flywheel is spun up and coasts down: torque and power over the whole speed "
        "range from one run."
    )
    CARE: ClassVar[str] = (
        "use a guard that would contain its fragments; never reach in before it stops"
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Inertia", "inertia"),
        ("Flywheel step-up", "gearing"),
        ("Coast-down", "coasts"),
        ("Safe speed", "safe_speed"),
        ("Outer radius", "outer_radius"),
        ("Bore radius", "bore"),
        ("Shape", "shape"),
        ("Density", "density"),
        ("Tensile strength", "strength"),
        ("Drive time", "hold"),
        ("Coast-down time", "coast"),
    )
    STEP: ClassVar[str] = ""
    DOES: ClassVar[tuple[str, str, str]] = ("Spin", "Spinning", "Stopping")
    ACCELERATES: ClassVar[bool] = True
    BY_EYE: ClassVar[tuple[str, ...]] = (
        "first_speed",
        "second_speed",
        "time",
        "coast_first",
        "coast_second",
        "coast_time",
        "voltage",
        "current",
    )

    kind: Literal["run-up"] = "run-up"
    inertia: Annotated[Measured, Q("inertia", "kg·m²", above=0.0)] = Measured(0.020, 1e-4)
    gearing: Annotated[float, Q("ratio", "", above=0.0, most=1000.0)] = 5.0
    coasts: Literal["alone", "with the drive"] = "alone"
    safe_speed: Annotated[float, Q("speed", "rpm", above=0.0)] = 700 * math.pi / 30
    outer_radius: Annotated[float, Q("length", "mm", above=0.0, most=5.0)] = 0.080
    bore: Annotated[float, Q("length", "mm", above=0.0, most=5.0)] | None = None
    shape: Literal["disc", "ring"] = "disc"
    density: Annotated[float, Q("density", "kg/m³", above=0.0)] = 7850.0
    strength: Annotated[float, Q("pressure", "MPa", above=0.0)] = 240e6
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 12.0
    coast: Annotated[float, Q("time", least=0.0, most=3600.0)] = 10.0

    @model_validator(mode="after")
    def _bored(self) -> RunUp:
        if self.bore is not None and self.bore >= self.outer_radius:
            raise ValueError(
                f"a bore of {self.bore * 1e3:.4g} mm leaves no material in a flywheel of "
                f"{self.outer_radius * 1e3:.4g} mm radius"
            )
        return self

    def setting(self, load: float | None, resistor: float | None) -> float:
        return 0.0  # one step: the spin

    def expected(self, load: float, g: float) -> float:
        return 0.0

    def top_speed(self, limit: float) -> float:
        return min(limit * self.gearing, self.safe_speed)

    def tachometer(self, output: Any, body: Any) -> Any:
        return body * self.gearing

    def at_output(self) -> float:
        """Inertia of the mass as the gearbox's output feels it [kg·m²]."""
        return self.inertia.value * self.gearing**2

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        return {
            "radius": 1.0,
            "mass": self.at_output(),
            "weight": 0.0,
            "grip": 0.02,
            "drag": 5e-4,
            "ratchet": 1.0 if self.coasts == "alone" else 0.0,
            "rigid": 0.0 if self.coasts == "alone" else 1.0,
            "cord_stiffness": 1e4,
            "cord_damping": 0.5,
            "slack": 0.0,
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, self.coast

    def rim_stress(self, speed: Uncertain) -> Uncertain:
        """Largest hoop stress at `speed` [rad/s] of the mass [Pa]: ρ v² for a thin ring; at the
        bore of a disc ρ v² (3 + ν)/4 · (1 + (1 − ν)/(3 + ν) · (r/R)²), which with the smallest bore
        is twice that of a solid one (Timoshenko, Theory of Elasticity; from memory).
        """
        v2 = (np.asarray(speed) * self.outer_radius) ** 2
        if self.shape == "ring":
            return self.density * v2
        bored = (self.bore or 0.0) / self.outer_radius
        wide = 1 + (1 - _POISSON) / (3 + _POISSON) * bored**2
        return self.density * v2 * (3 + _POISSON) / 4 * wide

    def thickness(self) -> float:
        """How thick a disc of its radius and density is that has its inertia [m]."""
        return self.inertia.value * 2 / (math.pi * self.density * self.outer_radius**4)

    def burst_speed(self) -> float:
        """Speed of the mass at which the rim's stress reaches its strength [rad/s]."""
        return math.sqrt(self.strength / float(self.rim_stress(1.0)))
