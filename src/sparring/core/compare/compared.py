"""All that follows from a comparison."""

from __future__ import annotations

from dataclasses import dataclass

from sparring.core.compare.comparison import Comparison
from sparring.core.compare.crossing import Crossing
from sparring.core.compare.effects import Effects
from sparring.core.finding import Finding


@dataclass(frozen=True)
class Compared:
    """effects: None where there are none, for the reason why_not; crossings: (subject, other,
    where), of each with the reference, or of all pairs; findings: worst first.
    """

    comparison: Comparison
    effects: Effects | None
    why_not: str
    crossings: tuple[tuple[int, int, Crossing], ...]
    findings: tuple[Finding, ...] = ()
