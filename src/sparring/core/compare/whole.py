"""A comparison with all that follows from it: differences, effects, crossings, judgements."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sparring.core.compare import observed
from sparring.core.compare.compared import Compared
from sparring.core.compare.comparison import Comparison, compare
from sparring.core.compare.crossing import Crossing, crossings, may_cross, over_torque
from sparring.core.compare.effects import effects_of
from sparring.core.compare.figures import At
from sparring.core.compare.subject import Subject
from sparring.core.compare.why import judge

_MOST_CURVES = 12  # beyond which curves are not held against each other over the load


def compared(
    subjects: Sequence[Subject],
    at: At,
    *,
    figure: str = "gearbox",
    reference: int | None = None,
    margin: float | None = None,
    factors: Sequence[str] | None = None,
    interactions: Sequence[tuple[str, str]] = (),
) -> Compared:
    """As `comparison.compare` and `effects.effects_of`. Raises ValueError for an unknown figure."""
    side = compare(subjects, at, figure=figure, reference=reference, margin=margin)
    effects, why_not = None, ""
    try:
        effects = effects_of(
            subjects, at, figure=figure, factors=factors, interactions=interactions
        )
    except ValueError as err:
        why_not = str(err)
    found = Compared(side, effects, why_not, _crossings(side))
    return replace(found, findings=tuple(judge(found)))


def _crossings(side: Comparison) -> tuple[tuple[int, int, Crossing], ...]:
    if side.figure.id not in observed.BY_ID or len(side.subjects) > _MOST_CURVES:
        return ()
    many = range(len(side.subjects))
    pairs = [
        (a, b)
        for b in many
        for a in many
        if (b == side.reference if side.reference is not None else b < a) and a != b
    ]
    found = []
    for a, b in pairs:
        if not may_cross(side.subjects[a], side.subjects[b], side.figure.id, side.at.voltage):
            continue
        over = over_torque(side.subjects[a], side.subjects[b], side.figure.id, side.at.voltage)
        if over is not None:
            found += [(a, b, c) for c in crossings(over)]
    return tuple(found)
