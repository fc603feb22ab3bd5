"""Load cell calibration: a straight line through readings under known masses."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.uncertainty import LineFit, fit_line, nominal, std


class CalibrationPoint(Record):
    """One mass hung and what the cell then read."""

    mass: Annotated[Measured, Q("mass", least=0.0)]
    reading: Annotated[float, Q("count")]


class Calibration(Record):
    """Known masses and readings, up and down. date: ISO day it was made."""

    cell: str = "5 kg cell"
    date: Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")] = "2026-01-01"
    capacity: Annotated[float, Q("force", above=0.0)] = 49.0
    points: Annotated[tuple[CalibrationPoint, ...], Field(min_length=3, max_length=200)]


def fit(calibration: Calibration, gravity: float) -> LineFit:
    """Reading [counts] = zero + sensitivity · force [N], about force 0.

    Raises ValueError when the points cannot give a line.
    """
    force = np.array([p.mass.value * gravity for p in calibration.points])
    reading = np.array([p.reading for p in calibration.points])
    line = fit_line(force, reading, tag="load cell")
    if abs(nominal(line.slope)) <= 5 * std(line.slope):
        raise ValueError("the readings do not follow the masses; was each mass hanging free on the cell, and the right cell read?")
    return line


def force(line: LineFit, reading: Any, zero: Any | None = None) -> Any:
    """Force [N] for a reading [counts]; zero: reading with nothing hung (tare), in place of the line's own."""
    return (reading - (line.intercept if zero is None else zero)) / line.slope
