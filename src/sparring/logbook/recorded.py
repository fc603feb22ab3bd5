"""Recordings of a logbook: kept beside its database, named in its rows."""

from __future__ import annotations

import re
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import select

from sparring.core.recording import Recording
from sparring.core.run import Run
from sparring.logbook import recordings
from sparring.logbook.database import LogbookError
from sparring.logbook.derived import Derived
from sparring.logbook.rows import Rows
from sparring.logbook.stored import KeptRecording, StoredRun
from sparring.logbook.tables import CharacterisationRow, RunRow, SettingRow

_RECORDING = re.compile(r"[0-9a-f]+\.parquet")


class Recorded(Rows):
    """What a logbook does with recordings."""

    def recordings_named(self) -> set[str]:
        """Names of recordings that runs or parts have or settings speak of."""
        with self._session() as s:
            names = {str(name) for name in s.scalars(select(RunRow.recording)) if name}
            for column in (SettingRow.value, CharacterisationRow.record):
                names = names.union(*map(_RECORDING.findall, s.scalars(select(column))))
            return names

    def run_with(self, test_id: int, recording: str) -> int | None:
        """The run of a test that has this recording."""
        with self._session() as s:
            return s.scalar(
                select(RunRow.id).where(RunRow.test_id == test_id, RunRow.recording == recording)
            )

    def keep_recording(self, recording: Recording, note: dict[str, Any]) -> str:
        """Writes a recording beside the others; its name. Raises LogbookError when it cannot be
        written.
        """
        try:
            return recordings.write(self.folder / "recordings", recording, note)
        except OSError as err:
            raise LogbookError(f"the recording cannot be written: {err.strerror or err}") from err

    def recording(self, name: str) -> Recording:
        """Raises RecordingError when the file is missing or damaged. name: "" of a run that was
        read by a person.
        """
        if not name:
            return Recording.nothing()
        return recordings.read(self.folder / "recordings" / Path(name).name)

    def material(self, runs: Sequence[StoredRun]) -> list[tuple[Run, KeptRecording]]:
        """Runs that count, with functions that read their recordings, as the
        reductions want them."""
        return [(r.run, KeptRecording(r.recording, self.recording)) for r in runs if not r.struck]

    @property
    def derived(self) -> Derived:
        """Where the points of its runs are kept."""
        return Derived(self.folder)

    def capture_path(self) -> Path:
        """Where the next capture may write its stream."""
        return self.folder / "recordings" / f"{uuid.uuid4().hex}.arrow"
