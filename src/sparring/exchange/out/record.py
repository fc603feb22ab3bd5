"""Records as files with units."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from sparring.exchange.export import Export, text_file

if TYPE_CHECKING:
    from sparring.core.build import Build


def write(source: Build, path: Path) -> None:
    """The record's own text."""
    text_file(path, source.to_json() + "\n")


BUILD = Export("build-file", "Build file", "Build", suffix=".json", write=write)
