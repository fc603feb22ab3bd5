"""What to take care of before anything turns, what goes before it, and who has read it.

The notes are common practice, with no source; they say so themselves.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from sparring.core.methods.base import MethodBase
from sparring.core.records import Q, Record

DEFERS = (
    "This is common practice, not a rule. Local codes and licensed people take precedence "
    "for mains wiring, guarding, lifting gear and pressure."
)
NO_EMERGENCY_STOP = (
    "STOP on a screen is not an emergency stop: keep a switch within reach that cuts the power."
)


class CareRead(Record):
    """Who confirmed the care notes of a rig, on which day, and for which method: another method has
    other notes.
    """

    by: Annotated[str, Field(min_length=1, max_length=80)]
    on: Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")]
    method: Annotated[str, Field(max_length=40)]


class FirstPower(Record):
    """Who saw a drive turn for the first time, the right way and smoothly, and on which day."""

    by: Annotated[str, Field(max_length=80)] = ""
    on: Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")]


class Allowed(Record):
    """What a drive may lose before it is worn out, and the duty that it does. thinning: of each
    flank, None: a part of its module; efficiency: of the gearbox, that is left; play: backlash at
    the output.
    """

    thinning: Annotated[float, Q("length", "mm", above=0.0)] | None = None
    play: Annotated[float, Q("angle", "deg", above=0.0)] | None = None
    efficiency: Annotated[float, Q("ratio", "%", above=0.0, most=1.0)] | None = None
    duty_torque: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    duty_speed: Annotated[float, Q("speed", "rpm", above=0.0)] | None = None


class Life(Record):
    """How long one specimen of a build ran, in turns of its output, at which load; still running:
    it had not failed then.
    """

    turns: Annotated[float, Q("ratio", "", above=0.0)]
    ended: Literal["failed", "still running"] = "failed"
    load: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""


class Dismantling(Record):
    """A step of taking a drive apart, in its order; put together it is gone through from the end.
    grease: what is greased there and with what; mind: what must not be mixed up; photo: of the
    logbook.
    """

    step: Annotated[str, Field(min_length=1, max_length=120)]
    kind: Literal["unscrew", "press out", "lift off", "cut", "other"] = "unscrew"
    grease: Annotated[str, Field(max_length=120)] = ""
    mind: Annotated[str, Field(max_length=200)] = ""
    photo: Annotated[str, Field(max_length=200, pattern=r"^([^./][^/]*)?$")] = ""


def care_notes(method: MethodBase) -> tuple[str, str, str]:
    """What is usual with a method, what goes before that, and what STOP is not."""
    return (
        f"Guard and goggles on; {method.CARE}; first power at low voltage.",
        DEFERS,
        NO_EMERGENCY_STOP,
    )
