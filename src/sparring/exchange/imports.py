"""Everything that can be read. A further format is a module in `into` and a line here."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.importing import LogFormat, RecordFormat
from sparring.exchange.into import record_file, text_log

IMPORTS: tuple[LogFormat | RecordFormat, ...] = (text_log.IMPORT, record_file.IMPORT)
LOGS = tuple(i for i in IMPORTS if isinstance(i, LogFormat))


def format_of(path: Path) -> LogFormat | RecordFormat:
    """The format of a file by its ending; a log where the ending says nothing."""
    return next((i for i in IMPORTS if path.suffix.lower() in i.suffixes), LOGS[0])


def log_format(path: Path) -> LogFormat:
    """The same among logs."""
    return next((i for i in LOGS if path.suffix.lower() in i.suffixes), LOGS[0])
