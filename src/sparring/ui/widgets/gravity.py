"""Gravity asked for by the place of the bench."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QInputDialog, QWidget

from sparring.core.characterise.base import local_gravity
from sparring.core.quantity import Measured

_HEIGHT = 100.0  # [m] taken for the bench; a hundred metres more take 0.0003 m/s²
_ROCK = 1e-3  # [m/s²] what height and the ground below leave open (k = 1)


def gravity_at(degrees: float) -> Measured:
    """Gravity at a latitude [°]."""
    return Measured(round(local_gravity(math.radians(degrees), _HEIGHT), 4), _ROCK)


def ask_gravity(parent: QWidget) -> Measured | None:
    """Asks for the latitude; None when it is not given."""
    degrees, taken = QInputDialog.getDouble(
        parent,
        "Gravity by latitude",
        f"Latitude in degrees (height assumed {_HEIGHT:.0f} m):",
        50.0,
        -90.0,
        90.0,
        1,
    )
    return gravity_at(degrees) if taken else None
