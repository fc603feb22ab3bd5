"""What to have ready before a plan: spare parts, and what to go through before power."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

from sparring.core.build import Build
from sparring.core.outlook.foresee import Outlook
from sparring.core.plan.record import STILL, Plan
from sparring.core.rig import Rig
from sparring.core.train.stage import StageBase

_SURE = 0.9  # chance that the spares suffice


class Spares(NamedTuple):
    """A part that may break. hand: of its teeth or thread, "" where it has none; expected:
    breakages, on average; wanted: to have ready; have: listed with the build.
    """

    part: str
    hand: str
    expected: float
    wanted: int
    have: int


def spares(build: Build, plan: Plan, outlook: Outlook) -> list[Spares]:
    """Parts to prepare for what may break in what is left of a plan, most first."""
    if not build.limits:
        return []
    by_part: dict[str, float] = {}
    weakest = build.limits[0].name
    ends = {lift.lift.step for lift in outlook.due}
    for step in plan.todo:
        row = outlook.rows.get(step.id)
        if row is None or step.id not in ends or step.kind in STILL:
            continue
        part = step.part if step.kind == "to failure" and step.part else weakest
        runs = sum(d.lift.step == step.id for d in outlook.due)
        by_part[part] = by_part.get(part, 0.0) + runs * row.breaks
    failing = [s for s in plan.todo if s.kind == "to failure"]
    for part in {s.part or weakest for s in failing}:
        # a ladder to failure ends with the first that fails: one for each of its repeats
        most = max(s.repeats for s in failing if (s.part or weakest) == part)
        by_part[part] = float(most)
    listed = {i.part.casefold(): i.spares for i in build.parts}
    return [
        Spares(part, _hand(build, part), n, _enough(n), listed.get(part.casefold(), 0))
        for part, n in sorted(by_part.items(), key=lambda x: -x[1])
        if _enough(n) > 0
    ]


def _enough(expected: float) -> int:
    """The fewest that suffice with `_SURE`, breakages being independent (Poisson)."""
    if expected < 1e-3:
        return 0
    count, chance = 0, math.exp(-expected)
    term = chance
    while chance < _SURE and count < 1000:
        count += 1
        term *= expected / count
        chance += term
    return count


def _hand(build: Build, part: str) -> str:
    """Of a handed part: a worm's, or that it is helical, whose mate has the other one."""
    for n, stage in enumerate(build.stages, start=1):
        if part.casefold().startswith(f"stage {n} "):
            return _hand_of(stage)
    return ""


def _hand_of(stage: StageBase) -> str:
    if hand := getattr(stage, "hand", ""):
        return f"{hand}-handed"
    return "helical: of its own hand" if getattr(stage, "helix", 0.0) else ""


def checklist(build: Build, rig: Rig, plan: Plan, outlook: Outlook) -> list[str]:
    """What to go through before power: the rig's own list, then what this plan asks for."""
    return [c.text for c in rig.checks] + list(_of_plan(build, rig, plan, outlook))


def _of_plan(build: Build, rig: Rig, plan: Plan, outlook: Outlook) -> Iterator[str]:
    fastest = f"{rig.limits.speed * 30 / math.pi:.0f} rpm"
    if build.has_motor:
        yield f"bench stops at {rig.limits.current:g} A and {fastest}"
    else:
        yield f"who turns it stops at {fastest}"
    if rig.method.HELD or any(s.kind in ("to stall", "to failure") for s in plan.todo):
        yield f"stalls are ended after {rig.limits.stalled_for:g} s"
    for s in spares(build, plan, outlook):
        hand = f", {s.hand}" if s.hand else ""
        if s.wanted > s.have:
            yield f"{s.wanted} spare: {s.part}{hand} ({s.have} listed)"
    if any(s.kind == "to failure" for s in plan.todo):
        yield "a screen between you and what will break"
    if rig.method.weighed() and plan.loads:
        heaviest = max(m.value for m in plan.loads)
        yield f"weights up to {heaviest:.3g} kg at hand, nobody below them"
