"""Brings a logbook of a version before up to date: by its copy, which takes its place when it is
whole, so that one that cannot be brought up to date stays as it was.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import tempfile
from datetime import datetime
from pathlib import Path

from sqlalchemy import URL
from sqlalchemy.exc import SQLAlchemyError

from sparring.logbook import keeping, recordings
from sparring.logbook.database import LogbookError, engine_of, migrate
from sparring.logbook.tables import SCHEMA

_COUNTED = ("builds", "rigs", "tests", "runs")


def version_of(database: Path) -> str | None:
    """The migration that a database file stands at; None: it is new. Raises sqlite3.Error."""
    with contextlib.closing(keeping.read_only(database)) as connection:
        tables = {n for (n,) in connection.execute("SELECT name FROM sqlite_master")}
        if "alembic_version" not in tables:
            return None
        found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return str(found[0]) if found else None


def upgrade(folder: Path) -> None:
    """Backs a logbook up and brings it up to date, where it is not. Raises LogbookError, with the
    logbook as it was.
    """
    own = folder / "logbook.sqlite"
    version = version_of(own)
    if version in (None, SCHEMA):
        return
    try:
        keeping.back_up(folder)
        copy = upgraded(own, own.with_suffix(".upgraded"))
        with contextlib.closing(sqlite3.connect(own)) as connection:
            # nothing of the old one may be left beside the new one
            connection.execute("PRAGMA journal_mode=DELETE").fetchone()
        # the backup of the day may be of this morning: the old one itself stays, too
        moment = f"{datetime.now():%Y%m%d-%H%M%S}"
        os.link(own, folder / keeping.FOLDER / f"before-upgrade-of-{version}-{moment}.sqlite")
        os.replace(copy, own)
        recordings.sync_folder(folder)
    except (OSError, sqlite3.Error) as err:
        raise LogbookError(
            f"{own} was written by an earlier version and could not be brought up to date: {err}."
            " It is as it was; free some space on its disk and try again."
        ) from err


def upgraded(own: Path, copy: Path) -> Path:
    """A copy of a database, brought up to date and checked. Raises LogbookError, OSError,
    sqlite3.Error; the copy is gone then.
    """
    try:
        copy.unlink(missing_ok=True)
        keeping.copy_database(own, copy)
        before = _counts(copy)
        engine = engine_of(URL.create("sqlite", database=str(copy)))
        try:
            migrate(engine)
        finally:
            engine.dispose()
        with contextlib.closing(sqlite3.connect(copy)) as connection:
            connection.execute("PRAGMA journal_mode=DELETE").fetchone()
        if wrong := keeping.damage(copy):
            raise sqlite3.DatabaseError(wrong)
        if (after := _counts(copy)) != before:
            raise sqlite3.DatabaseError(f"it had {before} and would have {after}")
        with open(copy, "rb") as f:
            os.fsync(f.fileno())
    except LogbookError:
        copy.unlink(missing_ok=True)
        raise
    except (OSError, sqlite3.Error):
        copy.unlink(missing_ok=True)
        raise
    except SQLAlchemyError as err:
        copy.unlink(missing_ok=True)
        raise sqlite3.DatabaseError(str(getattr(err, "orig", err))) from err
    return copy


def aside(own: Path) -> Path:
    """A copy that is up to date of a database that may not be changed, in a folder that goes with
    this process. Raises as `upgraded`.
    """
    import atexit

    folder = Path(tempfile.mkdtemp(prefix="sparring-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return upgraded(own, folder / own.name)


def _counts(database: Path) -> dict[str, int]:
    with contextlib.closing(keeping.read_only(database)) as connection:
        tables = {n for (n,) in connection.execute("SELECT name FROM sqlite_master")}
        return {
            t: int(connection.execute(f"SELECT count(*) FROM {t}").fetchone()[0])
            for t in _COUNTED
            if t in tables
        }
