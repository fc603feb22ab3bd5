"""The events of runs as JSON: SI numbers with the unit in the name."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sparring.core.build import Build
from sparring.core.events import Event, in_words
from sparring.core.rig import Rig
from sparring.core.run import Run


def to_dict(build: Build, rig: Rig, runs: Sequence[tuple[Run, Sequence[Event]]]) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    return {
        "format": "sparring.events/1",
        "build": build.name,
        "rig": rig.name,
        "runs": [
            {
                "step": run.step,
                "repeat": run.repeat,
                "start_s": run.start,
                "stop_s": run.stop,
                "events": [one(e) for e in events],
            }
            for run, events in runs
        ],
    }


def one(e: Event) -> dict[str, Any]:
    """A single event, as the document has it."""
    return {
        "id": e.id,
        "severity": e.severity,
        "title": e.title,
        "at_s": e.at,
        "until_s": e.until,
        "seen": in_words(e),
        "facts": {name: {"value": f.value, "kind": f.kind} for name, f in e.facts.items()},
    }
