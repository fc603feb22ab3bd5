"""What a data sheet says of a bought drive."""

from __future__ import annotations

from typing import Annotated

from sparring.core.records import Q, Record


class SheetLine(Record):
    """What a data sheet says of a gearmotor at one voltage; what it does not say is left empty.
    load: working torque, at which speed and current are stated.
    """

    voltage: Annotated[float, Q("voltage", above=0.0, most=1000.0)]
    free_speed: Annotated[float, Q("speed", "rpm", above=0.0)] | None = None
    free_current: Annotated[float, Q("current", above=0.0)] | None = None
    load: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    load_speed: Annotated[float, Q("speed", "rpm", above=0.0)] | None = None
    load_current: Annotated[float, Q("current", above=0.0)] | None = None
    stall_torque: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    stall_current: Annotated[float, Q("current", above=0.0)] | None = None


FIGURES: tuple[tuple[str, str, str], ...] = (
    ("free_speed", "no-load speed", "speed"),
    ("free_current", "no-load current", "current"),
    ("load_speed", "speed at load", "speed"),
    ("load_current", "current at load", "current"),
    ("stall_torque", "stall torque", "torque"),
    ("stall_current", "stall current", "current"),
)
"""(field, its words, kind of quantity)."""
