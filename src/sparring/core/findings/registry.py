"""How the rules are collected."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from sparring.core.finding import Finding, Peer
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult

Rule = Callable[[TestResult, Inputs, Sequence[Peer]], Iterable[Finding]]
RULES: list[Rule] = []


def rule(function: Rule) -> Rule:
    """Registers a rule."""
    RULES.append(function)
    return function
