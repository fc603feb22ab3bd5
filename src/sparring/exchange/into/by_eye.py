"""Tables of what a person read, a line a run."""

from __future__ import annotations

from sparring.exchange.importing import RunsFormat
from sparring.files import eye_files

IMPORT = RunsFormat(
    "by-eye", "Readings by eye", (".csv", ".tsv"), fits=eye_files.fits, read=eye_files.read
)
