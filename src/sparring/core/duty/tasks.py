"""What a drive is wanted for in a tester's words, as torque, speed and time at its output. A
further task is a record here and a name in Task.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal, TypeAlias

from pydantic import model_validator

from sparring.core.duty.segment import Segment
from sparring.core.quantity import G_N
from sparring.core.records import Q, Record

AIR = 1.2
"""Density of air at 20 °C near sea level [kg/m³] (from memory)."""
FLAT = 1.2
"""Force coefficient of a flat plate across the wind (about 1.1 to 1.3; from memory)."""

Length = Annotated[float, Q("length", "mm", above=0.0, most=1000.0)]
Mass = Annotated[float, Q("mass", "kg", above=0.0)]
Velocity = Annotated[float, Q("velocity", "m/s", above=0.0)]
Time = Annotated[float, Q("time", "s", above=0.0)]
Part = Annotated[float, Q("ratio", "%", least=0.0, most=2.0)]
Angle = Annotated[float, Q("angle", "deg", least=0.0, most=math.pi / 2)]
Segments: TypeAlias = tuple[Segment, ...]


class Lift(Record):
    """A mass on a cord round a drum, up a height, and held there without power where it says so."""

    kind: Literal["lift"] = "lift"
    mass: Mass = 2.0
    speed: Velocity = 0.1
    height: Length = 1.0
    drum: Length = 0.05  # diameter, to the middle of the cord
    held: Annotated[float, Q("time", "s", least=0.0)] = 0.0

    def segments(self) -> Segments:
        torque = self.mass * G_N * self.drum / 2
        lifting = Segment(
            torque=torque,
            speed=self.speed / (self.drum / 2),
            time=self.height / self.speed,
            note="lifting",
        )
        if self.held <= 0:
            return (lifting,)
        return lifting, Segment(kind="hold", torque=torque, time=self.held, note="holding")


class Vehicle(Record):
    """Wheels on the output: at top speed on the flat, and up a slope at a speed. rolling: force of
    rolling resistance over the weight; drag: area times coefficient; gripping: part of the weight
    on the driven wheels, friction: their coefficient on the ground.
    """

    kind: Literal["vehicle"] = "vehicle"
    mass: Mass = 5.0
    wheel: Length = 0.127  # diameter
    top_speed: Velocity = 1.0
    rolling: Part = 0.02
    slope: Angle = 0.0
    slope_speed: Velocity | None = None  # None: half of the top speed
    flat_time: Time = 60.0
    slope_time: Time = 20.0
    drag: Annotated[float, Q("area", "m²", least=0.0)] = 0.0
    friction: Part = 0.6
    gripping: Annotated[float, Q("ratio", "%", above=0.0, most=1.0)] = 1.0

    def force(self, slope: float, speed: float) -> float:
        """At the rim [N]."""
        weight = self.mass * G_N
        air = AIR / 2 * self.drag * speed**2
        return weight * (math.sin(slope) + self.rolling * math.cos(slope)) + air

    def segments(self) -> Segments:
        radius = self.wheel / 2
        flat = Segment(
            torque=self.force(0.0, self.top_speed) * radius,
            speed=self.top_speed / radius,
            time=self.flat_time,
            note="top speed on the flat",
        )
        if self.slope <= 0:
            return (flat,)
        speed = self.slope_speed or self.top_speed / 2
        return flat, Segment(
            torque=self.force(self.slope, speed) * radius,
            speed=speed / radius,
            time=self.slope_time,
            note="up the slope",
        )

    def grip(self) -> tuple[float, float]:
        """(pull that is needed, pull at which the driven wheels slip) [N]: the latter does not
        depend on motor or ratio.
        """
        speed = self.slope_speed or self.top_speed / 2
        needed = self.force(self.slope, speed) if self.slope else self.force(0.0, self.top_speed)
        held = self.friction * self.gripping * self.mass * G_N * math.cos(self.slope)
        return needed, held


class Vent(Record):
    """A flap on a hinge that the output turns, opened against a wind that blows onto it, and held
    open against gusts without power. width: from the hinge to the free edge; length: along the
    hinge; gearing: turns of the output per turn of the hinge, by rack, arm or chain (1: on it).
    """

    kind: Literal["vent"] = "vent"
    width: Length = 0.4
    length: Length = 0.6
    mass: Mass = 1.5
    wind: Velocity = 8.0
    gust: Velocity | None = None  # None: not held without power
    opens: Annotated[float, Q("angle", "deg", above=0.0, most=math.pi)] = math.radians(45)
    time: Time = 25.0
    held: Time = 1800.0
    gearing: Annotated[float, Q("ratio", "", above=0.0, most=1e4)] = 12.0

    def moment(self, wind: float) -> float:
        """About the hinge [N·m]: wind onto the closed flap and half of its weight, both at half of
        its width.
        """
        pressure = AIR / 2 * FLAT * wind**2
        return (pressure * self.width * self.length + self.mass * G_N) * self.width / 2

    def segments(self) -> Segments:
        opening = Segment(
            torque=self.moment(self.wind) / self.gearing,
            speed=self.opens * self.gearing / self.time,
            time=self.time,
            note="opening",
        )
        if self.gust is None:
            return (opening,)
        return opening, Segment(
            kind="hold",
            torque=self.moment(self.gust) / self.gearing,
            time=self.held,
            note="in gusts",
        )


class HoldStill(Record):
    """A torque that is held without power."""

    kind: Literal["hold"] = "hold"
    torque: Annotated[float, Q("torque", "N·m", above=0.0)] = 0.5
    time: Time = 3600.0

    def segments(self) -> Segments:
        return (Segment(kind="hold", torque=self.torque, time=self.time, note="holding"),)


class SpinUp(Record):
    """An inertia on the output, from rest to a speed within a time, against a steady torque, and
    kept there for a while.
    """

    kind: Literal["spin up"] = "spin up"
    inertia: Annotated[float, Q("inertia", "kg·m²", above=0.0)] = 0.01
    speed: Annotated[float, Q("speed", "rpm", above=0.0)] = 10.0
    time: Time = 5.0
    torque: Annotated[float, Q("torque", "N·m", least=0.0)] = 0.0
    kept: Annotated[float, Q("time", "s", least=0.0)] = 0.0

    @model_validator(mode="after")
    def _turns(self) -> SpinUp:
        if self.kept > 0 and self.torque <= 0:
            raise ValueError("kept at its speed it needs the torque that resists there")
        return self

    def segments(self) -> Segments:
        spinning = Segment(
            kind="spin up",
            torque=self.torque,
            speed=self.speed,
            time=self.time,
            inertia=self.inertia,
            note="spinning up",
        )
        if self.kept <= 0:
            return (spinning,)
        return spinning, Segment(
            torque=self.torque, speed=self.speed, time=self.kept, note="kept at speed"
        )


Task: TypeAlias = Lift | Vehicle | Vent | HoldStill | SpinUp
