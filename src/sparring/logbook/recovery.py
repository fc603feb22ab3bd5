"""Captures become runs: as they end, and after a crash."""

from __future__ import annotations

import contextlib
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

from sparring.core.events import with_events
from sparring.core.records import RecordError
from sparring.core.run import Run
from sparring.logbook import former, recordings
from sparring.logbook.characterised import Characterisation
from sparring.logbook.database import LogbookError
from sparring.logbook.former_methods import adopt_methods
from sparring.logbook.recordings import RecordingError
from sparring.logbook.store import Logbook


def adopt(book: Logbook, stream: Path) -> int:
    """Turns a capture's stream into a kept run; its id. The stream goes only when the run is safe.

    Its header note names `test` and `run`; a capture that was never closed counts as interrupted.
    Raises RecordingError when nothing of it can be read, LogbookError when it cannot be kept.
    """
    recording, note = recordings.read_stream(stream)
    if len(recording) == 0:
        stream.unlink()
        raise RecordingError("no sample arrived during this run; there is nothing to save")
    run = Run.model_validate_json(json.dumps(note["run"]))
    run = run.model_copy(update={"ended": note.get("ended", "interrupted")})
    test = int(note["test"])
    with contextlib.suppress(LogbookError, RecordError):  # a damaged build costs no run
        known = book.test(test)
        run = with_events(book.build(known.build_id), book.rig(known.rig_id), run, recording)
    name = book.keep_recording(recording, book.belongs(test, run))
    # killed before its stream went, it is there already
    run_id = book.run_with(test, name) or book.add_run(test, run, name)
    stream.unlink()
    recordings.sync_folder(stream.parent)
    return run_id


def recover(book: Logbook) -> list[str]:
    """Adopts what a crash, or going back to a copy of the database, left behind; one sentence each
    for the tester.

    A recording of a part is kept and named in the record it was made for.
    """
    if book.read_only:
        return [f"{book.folder} can only be read: whatever is changed is not kept."]
    folder = book.folder / "recordings"
    for part in folder.glob("*.part"):  # never finished; its stream is still there
        part.unlink()
    said = [_recover(book, stream) for stream in sorted(folder.glob("*.arrow"))]
    said += adopt_methods(book)
    if taken := take_in(book):
        lifts = f"Run {taken[0]} was" if len(taken) == 1 else f"{len(taken)} runs were"
        said.append(
            f"{lifts} recovered: the recordings existed but the logbook's database did not "
            "list them."
        )
    if left := left_over(book):
        said.append(
            f"{len(left)} of the logbook's recordings belong to no run; “sparring check” "
            "lists them."
        )
    return [text for text in said if text]


def take_in(book: Logbook) -> list[int]:
    """Makes runs of recordings that say themselves where they belong, in the order in which they
    were made; their ids.
    """
    noted = {name: _noted(book, name) for name in left_over(book)}
    order = sorted(noted, key=lambda n: (*noted[n], n))
    return [run for name in order if (run := _take_in(book, name)) is not None]


def _noted(book: Logbook, name: str) -> tuple[int, int, int]:
    """(test, repeat, step) that a recording says it is of; zeros where it says nothing."""
    try:
        note: dict[str, Any] = recordings.note(book.folder / "recordings" / name)
        run = note["run"]
        return int(note["test"]), int(run.get("repeat", 0)), int(run.get("step", 0))
    except (OSError, RecordingError, KeyError, TypeError, ValueError, AttributeError):
        return 0, 0, 0


def left_over(book: Logbook) -> set[str]:
    """Recordings that neither a run nor a setting names."""
    there = {p.name for p in (book.folder / "recordings").glob("*.parquet")}
    return there - book.recordings_named() if there else there


def _recover(book: Logbook, stream: Path) -> str:
    try:
        recording, note = recordings.read_stream(stream)
        if len(recording) == 0:
            stream.unlink()
            return ""
        holds = f"{len(recording)} samples, {recording.t[-1] - recording.t[0]:.1f} s"
        if note.get("damaged"):
            holds += f", {note['damaged']} damaged sections omitted"
        if "readings" in note:
            part = _part_of(book, note)
            name = book.keep_recording(recording, {**note, "kept_as": str(part.id)})
            book.save_characterisation(replace(part, recovered=(*part.recovered, name)))
            stream.unlink()
            return (
                f"Recovered an interrupted recording: {holds}. It is with the measurement "
                f"of {part.name}."
            )
        return f"Recovered an interrupted run: {holds} (run {adopt(book, stream)})."
    except (LogbookError, OSError) as err:  # nothing is wrong with the stream
        return (
            f"An interrupted recording remains as {stream.name}; the next opening of the "
            f"logbook tries again: {err}"
        )
    except (RecordingError, KeyError, TypeError, ValueError) as err:
        aside = stream.with_suffix(".arrow.unreadable")
        stream.rename(aside)
        return f"An interrupted recording could not be read and is kept as {aside.name}: {err}"


def _part_of(book: Logbook, note: dict[str, Any]) -> Characterisation:
    """The record that a recording was made for. One of a version before names a build's number and
    a way instead. Raises KeyError, ValueError, LogbookError.
    """
    kept_as = str(note["kept_as"])
    if kept_as.isdigit():
        if (found := book.characterisation(int(kept_as))) is not None:
            return found
        raise ValueError(f"the logbook has no record {kept_as} of a part")
    way = former.READINGS.get(note["readings"], note["readings"])
    owner = int(former.readings_key(kept_as).split(" ")[1])
    known = (c for c in book.characterisations(owner=owner) if c.way == way)
    new = Characterisation(former.PARTS.get(way, "build"), owner, book.build(owner).name, way)
    return next(known, None) or book.save_characterisation(new)


def _take_in(book: Logbook, name: str) -> int | None:
    """The run of a recording that says itself which test of this logbook it belongs to; None: none
    can be made.
    """
    try:
        note: dict[str, Any] = recordings.note(book.folder / "recordings" / name)
        run = Run.model_validate_json(json.dumps(note["run"]))
        if book.belongs(int(note["test"]), run) != note:
            return None
        return book.add_run(int(note["test"]), run, name)
    except (LogbookError, OSError, RecordingError, KeyError, TypeError, ValueError):
        return None
