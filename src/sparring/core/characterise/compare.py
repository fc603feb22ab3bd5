"""Nominally equal parts side by side: what differs beyond what their readings leave open."""

from __future__ import annotations

import math
from collections.abc import Sequence

from sparring.core.characterise.base import Judged, Result
from sparring.core.uncertainty import nominal, std

_NOTHING = 1e-9  # part of a figure that its ± may be by rounding alone
Named = tuple[str, Judged]
"""A part's name and what came out for it."""


def apart(measured: Sequence[Named]) -> list[str]:
    """One sentence a figure that differs beyond k = 2 between the parts with the least and the most
    of it; those that nobody gave a ± for are left out. Instruments shared between them are taken as
    independent, so that a difference that is said is one.
    """
    found = []
    for id in dict.fromkeys(r.id for _, judged in measured for r in judged.results):
        known = [(name, r) for name, judged in measured for r in judged.results if r.id == id]
        low, high = (pick(known, key=_size) for pick in (min, max))
        a, b = low[1].value, high[1].value
        doubt = 2 * math.hypot(std(a), std(b))
        if nominal(b) - nominal(a) > doubt > _NOTHING * nominal(b) and nominal(a) > 0:
            more = 100 * (nominal(b) / nominal(a) - 1)
            found.append(f"{high[1].label} of {high[0]} is {more:.1f} % above that of {low[0]}")
    return found


def _size(pair: tuple[str, Result]) -> float:
    return nominal(pair[1].value)
