"""The figures that a test is asked for: at each voltage without load, at its best, at most power,
at stall by each way that tells it; and the three efficiencies, each with what is not in it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from sparring.core.performance.model import Band, Curves, Performance
from sparring.core.performance.stalls import WORDS, Ways
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import Uncertain, nominal, std


class Figure(NamedTuple):
    """voltage [V], 0: of the whole test; what, value, standard uncertainty (SI), kind; note: what
    it leaves out; torque [N·m], speed [rad/s]: of the output, where it holds. id: stable.
    """

    voltage: float
    id: str
    what: str
    value: float
    u: float
    kind: str
    note: str = ""
    torque: float | None = None
    speed: float | None = None


def figures(found: Performance, each: Sequence[Curves], stalled: Sequence[Ways]) -> list[Figure]:
    """By voltage, then what holds of all. each, stalled: of every level."""
    rows: list[Figure] = []
    for curves, stalls in zip(each, stalled, strict=True):
        rows += _at(curves)
        for way in stalls.ways:
            agree = "the ways agree" if stalls.agree else "the ways do not agree"
            note = agree if way.id != "model" and len(stalls.ways) > 2 else ""
            words = f"stall torque {WORDS[way.id]}"
            rows.append(
                Figure(curves.voltage, f"stall-{way.id}", words, way.torque, way.u, "torque", note)
            )
    return [*rows, *_efficiencies(found.result)]


def _at(curves: Curves) -> Iterator[Figure]:
    v = curves.voltage
    for name, words, kind in (
        ("speed", "no-load speed", "speed"),
        ("current", "no-load current", "current"),
    ):
        band: Band = getattr(curves, name)
        yield Figure(v, f"no-load-{name}", words, float(band.value[0]), float(band.u[0]), kind)
    for name, id, words, kind in (
        ("wire_to_shaft", "best-efficiency", "best efficiency, wire to shaft", "ratio"),
        ("power_out", "peak-power", "peak power out", "power"),
    ):
        top = curves.peak(getattr(curves, name))
        yield Figure(v, id, words, top.value, top.u, kind, "", top.torque, top.speed)


def _efficiencies(result: TestResult) -> Iterator[Figure]:
    """Of the best step, and the torque ratio against the ideal one."""
    best = result.best
    if best is None:
        return
    ideal = abs(result.build.ratio())
    ratio: Uncertain = None
    if best.motor_torque is not None and nominal(best.motor_torque) > 0:
        ratio = best.torque / best.motor_torque / ideal
    for id, words, value, leaves in (
        ("wire-to-shaft", "wire to shaft", best.wire_to_shaft, "all losses are in it"),
        ("gearbox", "gearbox", best.gearbox, "without the motor's losses"),
        (
            "torque-ratio",
            "torque ratio over the ideal one",
            ratio,
            "without the motor's losses and any slip",
        ),
    ):
        if value is not None:
            what, torque = f"best step: {words}", nominal(best.torque)
            yield Figure(0.0, id, what, nominal(value), std(value), "ratio", leaves, torque)
    back = result.build.back_drive_line()
    if back is None:
        note = "by the prediction of teeth and friction: it holds without power"
        yield Figure(0.0, "back-drive", "efficiency when back-driven", 0.0, 0.0, "ratio", note)
    else:
        value = max(0.0, back[0] * ideal)
        note = "by the prediction of teeth and friction, at a heavy load"
        yield Figure(0.0, "back-drive", "efficiency when back-driven", value, 0.0, "ratio", note)
