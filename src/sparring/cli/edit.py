"""`sparring edit` and `sparring care`: records of a logbook, changed as in the window."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from sparring.core.build import Build
from sparring.core.care import care_notes
from sparring.core.quantity import QuantityError
from sparring.core.records import RecordError, annotation, changed
from sparring.core.revise import Kind, bears_on_results
from sparring.core.rig import Rig
from sparring.logbook import Logbook, LogbookError


def edit_record(
    folder: Path, kind: Kind, name: str, settings: list[tuple[str, str]], wrong_all_along: bool
) -> dict[str, Any]:
    """Changes fields of the build or rig of that name; the document described in docs/formats.md.

    settings: (place, text), the place as in the record file with dots between. With runs, what
    bears on results goes into a new revision (a rig of its own), unless it was wrong all along.
    Raises LogbookError, RecordError.
    """
    with Logbook(folder, create=False) as book:
        found: list[tuple[int, Any]] = [*(book.builds() if kind == "build" else book.rigs())]
        owner, before = next(((i, r) for i, r in found if r.name == name), (0, None))
        if before is None:
            raise LogbookError(
                f"{folder} has no {kind} {name}; it has {', '.join(r.name for _, r in found)}"
            )
        after: Any = before
        for place, text in settings:
            after = _set(after, place, text)
        runs = book.runs_with(kind, owner)
        if runs and bears_on_results(before, after) and not wrong_all_along:
            owner = 0
            if isinstance(after, Build):
                after = changed(after, ("revision",), book.next_revision(after.family))
            else:
                taken = {r.name for _, r in found}
                free = next(
                    n
                    for k in range(1, 10_000)
                    if (n := after.name if k == 1 else f"{after.name} {k}") not in taken
                )
                after = changed(after, ("name",), free)
        kept = (
            len(book.corrections(owner, 0) if kind == "build" else book.corrections(0, owner))
            if owner
            else 0
        )
        owner = (
            book.save_build(after, owner or None)
            if isinstance(after, Build)
            else book.save_rig(after, owner or None)
        )
        corrections = book.corrections(owner, 0) if kind == "build" else book.corrections(0, owner)
        return {
            "format": "sparring.edit/1",
            "kind": kind,
            "of": before.name,
            "kept_as": after.name,
            "runs": runs,
            "corrections": [
                {"field": c.field, "before": c.before, "after": c.after} for c in corrections[kept:]
            ],
        }


def care_of(folder: Path, name: str, by: str, today: str) -> dict[str, Any]:
    """The care notes of a rig and who confirmed them; by: confirms them. Raises LogbookError,
    RecordError.
    """
    with Logbook(folder, create=False) as book:
        rig_id, rig = next(((i, r) for i, r in book.rigs() if r.name == name), (0, None))
        if rig is None:
            raise LogbookError(
                f"{folder} has no rig {name}; it has {', '.join(r.name for _, r in book.rigs())}"
            )
        if by:
            rig = changed(rig, ("care_read",), {"by": by, "on": today, "method": rig.method.kind})
            book.save_rig(rig, rig_id)
        read = rig.care_read if rig.care_confirmed else None
        return {
            "format": "sparring.care/1",
            "rig": rig.name,
            "method": rig.method.kind,
            "notes": list(care_notes(rig.method)),
            "confirmed_by": read.by if read else None,
            "confirmed_on": read.on if read else None,
        }


def _set(record: Build | Rig, place: str, text: str) -> Build | Rig:
    """The record with the field at a place changed to what a text says. Raises RecordError naming
    the place.
    """
    path: tuple[str | int, ...] = tuple(int(p) if p.isdecimal() else p for p in place.split("."))
    try:
        _, _, optional = annotation(record, path)
        value = (
            None if optional and not text else json.loads(text) if text[:1] in ("[", "{") else text
        )
        return changed(record, path, value)
    except (AttributeError, KeyError, IndexError, TypeError) as err:
        raise RecordError(
            f"{place}: there is no such field; write the path as in the record file, with "
            "dots: stages.0.module"
        ) from err
    except (QuantityError, json.JSONDecodeError) as err:
        raise RecordError(f"{place}: {err}") from err
