"""In which order a plan's runs are made, and which is next."""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from sparring.core.plan.record import Plan, PlanStep

_SHUFFLED = ("measure", "to stall")
"""Kinds that may change places; what prepares, holds or breaks stays where it was put."""
_RISING = "to failure"
"""Of which each repeat is a specimen of its own."""


class Lift(NamedTuple):
    """One run to make: of which step (its id), which repeat (from 1)."""

    step: int
    repeat: int


class Outcome(NamedTuple):
    """A run that counts, as far as what comes next goes. specimen: which one was run to failure,
    from 1; 0: no such run.
    """

    step: int
    stalled: bool
    broke: bool = False
    specimen: int = 0


def sequence(plan: Plan) -> list[Lift]:
    """All runs in the order to make them. Shuffled: every round makes each step once, in an order
    that the seed tells again. To failure: one specimen after the other, each up its whole ladder.
    """
    order: list[Lift] = []
    moving = _SHUFFLED if plan.order == "shuffled" else ()
    for kind, group in groupby(plan.todo, lambda s: _RISING if s.kind == _RISING else ""):
        steps = list(group)
        if kind == _RISING:
            most = max(s.repeats for s in steps)
            order += [Lift(s.id, r) for r in range(1, most + 1) for s in steps if r <= s.repeats]
        else:
            order += _of_group(plan.seed, steps, moving)
    return order


def _of_group(seed: int, all_steps: Sequence[PlanStep], moving: Sequence[str]) -> list[Lift]:
    """Steps of which those of the kinds `moving` may change places with their neighbours."""
    order: list[Lift] = []
    for moves, group in groupby(all_steps, lambda s: s.kind in moving):
        steps = list(group)
        if not moves:
            order += [Lift(s.id, r) for s in steps for r in range(1, s.repeats + 1)]
            continue
        for r in range(1, max(s.repeats for s in steps) + 1):
            random.Random(1000 * seed + r).shuffle(steps)
            order += [Lift(s.id, r) for s in steps if r <= s.repeats]
    return order


def next_lift(
    plan: Plan, done: Iterable[Lift], skip: Iterable[int] = (), stalled: Iterable[int] = ()
) -> Lift | None:
    """The first run not yet made, leaving out the steps in `skip`; None: all done.

    stalled: steps that did; by bisection the next is halfway between the heaviest that turned and
    the lightest that stalled, at each voltage by itself.
    """
    finished, skipped = set(done), set(skip)
    if plan.order == "bisection":
        return _by_halves(plan, finished, set(stalled))
    return next(
        (lift for lift in sequence(plan) if lift not in finished and lift.step not in skipped), None
    )


def _by_halves(plan: Plan, done: set[Lift], stalled: set[int]) -> Lift | None:
    tried = {d.step for d in done}
    for steps in _ladders(plan.todo):
        if not steps[0].counted:
            lifts = (Lift(s.id, r) for s in steps for r in range(1, s.repeats + 1))
            found = next((x for x in lifts if x not in done), None)
        else:
            found = _halfway(steps, tried, stalled)
        if found is not None:
            return found
    return None


def _ladders(steps: Sequence[PlanStep]) -> Iterator[list[PlanStep]]:
    """Steps that differ in their load alone, in the order of their first; what is not measured in
    stands by itself.
    """
    groups: dict[object, list[PlanStep]] = {}
    for s in steps:
        key = (s.kind, s.voltage, s.speed) if s.counted else s.id
        groups.setdefault(key, []).append(s)
    yield from groups.values()


def _halfway(steps: Sequence[PlanStep], tried: set[int], stalled: set[int]) -> Lift | None:
    """Steps in the order of their loads; each trial halves those the stall may still lie
    between."""
    by_load = [s.id for s in sorted(steps, key=_heaviness)]
    place = {id: n for n, id in enumerate(by_load)}
    low = max((place[n] for n in tried - stalled if n in place), default=-1)
    high = min((place[n] for n in stalled if n in place and place[n] > low), default=len(by_load))
    middle = (low + high) // 2
    return Lift(by_load[middle], 1) if low < middle < high else None


def _heaviness(step: PlanStep) -> float:
    """Grows with the torque that a step asks for; only within one method."""
    if step.resistor is not None:
        return -step.resistor
    return step.load.value if step.load is not None else 0.0


def lifts_of(outcomes: Iterable[Outcome]) -> list[Lift]:
    """What was done, numbered per step in the order it was made."""
    counts: dict[int, int] = {}
    done = []
    for o in outcomes:
        counts[o.step] = counts.get(o.step, 0) + 1
        done.append(Lift(o.step, o.specimen or counts[o.step]))
    return done


def stalls_of(outcomes: Iterable[Outcome]) -> dict[int, int]:
    """How often each step stalled."""
    counts: dict[int, int] = {}
    for o in outcomes:
        if o.stalled:
            counts[o.step] = counts.get(o.step, 0) + 1
    return counts


def _given_up(plan: Plan, stalls: dict[int, int]) -> set[int]:
    """Steps that are not made unasked: one that stalled twice, and what asks for more at the same
    voltage or less.
    """
    hopeless = [s for s in plan.steps if stalls.get(s.id, 0) >= 2]
    return {s.id for s in hopeless} | {
        s.id
        for s in plan.todo
        for h in hopeless
        if s.kind == h.kind == "measure"
        and s.voltage is not None
        and h.voltage is not None
        and s.voltage <= h.voltage
        and _heaviness(s) > _heaviness(h)
    }


def _spared(plan: Plan, outcomes: Sequence[Outcome]) -> set[Lift]:
    """Runs to failure of a specimen that has failed: no more is asked of it at that voltage."""
    spared: set[Lift] = set()
    for (id, repeat), outcome in zip(lifts_of(outcomes), outcomes, strict=True):
        failed = plan.step(id)
        if outcome.broke and failed is not None and failed.kind == _RISING:
            spared |= {
                Lift(s.id, repeat)
                for s in plan.todo
                if s.kind == _RISING and s.voltage == failed.voltage
            }
    return spared


def what_next(plan: Plan, outcomes: Sequence[Outcome]) -> Lift | None:
    """The next run; a load that stalled twice, and heavier ones, are not tried unasked. None: all
    done.
    """
    stalls = stalls_of(outcomes)
    done = {*lifts_of(outcomes), *_spared(plan, outcomes)}
    return next_lift(plan, done, _given_up(plan, stalls), stalls)


def remaining(plan: Plan, outcomes: Sequence[Outcome]) -> int:
    """How many runs are left to make; by bisection the most that halving may need."""
    done = {*lifts_of(outcomes), *_spared(plan, outcomes)}
    stalls = stalls_of(outcomes)
    if plan.order == "bisection":
        left = 0
        for steps in _ladders(plan.todo):
            if not steps[0].counted:
                left += sum(
                    Lift(s.id, r) not in done for s in steps for r in range(1, s.repeats + 1)
                )
                continue
            by_load = [s.id for s in sorted(steps, key=_heaviness)]
            tried = {d.step for d in done}
            low = max(
                (n for n, i in enumerate(by_load) if i in tried and i not in stalls), default=-1
            )
            high = next((n for n, i in enumerate(by_load) if i in stalls and n > low), len(by_load))
            left += (high - low - 1).bit_length()
        return left
    given_up = _given_up(plan, stalls)
    return sum(x not in done and x.step not in given_up for x in sequence(plan))
