"""The kinds of curves that builds are overlaid in. A further one is a line in KINDS."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from sparring.core.compare.figures import At
from sparring.core.compare.subject import Subject
from sparring.core.performance.model import Band, Curves
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain
from sparring.exchange.overlaid import Overlaid, carried, ripple
from sparring.logbook import Logbook


class Kind(NamedTuple):
    """Over the output torque. words; kind: of quantity; of: it of a step; curve: its band of a
    model's curves.
    """

    words: str
    kind: str
    of: Callable[[Step], Uncertain]
    curve: Callable[[Curves], Band]


class Recorded(NamedTuple):
    """What the recordings tell, worked out once it is looked at. across: what it stands over;
    spans: that is a time carried, in tenfolds; up: what stands behind the unit.
    """

    words: str
    kind: str
    across: str
    of: Callable[[Logbook, Subject, At], Overlaid | None]
    spans: bool = False
    up: str = ""


def _loss(s: Step) -> Uncertain:
    return None if s.motor_power is None or s.power_out is None else s.motor_power - s.power_out


def _motor(s: Step) -> Uncertain:
    return None if s.motor_power is None or s.power_in is None else s.motor_power / s.power_in


def _lost(c: Curves) -> Band:
    """Of the gearbox: its power out as known, its efficiency with its doubt."""
    box = np.maximum(c.gearbox.value, 1e-3)
    out = c.power_out.value
    return Band(out * (1 / box - 1), out / box**2 * c.gearbox.u)


def _power_in(c: Curves) -> Band:
    return Band(c.voltage * c.current.value, c.voltage * c.current.u)


KINDS: tuple[Kind | Recorded, ...] = (
    Kind("gearbox efficiency", "ratio", lambda s: s.gearbox, lambda c: c.gearbox),
    Kind("wire to shaft", "ratio", lambda s: s.wire_to_shaft, lambda c: c.wire_to_shaft),
    Kind("motor efficiency", "ratio", _motor, lambda c: c.motor),
    Kind("speed", "speed", lambda s: s.speed, lambda c: c.speed),
    Kind("current", "current", lambda s: s.current, lambda c: c.current),
    Kind("power out", "power", lambda s: s.power_out, lambda c: c.power_out),
    Kind("power in", "power", lambda s: s.power_in, _power_in),
    Kind("gearbox loss", "power", _loss, _lost),
    Recorded("torque carried", "torque", "time from cold", carried, spans=True),
    Recorded("ripple by order", "ratio", "order, per turn of the output", ripple, up="of mean"),
)
