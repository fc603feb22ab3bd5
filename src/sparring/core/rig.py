"""The rig: method, sensors, calibration, limits."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from sparring.core.care import CareRead
from sparring.core.instruments.calibration import Calibration
from sparring.core.instruments.meters import Sensors
from sparring.core.methods import Hoist, Method
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record


class Limits(Record):
    """Where the bench is asked to stop by itself; and what cord, arm or tow line [N] and supply or
    breaker [A] stand, where known. force: on the load cell, less than its rated capacity, which
    counts in any case; power: electrical; temperature: of the motor.
    """

    current: Annotated[float, Q("current", above=0.0)] = 4.0
    speed: Annotated[float, Q("speed", "rpm", above=0.0)] = 20 * math.pi  # 600 rpm
    stalled_for: Annotated[float, Q("time", above=0.0)] = 0.8
    torque: Annotated[float, Q("torque", above=0.0)] | None = None
    power: Annotated[float, Q("power", above=0.0)] | None = None
    temperature: Annotated[float, Q("temperature", "°C", above=293.15, most=600.0)] | None = None
    force: Annotated[float, Q("force", above=0.0)] | None = None
    cord: Annotated[float, Q("force", above=0.0)] | None = None
    supply: Annotated[float, Q("current", above=0.0)] | None = None


class Weight(Record):
    """A mass on the tester's shelf, weighed once."""

    name: Annotated[str, Field(max_length=40)] = ""
    mass: Annotated[Measured, Q("mass", above=0.0)] = Measured(0.5, 5e-4)


class Check(Record):
    """A line of the list gone through before a run. loose: how often it was found loose."""

    text: Annotated[str, Field(min_length=1, max_length=120)] = "bolts of the frame tight"
    loose: Annotated[int, Field(ge=0)] = 0


CHECKS = (
    "guards closed, eye protection on",
    "clear of what will move, people told",
    "bolts of frame and motor tight",
    "set screws and pins on their flats",
    "cord, arm or coupling sound",
    "first power at low voltage, right way round",
)


class Rig(Record):
    """The bench set-up that a run is made with. Its calibration and sensors are kept with each run
    as they were then.
    """

    ASIDE: ClassVar[frozenset[str]] = frozenset(
        ("name", "sensors", "calibration", "limits", "shelf", "checks", "care_read")
    )

    version: Literal["sparring.rig/1"] = "sparring.rig/1"
    name: Annotated[str, Field(min_length=1, max_length=60)] = "Hoist A"
    method: Method = Hoist.ours()
    gravity: Annotated[Measured, Q("acceleration", above=0.0)] = Measured(9.807, 0.015)
    sensors: Sensors = Sensors.ours()
    calibration: Calibration | None = None
    torque_from: Literal["mass", "cell"] = "mass"
    limits: Limits = Limits.ours()
    shelf: Annotated[tuple[Weight, ...], Field(max_length=60)] = ()
    checks: Annotated[tuple[Check, ...], Field(max_length=30)] = tuple(
        Check.ours(text=t) for t in CHECKS
    )
    care_read: CareRead | None = None

    @property
    def care_confirmed(self) -> bool:
        """Whether somebody has confirmed the care notes of this rig, as it is set up now."""
        return self.care_read is not None and self.care_read.method == self.method.kind
