"""Tables of what a person read: a line a run, as a spreadsheet writes them.

Columns by their names: `weight`, `ended` (`lifted` or `stalled`; empty: lifted), `broke`,
`noticed`, `happened` (ids of events), and the fields of `ByEye` (`turned`, `travel`, `time`,
`speed`, `voltage` …). A figure has its unit in its cell or, in brackets, in its column's head, and
its ± (95 %) in its cell: `1586 ± 5`, `0.50 kg`.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Sequence
from pathlib import Path

from pydantic import ValidationError

from sparring.core import quantity
from sparring.core.by_eye import ByEye, reading
from sparring.core.events import DETECTORS, seen_by_a_person, with_seen
from sparring.core.quantity import Measured
from sparring.core.records import Q, RecordError, problems
from sparring.core.reduce.split import nominal_voltages
from sparring.core.run import Run
from sparring.files.table_files import as_shown, head_of, lines_of, too_wide

_WEIGHT = "weight"
_ENDS = {"": "top", "lifted": "top", "ran": "top", "stalled": "stalled"}
_FIELDS = tuple(name for _, name in ByEye.FIELDS)
_SAID = ("ended", "broke", "noticed", "happened")
_COLUMNS = (_WEIGHT, *_FIELDS, *_SAID)


def _marker(column: str) -> Q:
    found = Run.quantity("load") if column == _WEIGHT else ByEye.quantity(column)
    assert found is not None
    return found


def fits(path: Path) -> bool:
    """Whether a file is such a table: by `ended` among its heads, which no logger writes."""
    try:
        with open(path, encoding="utf-8-sig") as f:
            first = f.readline(2000)
    except (OSError, UnicodeDecodeError):
        return False
    return "ended" in {cell.strip().lower() for cell in re.split("[\t;,]", first)}


def read(path: Path, rated: float = 0.0) -> list[Run]:
    """The runs of a table; those of the same weight are one step, the lightest first. rated: the
    motor's own voltage [V], at which they were made where the table names none. Raises RecordError
    that says line, column, what was seen and what to write.
    """
    lines = lines_of(path)
    columns = head_of(path, lines[0][1], _COLUMNS)
    wrong: list[str] = []
    runs = []
    for n, cells in lines[1:]:
        try:
            runs.append(_run(columns, cells, rated))
        except ValueError as err:
            wrong += [f"{path}, line {n}: {line}" for line in str(err).splitlines()]
    if wrong:
        raise RecordError("\n".join(wrong))
    return _numbered(runs, rated)


def _run(columns: list[tuple[str, str]], cells: list[str], rated: float) -> Run:
    """One line. rated: voltage of the motor. Raises ValueError, a line a problem."""
    if wide := too_wide(columns, cells):
        raise ValueError(wide)
    told: dict[str, Measured] = {}
    said = dict.fromkeys(_SAID, "")
    wrong = []
    for (name, unit), cell in zip(columns, cells, strict=False):
        text = cell.strip()
        if not text or not name:
            continue
        if name in said:
            said[name] = text
            continue
        marker = _marker(name)
        try:
            told[name] = reading(text, marker.kind, unit or None)
            marker.check(told[name].value)
        except quantity.QuantityError as err:
            wrong.append(f"{name}: {err}")
    if said["ended"].lower() not in _ENDS:
        wrong.append(f"ended: {said['ended']!r} must be lifted or stalled")
    happened = _words(said["happened"])
    if unknown := [w for w in happened if w not in DETECTORS]:
        wrong.append(f"happened: {unknown[0]!r} is not one of {', '.join(DETECTORS)}")
    if wrong:
        raise ValueError("\n".join(wrong))
    load = told.pop(_WEIGHT, None)
    try:
        seen = ByEye.model_validate({**told, "noticed": _words(said["noticed"])})
    except ValidationError as err:
        raise ValueError(problems(err, "").replace("the whole record: ", "")) from err
    run = Run(
        load=load,
        voltage=rated,
        source="eye",
        ended=_ENDS[said["ended"].lower()],
        broke=said["broke"],
        read=seen,
    )
    return with_seen(run, [seen_by_a_person(id) for id in happened])


def _words(cell: str) -> tuple[str, ...]:
    return tuple(w.strip() for w in cell.lower().split(",") if w.strip())


def _numbered(runs: Sequence[Run], rated: float) -> list[Run]:
    """A step is a weight at a voltage."""
    read = [r.read.voltage if r.read is not None else None for r in runs]
    loads = [r.load.value if r.load is not None else 0.0 for r in runs]
    measured = [math.nan if v is None else v.value for v in read]
    volts = nominal_voltages(measured, (), loads, rated=rated)
    each = [
        (v, r.load.value if r.load is not None else 0.0) for v, r in zip(volts, runs, strict=True)
    ]
    steps = sorted(set(each))
    counts: dict[int, int] = {}
    numbered = []
    for r, does in zip(runs, each, strict=True):
        step = steps.index(does)
        counts[step] = counts.get(step, 0) + 1
        update = {"step": step, "repeat": counts[step], "voltage": does[0]}
        numbered.append(r.model_copy(update=update))
    return numbered


def text_of(runs: Sequence[Run]) -> str:
    """The table of those runs that a person read; what `read` reads."""
    read_ones = [r for r in runs if r.read is not None]
    used = [c for c in _FIELDS if any(getattr(r.read, c) is not None for r in read_ones)]
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow([_WEIGHT, *used, *_SAID])
    for r in read_ones:
        figures = [r.load, *(getattr(r.read, c) for c in used)]
        cells = [
            "" if m is None else quantity.measured_text(m, q.kind, q.file_unit)
            for m, q in zip(figures, map(_marker, (_WEIGHT, *used)), strict=True)
        ]
        noticed = "" if r.read is None else ", ".join(r.read.noticed)
        ended = "stalled" if r.ended == "stalled" else "lifted"
        happened = ", ".join(e.id for e in r.events)
        table.writerow([as_shown(c) for c in (*cells, ended, r.broke, noticed, happened)])
    return out.getvalue()
