"""All runs of one step, combined."""

from __future__ import annotations

from dataclasses import dataclass, field

from sparring.core.reduce.points import Point
from sparring.core.uncertainty import Uncertain


@dataclass(frozen=True)
class Step:
    """All runs at one weight. The estimates hold type A parts within and between runs and all
    shared inputs.
    """

    index: int
    points: tuple[Point, ...]
    stalls: tuple[Point, ...]
    torque: Uncertain
    speed: Uncertain = None
    cold_speed: Uncertain = None
    voltage: Uncertain = None
    current: Uncertain = None
    power_in: Uncertain = None
    power_out: Uncertain = None
    motor_torque: Uncertain = None
    motor_power: Uncertain = None
    wire_to_shaft: Uncertain = None
    gearbox: Uncertain = None
    line_torque: Uncertain = None
    load_voltage: Uncertain = None
    load_power: Uncertain = None
    input_to_load: Uncertain = None
    shares: tuple[Uncertain, ...] = ()  # of the torque, each of several motors
    # relative SD between runs, this step alone
    spread: dict[str, float] = field(default_factory=dict)

    @property
    def lifted(self) -> bool:
        return bool(self.points)
