"""A part of the demo logbook: what is worked out on any core, and what is kept of it, once.

A part that was begun and not finished is finished later: what is there already is left alone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from sparring.core.plan import Plan
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.rig import Rig
from sparring.core.run import Run

if TYPE_CHECKING:
    from sparring.logbook import Logbook

TARE = Measured(84_120.0, 4.0)
Runs = list[tuple[Run, Recording]]


@dataclass(frozen=True)
class Part:
    """name: of it alone in the demo; make: works it out, and can be sent to another process; keep:
    puts that into the logbook.
    """

    name: str
    make: Callable[[], Any]
    keep: Callable[[Logbook, Any], None]


@dataclass(frozen=True)
class Tested:
    """A test to be kept: of which build on which rig, by their names, and what came of it."""

    build: str
    rig: str
    plan: Plan
    title: str
    created: datetime
    runs: Runs
    headline: dict[str, Any] = field(default_factory=dict)


def keep_test(book: Logbook, made: Tested) -> int:
    """Keeps a test with its runs and its headline; its number."""
    build = next(i for i, b in book.builds() if b.name == made.build)
    rig = next(i for i, r in book.rigs() if r.name == made.rig)
    known = next((t.id for t in book.tests(build) if t.title == made.title), None)
    created = min(made.created, datetime.now(UTC))  # whose clock is behind, has newer ones after
    test = known or book.add_test(build, rig, made.plan, made.title, created)
    there = {(r.run.step, r.run.repeat) for r in book.runs(test, struck=True)}
    for run, recording in made.runs:
        if (run.step, run.repeat) not in there:
            book.add_run(test, run, recording)
    if made.headline:
        book.save_headline(test, made.headline)
    return test


def of_rig(runs: Iterable[tuple[Run, Recording]], rig: Rig, **known: Any) -> Runs:
    """Runs that know the calibration and the instruments of their rig. known: what else they
    know.
    """
    known = {"calibration": rig.calibration, "sensors": rig.sensors} | known
    return [(run.model_copy(update=known), recording) for run, recording in runs]


def at(moment: datetime) -> str:
    """A run's begin as it is written."""
    return moment.isoformat(timespec="seconds")
