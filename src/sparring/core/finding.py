"""What a finding is: a judgement with its evidence, its reason, likely causes and what to try."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Literal, NamedTuple, TypeVar

from sparring.core import quantity
from sparring.core.uncertainty import Uncertain, nominal, std

Severity = Literal["wrong", "caution", "note", "good"]
SEVERITY = {"wrong": "error", "caution": "caution", "note": "note", "good": "good"}
"""As a severity is shown; files keep its id."""
ORDER: dict[str, int] = {"wrong": 0, "caution": 1, "note": 2, "good": 3}


class Fact(NamedTuple):
    """A figure that a finding rests on: SI value, standard uncertainty, kind of quantity."""

    value: float
    kind: str
    u: float = 0.0
    digits: int | None = (
        None  # significant ones to show; None: as the uncertainty warrants, else four
    )

    @classmethod
    def of(cls, x: Uncertain, kind: str) -> Fact:
        return cls(nominal(x), kind, std(x))


@dataclass(frozen=True, kw_only=True)
class Finding:
    """A judgement. seen: text with {facts} in braces; why: it matters; causes: likely ones;
    remedies: what to try; steps, place (`rig.method.drum_radius`): where the evidence is shown.
    """

    id: str
    severity: Severity
    title: str
    seen: str
    why: str
    causes: tuple[str, ...] = ()
    remedies: tuple[str, ...] = ()
    facts: Mapping[str, Fact] = field(default_factory=dict)
    steps: tuple[int, ...] = ()
    place: str = ""


def noted(
    id: str,
    severity: Severity,
    *,
    title: str,
    seen: str,
    why: str,
    causes: tuple[str, ...] = (),
    remedies: tuple[str, ...] = (),
    steps: tuple[int, ...] = (),
    place: str = "",
    **facts: Fact | tuple[Uncertain, str],
) -> Finding:
    """A finding with its facts by name: (value, kind), the value with or without uncertainty, or a
    Fact.
    """
    return Finding(
        id=id,
        severity=severity,
        title=title,
        seen=seen,
        why=why,
        causes=causes,
        remedies=remedies,
        facts={k: v if isinstance(v, Fact) else Fact.of(*v) for k, v in facts.items()},
        steps=steps,
        place=place,
    )


F = TypeVar("F", bound=Callable[..., Any])


def of_motor(rule: F) -> F:
    """Marks a rule that speaks of the motor or its supply: of a drive that has none it says
    nothing.
    """
    rule.of_motor = True  # type: ignore[attr-defined]
    return rule


def applies(rule: Callable[..., Any], *, has_motor: bool) -> bool:
    """Whether a rule has to do with a drive."""
    return has_motor or not hasattr(rule, "of_motor")


class PeerStep(NamedTuple):
    """A step of another test: output torque [N·m], gearbox efficiency, standard uncertainty of its
    repeats alone, lifts; shared: what each input common to all its runs adds to the efficiency,
    signed (k = 1), by the input's key.
    """

    torque: float
    gearbox: float
    random: float
    lifts: int
    shared: Mapping[str, float] = MappingProxyType({})


class Peer(NamedTuple):
    """Another test, to compare with."""

    name: str
    steps: tuple[PeerStep, ...]
    method: str = ""
    same_build: bool = False
    same_rig: bool = False


def explain(finding: Finding, units: Mapping[str, str] | None = None) -> str:
    """The finding's `seen` with its figures in the chosen units (kind -> unit)."""
    units = units or {}
    shown = {}
    for name, fact in finding.facts.items():
        unit = units.get(
            fact.kind, "%" if fact.kind == "ratio" else quantity.kind_of(fact.kind).default
        )
        plain = 1 if fact.kind == "ratio" else None
        if fact.digits is not None and fact.value:
            scaled = abs(quantity.from_si(fact.value, unit, fact.kind))
            plain = max(0, fact.digits - 1 - math.floor(math.log10(scaled))) if scaled else None
        shown[name] = quantity.show(
            fact.value, fact.kind, unit, u=fact.u or None, decimals=None if fact.u else plain
        )
    return finding.seen.format(**shown)
