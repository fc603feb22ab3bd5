"""Rope brake: a rope over a drum between two scales. T = (F_tight − F_slack)(D + d)/2."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.methods.brake import gripped, seconds_to_warm
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain


class RopeBrake(MethodBase):
    """A step's mass hangs at the slack end, whose pull is its weight where no scale is read; a
    second load cell at that end is taken off by the rig's sensors. grows: pull of the tight end
    over that of the slack one, about, for predictions only."""

    TITLE: ClassVar[str] = "Rope brake"
    PURPOSE: ClassVar[str] = (
        "A rope rubs on a drum between two scales: torque, speed, power and efficiency while it"
        " turns."
    )
    WANTS: ClassVar[str] = (
        "the tension of the tight end is not known: read its scale, or calibrate the load cell"
    )
    CARE: ClassVar[str] = (
        "the drum absorbs all of the power and gets hot; keep fingers and sleeves off the rope"
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Drum diameter", "drum_diameter"),
        ("Rope diameter", "rope_diameter"),
        ("Tension ratio, about", "grows"),
        ("Heat capacity", "heat_capacity"),
        ("Maximum temperature", "hottest"),
        ("Drive time", "hold"),
    )
    STEP: ClassVar[str] = "weight on the slack end"
    ROLLS: ClassVar[tuple[str, str]] = ("drum", "drum_diameter")
    CELL: ClassVar[str] = "at the tight end"
    FADES: ClassVar[bool] = True
    CORD: ClassVar[bool] = True
    SIZE: ClassVar[tuple[str, float, float]] = ("drum_diameter", 3e-3, 1.0)
    BY_EYE: ClassVar[tuple[str, ...]] = ("force", "slack", "voltage", "current")

    kind: Literal["rope-brake"] = "rope-brake"
    drum_diameter: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] = Measured(
        0.060, 1e-4
    )
    rope_diameter: Annotated[Measured, Q("length", "mm", least=0.0, most=1.0)] = Measured(
        3e-3, 2.5e-4
    )
    grows: Annotated[float, Q("ratio", "", above=1.0, most=1e4)] = 1.9  # over half a turn, μ 0.2
    heat_capacity: Annotated[float, Q("energy", "J", above=0.0)] = 60.0  # for one kelvin
    hottest: Annotated[float, Q("temperature", "°C", above=0.0)] = 373.15
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0

    def _radius(self, x: Figures) -> Uncertain:
        return (x["drum_diameter"] + x["rope_diameter"]) / 2

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        tight, slack = mean("force"), mean("slack")
        if slack is None:
            slack = mean("hung")
        if tight is None:
            return None
        return (tight if slack is None else tight - slack) * self._radius(x)

    def expected(self, load: float, g: float) -> float:
        return (self.grows - 1) * load * g * float(self._radius(self.figures()))

    def cell_force(self, torque: float) -> float | None:
        return torque / float(self._radius(self.figures())) * self.grows / (self.grows - 1)

    def holds_for(self, power: float) -> float:
        return seconds_to_warm(self.heat_capacity, self.hottest, power)

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        radius = float(self._radius(self.figures()))
        grip = (self.grows - 1) * load * g * radius
        return gripped(grip, radius * (1 - 1 / self.grows), self.heat_capacity)

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, 0.0
