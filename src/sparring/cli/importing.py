"""What `sparring import` does."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sparring.core.build import Build
from sparring.core.plan import standard
from sparring.core.records import changed
from sparring.exchange.formats import Columns, LogFormat, RecordFormat
from sparring.exchange.importing import import_log, import_runs
from sparring.exchange.imports import format_of
from sparring.logbook import Logbook, LogbookError


def take_in(
    logbook: Path, file: Path, build: str, rig: str, columns: Columns | None
) -> dict[str, Any]:
    """The document of `sparring import --json`. Raises LogbookError, LogError, RecordError,
    ReductionError.
    """
    form = format_of(file)
    document: dict[str, Any] = {
        "format": "sparring.import/1",
        "test": None,
        "build": None,
        "rig": None,
        "runs": 0,
    }
    with Logbook(logbook, create=isinstance(form, RecordFormat)) as book:
        if not isinstance(form, RecordFormat):
            build_id = _named([(i, b.name) for i, b in book.builds()], build, "build")
            rig_id = _named([(i, r.name) for i, r in book.rigs()], rig, "rig")
            to: dict[str, Any] = {
                "build_id": build_id,
                "rig_id": rig_id,
                "plan": standard(book.build(build_id)),
            }
            test, remarks = (
                import_log(book, form, form.look(file), columns, **to)
                if isinstance(form, LogFormat)
                else import_runs(book, form, file, **to)
            )
            return {
                **document,
                "test": test,
                "build": book.build(build_id).name,
                "rig": book.rig(rig_id).name,
                "runs": len(book.runs(test)),
                "remarks": remarks,
            }
        record = form.load(file)
        if isinstance(record, Build):
            if any(b.name == record.name for _, b in book.builds()):
                record = changed(record, ("revision",), book.next_revision(record.family))
            book.save_build(record)
            return {**document, "build": record.name, "remarks": []}
        record = changed(record, ("name",), book.free_rig_name(record.name))
        book.save_rig(record)
        return {**document, "rig": record.name, "remarks": []}


def _named(there: list[tuple[int, str]], name: str, what: str) -> int:
    """The number of the one of that name; without one, of the only one."""
    if not name and len(there) == 1:
        return there[0][0]
    found = next((i for i, n in there if n == name), None)
    if found is None:
        names = ", ".join(n for _, n in there) or "none"
        raise LogbookError(f"choose the {what} with --{what}: this logbook has {names}")
    return found
