"""Hoist: a weight lifted on a cord over a drum. T = (m_load + m_hook) g r, r = (drum ⌀ + cord ⌀)/2."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record


class Hoist(Record):
    """Dimensions of the hoist. drum_radius: entered beside the diameter by those who measured it, to be compared."""

    kind: Literal["hoist"] = "hoist"
    drum_diameter: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(0.050, 5e-5)
    drum_radius: Annotated[Measured, Q("length", "mm", above=0.0, most=2.5)] | None = None
    cord_diameter: Annotated[Measured, Q("length", "mm", least=0.0, most=0.1)] = Measured(1e-3, 1e-4)
    hook_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.047, 5e-4)
    travel: Annotated[float, Q("length", "m", above=0.0)] = 1.2


def effective_radius(drum_diameter: Any, cord_diameter: Any) -> Any:
    """Radius at which the cord's middle runs [m]."""
    return (drum_diameter + cord_diameter) / 2


def torque_from_mass(load: Any, hook: Any, gravity: Any, radius: Any) -> Any:
    """Output torque of a weight that moves steadily [N·m]."""
    return (load + hook) * gravity * radius


def torque_from_force(force: Any, radius: Any) -> Any:
    """Output torque from the cord force [N·m]."""
    return force * radius


def work(torque: Any, angle: Any) -> Any:
    """Work over a turned angle [J]; angle in radians."""
    return torque * angle


def power(torque: Any, speed: Any) -> Any:
    """Mechanical power [W]."""
    return torque * speed
