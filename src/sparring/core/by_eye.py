"""What a person reads in one run, where no board does: the figures of a scale, a meter, a
protractor and a clock.
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar

from pydantic import model_validator

from sparring.core.input_quantity import declare
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record

READ = declare("read", "{0}, read", "run")
"""A figure that was read, within the ± of the reading itself: half a division, one count, a hand on
a clock. What the instrument itself is off by is an input of its own, the same in all runs."""
MARKS = declare("marks", "{0}, between its marks", "rig")
"""A way or an angle between marks that stay: the same figure is the same input in every run."""
SCALE = declare("scale", "scale read by eye", "rig").id
"""What a scale is off by is not known apart from how it is read: its ± is taken as one and the same
in all runs, which no repeating makes smaller."""


class ByEye(Record):
    """One run's figures. Each ± is that of reading it.

    How fast it turned is told in one of three ways: `speed` off a tachometer; `turned`, the
    angle of the output in `time`; `travel`, the way of the load in `time`, with a method that
    knows what it turns for that. voltage, current: of the supply while it ran; force: of the
    scale or load cell [N]; load_voltage, load_current: at a generator's load.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Turned", "turned"),
        ("Travel", "travel"),
        ("Time", "time"),
        ("Output speed", "speed"),
        ("Motor speed", "motor_speed"),
        ("Voltage", "voltage"),
        ("Current", "current"),
        ("Force", "force"),
        ("Voltage at the load", "load_voltage"),
        ("Current of the load", "load_current"),
        ("Motor temperature", "temperature"),
    )
    turned: Annotated[Measured, Q("angle", "rev", above=0.0)] | None = None
    travel: Annotated[Measured, Q("length", "m", above=0.0)] | None = None
    time: Annotated[Measured, Q("time", above=0.0)] | None = None
    speed: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    motor_speed: Annotated[Measured, Q("speed", "rpm", least=0.0)] | None = None
    voltage: Annotated[Measured, Q("voltage", least=0.0)] | None = None
    current: Annotated[Measured, Q("current", least=0.0)] | None = None
    force: Annotated[Measured, Q("force", least=0.0)] | None = None
    load_voltage: Annotated[Measured, Q("voltage", least=0.0)] | None = None
    load_current: Annotated[Measured, Q("current", least=0.0)] | None = None
    temperature: Annotated[Measured, Q("temperature", "°C", above=0.0)] | None = None

    @model_validator(mode="after")
    def _one_speed(self) -> ByEye:
        told = [
            words.lower()
            for words, name in (*self.FIELDS[:2], self.FIELDS[3])
            if getattr(self, name) is not None
        ]
        if len(told) > 1:
            raise ValueError(
                f"{' and '.join(told)} are both given; one of them tells how fast it turned,"
                " leave the other out"
            )
        if self.time is None and (self.turned is not None or self.travel is not None):
            raise ValueError(f"{told[0]} without the time it took tells no speed; give the time")
        return self


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
        raise ValueError(f"between {low:g} and {high:g}: the second is the smaller; exchange them")
    return Measured((low + high) / 2, (high - low) / 2 / math.sqrt(3))
