"""Judgements on a test. A rule is one small function in a module of this folder, registered by
`@rule`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sparring.core.finding import ORDER, Finding, Peer, applies
from sparring.core.findings import (
    efficiency,
    electrical,
    method,
    motors,
    repeats,
    rig,
    speed,
    stall,
)
from sparring.core.findings.registry import RULES
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult

_MODULES = (
    efficiency,
    electrical,
    method,
    motors,
    repeats,
    rig,
    speed,
    stall,
)  # they register their rules themselves


def judge(result: TestResult, inputs: Inputs, peers: Sequence[Peer] = ()) -> list[Finding]:
    """All findings on a result, worst first."""
    parts = [result.at(level) for level in result.levels] or [result]
    found: list[Finding] = []
    for part in parts:
        voltage = part.levels[0].voltage if len(parts) > 1 else None
        rules = [r for r in RULES if applies(r, has_motor=result.build.has_motor)]
        for f in (f for check in rules for f in check(part, inputs, peers)):
            _join(found, f, voltage)
    return sorted(found, key=lambda f: ORDER[f.severity])


def _join(found: list[Finding], f: Finding, voltage: float | None) -> None:
    """Adds a finding of one voltage [V]; one that is said of another already is said once, with the
    steps of both.
    """
    same = next(
        (n for n, g in enumerate(found) if (g.id, g.place) == (f.id, f.place) and _alike(f, g)),
        None,
    )
    if voltage is None:
        found.append(f)
    elif same is None:
        found.append(replace(f, title=f"{f.title}, {voltage:g} V" if f.steps else f.title))
    else:
        worst = min((found[same], f), key=lambda x: ORDER[x.severity])
        steps = tuple(sorted({*found[same].steps, *f.steps}))
        found[same] = replace(worst, steps=steps)


def _alike(a: Finding, b: Finding) -> bool:
    """Whether two say the same, but perhaps of other steps: what is said of no step, or of a part
    of the bench, holds at any voltage.
    """
    return not a.steps or bool(a.place) or a.facts == b.facts
