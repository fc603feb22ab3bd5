"""An event of a run: something that happened at a moment, with what shows it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

from sparring.core import quantity
from sparring.core.events.watched import Watched
from sparring.core.finding import Fact, Severity


class Event(NamedTuple):
    """id: for good; from `at` to `until` [s] of the recording's clock; seen: text with {facts} in
    braces.
    """

    id: str
    title: str
    severity: Severity
    at: float
    until: float
    seen: str
    facts: Mapping[str, Fact]


Found = Iterable[tuple[float, float, str, Mapping[str, Fact]]]
"""What a detector gives of each event: at, until, seen, facts."""
Find = Callable[[Watched], Found]


class Detector(NamedTuple):
    """id, title, severity: of its events; find: looks for them."""

    id: str
    title: str
    severity: Severity
    find: Find


DETECTORS: dict[str, Detector] = {}


def detector(id: str, title: str, severity: Severity) -> Callable[[Find], Find]:
    """Registers a detector: one small function, whose docstring says what it looks for."""

    def register(find: Find) -> Find:
        DETECTORS[id] = Detector(id, title, severity, find)
        return find

    return register


def in_words(event: Event) -> str:
    """What was seen, with its figures in their usual units."""
    shown = {
        name: quantity.show(
            f.value,
            f.kind,
            "%" if f.kind == "ratio" else quantity.kind_of(f.kind).default,
            decimals=0 if f.kind == "ratio" else None,
        )
        for name, f in event.facts.items()
    }
    return event.seen.format(**shown)
