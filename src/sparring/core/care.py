"""What to take care of before anything turns, what goes before it, and who has read it.

The notes are common practice, with no source; they say so themselves.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from sparring.core.methods.base import MethodBase
from sparring.core.records import Record

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


def care_notes(method: MethodBase) -> tuple[str, str, str]:
    """What is usual with a method, what goes before that, and what STOP is not."""
    return (
        f"Guard and goggles on; {method.CARE}; first power at low voltage.",
        DEFERS,
        NO_EMERGENCY_STOP,
    )
