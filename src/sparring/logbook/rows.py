"""Rows of a logbook's database, read with what they say held against their seals."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from operator import attrgetter
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import DateTime, Engine, String, select, type_coerce
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from sparring.core.records import Record, RecordError
from sparring.logbook.database import LogbookError, damaged, why
from sparring.logbook.tables import seal_of

R = TypeVar("R", bound=Record)


class Rows:
    """A database whose damaged rows are left out and named.

    damage: rows that were found not to be what was written, with the reason (`run 18`: ...). Lists
    go on without them.
    """

    folder: Path
    engine: Engine

    def __init__(self) -> None:
        self.damage: dict[str, str] = {}
        # what a row's text was, and said
        self._read_before: dict[tuple[str, Any], tuple[str, Any]] = {}

    @contextlib.contextmanager
    def _session(self) -> Iterator[Session]:
        try:
            with Session(self.engine) as session, session.begin():
                yield session
        except DatabaseError as err:
            raise LogbookError(
                why(
                    (
                        self.folder / "logbook.sqlite"
                        if self.engine.dialect.name == "sqlite"
                        else None
                    ),
                    err,
                )
            ) from err

    def _rows(self, s: Session, table: type[Any], *where: Any, order: Any = ()) -> list[Any]:
        """A table's rows as they were written; those that are not are left out and named in
        `damage`.
        """
        columns = [
            type_coerce(c, String).label(c.name) if isinstance(c.type, DateTime) else c
            for c in table.__table__.columns
        ]
        (key,) = table.__table__.primary_key.columns
        try:
            found = s.execute(select(*columns).where(*where).order_by(*order)).all()
        except (TypeError, ValueError) as err:
            raise LogbookError(damaged(self.folder / "logbook.sqlite", str(err))) from err
        sealed = attrgetter(*table.SEALED)
        intact = []
        for row in found:
            if row.seal is None or row.seal == seal_of(sealed(row)):
                intact.append(row)
            else:
                self._hurt(table, getattr(row, key.name), "it has changed since it was written")
        return intact

    def _hurt(self, table: type[Any], key: Any, reason: str) -> None:
        self.damage[f"{table.__tablename__.removesuffix('s')} {key}"] = reason

    def _row(self, s: Session, table: type[Any], key: Any) -> Any:
        """One row, to be changed. Raises LogbookError when it is not there or damaged."""
        name = table.__tablename__.removesuffix("s")
        try:
            row = s.get(table, key)
        except (TypeError, ValueError) as err:
            raise LogbookError(
                damaged(self.folder / "logbook.sqlite", f"{name} {key}: {err}")
            ) from err
        if row is None:
            raise LogbookError(f"the logbook has no {name} {key}")
        if row.seal is not None and row.seal != seal_of(getattr(row, n) for n in table.SEALED):
            raise LogbookError(
                damaged(
                    self.folder / "logbook.sqlite", f"{name} {key} has changed since it was written"
                )
            )
        return row

    def _said(self, table: type[Any], key: Any, text: str, read: Callable[[str], Any]) -> Any:
        """What a row's text says, read once; None, and `damage` named, when it says nothing that
        holds.
        """
        before = self._read_before.get((table.__tablename__, key))
        if before is not None and before[0] == text:
            return before[1]
        try:
            said = read(text)
        except (RecordError, ValueError) as err:
            self._hurt(table, key, str(err))
            return None
        self._read_before[table.__tablename__, key] = text, said
        return said

    def _records(
        self, s: Session, table: type[Any], record: type[R], *order: Any, where: Any = ()
    ) -> list[tuple[int, R]]:
        found = [
            (r.id, self._said(table, r.id, r.record, record.from_json))
            for r in self._rows(s, table, *where, order=order)
        ]
        return [(key, said) for key, said in found if said is not None]
