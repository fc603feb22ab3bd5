"""What a person reads in one run, where no board does: the figures of a scale, a meter, a
protractor and a clock.
"""

from __future__ import annotations

import math
import re
from typing import Annotated, ClassVar, Literal

from pydantic import model_validator

from sparring.core import quantity
from sparring.core.input_quantity import declare
from sparring.core.quantity import Measured, QuantityError
from sparring.core.records import Q, Record

READ = declare("read", "{0}, read", "run")
"""A figure that was read, within the ± of the reading itself: half a division, one count, a hand on
a clock. What the instrument itself is off by is an input of its own, the same in all runs."""
MARKS = declare("marks", "{0}, between marks", "rig")
"""A way or an angle between marks that stay: the same figure is the same input in every run."""
SCALES = {
    "force": declare("scale", "scale, read by eye", "rig").id,
    "slack": declare("scale.slack", "scale, slack end", "rig").id,
    "input_force": declare("scale.input", "scale at the crank", "rig").id,
    "rest": declare("scale.rest", "scale, at rest", "rig").id,
}
"""What a scale is off by is not known apart from how it is read: its ± is taken as one and the same
in all runs, which no repeating makes smaller."""


class ByEye(Record):
    """One run's figures. Each ± is that of reading it.

    How fast it turned is told in one of three ways: `speed` off a tachometer; `turned`, the
    angle of the output in `time`; `travel`, the way of the load in `time`, with a method that
    knows what it turns for that; how fast the input turned in `motor_speed`, or `input_turned` in
    the same `time`. Of a run-up: from `first_speed` to `second_speed` of the mass in
    `time`, and where it was let coast from one to the other in `coast_time`. voltage, current: of
    the supply while it ran; force: of the scale or load cell [N], rest: the same with nothing
    pulling, where it is not zero, slack: at the other end of a rope; load_voltage, load_current: at
    a generator's load; noticed: what no instrument told.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Turned", "turned"),
        ("Travel", "travel"),
        ("Time", "time"),
        ("Output speed", "speed"),
        ("Motor speed", "motor_speed"),
        ("Input turned", "input_turned"),
        ("Force at the crank", "input_force"),
        ("Voltage", "voltage"),
        ("Current", "current"),
        ("First speed", "first_speed"),
        ("Second speed", "second_speed"),
        ("Coast-down from", "coast_first"),
        ("Coast-down to", "coast_second"),
        ("Coast-down time", "coast_time"),
        ("Force", "force"),
        ("Force at rest", "rest"),
        ("Force, slack end", "slack"),
        ("Voltage at the load", "load_voltage"),
        ("Current of the load", "load_current"),
        ("Motor temperature", "temperature"),
    )
    turned: Annotated[Measured, Q("angle", "rev", above=0.0)] | None = None
    travel: Annotated[Measured, Q("length", "m", above=0.0)] | None = None
    time: Annotated[Measured, Q("time", above=0.0)] | None = None
    speed: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    motor_speed: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    input_turned: Annotated[Measured, Q("angle", "rev", above=0.0)] | None = None
    input_force: Annotated[Measured, Q("force", least=0.0)] | None = None
    voltage: Annotated[Measured, Q("voltage", least=0.0)] | None = None
    current: Annotated[Measured, Q("current", least=0.0)] | None = None
    first_speed: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    second_speed: Annotated[Measured, Q("speed", "rpm", above=0.0)] | None = None
    coast_first: Annotated[Measured, Q("speed", "rpm", above=0.0)] | None = None
    coast_second: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    coast_time: Annotated[Measured, Q("time", above=0.0)] | None = None
    force: Annotated[Measured, Q("force", least=0.0)] | None = None
    rest: Annotated[Measured, Q("force", least=0.0)] | None = None
    slack: Annotated[Measured, Q("force", least=0.0)] | None = None
    load_voltage: Annotated[Measured, Q("voltage", least=0.0)] | None = None
    load_current: Annotated[Measured, Q("current", least=0.0)] | None = None
    temperature: Annotated[Measured, Q("temperature", "°C", above=0.0)] | None = None
    noticed: tuple[Literal["hot to the touch", "smells", "bends", "unusual sound"], ...] = ()

    @model_validator(mode="after")
    def _one_speed(self) -> ByEye:
        told = [
            words.lower()
            for words, name in (*self.FIELDS[:2], self.FIELDS[3])
            if getattr(self, name) is not None
        ]
        self._in_order("first_speed", "second_speed", "time", "the mass accelerates")
        self._in_order("coast_second", "coast_first", "coast_time", "a coasting mass slows down")
        if len(told) > 1:
            raise ValueError(
                f"{' and '.join(told)} are both given; delete one of them, either gives the speed"
            )
        if self.motor_speed is not None and self.input_turned is not None:
            raise ValueError(
                "motor speed and input turned are both given; delete one of them, either gives the "
                "input speed"
            )
        if self.time is None and self.input_turned is not None:
            raise ValueError("input turned without its time gives no speed; enter the time")
        if self.time is None and (self.turned is not None or self.travel is not None):
            raise ValueError(f"{told[0]} without its time gives no speed; enter the time")
        return self

    def _in_order(self, slower: str, faster: str, time: str, why: str) -> None:
        """Two speeds and the time between them are given together, the slower one lower."""
        words = {name: said.lower() for said, name in self.FIELDS}
        low, high = getattr(self, slower), getattr(self, faster)
        if low is None and high is None:
            return
        missing = next((n for n in (slower, faster, time) if getattr(self, n) is None), None)
        if missing is not None:
            raise ValueError(
                f"the {words[missing]} is missing: two speeds and the time between them are needed"
            )
        if high.value <= low.value:
            raise ValueError(f"the {words[faster]} must be higher than the {words[slower]}: {why}")


def read_within(value: float, division: float) -> Measured:
    """A figure read off a scale to the next division, a digit's last place or one count: what was
    there lies anywhere within half of it on either side (rectangular; JCGM 100:2008, F.2.2.1)."""
    return Measured(value, division / math.sqrt(12))


REACTION = 0.1
"""[s] Standard uncertainty of a time stopped by hand, begin and end together (95 %: 0.2 s; from
memory)."""


def between(low: float, high: float) -> Measured:
    """A figure that lay somewhere between two (rectangular; JCGM 100:2008, 4.3.7). Raises
    ValueError where they are the wrong way round."""
    if not high >= low:
        raise ValueError(
            f"between {low:g} and {high:g}: the second value is the smaller; interchange them"
        )
    return Measured((low + high) / 2, (high - low) / 2 / math.sqrt(3))


def frames(count: float, rate: float) -> Measured:
    """The time [s] of so many frames of a film at `rate` a second; begin and end each fall
    somewhere within a frame (rectangular). Raises ValueError.
    """
    if not (count > 0 and rate > 0):
        raise ValueError(f"{count:g} frames at {rate:g} per second are not a time")
    return Measured(count / rate, math.sqrt(2 / 12) / rate)


TAP = 0.05
"""[s] Standard uncertainty of one tap of a finger (from memory)."""
_BETWEEN = re.compile(r"\s*between\s+(?P<low>.+?)\s+and\s+(?P<high>.+)", re.IGNORECASE)
_FRAMES = re.compile(
    r"\s*(?P<count>\d+(?:[.,]\d+)?)\s*frames?\s*(?:at|@)\s*(?P<rate>\d+(?:[.,]\d+)?)\s*"
    r"(?:fps|/s|a second|per second)?\s*",
    re.IGNORECASE,
)


def reading(text: str, kind: str, unit: str | None = None) -> Measured:
    """What a person says they read, SI: a quantity (`quantity.parse`), `between 3.1 and 3.3 V`, or
    of a time `312 frames at 240`. unit: that of a plain number. Raises QuantityError.
    """
    if found := _BETWEEN.fullmatch(text):
        high, said = quantity.parse_with_unit(found["high"], kind, unit)
        low = quantity.parse(found["low"], kind, said)
        if low.u or high.u:
            raise QuantityError(f"“{text}”: in a range, neither value takes a ±")
        try:
            return between(low.value, high.value)
        except ValueError as err:
            raise QuantityError(
                f"“{text}”: the second value is the smaller; interchange them"
            ) from err
    if kind == "time" and (found := _FRAMES.fullmatch(text)):
        count, rate = (float(found[name].replace(",", ".")) for name in ("count", "rate"))
        try:
            return frames(count, rate)
        except ValueError as err:
            raise QuantityError(f"“{text}”: {err}") from err
    return quantity.parse(text, kind, unit)
