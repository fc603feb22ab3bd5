"""A data sheet beside what was measured: free, at a working load and stalled, at each voltage."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

from sparring.core.data_sheet import FIGURES, SheetLine
from sparring.core.quantity import Measured
from sparring.core.reduce.results import Level, TestResult
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, nominal, std

Holds = Literal["holds", "does not hold", "cannot be told"]


class Compared(NamedTuple):
    """A figure at one voltage [V]: as stated (None: not), and as each unit measured it (None: not
    measured), with whether the statement holds for it.
    """

    voltage: float
    figure: str
    name: str
    kind: str
    stated: float | None
    measured: tuple[Measured | None, ...]
    holds: tuple[Holds | None, ...]


def compare(
    sheet: Sequence[SheetLine], tolerance: float, units: Sequence[TestResult]
) -> list[Compared]:
    """Every figure that is stated or measured, by voltage. tolerance: part by which a unit may be
    off what is stated. Where k = 2 lies across the tolerance's end it cannot be told.
    """
    volts = sorted({x.voltage for x in sheet} | {v.voltage for r in units for v in r.levels})
    found = []
    for v in volts:
        line = next((x for x in sheet if abs(x.voltage - v) < 0.02 * v), None)
        if line is not None and line.voltage != v:
            continue  # told with the sheet's own voltage
        load = line.load if line is not None else None
        each = [_measured(r, v, load) for r in units]
        for field, name, kind in FIGURES:
            stated = getattr(line, field) if line is not None else None
            measured = tuple(m.get(field) for m in each)
            if stated is None and not any(measured):
                continue
            holds = tuple(_holds(stated, m, tolerance) for m in measured)
            found.append(Compared(v, field, name, kind, stated, measured, holds))
    return found


def _holds(stated: float | None, m: Measured | None, tolerance: float) -> Holds | None:
    if stated is None or m is None:
        return None
    off, room = abs(m.value - stated), tolerance * stated
    if off + 2 * m.u <= room:
        return "holds"
    return "does not hold" if off - 2 * m.u > room else "cannot be told"


def _measured(result: TestResult, voltage: float, load: float | None) -> dict[str, Measured]:
    """A unit's figures at one voltage."""
    level = next((x for x in result.levels if abs(x.voltage - voltage) < 0.02 * voltage), None)
    if level is None:
        return {}
    found = dict(_figures(result, level, load))
    return {name: Measured(nominal(x), std(x)) for name, x in found.items() if x is not None}


def _figures(
    result: TestResult, level: Level, load: float | None
) -> Iterator[tuple[str, Uncertain]]:
    part = result.at(level)
    steps = [s for s in part.running if s.current is not None]
    if steps:
        yield "free_speed", _at(steps, "speed", 0.0)
        yield "free_current", _at(steps, "current", 0.0)
        if load is not None and nominal(steps[-1].torque) >= 0.9 * load:
            yield "load_speed", _at(steps, "speed", load)
            yield "load_current", _at(steps, "current", load)
    stall = level.stall
    known = [x for x in (stall.held, stall.bracket, stall.by_line) if x is not None]
    yield "stall_torque", min(known, key=std, default=None)
    currents = [p.current for s in part.steps for p in s.stalls if p.current is not None]
    if currents:
        yield "stall_current", sum(currents[1:], start=currents[0]) / len(currents)


def _at(steps: Sequence[Step], name: str, torque: float) -> Uncertain:
    """A figure at an output torque [N·m], on the line through the two steps nearest to it; of a
    single one, its own.
    """
    near = sorted(steps, key=lambda s: abs(nominal(s.torque) - torque))[:2]
    if len(near) < 2:
        one = near[0]
        return getattr(one, name) if abs(nominal(one.torque) - torque) < 0.05 * torque else None
    a, b = near
    slope = (getattr(b, name) - getattr(a, name)) / (b.torque - a.torque)
    return getattr(a, name) + slope * (torque - a.torque)
