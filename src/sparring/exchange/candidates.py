"""Drives that a duty may be done with: builds as they were measured, and every motor on every train
of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sparring.core import inventory
from sparring.core.compare.subject import Subject
from sparring.core.duty.figures import Candidate, combined, known_drive
from sparring.core.outlook.drive import Drive
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal, std


def candidate_of(s: Subject) -> Candidate:
    """A build by its test's model, by its records where it has none. Raises ValueError for a drive
    without a motor.
    """
    held = s.parts.get("held")
    found = inventory.take(s.build)
    mass = s.build.mass.value if s.build.mass is not None else found.mass
    more: dict[str, Any] = {
        "wear": s.wear,
        "held": None if held is None else Measured(nominal(held.value), std(held.value)),
        "mass": mass,
        "price": found.cost,
    }
    model = s.model
    if model is None:
        return known_drive(Drive.of(s.build), measured=False, **more)
    free = float(model.curves(model.result.voltage, points=2).speed.value[0])
    misfit = model.misfit_speed / free if free > 0 else 0.0
    return known_drive(model.drive, measured=True, misfit=(misfit, model.misfit_current), **more)


def candidates_of(subjects: Sequence[Subject], *, combine: bool) -> list[Candidate]:
    """Those that have a motor. combine: and every motor on every other train."""
    own = [candidate_of(s) for s in subjects if s.build.has_motor]
    if not combine:
        return own
    motors = {(c.motor.name, round(float(c.motor.k[0]), 9)): c.motor for c in own}
    mixed = [
        c
        for c in combined([*motors.values()], [c.train for c in own])
        if not any(c.train is o.train and c.motor.name == o.motor.name for o in own)
    ]
    return [*own, *mixed]
