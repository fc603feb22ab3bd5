"""Load cell calibration: a straight line through readings under known masses."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Annotated, NamedTuple

import numpy as np
from pydantic import Field

from sparring.core.input_quantity import declare, line_inputs
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.uncertainty import LineFit, Uncertain, fit_line, from_measured, nominal, std


class CalibrationPoint(Record):
    """One mass hung and what the cell then read."""

    mass: Annotated[Measured, Q("mass", least=0.0)]
    reading: Annotated[float, Q("count")]


Day = Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")]


class Past(Record):
    """What is kept of a calibration that a newer one has taken the place of: zero [counts],
    sensitivity [counts/N].
    """

    date: Day = "2026-01-01"
    zero: Annotated[Measured, Q("count")] = Measured(0.0)
    sensitivity: Annotated[Measured, Q("count")] = Measured(1.0)


class Calibration(Record):
    """Known masses and readings, up and down. date: ISO day it was made; temperature: of the room,
    where it is known; creep: part by which the reading moved in a minute under load; earlier: those
    before it, newest last.
    """

    cell: str = "5 kg cell"
    date: Day = "2026-01-01"
    capacity: Annotated[float, Q("force", above=0.0)] = 49.0
    temperature: Annotated[float, Q("temperature", "°C", above=200.0, most=400.0)] | None = None
    creep: Annotated[float, Q("ratio", "%", least=-1.0, most=1.0)] | None = None
    earlier: Annotated[tuple[Past, ...], Field(max_length=50)] = ()
    points: Annotated[tuple[CalibrationPoint, ...], Field(min_length=3, max_length=200)]


Line = tuple[str, str]
"""The tags of a cell's two: its zero and its sensitivity."""
CELL = line_inputs("cell", "load cell", "rig")
SECOND_CELL = line_inputs("second-cell", "second load cell", "rig")
_MASS = declare("calibration-mass", "mass on the cell", "rig")
_BEFORE_ZERO = declare("cell-before.zero", "zero before", "rig")
_BEFORE_SLOPE = declare("cell-before.slope", "sensitivity before", "rig")


def fit(
    calibration: Calibration,
    gravity: Uncertain,
    inputs: Line = CELL,
    mass: Callable[[Measured], Uncertain] | None = None,
) -> LineFit:
    """Reading [counts] = zero + sensitivity · force [N], about force 0; with what the few points,
    the masses' own ± and gravity's leave in doubt. mass: gives a mass as an input, the same one
    whenever it is asked for.

    Raises ValueError when the points cannot give a line.
    """
    g, known = nominal(gravity), [p.mass for p in calibration.points]
    force = np.array([m.value * g for m in known])
    reading = np.array([p.reading for p in calibration.points])
    line = fit_line(force, reading, inputs=inputs).widened()
    of = mass or lru_cache(lambda m: from_measured(m, _MASS.id))
    # by how much the line would change with each mass
    away = force - force.mean()
    on_slope = away / float((away**2).sum())
    on_zero = 1 / len(force) - on_slope * force.mean()
    slope, zero, steep = line.slope, line.intercept, nominal(line.slope) * g
    for m, a, b in zip(known, on_slope.tolist(), on_zero.tolist(), strict=True):
        if m.u > 0:
            off = of(m) - m.value
            slope, zero = slope - steep * a * off, zero - steep * b * off
    line = line._replace(slope=slope * (g / gravity), intercept=zero)
    if abs(nominal(line.slope)) <= 5 * std(line.slope):
        raise ValueError(
            "the readings do not follow the masses; check that each mass hangs free on the "
            "cell and that the right cell is read"
        )
    return line


def force(line: LineFit, reading: Uncertain, zero: Uncertain | None = None) -> Uncertain:
    """Force [N] for a reading [counts]; zero: reading with nothing hung (tare), in place of the
    line's own.
    """
    return (reading - (line.intercept if zero is None else zero)) / line.slope


