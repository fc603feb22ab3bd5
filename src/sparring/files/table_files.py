"""Small tables of a spreadsheet: a head and lines, parted by tab, semicolon or comma."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

from sparring.core.records import RecordError

_MOST = 10_000  # lines

Lines = list[tuple[int, list[str]]]
"""(number in the file, its cells) of each line that holds anything; the head first."""


def lines_of(path: Path) -> Lines:
    """Raises RecordError where it is not text, or has no line under its head or too many."""
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as err:
        raise RecordError(f"{path} is not a text file: save the table as CSV in UTF-8") from err
    first, _, _ = text.partition("\n")
    between = max(("\t", ";", ","), key=first.count)
    read = csv.reader(io.StringIO(text), delimiter=between)
    lines = []
    try:
        for n, cells in enumerate(read, start=1):
            if any(c.strip() for c in cells):
                lines.append((n, [as_written(c) for c in cells]))
    except csv.Error as err:  # a cell of more than 131 072 characters
        raise RecordError(
            f"{path}, line {read.line_num}: {err}; is a quotation mark missing?"
        ) from err
    if len(lines) < 2 or len(lines) > _MOST:
        raise RecordError(
            f"{path} holds {max(len(lines) - 1, 0)} lines of readings; a header and 1 to "
            f"{_MOST} lines are needed"
        )
    return lines


_RUNS = ("=", "+", "-", "@", "\t", "\r")
# a figure with its ± and unit is no formula
_FIGURE = re.compile(r"[-+]?\d[\d.]*(?:[eE][-+]?\d+)?(?: ± \d[\d.eE+-]*)?(?: [^\s=+@|!(),;]+)*")


def as_shown(cell: str) -> str:
    """A text that a spreadsheet shows, and does not run as a formula; `as_written` takes it
    back.
    """
    risky = cell.lstrip("'").startswith(_RUNS) and not _FIGURE.fullmatch(cell)
    return f"'{cell}" if risky else cell


def as_written(cell: str) -> str:
    """What `as_shown` was given."""
    return cell[1:] if cell.startswith("'") and cell.lstrip("'").startswith(_RUNS) else cell


def head_of(path: Path, cells: list[str], known: tuple[str, ...]) -> list[tuple[str, str]]:
    """(column, unit where the head has one in brackets); "": a column without a name. Raises
    RecordError where one is unknown or there twice.
    """
    columns = []
    for cell in cells:
        name, _, unit = cell.strip().rstrip(")]").partition("[" if "[" in cell else "(")
        columns.append((re.sub(r"[\s-]+", "_", name.strip().lower()), unit.strip()))
    names = [name for name, _ in columns]
    unknown = [name for name in names if name and name not in known]
    twice = sorted({name for name in names if name and names.count(name) > 1})
    if unknown or twice:
        seen = f"unknown: {', '.join(unknown)}" if unknown else f"twice: {', '.join(twice)}"
        raise RecordError(f"{path}, line 1: columns {seen}; known columns are {', '.join(known)}")
    return columns


def too_wide(columns: list[tuple[str, str]], cells: list[str]) -> str:
    """What is wrong with a line that has more cells than the head; "": it has not."""
    if not any(c.strip() for c in cells[len(columns) :]):
        return ""
    return (
        f"{len(cells)} cells under {len(columns)} headings; with decimal commas, separate "
        "columns by semicolons"
    )
