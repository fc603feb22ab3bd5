"""The logbook's store: open, keep, find, recover."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import socket
import sqlite3
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Engine, create_engine, event, func, inspect, select, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from sparring.core.build import Build
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.records import RecordError
from sparring.core.revise import Correction, Kind, bears_on_results, differences
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.logbook import keeping, recordings
from sparring.logbook.recordings import RecordingError
from sparring.logbook.tables import SCHEMA, BuildRow, CorrectionRow, RigRow, RunRow, SettingRow, TestRow


class LogbookError(Exception):
    """The logbook cannot be opened or written; the message says why and what to do."""


@dataclass(frozen=True)
class StoredTest:
    """A test in the logbook. headline: derived figures shown in lists, None until derived."""

    id: int
    build_id: int
    rig_id: int
    title: str
    plan: Plan
    created: datetime
    headline: dict[str, Any] | None
    runs: int


@dataclass(frozen=True)
class StoredRun:
    id: int
    run: Run
    recording: str
    struck: bool


class Logbook:
    """A logbook folder, opened by one program at a time."""

    def __init__(self, folder: Path, *, create: bool = True, database: str | None = None) -> None:
        """database: an SQLAlchemy URL in place of the folder's own file (several benches on one server).

        Raises LogbookError when the folder is no logbook, is held by another program, or cannot be written.
        """
        self.folder = Path(folder).expanduser().resolve()
        self._builds: dict[str, Build] = {}
        own = self.folder / "logbook.sqlite"
        known = own.exists()
        if not known and not create and database is None:
            raise LogbookError(f"{self.folder} is no logbook: it holds no logbook.sqlite. Name another folder, or create one.")
        if (
            not known
            and self.folder.is_dir()
            and any(p.name not in ("recordings", "photos", "logbook.lock", keeping.FOLDER) for p in self.folder.iterdir())
        ):
            raise LogbookError(f"{self.folder} holds other files; choose an empty folder for a new logbook")
        try:
            for part in (self.folder, self.folder / "recordings", self.folder / "photos"):
                part.mkdir(mode=0o700, parents=True, exist_ok=True)  # what a tester measured is theirs to show
        except OSError as err:
            raise LogbookError(f"{self.folder} cannot be used: {err.strerror}") from err
        self._lock = self._take()
        try:
            if database is None:
                os.close(os.open(own, os.O_CREAT | os.O_RDWR, 0o600))
            self.engine = _engine(database or URL.create("sqlite", database=str(own)))
            if known and database is None and (wrong := keeping.damage(own)):
                raise LogbookError(_damaged(own, wrong))
            _migrate(self.engine)
            if known and database is None:
                with contextlib.suppress(OSError, sqlite3.Error):  # a full disk keeps nobody from reading
                    keeping.back_up(self.folder)
        except DatabaseError as err:
            self._lock.close()
            raise LogbookError(_why(own if database is None else None, err)) from err
        except OSError as err:
            self._lock.close()
            raise LogbookError(f"{self.folder} cannot be written: {err.strerror}") from err
        except LogbookError:
            self._lock.close()
            raise

    def _take(self) -> Any:
        path = self.folder / "logbook.lock"
        try:
            handle = open(path, "a+", encoding="utf-8", opener=recordings.private)  # noqa: SIM115  (held as long as the logbook)
        except OSError as err:
            raise LogbookError(f"{self.folder} cannot be written: {err.strerror}") from err
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as err:
            handle.seek(0)
            holder = handle.read().strip() or "another program"
            handle.close()
            raise LogbookError(f"{self.folder} is already open: {holder}. Close it there first.") from err
        handle.seek(0)
        handle.truncate()
        handle.write(
            f"process {os.getpid()} of {os.environ.get('USER', 'this user')} on {socket.gethostname()}, "
            f"since {datetime.now():%Y-%m-%d %H:%M}"
        )
        handle.flush()
        return handle

    def close(self) -> None:
        self.engine.dispose()
        with contextlib.suppress(ValueError):
            self._lock.close()

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    @contextlib.contextmanager
    def _session(self) -> Iterator[Session]:
        try:
            with Session(self.engine) as session, session.begin():
                yield session
        except DatabaseError as err:
            raise LogbookError(_why(self.folder / "logbook.sqlite" if self.engine.dialect.name == "sqlite" else None, err)) from err

    # --- builds and rigs ------------------------------------------------------------------------------------

    def builds(self) -> list[tuple[int, Build]]:
        """(id, build), by family and revision."""
        with self._session() as s:
            rows = s.scalars(select(BuildRow).order_by(BuildRow.family, BuildRow.revision)).all()
            return [(r.id, self._builds.get(r.record) or self._keep(r.record, Build.from_json(r.record, f"build {r.id}"))) for r in rows]

    def build(self, build_id: int) -> Build:
        return self._record(BuildRow, build_id, Build)

    def save_build(self, build: Build, build_id: int | None = None) -> int:
        """Keeps a build; its id. What it changes of a build with runs is kept as a correction.

        Raises LogbookError when family and revision are taken by another.
        """
        with self._session() as s:
            taken = s.scalar(select(BuildRow).where(BuildRow.family == build.family, BuildRow.revision == build.revision))
            if taken is not None and taken.id != build_id:
                raise LogbookError(f"{build.name} is already in the logbook; choose another revision")
            row = s.get(BuildRow, build_id) if build_id else None
            if row is None:
                row = BuildRow(id=build_id, family=build.family, revision=build.revision, record="")
                s.add(row)
            else:
                self._note_corrections(s, "build", row.id, Build.from_json(row.record, f"build {row.id}"), build)
            row.family, row.revision, row.record = build.family, build.revision, build.to_json()
            s.flush()
            self._keep(row.record, build)
            return row.id

    def _keep(self, text: str, build: Build) -> Build:
        """The list of builds is asked for at every edit; what has been read once is not read again."""
        if len(self._builds) > 500:
            self._builds.clear()
        self._builds[text] = build
        return build

    def next_revision(self, family: str) -> int:
        with self._session() as s:
            taken = s.scalars(select(BuildRow.revision).where(BuildRow.family == family)).all()
            return max(taken, default=0) + 1

    def rigs(self) -> list[tuple[int, Rig]]:
        with self._session() as s:
            return [(r.id, Rig.from_json(r.record, f"rig {r.id}")) for r in s.scalars(select(RigRow).order_by(RigRow.id)).all()]

    def rig(self, rig_id: int) -> Rig:
        return self._record(RigRow, rig_id, Rig)

    def save_rig(self, rig: Rig, rig_id: int | None = None) -> int:
        """Keeps a rig; its id. What it changes of a rig with runs is kept as a correction."""
        with self._session() as s:
            row = s.get(RigRow, rig_id) if rig_id else None
            if row is None:
                row = RigRow(id=rig_id, name=rig.name, record="")
                s.add(row)
            else:
                self._note_corrections(s, "rig", row.id, Rig.from_json(row.record, f"rig {row.id}"), rig)
            row.name, row.record = rig.name, rig.to_json()
            s.flush()
            return row.id

    def remove(self, kind: Kind, owner: int) -> None:
        """Takes back a build or rig that was begun and never tested. Raises LogbookError where it has tests."""
        with self._session() as s:
            column = TestRow.build_id if kind == "build" else TestRow.rig_id
            row = s.get(BuildRow if kind == "build" else RigRow, owner)
            if s.scalar(select(func.count()).where(column == owner)):
                raise LogbookError(f"this {kind} has tests and stays in the logbook")
            if row is not None:
                s.delete(row)

    # --- what was tested, and put right afterwards ----------------------------------------------------------

    def runs_with(self, kind: Kind, owner: int) -> int:
        """How many runs were made with a build or rig, those left out included."""
        with self._session() as s:
            return self._runs_with(s, kind, owner)

    def _runs_with(self, s: Session, kind: Kind, owner: int) -> int:
        column = TestRow.build_id if kind == "build" else TestRow.rig_id
        return s.scalar(select(func.count(RunRow.id)).join(TestRow, TestRow.id == RunRow.test_id).where(column == owner)) or 0

    def _note_corrections(self, s: Session, kind: Kind, owner: int, before: Build | Rig, after: Build | Rig) -> None:
        if bears_on_results(before, after) and self._runs_with(s, kind, owner):
            for field, old, new in differences(before, after):
                s.add(CorrectionRow(kind=kind, owner=owner, field=field[:200], before=old, after=new))

    def corrections(self, build_id: int, rig_id: int) -> list[Correction]:
        """What was put right of a build and a rig after runs were made with them, oldest first."""
        names = {("build", i): b.name for i, b in self.builds() if i == build_id} | {
            ("rig", i): r.name for i, r in self.rigs() if i == rig_id
        }
        with self._session() as s:
            rows = s.scalars(select(CorrectionRow).order_by(CorrectionRow.id)).all()
            return [
                Correction(
                    r.at if r.at.tzinfo else r.at.replace(tzinfo=UTC),  # a database may drop the zone
                    "build" if r.kind == "build" else "rig",
                    names[r.kind, r.owner],
                    r.field,
                    r.before,
                    r.after,
                )
                for r in rows
                if (r.kind, r.owner) in names
            ]

    def _record(self, table: type[Any], row_id: int, record: type[Any]) -> Any:
        with self._session() as s:
            row = s.get(table, row_id)
            if row is None:
                raise LogbookError(f"the logbook has no entry {row_id} in {table.__tablename__}")
            try:
                return record.from_json(row.record, f"{table.__tablename__} {row_id}")
            except RecordError as err:
                raise LogbookError(str(err)) from err

    # --- tests and runs -------------------------------------------------------------------------------------

    def add_test(self, build_id: int, rig_id: int, plan: Plan, title: str = "") -> int:
        with self._session() as s:
            row = TestRow(build_id=build_id, rig_id=rig_id, plan=plan.to_json(), title=title)
            s.add(row)
            s.flush()
            return row.id

    def tests(self, build_id: int | None = None) -> list[StoredTest]:
        """Tests, oldest first; of one build or of all."""
        with self._session() as s:
            query = select(TestRow).order_by(TestRow.id)
            if build_id is not None:
                query = query.where(TestRow.build_id == build_id)
            counts: dict[int, int] = {}
            for test_id in s.scalars(select(RunRow.test_id).where(RunRow.struck.is_(False))):
                counts[test_id] = counts.get(test_id, 0) + 1
            return [
                StoredTest(
                    r.id,
                    r.build_id,
                    r.rig_id,
                    r.title,
                    Plan.from_json(r.plan),
                    r.created,
                    json.loads(r.headline) if r.headline else None,
                    counts.get(r.id, 0),
                )
                for r in s.scalars(query).all()
            ]

    def test(self, test_id: int) -> StoredTest:
        found = next((t for t in self.tests() if t.id == test_id), None)
        if found is None:
            raise LogbookError(f"the logbook has no test {test_id}")
        return found

    def save_plan(self, test_id: int, plan: Plan) -> None:
        with self._session() as s:
            s.get_one(TestRow, test_id).plan = plan.to_json()

    def save_headline(self, test_id: int, headline: dict[str, Any]) -> None:
        with self._session() as s:
            s.get_one(TestRow, test_id).headline = json.dumps(headline)

    def add_run(self, test_id: int, run: Run, recording: Recording | str) -> int:
        """Keeps a run with its recording, given as data or as the name of one already kept (a shared file)."""
        name = self.keep_recording(recording, {"test": test_id}) if isinstance(recording, Recording) else recording
        run = run if run.started else run.model_copy(update={"started": datetime.now(UTC).isoformat(timespec="seconds")})
        with self._session() as s:
            row = RunRow(test_id=test_id, record=run.to_json(), recording=name)
            s.add(row)
            s.flush()
            return row.id

    def keep_recording(self, recording: Recording, note: dict[str, Any]) -> str:
        """Writes a recording beside the others; its name. Raises LogbookError when it cannot be written."""
        try:
            return recordings.write(self.folder / "recordings", recording, note)
        except OSError as err:
            raise LogbookError(f"the recording cannot be written: {err.strerror or err}") from err

    def runs(self, test_id: int, *, struck: bool = False) -> list[StoredRun]:
        """Runs in the order they were made; struck ones only when asked for."""
        with self._session() as s:
            query = select(RunRow).where(RunRow.test_id == test_id).order_by(RunRow.id)
            rows = s.scalars(query if struck else query.where(RunRow.struck.is_(False))).all()
            return [StoredRun(r.id, Run.from_json(r.record, f"run {r.id}"), r.recording, r.struck) for r in rows]

    def save_run(self, run_id: int, run: Run) -> None:
        """Keeps what is known of a run beside its recording; the recording stays as it is."""
        with self._session() as s:
            s.get_one(RunRow, run_id).record = run.to_json()

    def strike(self, run_id: int, struck: bool = True) -> None:
        """Leaves a run out of the results, or takes it back in. Nothing is deleted."""
        with self._session() as s:
            s.get_one(RunRow, run_id).struck = struck

    def recording(self, name: str) -> Recording:
        """Raises RecordingError when the file is missing or damaged."""
        return recordings.read(self.folder / "recordings" / Path(name).name)

    def material(self, test_id: int) -> list[tuple[Run, Callable[[], Recording]]]:
        """A test's runs with functions that read their recordings, as the reductions want them."""

        def reader(name: str) -> Callable[[], Recording]:
            return lambda: self.recording(name)

        return [(r.run, reader(r.recording)) for r in self.runs(test_id)]

    # --- capture and recovery -------------------------------------------------------------------------------

    def capture_path(self) -> Path:
        """Where the next capture may write its stream."""
        return self.folder / "recordings" / f"{uuid.uuid4().hex}.arrow"

    def adopt(self, stream: Path) -> int:
        """Turns a capture's stream into a kept run; its id. The stream goes only when the run is safe.

        Its header note names `test` and `run`; a capture that was never closed counts as interrupted.
        Raises RecordingError when nothing of it can be read.
        """
        recording, note = recordings.read_stream(stream)
        if len(recording) == 0:
            stream.unlink()
            raise RecordingError("no sample arrived during this lift; there is nothing to keep")
        run = Run.model_validate_json(json.dumps(note["run"]))
        run = run.model_copy(update={"ended": note.get("ended", "interrupted")})
        test = int(note["test"])
        name = self.keep_recording(recording, {"test": test, "stream": stream.name})
        with self._session() as s:  # killed between the run and the end of its stream: it is there already
            known = s.scalar(select(RunRow.id).where(RunRow.test_id == test, RunRow.recording == name))
        run_id = known or self.add_run(test, run, name)
        stream.unlink()
        recordings.sync_folder(stream.parent)
        return run_id

    def recover(self) -> list[str]:
        """Adopts the captures that a crash left behind; one sentence each for the tester.

        A recording for readings is kept and named in the setting those readings are kept under.
        """
        said = []
        for stream in sorted((self.folder / "recordings").glob("*.arrow")):
            try:
                recording, note = recordings.read_stream(stream)
                if len(recording) == 0:
                    stream.unlink()
                    continue
                holds = f"{len(recording)} samples, {recording.t[-1] - recording.t[0]:.1f} s"
                if "readings" in note:
                    name, key = self.keep_recording(recording, note), str(note["kept_as"])
                    kept = self.setting(key) or {}
                    self.set_setting(key, {**kept, "recovered": [*kept.get("recovered", []), name]})
                    stream.unlink()
                    said.append(f"Recovered a recording that was cut off: {holds}. Readings, {note['readings'].lower()}, has it.")
                    continue
                run_id = self.adopt(stream)
                said.append(f"Recovered a lift that was cut off: {holds} (run {run_id}).")
            except (LogbookError, OSError) as err:  # nothing is wrong with the stream
                said.append(f"A cut-off capture waits as {stream.name}; it is tried again when the logbook is next opened: {err}")
            except (RecordingError, KeyError, ValueError) as err:
                aside = stream.with_suffix(".arrow.unreadable")
                stream.rename(aside)
                said.append(f"A cut-off capture could not be read and is kept as {aside.name}: {err}")
        return said

    # --- settings -------------------------------------------------------------------------------------------

    def setting(self, key: str) -> Any:
        with self._session() as s:
            row = s.get(SettingRow, key)
            return json.loads(row.value) if row else None

    def set_setting(self, key: str, value: Any) -> None:
        with self._session() as s:
            s.merge(SettingRow(key=key, value=json.dumps(value)))


