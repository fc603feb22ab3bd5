"""The rig: method, sensors, calibration, limits."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.rig.calibration import Calibration
from sparring.core.rig.hoist import Hoist

Method = Hoist  # a further method joins this union


class Sensors(Record):
    """Each accuracy is the 95 % half-width of the instrument's gain, as its data sheet or a comparison says."""

    voltage_accuracy: Annotated[float, Q("ratio", "%", least=0.0, most=0.5)] = 0.005
    current_accuracy: Annotated[float, Q("ratio", "%", least=0.0, most=0.5)] = 0.01
    speed_accuracy: Annotated[float, Q("ratio", "%", least=0.0, most=0.5)] = 0.001


class Limits(Record):
    """Where the bench is asked to stop by itself."""

    current: Annotated[float, Q("current", above=0.0)] = 4.0
    speed: Annotated[float, Q("speed", "rpm", above=0.0)] = 60.0
    stalled_for: Annotated[float, Q("time", above=0.0)] = 0.8


class Rig(Record):
    """The bench set-up that a run is made with."""

    version: Literal["sparring.rig/1"] = "sparring.rig/1"
    name: Annotated[str, Field(min_length=1, max_length=60)] = "Hoist A"
    method: Method = Hoist()
    gravity: Annotated[Measured, Q("acceleration", above=0.0)] = Measured(9.807, 0.015)
    sensors: Sensors = Sensors()
    calibration: Calibration | None = None
    torque_from: Literal["mass", "cell"] = "mass"
    limits: Limits = Limits()
