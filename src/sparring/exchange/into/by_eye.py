"""Tables of what a person read, a line a run."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from sparring.exchange.formats import RunsFormat

if TYPE_CHECKING:
    from sparring.core.run import Run


def fits(path: Path) -> bool:
    """Whether a file is such a table."""
    from sparring.files import eye_files

    return eye_files.fits(path)


def read(path: Path, rated: float) -> list[Run]:
    """Its runs. Raises RecordError."""
    from sparring.files import eye_files

    return eye_files.read(path, rated)


IMPORT = RunsFormat("by-eye", "Readings by eye", (".csv", ".tsv"), fits=fits, read=read)