def _why(own: Path | None, err: DatabaseError) -> str:
    """What a database's error means to whoever keeps the logbook. own: the folder's file; None: another database."""
    if own is None:
        return f"the database of this logbook cannot be used: {err.orig}. Ask whoever keeps it."
    code = getattr(err.orig, "sqlite_errorname", "")
    if "FULL" in code or "IOERR" in code:
        return f"{own} cannot be written: the disk is full or fails ({err.orig}). Free some space and try again; nothing in it is lost."
    if any(word in code for word in ("READONLY", "CANTOPEN", "PERM", "AUTH")):
        return f"{own} cannot be written: {err.orig}. See who may write in {own.parent}; nothing in it is lost."
    if "BUSY" in code or "LOCKED" in code:
        return f"{own} is held by another program: {err.orig}. Close that first."
    if "CORRUPT" in code or "NOTADB" in code:
        return _damaged(own, str(err.orig))
    return f"{own} cannot take this: {err.orig}."


def _damaged(own: Path, why: str) -> str:
    return (
        f"{own} is damaged or no database: {why}. The recordings beside it are untouched; "
        f"“sparring restore {own.parent}” goes back to its newest copy."
    )


def _engine(url: str | URL) -> Engine:
    """The only place that knows which database it is."""
    engine = create_engine(url)
    if engine.dialect.name == "sqlite":

        @event.listens_for(engine, "connect")
        def _pragmas(connection: Any, _record: Any) -> None:
            connection.isolation_level = None  # the driver would end a transaction before every change of a table
            for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=5000"):
                connection.execute(f"PRAGMA {pragma}")

        @event.listens_for(engine, "begin")
        def _begin(connection: Any) -> None:
            connection.exec_driver_sql("BEGIN")

    return engine


def _migrate(engine: Engine) -> None:
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
            raise LogbookError(f"this logbook is of a newer version ({at}); update Sparring to open it") from err
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
