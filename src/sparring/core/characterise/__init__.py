"""What a part is found to be, by readings typed in or taken out of a recording. One module a way of
measuring; `METHODS` lists them in the order they are offered.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from sparring.core.characterise.base import Judged, Method, Result
from sparring.core.characterise.breakaway import Breakaway
from sparring.core.characterise.counting import Counting
from sparring.core.characterise.currents import Currents
from sparring.core.characterise.drum import DrumFriction
from sparring.core.characterise.generator import Generator
from sparring.core.characterise.holding import Holding
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.sheaves import Sheaves
from sparring.core.characterise.stepper import Stepper
from sparring.core.characterise.swing import Swing
from sparring.core.characterise.windup import WindUp

METHODS: tuple[type[Method], ...] = (
    BareMotor,
    Stepper,
    Swing,
    WindUp,
    Breakaway,
    Holding,
    Currents,
    DrumFriction,
    Sheaves,
    Generator,
    Counting,
)

WAYS: dict[str, type[Method]] = {m.ID: m for m in METHODS}
"""By their ids."""


def judged(way: str, dimensions: Mapping[str, Any], readings: Sequence[Sequence[str]]) -> Judged:
    """What comes out of readings as they are kept. Raises ValueError, in words, where nothing
    does; RecordError where the dimensions are of another version.
    """
    if way not in WAYS:
        raise ValueError(f"{way} is not one of {', '.join(WAYS)}")
    method = WAYS[way].from_json(json.dumps(dict(dimensions)))
    try:
        return method.reduce(method.typed(readings))
    except ZeroDivisionError as err:
        raise ValueError("a value is zero that must not be") from err


__all__ = ["METHODS", "WAYS", "Judged", "Method", "Result", "judged"]
