"""A stretch of a duty's cycle."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from sparring.core.records import Q, Record

Kind = Literal["drive", "spin up", "hold", "rest"]


class Segment(Record):
    """A stretch of the cycle. torque: that resists at the output; speed of the output, at least, of
    `spin up` at its end; time: of `drive` at that speed (the way is their product), of `spin up` at
    most; hold: without power, it must not turn back; inertia: to be spun up, at the output; room:
    temperature around it, None: that of the duty.
    """

    kind: Kind = "drive"
    torque: Annotated[float, Q("torque", "N·m", least=0.0)] = 0.0
    speed: Annotated[float, Q("speed", "rpm", least=0.0)] = 0.0
    time: Annotated[float, Q("time", "s", above=0.0)] = 10.0
    inertia: Annotated[float, Q("inertia", "kg·m²", above=0.0)] | None = None
    room: Annotated[float, Q("temperature", "°C", least=193.15, most=373.15)] | None = None
    note: Annotated[str, Field(max_length=80)] = ""

    @model_validator(mode="after")
    def _whole(self) -> Segment:
        if self.kind in ("drive", "spin up") and self.speed <= 0:
            raise ValueError(f"a segment of kind “{self.kind}” needs the speed it is to have")
        if self.kind == "spin up" and self.inertia is None:
            raise ValueError("spinning up needs the inertia that is spun up")
        if self.kind == "hold" and self.torque <= 0:
            raise ValueError("a segment of kind “hold” needs the torque that is held")
        return self
