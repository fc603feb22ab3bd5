"""Builds, rigs and plans as JSON files with units, and their schemas."""

from __future__ import annotations

from pathlib import Path
from typing import TypeVar

from sparring.core.build import Build
from sparring.core.plan import Plan
from sparring.core.records import Record, RecordError
from sparring.core.rig import Rig
from sparring.core.run import Run

SCHEMAS: dict[str, type[Record]] = {"build": Build, "rig": Rig, "plan": Plan, "run": Run}
_LARGEST = 5_000_000

R = TypeVar("R", bound=Record)


def load(path: Path, record: type[R]) -> R:
    """Reads a record file. Raises RecordError: the file, the place in it, what was seen, what to do."""
    try:
        if path.stat().st_size > _LARGEST:
            raise RecordError(f"{path}: {path.stat().st_size} bytes are too many for a {record.__name__.lower()} file")
        text = path.read_bytes()
    except OSError as err:
        raise RecordError(f"{path}: {err.strerror or err}") from err
    return record.from_json(text, str(path))


def save(path: Path, record: Record) -> None:
    """Writes a record file, whole or not at all. Raises RecordError when the disk refuses."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(record.to_json() + "\n", encoding="utf-8")
        part.replace(path)
    except OSError as err:
        raise RecordError(f"{path}: {err.strerror or err}") from err
