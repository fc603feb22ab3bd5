"""Tables of the logbook's database. Records are kept as their file text, so that they stay readable
with any tool.

Every row is sealed: a checksum of what it says, held against it when it is read, for SQLite has
none of its own.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any, ClassVar

from sqlalchemy import (
    BigInteger,
    DateTime,
    ForeignKey,
    Integer,
    String,
    Text,
    UniqueConstraint,
    event,
    update,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from sqlalchemy.orm.attributes import set_committed_value

SCHEMA = "0007"
"""The newest migration; the tests hold it against the migrations folder."""


def now() -> datetime:
    return datetime.now(UTC)


class Base(DeclarativeBase):
    SEALED: ClassVar[tuple[str, ...]] = ()  # columns that the seal is of
    # None: written by a version that had no seals
    seal: Mapped[int | None] = mapped_column(BigInteger, default=None)


def seal_of(values: Iterable[Any]) -> int:
    """The checksum of a row's sealed columns."""
    seal = 0
    for value in values:
        seal = zlib.crc32(f"\x1f{value}".encode("utf-8", "surrogatepass"), seal)
    return seal


@event.listens_for(Base, "before_update", propagate=True)
def _seal(_mapper: Any, _connection: Any, row: Base) -> None:
    row.seal = seal_of(getattr(row, name) for name in row.SEALED)


@event.listens_for(Base, "after_insert", propagate=True)
def _seal_new(mapper: Any, connection: Any, row: Base) -> None:
    """Its number, which it has only now, is sealed too."""
    seal = seal_of(getattr(row, name) for name in row.SEALED)
    (key,) = mapper.primary_key
    connection.execute(
        update(mapper.local_table).where(key == getattr(row, key.name)).values(seal=seal)
    )
    set_committed_value(row, "seal", seal)


class BuildRow(Base):
    __tablename__ = "builds"
    SEALED = ("id", "family", "revision", "record")
    __table_args__ = (UniqueConstraint("family", "revision"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    family: Mapped[str] = mapped_column(String(60), index=True)
    revision: Mapped[int] = mapped_column(Integer)
    record: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class RigRow(Base):
    __tablename__ = "rigs"
    SEALED = ("id", "name", "record")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    record: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class TestRow(Base):
    __test__ = False
    __tablename__ = "tests"
    SEALED = ("id", "build_id", "rig_id", "title", "plan", "headline")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    build_id: Mapped[int] = mapped_column(ForeignKey("builds.id", ondelete="CASCADE"), index=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rigs.id"))
    title: Mapped[str] = mapped_column(String(120), default="")
    plan: Mapped[str] = mapped_column(Text)
    # derived; carries the version that derived it
    headline: Mapped[str | None] = mapped_column(Text, default=None)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class RunRow(Base):
    __tablename__ = "runs"
    SEALED = ("id", "test_id", "record", "recording", "struck")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    test_id: Mapped[int] = mapped_column(ForeignKey("tests.id", ondelete="CASCADE"), index=True)
    record: Mapped[str] = mapped_column(Text)
    recording: Mapped[str] = mapped_column(String(120))
    struck: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class CorrectionRow(Base):
    """A field of a build or rig (`kind`, its `owner`) that was put right after runs were made with
    it. Rows are only ever added.
    """

    __tablename__ = "corrections"
    SEALED = ("id", "kind", "owner", "field", "before", "after")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(12))
    owner: Mapped[int] = mapped_column(Integer, index=True)
    field: Mapped[str] = mapped_column(String(200))
    before: Mapped[str] = mapped_column(Text)
    after: Mapped[str] = mapped_column(Text)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class CharacterisationRow(Base):
    """Readings that tell what a part is: of `owner`, a build's number or, for what belongs to a
    rig, the rig's.
    """

    __tablename__ = "characterisations"
    SEALED = ("id", "part", "owner", "name", "way", "record", "struck")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    part: Mapped[str] = mapped_column(String(12))
    owner: Mapped[int] = mapped_column(Integer, index=True)
    name: Mapped[str] = mapped_column(String(120))
    way: Mapped[str] = mapped_column(String(40))
    record: Mapped[str] = mapped_column(Text)
    struck: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class CampaignRow(Base):
    """Builds that are compared, and the tests that hold their runs."""

    __tablename__ = "campaigns"
    SEALED = ("id", "name", "record")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    record: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class InspectionRow(Base):
    """What was seen and measured on an opened drive."""

    __tablename__ = "inspections"
    SEALED = ("id", "build_id", "record", "struck")
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    build_id: Mapped[int] = mapped_column(ForeignKey("builds.id", ondelete="CASCADE"), index=True)
    record: Mapped[str] = mapped_column(Text)
    struck: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class SettingRow(Base):
    __tablename__ = "settings"
    SEALED = ("key", "value")
    key: Mapped[str] = mapped_column(String(200), primary_key=True)
    value: Mapped[str] = mapped_column(Text)
