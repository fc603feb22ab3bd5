"""What the store gives: a test, a run, a recording that is read when it is wanted."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, NamedTuple

from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.run import Run


class StoredTest(NamedTuple):
    """A test in the logbook. headline: derived figures shown in lists, None until derived."""

    id: int
    build_id: int
    rig_id: int
    title: str
    plan: Plan
    created: datetime
    headline: dict[str, Any] | None
    runs: int


class StoredRun(NamedTuple):
    """A run in the logbook, and the name of its recording; "": it was read by a person."""

    id: int
    test_id: int
    run: Run
    recording: str
    struck: bool


@dataclass(frozen=True)
class KeptRecording:
    """A recording of a logbook, read when it is called. read: does it, by the name."""

    name: str
    read: Callable[[str], Recording]

    def __call__(self) -> Recording:
        """Raises RecordingError when the file is missing or damaged."""
        return self.read(self.name)


def moment(stored: Any) -> datetime:
    """A moment as the database gives it; one may drop the zone. Raises ValueError."""
    moment = stored if isinstance(stored, datetime) else datetime.fromisoformat(str(stored))
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


def headline_said(text: str) -> tuple[datetime, dict[str, Any] | None]:
    at = text.index(" {") if " {" in text else text.rindex(" ")
    return moment(text[:at]), json.loads(text[at:])
