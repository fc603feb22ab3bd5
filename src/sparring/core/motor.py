"""Brushed DC motor: its line from no-load and stall readings, scaled with voltage and temperature.

V = I R + b + k ω with the brushes' drop b: ω₀ = (V − b − I₀R)/k, T = k (I − I₀), T_s =
k ((V − b)/R − I₀). Everything here is plain arithmetic, so it takes floats, arrays, and values with
uncertainty alike.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, NamedTuple

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.uncertainty import Uncertain, nominal

COPPER_ZERO = 235.0
"""Temperature [°C] below zero at which copper's resistance extrapolates to nothing (IEC 60034-1:
235 + ϑ).
"""


MAGNETS = {
    "ferrite": Measured(2.0e-3, 1e-4),
    "neodymium": Measured(1.1e-3, 1e-4),
    "not known": Measured(1.55e-3, 4.5e-4),
}
"""Part of its field that a magnet loses with a kelvin (from memory; not known: either)."""


class MotorReadings(Record):
    """What was read on the bare motor: running free, and held still for a moment. brush_drop: of
    both brushes together, which two readings do not tell; small metal ones drop hardly anything,
    carbon 0.3 to 1 V (from memory).
    """

    name: str = "12 V brushed"
    voltage: Annotated[Measured, Q("voltage", above=0.0, most=1000.0)] = Measured(12.0, 0.01)
    no_load_speed: Annotated[Measured, Q("speed", "rpm", above=0.0)] = Measured(628.3, 3.1)
    no_load_current: Annotated[Measured, Q("current", least=0.0)] = Measured(0.12, 0.002)
    stall_current: Annotated[Measured, Q("current", above=0.0)] = Measured(4.0, 0.04)
    stall_torque: Annotated[Measured, Q("torque", "mN·m", above=0.0)] | None = None
    brush_drop: Annotated[Measured, Q("voltage", least=0.0)] = Measured(0.0, 0.05)
    magnets: Literal["ferrite", "neodymium", "not known"] = "not known"
    winding_temperature: Annotated[float, Q("temperature", "°C", above=0.0, most=600.0)] = 293.15
    inertia: Annotated[float, Q("inertia", "g·cm²", above=0.0)] = 1.2e-6
    mass: Annotated[float, Q("mass", "g", above=0.0)] = 0.11
    heat_time: Annotated[float, Q("time", "s", above=0.0)] = 300.0
    heat_resistance: Annotated[float, Q("ratio", "", above=0.0)] = 12.0  # winding to air [K/W]


class FurtherMotor(Record):
    """Another motor on the train's input, its speed `gearing` times the input shaft's (its own
    pinion on the same wheel).
    """

    readings: MotorReadings = MotorReadings.ours()
    gearing: Annotated[float, Q("ratio", "", above=0.0, most=100.0)] = 1.0


class Motor(NamedTuple):
    """The motor's line. k: torque constant [N·m/A = V·s]; R: resistance [Ω]; friction: k I₀ [N·m];
    at temperature [K]; between: current that unequal motors on one shaft pass between themselves,
    over the voltage [A/V]; brush: drop of the brushes [V].
    """

    k: Uncertain
    R: Uncertain
    friction: Uncertain
    temperature: float = 293.15
    between: Uncertain = 0.0
    brush: Uncertain = 0.0

    def current(self, torque: Uncertain, voltage: Uncertain = 0.0) -> Uncertain:
        """Current [A] at a shaft torque [N·m]; the voltage [V] counts for unequal motors only."""
        return (torque + self.friction) / self.k + self.between * (voltage - self.brush)

    def torque_from_current(self, current: Uncertain, voltage: Uncertain = 0.0) -> Uncertain:
        """Shaft torque k (I − I₀) [N·m]."""
        return self.k * (current - self.between * (voltage - self.brush)) - self.friction

    def torque_from_speed(self, speed: Uncertain, voltage: Uncertain) -> Uncertain:
        """Shaft torque on the speed line at the terminal voltage [N·m]."""
        return self.k * (voltage - self.brush - self.k * speed) / self.R - self.friction

    def speed(self, torque: Uncertain, voltage: Uncertain) -> Uncertain:
        """Speed [rad/s] at a shaft torque and terminal voltage."""
        return (voltage - self.brush - (torque + self.friction) / self.k * self.R) / self.k

    def stall_torque(self, voltage: Uncertain) -> Uncertain:
        """T_s = k ((V − b)/R − I₀) [N·m]."""
        return self.k * (voltage - self.brush) / self.R - self.friction

    def at(self, temperature: float) -> Motor:
        """The line with the winding at `temperature` [K]; copper only (IEC 60034-1)."""
        factor = (COPPER_ZERO + temperature - 273.15) / (COPPER_ZERO + self.temperature - 273.15)
        return self._replace(R=self.R * factor, temperature=temperature)


MOVER = Motor(1.0, 1e-6, 0.0)
"""What turns a drive that has no motor of its own, as a line: the speed at which it is turned
[rad/s] stands in the voltage's place and its torque [N·m] in the current's, and it hardly gives
way."""


def identify(
    voltage: Uncertain,
    no_load_speed: Uncertain,
    no_load_current: Uncertain,
    stall_current: Uncertain,
    temperature: float = 293.15,
    brush: Uncertain = 0.0,
) -> Motor:
    """The line through a no-load and a stall reading at one voltage [V, rad/s, A, A].

    brush: what of the voltage the brushes drop [V]. Raises ValueError when the readings cannot
    belong to one motor.
    """
    if not nominal(brush) < nominal(voltage):
        raise ValueError("the brush drop exceeds the whole voltage; was it meant in mV?")
    if not nominal(stall_current) > nominal(no_load_current):
        raise ValueError(
            "the stall current is not above the no-load current; were they interchanged?"
        )
    R = (voltage - brush) / stall_current
    k = (voltage - brush - no_load_current * R) / no_load_speed
    return Motor(k, R, k * no_load_current, temperature, brush=brush)


def from_readings(readings: MotorReadings) -> Motor:
    """The nominal line of `readings`, in plain floats."""
    r = readings
    return identify(
        r.voltage.value,
        r.no_load_speed.value,
        r.no_load_current.value,
        stall_current=r.stall_current.value,
        temperature=r.winding_temperature,
        brush=r.brush_drop.value,
    )


def together(motors: Sequence[tuple[Motor, Uncertain]]) -> Motor:
    """Several motors on one shaft, each with its gearing (its speed over the shaft's), as one line
    at that shaft.

    T = Σ g T_i(g ω) and I = Σ I_i(g ω) are straight lines in V and ω again: T = A V − B ω − Σ g f,
    I = C V − A ω with A = Σ g k/R, B = Σ g² k²/R, C = Σ 1/R. As A² <= B C, unequal motors draw (C −
    A²/B) V more than one motor would.
    """
    if len(motors) == 1 and motors[0][1] == 1.0:
        return motors[0][0]
    A = sum(g * m.k / m.R for m, g in motors)
    B = sum((g * m.k) ** 2 / m.R for m, g in motors)
    C = sum(1 / m.R + m.between for m, _ in motors)
    return Motor(
        B / A,
        B / A**2,
        sum(g * m.friction for m, g in motors),
        temperature=motors[0][0].temperature,
        between=C - A**2 / B,
        brush=sum(g * m.k / m.R * m.brush for m, g in motors) / A,
    )


def shares(
    motors: Sequence[tuple[Motor, Uncertain]], speed: Uncertain, voltage: Uncertain
) -> list[Uncertain]:
    """Torque that each motor gives at the common shaft [N·m] at its speed [rad/s]; a negative one
    is dragged along.
    """
    return [g * m.torque_from_speed(g * speed, voltage) for m, g in motors]


def best_efficiency(no_load_current: float, stall_current: float) -> float:
    """Highest efficiency (1 − √(I₀/I_s))² of a motor with constant friction [-]."""
    return float((1 - (no_load_current / stall_current) ** 0.5) ** 2)
