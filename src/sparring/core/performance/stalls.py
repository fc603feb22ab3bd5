"""The stall torque at one voltage by each way that tells it, and whether they are one."""

from __future__ import annotations

import math
from typing import NamedTuple

from sparring.core.performance.model import Performance
from sparring.core.reduce.results import Level
from sparring.core.uncertainty import Uncertain, nominal, std


class Way(NamedTuple):
    """id: line (through the speeds, to standstill), bracket (lifted and not lifted), held
    (measured while the output was held), model (of all voltages together); torque, u [N·m].
    """

    id: str
    torque: float
    u: float


class Ways(NamedTuple):
    """agree: no two lie apart beyond k = 2, the model left out, which rests on the others."""

    ways: tuple[Way, ...]
    agree: bool


WORDS = {
    "line": "from the speed line",
    "bracket": "between lifted and not lifted",
    "held": "measured at standstill",
    "model": "by the model of all voltages",
}


def ways(found: Performance, level: Level) -> Ways:
    """At a level's voltage."""
    stall = level.stall
    known: list[tuple[str, Uncertain]] = [
        ("line", stall.by_line),
        ("bracket", stall.bracket),
        ("held", stall.held),
    ]
    told = [Way(id, nominal(x), std(x)) for id, x in known if x is not None]
    agree = all(
        abs(a.torque - b.torque) <= 2 * math.hypot(a.u, b.u)
        for n, a in enumerate(told)
        for b in told[:n]
    )
    return Ways((*told, Way("model", *found.stall(level.voltage))), agree)
