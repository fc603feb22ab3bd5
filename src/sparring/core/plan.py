"""The plan: which weights, how often, at which voltage, how long to settle and to measure."""

from __future__ import annotations

import random
from collections.abc import Iterable, Sequence
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record


class Plan(Record):
    """A ladder of weights, each lifted `repeats` times; by bisection, only those that close in on
    the stall.
    """

    version: Literal["sparring.plan/1"] = "sparring.plan/1"
    loads: Annotated[
        tuple[Annotated[Measured, Q("mass", above=0.0)], ...], Field(min_length=1, max_length=50)
    ] = tuple(Measured(m, 0.0005) for m in (0.4, 0.9, 1.4, 1.9, 2.4))
    repeats: Annotated[int, Field(ge=1, le=100)] = 5
    voltage: Annotated[float, Q("voltage", above=0.0)] = 12.0
    settle: Annotated[float, Q("time", least=0.0)] = 0.5
    measure: Annotated[float, Q("time", above=0.0)] = 1.0
    order: Literal["ladder", "shuffled", "bisection"] = "ladder"

    def of(self, steps: int) -> Plan:
        """The plan with so many steps, for methods whose steps are not its weights: which weights
        they have then says nothing.
        """
        loads = (*self.loads, *[self.loads[-1]] * (steps - len(self.loads)))[:steps]
        return self if loads == self.loads else self.model_copy(update={"loads": loads})


class Lift(NamedTuple):
    """One line to do: which step of the ladder (from 0), which repeat (from 1)."""

    step: int
    repeat: int


def sequence(plan: Plan) -> list[Lift]:
    """All lifts in the order to do them; shuffled within each round by a fixed seed, so it can be
    told again.
    """
    steps = list(range(len(plan.loads)))
    if plan.order != "shuffled":
        return [Lift(s, r) for s in steps for r in range(1, plan.repeats + 1)]
    order: list[Lift] = []
    for r in range(1, plan.repeats + 1):
        random.Random(r).shuffle(steps)
        order += [Lift(s, r) for s in steps]
    return order


def next_lift(
    plan: Plan, done: Iterable[Lift], skip: Iterable[int] = (), stalled: Iterable[int] = ()
) -> Lift | None:
    """The first lift not yet done, leaving out the steps in `skip`; None: all done.

    stalled: steps that did; by bisection the next is halfway between the heaviest lifted and the
    lightest that stalled.
    """
    if plan.order == "bisection":
        return _halfway(plan, {d.step for d in done}, set(stalled))
    finished, skipped = set(done), set(skip)
    return next(
        (lift for lift in sequence(plan) if lift not in finished and lift.step not in skipped), None
    )


def _halfway(plan: Plan, tried: set[int], stalled: set[int]) -> Lift | None:
    """Steps in the order of their weights; each trial halves those the stall
    may still lie between."""
    by_weight = sorted(range(len(plan.loads)), key=lambda n: plan.loads[n].value)
    place = {step: n for n, step in enumerate(by_weight)}
    low = max((place[n] for n in tried - stalled if n in place), default=-1)
    high = min((place[n] for n in stalled if n in place and place[n] > low), default=len(by_weight))
    middle = (low + high) // 2
    return Lift(by_weight[middle], 1) if low < middle < high else None


class Outcome(NamedTuple):
    """A run that counts, as far as what comes next goes."""

    step: int
    stalled: bool


def lifts_of(outcomes: Iterable[Outcome]) -> list[Lift]:
    """What was done, numbered per step in the order it was made."""
    counts: dict[int, int] = {}
    done = []
    for step, _ in outcomes:
        counts[step] = counts.get(step, 0) + 1
        done.append(Lift(step, counts[step]))
    return done


def stalls_of(outcomes: Iterable[Outcome]) -> dict[int, int]:
    """How often each step stalled."""
    counts: dict[int, int] = {}
    for step, stalled in outcomes:
        if stalled:
            counts[step] = counts.get(step, 0) + 1
    return counts


def what_next(plan: Plan, outcomes: Sequence[Outcome]) -> Lift | None:
    """The next lift; a weight that stalled twice is not lifted again unasked. None: all done."""
    stalls = stalls_of(outcomes)
    return next_lift(
        plan, lifts_of(outcomes), [step for step, n in stalls.items() if n >= 2], stalls
    )
