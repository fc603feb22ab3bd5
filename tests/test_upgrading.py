"""Logbooks of every version before: backed up, brought up to date by a copy, or only read."""

import contextlib
import errno
import os
import sqlite3
from pathlib import Path

import pytest
from helpers import ROOT

from sparring.demo import hollin_yard
from sparring.logbook import Logbook, LogbookError, keeping, upgrading
from sparring.logbook.database import engine_of
from sparring.logbook.recovery import recover
from sparring.logbook.tables import SCHEMA


def older(folder, revision):
    """A logbook's folder as the version of a migration left it, with a build in it."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(ROOT / "src/sparring/logbook/migrations"))
    folder.mkdir()
    engine = engine_of(f"sqlite:///{folder}/logbook.sqlite")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
        connection.exec_driver_sql(
            "INSERT INTO builds (id, family, revision, record, created) VALUES (1, 'Dunnock', 2, ?,"
            " '2026-01-01 00:00:00')",
            (hollin_yard.dunnock(2).to_json(),),
        )
    engine.dispose()
    return folder


REVISIONS = [f"{n:04d}" for n in range(1, int(SCHEMA))]


def content(folder):
    return {p.name: p.read_bytes() for p in folder.iterdir() if p.name == "logbook.sqlite"}


@pytest.mark.parametrize("revision", REVISIONS)
def test_a_logbook_of_every_version_is_backed_up_before_it_is_brought_up_to_date(
    tmp_path, revision
):
    folder = older(tmp_path / "book", revision)
    with Logbook(folder) as book:
        assert [b.name for _, b in book.builds()] == ["Dunnock r2"]
    assert upgrading.version_of(folder / "logbook.sqlite") == SCHEMA
    (backup,) = keeping.backups(folder)
    assert upgrading.version_of(backup) == revision
    (old,) = (folder / "backups").glob("before-upgrade-*")
    assert upgrading.version_of(old) == revision
    assert not list(folder.glob("*upgraded*"))


def test_what_was_written_since_the_backup_of_the_day_is_kept_before_an_upgrade(tmp_path):
    folder = older(tmp_path / "book", "0004")
    assert keeping.back_up(folder)  # this morning
    with contextlib.closing(sqlite3.connect(folder / "logbook.sqlite")) as connection:
        connection.execute("UPDATE builds SET revision = 7")
        connection.commit()
    Logbook(folder).close()
    (old,) = (folder / "backups").glob("before-upgrade-*")
    with contextlib.closing(sqlite3.connect(old)) as connection:
        assert connection.execute("SELECT revision FROM builds").fetchall() == [(7,)]


@pytest.mark.parametrize("how", ["the migration fails", "the copy is damaged", "no room"])
def test_a_logbook_that_cannot_be_brought_up_to_date_stays_as_it_was(tmp_path, monkeypatch, how):
    folder = older(tmp_path / "book", "0004")
    before = content(folder)

    def fails(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    def breaks(engine):
        with engine.begin() as connection:
            connection.exec_driver_sql("ALTER TABLE builds ADD COLUMN half TEXT")
            connection.exec_driver_sql("DROP TABLE of_nothing")

    name, instead = {
        "the migration fails": ("migrate", breaks),
        "the copy is damaged": ("migrate", lambda engine: _delete_builds(engine)),
        "no room": ("upgraded", fails),
    }[how]
    with monkeypatch.context() as m:
        m.setattr(upgrading, name, instead)
        with pytest.raises(LogbookError, match="It is as it was"):
            Logbook(folder)
    assert content(folder) == before
    assert not list(folder.glob("*upgraded*"))
    with Logbook(folder) as book:
        assert [b.name for _, b in book.builds()] == ["Dunnock r2"]


def _delete_builds(engine):
    with engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM builds")


@pytest.mark.parametrize("revision", ["0003", SCHEMA])
def test_a_logbook_that_cannot_be_written_is_opened_to_be_read(tmp_path, monkeypatch, revision):
    folder = older(tmp_path / "book", revision)
    before = {p.name: p.read_bytes() for p in folder.iterdir()}
    access = os.access
    monkeypatch.setattr(
        os,
        "access",
        lambda p, how: Path(p) not in (folder, folder / "logbook.sqlite") and access(p, how),
    )
    with Logbook(folder) as book:
        assert [b.name for _, b in book.builds()] == ["Dunnock r2"]
        assert book.read_only
        assert "can only be read" in recover(book)[0]
        with pytest.raises(LogbookError, match="Check the write permissions"):
            book.set_setting("x", 1)
    assert {p.name: p.read_bytes() for p in folder.iterdir()} == before
