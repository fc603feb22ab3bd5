"""What a life test does: its duty cycle, when it is inspected, and what ends it."""

from __future__ import annotations

import math
from typing import Annotated, Literal, NamedTuple

from pydantic import Field, model_validator

from sparring.core.plan import Plan, PlanStep
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record

_MOST_STOPS = 500


class Phase(Record):
    """A stretch of the cycle. voltage: at the motor, negative backwards, 0: off; load: mass hung or
    on the clamp, resistor: of a generator; None: as it is.
    """

    time: Annotated[float, Q("time", "s", above=0.0, most=86400.0)] = 30.0
    voltage: Annotated[float, Q("voltage", least=-1000.0, most=1000.0)]
    load: Annotated[Measured, Q("mass", least=0.0)] | None = None
    resistor: Annotated[float, Q("resistance", above=0.0)] | None = None

    @property
    def driven(self) -> bool:
        """Whether the drive is on."""
        return self.voltage != 0.0


class Endurance(Record):
    """A life test.

    duty: the phases of a cycle, in their order; hours: of driving, turns: of the output, work: out
    of it; efficiency_loss: part of what it had in the first cycles that it may lose; backlash: of
    the output, found at a reversal; temperature: of the motor; to_failure: until something breaks.
    Whichever comes first ends it. inspect_every: cycles, after which it waits for somebody;
    keep_every: of so many cycles one is kept with all its samples (those in which something happens
    always are).
    """

    version: Literal["sparring.endurance/1"] = "sparring.endurance/1"
    name: Annotated[str, Field(max_length=80)] = "Life test"
    duty: Annotated[tuple[Phase, ...], Field(min_length=1, max_length=20)]
    hours: Annotated[float, Q("time", "h", above=0.0)] | None = None
    turns: Annotated[float, Field(gt=0.0)] | None = None
    work: Annotated[float, Q("energy", "J", above=0.0)] | None = None
    efficiency_loss: Annotated[float, Q("ratio", "%", above=0.0, most=1.0)] | None = None
    backlash: Annotated[float, Q("angle", "deg", above=0.0)] | None = None
    temperature: Annotated[float, Q("temperature", "°C", above=293.15, most=600.0)] | None = None
    to_failure: bool = True
    inspect_every: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    keep_every: Annotated[int, Field(ge=1, le=1_000_000)] = 100

    @model_validator(mode="after")
    def _drives(self) -> Endurance:
        if not any(p.driven for p in self.duty):
            raise ValueError("no phase of the cycle drives: give one a voltage")
        return self

    @property
    def lasts(self) -> float:
        """One cycle [s]."""
        return sum(p.time for p in self.duty)

    @property
    def driven(self) -> float:
        """Driving in one cycle [s]."""
        return sum(p.time for p in self.duty if p.driven)

    def cycles(self, turns_a_cycle: float = 0.0, work_a_cycle: float = 0.0) -> float:
        """How many cycles its hours, turns and work allow; infinite where none of them ends it."""
        limits = [math.inf]
        if self.hours is not None:
            limits.append(self.hours / self.driven)
        if self.turns is not None and turns_a_cycle > 0:
            limits.append(self.turns / turns_a_cycle)
        if self.work is not None and work_a_cycle > 0:
            limits.append(self.work / work_a_cycle)
        return min(limits)

    def plan(self) -> Plan:
        """The plan of its test: a step for each driven phase, by its place in the cycle."""
        steps = tuple(
            PlanStep(
                id=n,
                kind="hold",
                load=p.load,
                resistor=p.resistor,
                voltage=abs(p.voltage),
                time=p.time,
            )
            for n, p in enumerate(self.duty)
            if p.driven
        )
        return Plan(steps=steps, settle=0.5, measure=1.0)


class Stop(NamedTuple):
    """A moment at which somebody is wanted: after `cycle` cycles, `seconds` after the begin."""

    cycle: int
    seconds: float
    what: Literal["inspection", "end"]


def stops(plan: Endurance, turns_a_cycle: float = 0.0, work_a_cycle: float = 0.0) -> list[Stop]:
    """The stops that can be foreseen: inspections, and the end by hours, turns or work. What it
    pauses for in between is not in it.
    """
    last = plan.cycles(turns_a_cycle, work_a_cycle)
    last = math.ceil(last - 1e-6) if math.isfinite(last) else last
    found: list[Stop] = []
    if plan.inspect_every is not None:
        n = plan.inspect_every
        count = min(_MOST_STOPS, math.ceil(last / n) - 1 if math.isfinite(last) else 50)
        found = [Stop(k * n, k * n * plan.lasts, "inspection") for k in range(1, int(count) + 1)]
    if math.isfinite(last):
        found.append(Stop(int(last), last * plan.lasts, "end"))
    return found
