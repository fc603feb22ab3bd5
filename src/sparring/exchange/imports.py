"""Everything that can be read. A further format is a module in `into` and a line here."""

from __future__ import annotations

from pathlib import Path

from sparring.exchange.formats import LogFormat, RecordFormat, RunsFormat
from sparring.exchange.into import by_eye, record_file, text_log

IMPORTS: tuple[LogFormat | RunsFormat | RecordFormat, ...] = (
    text_log.IMPORT,
    by_eye.IMPORT,
    record_file.IMPORT,
)
LOGS = tuple(i for i in IMPORTS if isinstance(i, LogFormat))


def format_of(path: Path) -> LogFormat | RunsFormat | RecordFormat:
    """The format of a file by its head where that tells, else by its ending; a log where that says
    nothing either.
    """
    told = (i for i in IMPORTS if isinstance(i, RunsFormat) and i.fits(path))
    ending = (i for i in IMPORTS if path.suffix.lower() in i.suffixes)
    return next(told, None) or next(ending, LOGS[0])


def log_format(path: Path) -> LogFormat:
    """The same among logs."""
    return next((i for i in LOGS if path.suffix.lower() in i.suffixes), LOGS[0])
