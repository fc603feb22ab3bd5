"""Builds, rigs and plans as JSON files with units, and their schemas."""

from __future__ import annotations

import contextlib
import json
from functools import partial
from pathlib import Path
from typing import TypeVar

from sparring.core.build import Build
from sparring.core.duty.record import Duty
from sparring.core.endurance import Endurance
from sparring.core.instruments.devices import DeviceSet
from sparring.core.plan import Plan
from sparring.core.records import Record, RecordError
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.wear.inspection import Inspection, Inspections

SCHEMAS: dict[str, type[Record]] = {
    "build": Build,
    "rig": Rig,
    "plan": Plan,
    "run": Run,
    "devices": DeviceSet,
    "endurance": Endurance,
    "inspection": Inspection,
    "duty": Duty,
    "inspections": Inspections,
}
_LARGEST = 5_000_000

R = TypeVar("R", bound=Record)


def load(path: Path, record: type[R]) -> R:
    """Reads a record file. Raises RecordError: the file, the place in it, what was seen, what to
    do.
    """
    try:
        if path.exists() and not path.is_file():
            raise RecordError(f"{path} is a pipe, a device or a folder: save it as a file first")
        if path.stat().st_size > _LARGEST:
            raise RecordError(
                f"{path}: {path.stat().st_size} bytes are too large for a "
                f"{record.__name__.lower()} file"
            )
        text = path.read_bytes().removeprefix(b"\xef\xbb\xbf")
    except OSError as err:
        raise RecordError(f"{path}: {err.strerror or err}") from err
    # what is no JSON is told with its place below
    with contextlib.suppress(json.JSONDecodeError, UnicodeDecodeError, RecursionError):
        json.loads(text, object_pairs_hook=partial(_once, path))
    return record.from_json(text, str(path))


def _once(path: Path, pairs: list[tuple[str, object]]) -> None:
    """One of two figures under one name would be dropped without a word."""
    names = [name for name, _ in pairs]
    if twice := next((n for n in names if names.count(n) > 1), None):
        raise RecordError(f"{path}: “{twice[:60]}” occurs twice in one record; delete one of them")


def save(path: Path, record: Record) -> None:
    """Writes a record file, whole or not at all. Raises RecordError when the disk refuses."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(record.to_json() + "\n", encoding="utf-8")
        part.replace(path)
    except OSError as err:
        raise RecordError(f"{path}: {err.strerror or err}") from err
