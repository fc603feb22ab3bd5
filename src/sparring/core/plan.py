"""The plan: which weights, how often, at which voltage, how long to settle and to measure."""

from __future__ import annotations

import random
from collections.abc import Iterable
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record


class Plan(Record):
    """A ladder of weights, each lifted `repeats` times."""

    version: Literal["sparring.plan/1"] = "sparring.plan/1"
    loads: Annotated[tuple[Annotated[Measured, Q("mass", above=0.0)], ...], Field(min_length=1, max_length=50)] = tuple(
        Measured(m, 0.0005) for m in (0.4, 0.9, 1.4, 1.9, 2.4)
    )
    repeats: Annotated[int, Field(ge=1, le=100)] = 5
    voltage: Annotated[float, Q("voltage", above=0.0)] = 12.0
    settle: Annotated[float, Q("time", least=0.0)] = 0.5
    measure: Annotated[float, Q("time", above=0.0)] = 1.0
    order: Literal["ladder", "shuffled"] = "ladder"


class Lift(NamedTuple):
    """One line to do: which step of the ladder (from 0), which repeat (from 1)."""

    step: int
    repeat: int


def sequence(plan: Plan) -> list[Lift]:
    """All lifts in the order to do them; shuffled within each round by a fixed seed, so it can be told again."""
    steps = list(range(len(plan.loads)))
    if plan.order == "ladder":
        return [Lift(s, r) for s in steps for r in range(1, plan.repeats + 1)]
    order: list[Lift] = []
    for r in range(1, plan.repeats + 1):
        random.Random(r).shuffle(steps)
        order += [Lift(s, r) for s in steps]
    return order


def next_lift(plan: Plan, done: Iterable[Lift], skip: Iterable[int] = ()) -> Lift | None:
    """The first lift not yet done, leaving out the steps in `skip`; None: all done."""
    finished, skipped = set(done), set(skip)
    return next((lift for lift in sequence(plan) if lift not in finished and lift.step not in skipped), None)
