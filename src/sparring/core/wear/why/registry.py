"""How the rules are collected, and what several of them ask."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.wear.inspection import Inspection, Seen
from sparring.core.wear.parts import Gear, gears_of
from sparring.core.wear.result import Wear

Rule = Callable[[Build, Wear], Iterable[Finding]]
RULES: list[Rule] = []
FLANK_WEAR = (
    "abrasive",
    "adhesive",
    "scuffing",
    "micropitting",
    "macropitting",
    "melted",
    "cold-flow",
    "rippling",
)
"""Modes that load wears into a flank."""
BROKEN = (
    "broken-root",
    "broken-end",
    "overload",
    "fatigue-fracture",
    "flank-fracture",
    "layers-parted",
    "split-from-corner",
)


def rule(function: Rule) -> Rule:
    """Registers a rule."""
    RULES.append(function)
    return function


def newest(wear: Wear) -> Inspection:
    """The last look."""
    return wear.given.inspections[wear.looks.order[-1]]


def harm(wear: Wear, *modes: str) -> list[Seen]:
    """What the last look saw of these modes (any, where none is named), traces apart."""
    return [s for s in newest(wear).seen if s.severity > 0 and (not modes or s.mode in modes)]


def gear_of(build: Build, part: str) -> Gear | None:
    """The gear that an observation is of."""
    return next((g for g in gears_of(build) if part in (g.name, g.body)), None)


def place(part: str) -> str:
    """Where a part is looked at."""
    return f"wear.part.{part}"


def numbers(teeth: Iterable[int]) -> str:
    """`3 to 5, 8`."""
    runs: list[list[int]] = []
    for t in sorted(set(teeth)):
        if runs and t == runs[-1][-1] + 1:
            runs[-1].append(t)
        else:
            runs.append([t])
    return ", ".join(
        str(r[0]) if len(r) == 1 else f"{r[0]}, {r[1]}" if len(r) == 2 else f"{r[0]} to {r[-1]}"
        for r in runs
    )
