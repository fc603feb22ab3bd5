"""The logbook's database as such: opening it, bringing it up to date, and what its errors mean."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import URL, Engine, create_engine, event, inspect, make_url, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.pool import NullPool

from sparring.logbook.tables import SCHEMA


class LogbookError(Exception):
    """The logbook cannot be opened or written; the message says why and what to do."""


def why(own: Path | None, err: DatabaseError) -> str:
    """What a database's error means to whoever keeps the logbook. own: the folder's file; None:
    another database.
    """
    if own is None:
        return f"the database of this logbook cannot be used: {err.orig}. Ask its administrator."
    code = getattr(err.orig, "sqlite_errorname", "")
    if "FULL" in code or "IOERR" in code:
        return (
            f"{own} cannot be written: the disk is full or failing ({err.orig}). Free some "
            "space and try again; nothing has been lost."
        )
    if any(word in code for word in ("READONLY", "CANTOPEN", "PERM", "AUTH")):
        return (
            f"{own} cannot be written: {err.orig}. Check the write permissions of "
            f"{own.parent}; nothing has been lost."
        )
    if "BUSY" in code or "LOCKED" in code:
        return f"{own} is in use by another program: {err.orig}. Close that program first."
    if "CORRUPT" in code or "NOTADB" in code:
        return damaged(own, str(err.orig))
    return f"{own} cannot take this: {err.orig}."


def not_whole(own: Path, said: str) -> str:
    """What `keeping.damage` found, in words: a full disk is no damage."""
    if any(word in said for word in ("disk is full", "disk I/O error", "unable to open")):
        return (
            f"{own} cannot be read: {said}. Its disk is full or failing: free some space and try"
            " again; nothing has been lost."
        )
    return damaged(own, said)


def damaged(own: Path, why: str) -> str:
    return (
        f"{own} is damaged or not a database: {why}. The recordings beside it are intact; "
        f"“sparring restore {own.parent}” returns to its newest backup."
    )


def engine_of(url: str | URL, *, read_only: bool = False) -> Engine:
    """The only place that knows which database it is. read_only: of a file that may not be
    written.
    """
    if read_only:
        file = Path(str(make_url(url).database))
        return create_engine("sqlite://", creator=lambda: _fixed(file), poolclass=NullPool)
    engine = create_engine(url)
    if engine.dialect.name == "sqlite":

        @event.listens_for(engine, "connect")
        def _pragmas(connection: Any, _record: Any) -> None:
            connection.text_factory = _text
            connection.isolation_level = (
                None  # the driver would end a transaction before every change of a table
            )
            for pragma in (
                "journal_mode=WAL",
                "foreign_keys=ON",
                "synchronous=FULL",
                "busy_timeout=5000",
            ):
                connection.execute(f"PRAGMA {pragma}")

        @event.listens_for(engine, "begin")
        def _begin(connection: Any) -> None:
            connection.exec_driver_sql("BEGIN")

    return engine


def _fixed(file: Path) -> sqlite3.Connection:
    made = sqlite3.connect(
        f"file:{quote(str(file))}?mode=ro&immutable=1", uri=True, check_same_thread=False
    )
    made.text_factory = _text
    return made


def _text(data: bytes) -> str:
    """A damaged text is for its row's seal to find, not for the driver to fall over."""
    return data.decode("utf-8", "surrogateescape")


def migrate(engine: Engine) -> None:
    with engine.connect() as connection:
        at = None
        if inspect(connection).has_table("alembic_version"):
            at = connection.scalar(text("SELECT version_num FROM alembic_version"))
    if at == SCHEMA:
        return
    from alembic import command
    from alembic.config import Config
    from alembic.script import ScriptDirectory
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    if at is not None:
        try:
            ScriptDirectory.from_config(config).get_revision(at)
        except CommandError as err:
            raise LogbookError(
                f"this logbook was written by a newer version ({at}); update Sparring to open it"
            ) from err
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
