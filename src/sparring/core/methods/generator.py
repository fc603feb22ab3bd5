"""Generator: the drive turns a generator into a resistor. T = k (I + I₀), and the watts that arrive
at the resistor.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from sparring.core.methods.base import Figures, Mean, MethodBase
from sparring.core.quantity import Measured, parse, text
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain

OPEN = 1e5
"""Resistance [Ω] that stands for an open circuit: what no load draws is less than a meter shows."""


class Generator(MethodBase):
    """constant: open-circuit volts over speed; it is also the torque per ampere. own_drag: what it
    takes with no load.

    resistors: one for each step, in the order of the runs.
    """

    TITLE: ClassVar[str] = "Generator"
    PURPOSE: ClassVar[str] = (
        "The drive turns a generator into resistors: volts, amperes, watts and torque at speed."
    )
    WANTS: ClassVar[str] = (
        "the current of the load is not recorded: assign a column to it, or log it"
    )
    CARE: ClassVar[str] = "the resistors get hot; an open circuit at speed carries the full voltage"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Voltage constant", "constant"),
        ("Generator drag torque", "own_drag"),
        ("Winding resistance", "winding"),
        ("Drive time", "hold"),
    )
    STEP: ClassVar[str] = "resistor"
    STEPS: ClassVar[tuple[str, str]] = ("resistors", "Ω")
    SET_BY: ClassVar[tuple[str, str]] = ("resistor", "resistance")
    CHANNELS: ClassVar[tuple[str, ...]] = ("load_voltage", "load_current")
    BY_EYE: ClassVar[tuple[str, ...]] = ("load_voltage", "load_current", "voltage", "current")

    kind: Literal["generator"] = "generator"
    constant: Annotated[Measured, Q("constant", "V·s/rad", above=0.0)] = Measured(0.60, 3e-3)
    own_drag: Annotated[Measured, Q("torque", "mN·m", least=0.0)] = Measured(0.020, 2e-3)
    winding: Annotated[float, Q("resistance", "Ω", above=0.0)] = 2.0
    resistors: Annotated[
        tuple[Annotated[float, Q("resistance", "Ω", above=0.0)], ...],
        Field(min_length=1, max_length=50),
    ] = (22.0, 13.0, 8.0, 4.7, 2.7)
    hold: Annotated[float, Q("time", above=0.0, most=3600.0)] = 3.0

    @model_validator(mode="before")
    @classmethod
    def _of_old(cls, data: Any) -> Any:
        """Rigs kept by earlier versions have a first resistor and a factor for each further step,
        of which there were five.
        """
        if not isinstance(data, dict) or not {"resistor", "factor"} & data.keys():
            return data
        rest = {k: v for k, v in data.items() if k not in ("resistor", "factor")}
        first, factor = (
            parse(str(data.get(k, d)), kind).value
            for k, kind, d in (("resistor", "resistance", "22 Ω"), ("factor", "ratio", "0.6"))
        )
        return {**rest, "resistors": [text(first * factor**n, "resistance", "Ω") for n in range(5)]}

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        current = mean("load_current")
        return None if current is None else x["constant"] * current + x["own_drag"]

    def load_voltage(self, speed: Uncertain, resistor: float | None) -> Uncertain:
        """Volts at a resistor [Ω], None: an open circuit, at a speed of the generator [rad/s]."""
        open_circuit = self.constant.value * speed
        load = self.setting(None, resistor)
        return open_circuit * load / (load + self.winding)

    def setting(self, load: float | None, resistor: float | None) -> float:
        return OPEN if resistor is None else resistor

    def expected(self, load: float, g: float) -> float:
        return 0.0

    def resists(self, setting: float, g: float) -> tuple[float, float]:
        return self.own_drag.value, self.constant.value**2 / (self.winding + setting)

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        k, own = self.constant.value, self.own_drag.value
        return {
            "radius": 1.0,
            "mass": 4e-4,
            "weight": 0.0,
            "grip": own,
            "generates": (k, self.winding),
            "resistor": load,
            "cord_stiffness": 1e4,
            "cord_damping": 0.25,
            "slack": 0.0,
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return float("inf"), self.hold, 0.0
