"""Records as files with units."""

from __future__ import annotations

from pathlib import Path

from sparring.core.build import Build
from sparring.exchange.export import Export, text_file


def write(source: Build, path: Path) -> None:
    """The record's own text."""
    text_file(path, source.to_json() + "\n")


BUILD = Export("build-file", "Build file", Build, suffix=".json", write=write)
