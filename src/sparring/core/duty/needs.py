"""What would make a drive do a duty that it does not."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import NamedTuple

from sparring.core.duty.figures import Candidate
from sparring.core.duty.meets import OF_POWER, Met, drives
from sparring.core.duty.ratio import scaled
from sparring.core.duty.record import Duty

_MOST = 64.0  # times a figure is changed to look for one that does
_VOLTS = 1000.0  # beyond which no supply is looked for


class Need(NamedTuple):
    """A change. id: of what; words; value (SI, of a kind) that is needed; times: over what it is;
    either: one of those that are enough for the same, so that one of them will do.
    """

    id: str
    words: str
    value: float
    kind: str
    times: float
    either: bool


def needs(met: Met, duty: Duty) -> list[Need]:
    """Of a drive that does not do it by its figures: what moves it out of every limit. Voltage,
    supply and ratio each so that alone it drives all segments; strength, holding and life by as
    much as they lack.
    """
    candidate, found = met.candidate, []
    if any(met.chances[x] < 0.5 for x in OF_POWER):
        ways = [
            (
                "voltage",
                "a supply of",
                duty.voltage,
                "voltage",
                lambda x: (candidate, _volts(duty, x)),
            ),
            (
                "ratio",
                "the same losses at a ratio of",
                candidate.ratio,
                "ratio",
                _gearing(met, duty),
            ),
        ]
        if duty.current is not None:
            most = duty.current
            ways.append(
                (
                    "current",
                    "a supply that gives",
                    most,
                    "current",
                    lambda x: (candidate, _amperes(duty, x)),
                )
            )
        for id, words, now, kind, way in ways:
            for down in (False, True) if id == "ratio" else (False,):
                times = _least(partial(_by, way, down=down))
                if times is not None and (id != "voltage" or now * times <= _VOLTS):
                    times = 1 / times if down else times
                    found.append(Need(id, words, now * times, kind, times, either=True))
    strength = min(s.strength_margin for s in met.segments if not math.isnan(s.strength_margin))
    if strength < 1:
        part = candidate.train.limits[0].part
        found.append(
            Need(
                "strength",
                f"{part} stronger by the factor",
                1 / strength,
                "ratio",
                1 / strength,
                either=False,
            )
        )
    held = [s.holding_margin for s in met.segments if not math.isnan(s.holding_margin)]
    if held and min(held) < 1:
        torque = max(
            s.torque for s in duty.todo if s.kind == "hold" or (duty.holds and s.kind == "drive")
        )
        times = 1 / max(min(held), 1e-9)
        words = "a brake or worm that holds"
        found.append(Need("brake", words, torque, "torque", times, either=False))
    if duty.cycles is not None and met.wears < duty.cycles:
        times = duty.cycles / met.wears
        found.append(
            Need(
                "wear", "flanks that last longer by the factor", times, "ratio", times, either=False
            )
        )
    return found


def _by(way: Callable[[float], tuple[Candidate, Duty]], times: float, *, down: bool) -> bool:
    return drives(*way(1 / times if down else times))


def _volts(duty: Duty, times: float) -> Duty:
    # not as a record, which would be held to what somebody may enter
    return duty.model_copy(update={"voltage": duty.voltage * times})


def _amperes(duty: Duty, times: float) -> Duty:
    return duty.model_copy(update={"current": (duty.current or 1.0) * times})


def _gearing(met: Met, duty: Duty) -> Callable[[float], tuple[Candidate, Duty]]:
    c = met.candidate
    return lambda x: (replace(c, train=scaled(c.train, c.train.ratio * x)), duty)


def _least(does: Callable[[float], bool]) -> float | None:
    """The least factor above 1 that does, to 1 %; None: none does."""
    high = 1.05
    while not does(high):
        high *= 1.4
        if high > _MOST:
            return None
    low = max(high / 1.4, 1.0)
    while high / low > 1.01:
        middle = math.sqrt(low * high)
        low, high = (low, middle) if does(middle) else (middle, high)
    return high
