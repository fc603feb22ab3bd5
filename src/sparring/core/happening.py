"""What happened in a run, as it is kept with it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from sparring.core.records import Q, Record


class Happening(Record):
    """id: of the detector that found it, for good; from `at` to `until` of the recording's clock;
    seen: in words, with its figures.
    """

    id: Annotated[str, Field(max_length=40)]
    title: Annotated[str, Field(max_length=80)]
    severity: Literal["wrong", "caution", "note", "good"] = "note"
    at: Annotated[float, Q("time", "s")]
    until: Annotated[float, Q("time", "s")]
    seen: Annotated[str, Field(max_length=200)] = ""
