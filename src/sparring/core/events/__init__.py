"""What happened in a run: stalls, jams, slips, skips, breakages; supplies and sensors that fail.
Each detector is one small function in a module of this folder, registered by `@detector`.
"""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from typing import Any

import numpy as np

from sparring.core.build import Build
from sparring.core.events import drive, sensors, supply
from sparring.core.events.event import DETECTORS, Detector, Event, in_words
from sparring.core.events.watched import Watched
from sparring.core.happening import Happening
from sparring.core.methods import Drawbar
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import part_of
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.train.kinds import ClutchStage

_MODULES = (drive, sensors, supply)  # they register their detectors themselves


def detect(build: Build, rig: Rig, run: Run, log: Recording) -> list[Event]:
    """All events of one run, in their order. log: its recording, or one that holds it among
    others.
    """
    recording = part_of(run, log)
    watched = Watched(build, rig, run, recording, None if recording is log else log).around
    if len(recording) < 8:
        return []
    with np.errstate(all="ignore"):  # of what was not read there is no quotient
        found = [
            Event(d.id, d.title, d.severity, at, until, seen, facts)
            for d in DETECTORS.values()
            for at, until, seen, facts in d.find(watched)
        ]
    return sorted(found, key=lambda e: (e.at, e.id))


BY_A_PERSON = "Seen by the tester."
"""What shows an event that a person answers for."""
_SEEN = (
    "stall",
    "jam",
    "breakage",
    "skip",
    "slip",
    "cord-slack",
    "cord-layer",
    "clutch-slip",
    "traction-loss",
    "motor-dropped-out",
    "supply-limit",
    "breaker-trip",
    "brown-out",
)


def answerable(build: Build, rig: Rig) -> list[Detector]:
    """Those that a person can see or hear on this drive and bench, the usual ones first."""
    no = set()
    if not rig.method.CORD:
        no |= {"cord-slack", "cord-layer"}
    if not any(isinstance(s, ClutchStage) for s in build.stages):
        no.add("clutch-slip")
    if not isinstance(rig.method, Drawbar):
        no.add("traction-loss")
    if not build.further_motors:
        no.add("motor-dropped-out")
    if not build.has_motor:
        no |= {"supply-limit", "breaker-trip", "brown-out"}
    return [DETECTORS[id] for id in _SEEN if id not in no]


def seen_by_a_person(id: str, at: float = 0.0) -> Happening:
    """An event of that id, at a moment of the recording's clock [s]. Raises KeyError."""
    d = DETECTORS[id]
    return Happening(id=id, title=d.title, severity=d.severity, at=at, until=at, seen=BY_A_PERSON)


def with_seen(run: Run, events: Sequence[Happening]) -> Run:
    """A run with what a person saw in it beside what was found in its recording; something that
    broke is told as such, also where nobody has looked yet.
    """
    known: dict[str, Any] = {"events": (*run.events, *events)[-_KEPT:]}
    if not run.broke and any(e.id == "breakage" for e in events):
        known["broke"] = NOT_KNOWN
    return run.model_copy(update=known)


NOT_KNOWN = "a part not known yet"
"""That broke in a run, before somebody has looked."""
_KEPT = 200  # events of a run
_MOST = 400_000  # samples that are looked at: a longer recording is no run of one load


def with_events(build: Build, rig: Rig, run: Run, recording: Recording) -> Run:
    """A run with what happened in its part of a recording; without, where a detector fails on it:
    that must not cost the run.
    """
    if len(part_of(run, recording)) > _MOST:
        return run
    try:
        events = detect(build, rig, run, recording)
    except Exception as err:  # whatever it is
        warnings.warn(f"events of a run were not looked for: {err}", stacklevel=2)
        return run
    found = [
        Happening(
            id=e.id,
            title=e.title,
            severity=e.severity,
            at=round(e.at, 4),
            until=round(e.until, 4),
            seen=in_words(e),
        )
        for e in events
    ]
    known: dict[str, Any] = {"events": tuple(found[:_KEPT])}
    if not run.broke and any(e.id == "breakage" for e in found):
        known["broke"] = NOT_KNOWN  # whatever it was: what was measured after it is no efficiency
    return run.model_copy(update=known)


__all__ = [
    "DETECTORS",
    "Detector",
    "Event",
    "answerable",
    "detect",
    "in_words",
    "seen_by_a_person",
    "with_events",
    "with_seen",
]
