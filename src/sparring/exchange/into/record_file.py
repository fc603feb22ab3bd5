"""Files of builds and rigs."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

from sparring.exchange.formats import RecordFormat

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig


def load(path: Path) -> Build | Rig:
    """The record that the file's `version` names; a build where it names none. Raises
    RecordError.
    """
    from sparring.core.build import Build
    from sparring.core.records import RecordError
    from sparring.core.rig import Rig
    from sparring.files import record_files

    try:
        said = json.loads(path.read_text(encoding="utf-8-sig"))
    except (OSError, ValueError, RecursionError):
        said = None  # told with its place below
    version = str(said.get("version", "")) if isinstance(said, dict) else ""
    if version.startswith("sparring.rig/"):
        return record_files.load(path, Rig)
    if version.startswith(("sparring.plan/", "sparring.run/")):
        kind = version.removeprefix("sparring.").partition("/")[0]
        raise RecordError(
            f"{path} is a {kind}; only builds and rigs can be imported into a logbook"
        )
    return record_files.load(path, Build)


IMPORT = RecordFormat("record-file", "Build and rig files", (".json",), load)
