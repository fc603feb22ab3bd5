"""Logs as text: figures in columns, whatever parts them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from sparring.exchange.formats import Columns, LogFormat

if TYPE_CHECKING:
    from sparring.core.recording import Recording
    from sparring.files.log_look import LogLook


def look(path: Path) -> LogLook:
    """What seems to be in a file. Raises LogError."""
    from sparring.files import log_look

    return log_look.look(path)


def read(
    seen: LogLook, columns: Columns | None, progress: Callable[[float], None]
) -> tuple[Recording, list[str]]:
    """What is in it, and remarks. Raises LogError."""
    from sparring.files import log_files

    return log_files.read(seen, columns, progress)


IMPORT = LogFormat("text-log", "Logs", (".csv", ".tsv", ".txt", ".log"), look=look, read=read)
