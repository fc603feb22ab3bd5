"""Keeping a logbook whole: dated copies of its database, what is damaged or left over, and going
back to a copy.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import sqlite3
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Boolean, inspect

from sparring.logbook import recordings
from sparring.logbook.recordings import RecordingError
from sparring.logbook.tables import Base, seal_of

FOLDER = "backups"
_KEPT = 10  # copies


def back_up(folder: Path, *, today: str = "") -> Path | None:
    """Copies the database of an open logbook, once a day; the newest ten are kept. None: today's is
    there already, or rows are damaged, and copies of those would push out the good ones.

    today: as `2026-11-26`; the present day without. Raises OSError, sqlite3.Error.
    """
    copies = folder / FOLDER
    copies.mkdir(mode=0o700, exist_ok=True)
    made = copies / f"logbook-{today or f'{datetime.now():%Y-%m-%d}'}.sqlite"
    if made.exists() or _unsealed(folder / "logbook.sqlite"):
        return None
    part = made.with_suffix(".part")
    part.unlink(missing_ok=True)
    copy_database(folder / "logbook.sqlite", part)
    part.rename(made)
    for old in backups(folder)[:-_KEPT]:
        old.unlink()
    return made


def copy_database(own: Path, copy: Path) -> None:
    """Copies a database file as it is at this moment. Raises OSError, sqlite3.Error."""
    os.close(os.open(copy, os.O_CREAT | os.O_RDWR, 0o600))
    with (
        contextlib.closing(read_only(own)) as source,
        contextlib.closing(sqlite3.connect(copy)) as target,
    ):
        source.backup(target)
    with open(copy, "rb") as f:
        os.fsync(f.fileno())


def read_only(database: Path) -> sqlite3.Connection:
    """A connection that changes nothing; also where nothing could be."""
    fixed = "" if os.access(database.parent, os.W_OK) else "&immutable=1"
    return sqlite3.connect(f"file:{_quoted(database)}?mode=ro{fixed}", uri=True)


def backups(folder: Path) -> list[Path]:
    """The copies of a logbook's database, oldest first."""
    return sorted((folder / FOLDER).glob("logbook-????-??-??.sqlite"))


def damage(database: Path) -> str:
    """What is wrong with a database file, in SQLite's words; "" when it is
    whole. Reads all of it."""
    try:
        with contextlib.closing(read_only(database)) as connection:
            # not quick_check: a spoilt index shows one row twice and another not at all, and every
            # row is whole
            found = [row[0] for row in connection.execute("PRAGMA integrity_check(5)")]
    except (sqlite3.Error, UnicodeDecodeError) as err:  # its own words may quote what is damaged
        return str(err)
    return "" if found == ["ok"] else "; ".join(found)


def check(folder: Path) -> dict[str, Any]:
    """Everything of a logbook, read once; the document described in docs/formats.md. Raises
    FileNotFoundError.
    """
    database, kept = folder / "logbook.sqlite", folder / "recordings"
    if not database.exists():
        raise FileNotFoundError(
            2, "there is no logbook.sqlite here; choose a logbook folder", str(folder)
        )
    wrong = damage(database)
    names: dict[str, list[int]] = {}
    count = 0
    if not wrong:
        with contextlib.closing(read_only(database)) as connection:
            for run_id, name in connection.execute("SELECT id, recording FROM runs ORDER BY id"):
                count += 1
                if name:  # what a person read stands in the run itself
                    names.setdefault(str(name), []).append(run_id)
            read_by = _named_elsewhere(connection)
    rows = [] if wrong else _unsealed(database)
    damaged = []
    for name, runs in names.items():
        try:
            recordings.read(kept / Path(name).name)
        except RecordingError as err:
            damaged.append({"recording": name, "runs": runs, "why": str(err)})
    there = {p.name for p in kept.glob("*.parquet")}
    return {
        "format": "sparring.check/1",
        "logbook": str(folder),
        "database": wrong or None,
        "runs": count,
        "rows": rows,
        "damaged": damaged,
        "left_over": [] if wrong else sorted(n for n in there - set(names) if n not in read_by),
        "cut_off": sorted(p.name for p in kept.glob("*.arrow")),
        "backups": [p.name for p in backups(folder)],
    }


def _named_elsewhere(connection: sqlite3.Connection) -> str:
    """Texts that name recordings of no run."""
    texts = [str(v) for (v,) in connection.execute("SELECT value FROM settings")]
    with contextlib.suppress(sqlite3.OperationalError):  # a version before had no such table
        rows = connection.execute("SELECT record FROM characterisations")
        texts += [str(v) for (v,) in rows]
    return "".join(texts)


def _unsealed(database: Path) -> list[str]:
    """Rows that are not what was written: `run 18`."""
    found = []
    with contextlib.closing(read_only(database)) as connection:
        connection.text_factory = lambda data: data.decode("utf-8", "surrogateescape")
        for table in Base.__subclasses__():
            (key,) = (c.name for c in inspect(table).primary_key)
            columns = ", ".join(table.SEALED)
            try:
                rows = connection.execute(
                    f"SELECT {key}, seal, {columns} FROM {table.__tablename__}"
                ).fetchall()
            except sqlite3.OperationalError:  # of a version that had no seals
                continue
            truths = [
                isinstance(inspect(table).columns[name].type, Boolean) for name in table.SEALED
            ]
            for name, seal, *values in rows:
                if seal is not None and seal != seal_of(
                    bool(v) if t else v for v, t in zip(values, truths, strict=True)
                ):
                    found.append(f"{table.__tablename__.removesuffix('s')} {name}")
    return found


def restore(folder: Path, name: str = "") -> tuple[Path, Path]:
    """Puts a copy in the database's place, the newest whole one without a name; (the copy, where
    the old one was moved to).

    Nothing is deleted. Raises FileNotFoundError when there is no such copy or none is whole,
    OSError while the logbook is open.
    """
    if not (folder / FOLDER).is_dir():
        raise FileNotFoundError(
            2, "there are no database backups here; choose a logbook folder", str(folder)
        )
    with open(folder / "logbook.lock", "a+", encoding="utf-8", opener=recordings.private) as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as err:
            raise OSError(
                err.errno,
                "the logbook is open in another program; close it there first",
                str(folder),
            ) from err
        wanted = [p for p in reversed(backups(folder)) if name in ("", p.name)]
        whole = next((p for p in wanted if not damage(p)), None)
        if whole is None:
            raise FileNotFoundError(
                2,
                f"there is no intact backup{f' {name}' if name else ''} to return to",
                str(folder / FOLDER),
            )
        database, aside = (
            folder / "logbook.sqlite",
            folder / f"logbook.sqlite.before-{datetime.now():%Y%m%d-%H%M%S}",
        )
        part = database.with_suffix(".part")
        with open(part, "wb", opener=recordings.private) as f:
            f.write(whole.read_bytes())
            f.flush()
            os.fsync(f.fileno())
        for ending in ("", "-wal", "-shm"):
            old = database.with_name(database.name + ending)
            if old.exists():
                old.rename(aside.with_name(aside.name + ending))
        part.rename(database)
        recordings.sync_folder(folder)
    return whole, aside


def _quoted(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path.resolve()))
