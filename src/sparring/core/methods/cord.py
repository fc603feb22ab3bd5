"""A cord on a drum: what hoisting, hoisting over pulleys and hauling have in common."""

from __future__ import annotations

from typing import Annotated, ClassVar

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain


class OnDrum(MethodBase):
    """The output turns a drum, on which a cord winds; a load cell, where there is one, is in it."""

    ROLLS: ClassVar[tuple[str, str]] = ("drum", "drum_diameter")
    CELL: ClassVar[str] = "in the cord"
    CORD: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("drum_diameter", 3e-3, 0.8)

    drum_diameter: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(
        0.050, 5e-5
    )
    cord_diameter: Annotated[Measured, Q("length", "mm", least=0.0, most=0.1)] = Measured(
        1e-3, 1e-4
    )

    def radius(self, x: Figures) -> Uncertain:
        """Radius at which the cord's middle runs [m]."""
        return (x["drum_diameter"] + x["cord_diameter"]) / 2

    def beside(self, x: Figures) -> Uncertain:
        """Torque at the output [N·m] beside the cord's."""
        return 0.0

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        force = mean("force")
        return None if force is None else force * self.radius(x) + self.beside(x)

    def expected(self, load: float, g: float) -> float:
        return float(self.known(self.figures(), load, g))

    def cell_force(self, torque: float) -> float | None:
        x = self.figures()
        return float((torque - self.beside(x)) / self.radius(x))