def past_of(calibration: Calibration, gravity: float) -> tuple[Past, ...]:
    """Those before it and itself, as a newer one keeps them. Raises ValueError as `fit` does."""
    line = fit(calibration, gravity)
    zero, slope = (Measured(nominal(v), std(v)) for v in (line.intercept, line.slope))
    return (*calibration.earlier, Past(date=calibration.date, zero=zero, sensitivity=slope))[-50:]


class Drift(NamedTuple):
    """What moved since the calibration before: sensitivity as a part [-] and zero as a force [N],
    with uncertainty.
    """

    sensitivity: Uncertain
    zero: Uncertain


def drift(calibration: Calibration, gravity: float) -> Drift | None:
    """Against the calibration before; None where there was none, or the points give no line."""
    if not calibration.earlier:
        return None
    try:
        before, line = calibration.earlier[-1], fit(calibration, gravity)
    except ValueError:
        return None
    old = from_measured(before.sensitivity, _BEFORE_SLOPE.id)
    return Drift(
        line.slope / old - 1,
        (line.intercept - from_measured(before.zero, _BEFORE_ZERO.id)) / line.slope,
    )


def creep_of(t: np.ndarray, values: np.ndarray, zero: float) -> float:
    """Part by which a loaded cell's reading moved from the first tenth of the time to the last [-].
    t [s], values [counts]: shape (n,), begun when the mass hung still; zero: reading with nothing
    on it."""
    tenth = (t[-1] - t[0]) / 10
    first, last = values[t <= t[0] + tenth].mean(), values[t >= t[-1] - tenth].mean()
    return float((last - first) / (first - zero))


class Quality(NamedTuple):
    """How good a calibration is, as parts of the span it covers [-]: largest departure from the
    line; largest difference between going up and coming down at one mass; return to zero; scatter
    of readings at one mass. None where not seen.
    """

    nonlinearity: float
    hysteresis: float | None
    zero_return: float | None
    repeatability: float | None

    @property
    def verdict(self) -> str:
        """In a word; the limits are common practice, no source."""
        worst = max(v for v in self if v is not None)
        return "good" if worst < 1e-3 else "usable" if worst < 5e-3 else "poor"


def quality(calibration: Calibration, gravity: float) -> Quality:
    """Judges the points about their line. The masses are taken in the order given. Raises
    ValueError as `fit` does.
    """
    line = fit(calibration, gravity)
    force = np.array([p.mass.value * gravity for p in calibration.points])
    off = line.residuals / nominal(line.slope)
    span = float(np.ptp(force))
    top = int(np.argmax(force))
    up: dict[float, list[float]] = {}
    down: dict[float, list[float]] = {}
    for n, (f, r) in enumerate(zip(force, off, strict=True)):
        (up if n <= top else down).setdefault(round(float(f), 6), []).append(float(r))
    both = [abs(np.mean(down[f]) - np.mean(up[f])) for f in up if f in down]
    zeros = [float(r) for f, r in zip(force, off, strict=True) if f == 0]
    again = [np.ptp(v) for side in (up, down) for v in side.values() if len(v) > 1]
    return Quality(
        float(np.abs(off).max()) / span,
        float(max(both)) / span if both else None,
        abs(zeros[-1] - zeros[0]) / span if len(zeros) > 1 else None,
        float(max(again)) / span if again else None,
    )


def rungs(masses: Sequence[Measured]) -> list[Measured]:
    """The masses to hang in order: nothing, each heavier one, and down again to nothing."""
    up = [Measured(0.0), *sorted((m for m in masses if m.value > 0), key=lambda m: m.value)]
    return [*up, *reversed(up[:-1])]


def steady(values: np.ndarray) -> bool:
    """Whether the last readings of a cell hang still: both halves agree within their scatter, three
    standard errors, and the whole scatters little more than one reading does from the next.

    values: shape (n,), the last second or so [counts].
    """
    n = len(values) // 2
    if n < 5:
        return False
    first, last = values[:n], values[n:]
    calm = max(float(np.abs(np.diff(values)).mean()) * 1.2533 / math.sqrt(2), 1.0)
    return (
        abs(float(last.mean() - first.mean())) < 3 * calm * math.sqrt(2 / n)
        and float(values.std(ddof=1)) < 2 * calm
    )
