"""The duty's record: what a drive is asked to do in one cycle, with what, and for how long."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from sparring.core.duty.segment import Segment
from sparring.core.duty.tasks import Task
from sparring.core.records import Q, Record


class Duty(Record):
    """segments of one cycle, or a task that they follow from; cycles: wanted in its life; per_day;
    voltage, current: what the supply gives, source: its resistance with the leads; room:
    temperature around, between the segments and in those that have none of their own;
    winding: how hot it may be, None: as the build says; holds: it must not turn back under any of
    the torques when unpowered; control: whether it runs as fast as it will, or is held to the
    speed.
    """

    version: Literal["sparring.duty/1"] = "sparring.duty/1"
    name: Annotated[str, Field(min_length=1, max_length=80)] = "duty"
    segments: Annotated[tuple[Segment, ...], Field(max_length=200)] = ()
    task: Annotated[Task, Field(discriminator="kind")] | None = None
    voltage: Annotated[float, Q("voltage", above=0.0, most=1000.0)]
    current: Annotated[float, Q("current", above=0.0)] | None = None
    source: Annotated[float, Q("resistance", least=0.0)] = 0.0
    room: Annotated[float, Q("temperature", "°C", least=193.15, most=373.15)] = 293.15
    winding: Annotated[float, Q("temperature", "°C", above=293.15, most=600.0)] | None = None
    cycles: Annotated[float, Field(gt=0.0, le=1e12)] | None = None
    per_day: Annotated[float, Field(gt=0.0, le=86_400.0)] = 10.0
    holds: bool = False
    control: Literal["as fast as it will", "held to the speed"] = "as fast as it will"

    @model_validator(mode="after")
    def _asks(self) -> Duty:
        if bool(self.segments) == (self.task is not None):
            raise ValueError("a duty is either a task or a list of segments; give one of them")
        if not any(s.kind != "rest" for s in self.todo):
            raise ValueError("nothing is asked of the drive; give a segment that drives or holds")
        if self.per_day * sum(s.time for s in self.todo) > 86_400.0 * (1 + 1e-9):
            raise ValueError(
                f"{self.per_day:g} cycles a day take longer than a day; lower them or the times"
            )
        return self

    @property
    def todo(self) -> tuple[Segment, ...]:
        """The segments of one cycle."""
        if self.task is None:
            return self.segments
        return self.task.segments()

    def around(self, segment: Segment) -> float:
        """Temperature around the drive in a segment [K]."""
        return self.room if segment.room is None else segment.room

    @property
    def period(self) -> float:
        """From one cycle to the next [s]."""
        return 86_400.0 / self.per_day


def per_cycle(duty: Duty) -> tuple[float, float]:
    """(turns of the output in a cycle, turns each times its torque [N·m])."""
    ways = [
        (s.torque, s.speed * s.time / (1 if s.kind == "drive" else 2) / (2 * math.pi))
        for s in duty.todo
        if s.kind in ("drive", "spin up")
    ]
    return sum(w for _, w in ways), sum(t * w for t, w in ways)
