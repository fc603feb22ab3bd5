"""The logbook's store: open, keep, find, recover."""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TextIO

from sqlalchemy import URL, func, select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from sparring.core.build import Build
from sparring.core.instruments.calibration import Calibration
from sparring.core.instruments.meters import Sensors
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.records import Record
from sparring.core.revise import Correction, Kind, bears_on_results, differences
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.logbook import keeping, lock, upgrading
from sparring.logbook.campaigns import Campaigns
from sparring.logbook.characterised import Characterised
from sparring.logbook.database import LogbookError, damaged, engine_of, migrate, not_whole, why
from sparring.logbook.derived import NAME as DERIVED
from sparring.logbook.inspected import Inspected
from sparring.logbook.recorded import Recorded
from sparring.logbook.settings import Settings
from sparring.logbook.stored import StoredRun, StoredTest, headline_said, moment
from sparring.logbook.tables import SCHEMA, BuildRow, CorrectionRow, RigRow, RunRow, TestRow

_FOLDERS = ("recordings", "photos", "sounds", "endurance", keeping.FOLDER)
_OURS = (*_FOLDERS, "logbook.lock", DERIVED)


def _writable(folder: Path, own: Path) -> bool:
    return os.access(folder, os.W_OK) and os.access(own, os.W_OK)


class Logbook(Characterised, Campaigns, Inspected, Settings, Recorded):
    """A logbook folder, opened by one program at a time."""

    def __init__(self, folder: Path, *, create: bool = True, database: str | None = None) -> None:
        """database: an SQLAlchemy URL in place of the folder's own file (several benches on one
        server).

        Raises LogbookError when the folder is no logbook, is held by another program, or cannot be
        written.
        """
        self.folder = Path(folder).expanduser().resolve()
        super().__init__()
        self._lock: TextIO | None = None
        self._instruments: dict[str, Record] = {}
        self._plans: dict[str, Plan] = {}
        own = self.folder / "logbook.sqlite"
        known = own.exists()
        if not known and not create and database is None:
            raise LogbookError(
                f"{self.folder} is not a logbook: it holds no logbook.sqlite. Choose "
                "another folder, or create a logbook."
            )
        if (
            not known
            and self.folder.is_dir()
            and any(p.name not in _OURS for p in self.folder.iterdir())
        ):
            raise LogbookError(
                f"{self.folder} holds other files; choose an empty folder for a new logbook"
            )
        for name in _FOLDERS:
            if (self.folder / name).is_symlink():
                raise LogbookError(
                    f"{self.folder / name} is a link to {(self.folder / name).readlink()}: what is"
                    " recorded would be read and written there. Put the folder itself in its place."
                )
        self.read_only = known and database is None and not _writable(self.folder, own)
        if self.read_only:
            self._open_fixed(own)
            return
        try:
            for part in (self.folder, self.folder / "recordings", self.folder / "photos"):
                # what a tester measured is theirs to show
                part.mkdir(mode=0o700, parents=True, exist_ok=True)
        except OSError as err:
            raise LogbookError(f"{self.folder} cannot be used: {err.strerror}") from err
        self._lock = lock.take(self.folder)
        try:
            if known and database is None:
                if wrong := keeping.damage(own):
                    raise LogbookError(not_whole(own, wrong))
                upgrading.upgrade(self.folder)
            elif database is None:
                os.close(os.open(own, os.O_CREAT | os.O_RDWR, 0o600))
            self.engine = engine_of(database or URL.create("sqlite", database=str(own)))
            migrate(self.engine)
            if known and database is None:
                # a full disk keeps nobody from reading
                with contextlib.suppress(OSError, sqlite3.Error):
                    keeping.back_up(self.folder)
        except DatabaseError as err:
            self._lock.close()
            raise LogbookError(why(own if database is None else None, err)) from err
        except (OSError, sqlite3.Error) as err:
            self._lock.close()
            said = getattr(err, "strerror", None) or err
            raise LogbookError(f"{self.folder} cannot be written: {said}") from err
        except LogbookError:
            self._lock.close()
            raise

    def _open_fixed(self, own: Path) -> None:
        """As it stands, where nothing can be written."""
        try:
            if wrong := keeping.damage(own):
                raise LogbookError(not_whole(own, wrong))
            current = upgrading.version_of(own) == SCHEMA
            shown = own if current else upgrading.aside(own)
            self.engine = engine_of(URL.create("sqlite", database=str(shown)), read_only=True)
        except (OSError, sqlite3.Error) as err:
            raise LogbookError(f"{own} cannot be read: {err}") from err

    def close(self) -> None:
        self.engine.dispose()
        if self._lock is not None:
            self._lock.close()

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    # --- builds and rigs --------------------------------------------------------------------------

    def builds(self) -> list[tuple[int, Build]]:
        """(id, build), by family and revision."""
        with self._session() as s:
            return self._records(s, BuildRow, Build, BuildRow.family, BuildRow.revision)

    def build(self, build_id: int) -> Build:
        found: Build = self._record(BuildRow, build_id, Build)
        return found

    def save_build(self, build: Build, build_id: int | None = None) -> int:
        """Keeps a build; its id. What it changes of a build with runs is kept as a correction.

        Raises LogbookError when family and revision are taken by another.
        """
        with self._session() as s:
            taken = s.scalar(
                select(BuildRow).where(
                    BuildRow.family == build.family, BuildRow.revision == build.revision
                )
            )
            if taken is not None and taken.id != build_id:
                raise LogbookError(
                    f"{build.name} is already in the logbook; choose another revision number"
                )
            # a damaged one is mended by being written
            row = s.get(BuildRow, build_id) if build_id else None
            if row is None:
                row = BuildRow(id=build_id, family=build.family, revision=build.revision, record="")
                s.add(row)
            else:
                self._note_corrections(
                    s,
                    "build",
                    row.id,
                    before=self._said(BuildRow, row.id, row.record, Build.from_json),
                    after=build,
                )
            row.family, row.revision, row.record = build.family, build.revision, build.to_json()
            s.flush()
            return row.id

    def next_revision(self, family: str) -> int:
        with self._session() as s:
            taken = s.scalars(select(BuildRow.revision).where(BuildRow.family == family)).all()
            return max(taken, default=0) + 1

    def rigs(self) -> list[tuple[int, Rig]]:
        with self._session() as s:
            return self._records(s, RigRow, Rig, RigRow.id)

    def free_rig_name(self, name: str) -> str:
        """A rig's name that is not taken: the one given, or with a number behind it."""
        taken = {rig.name for _, rig in self.rigs()}
        return next(n for n in (name, *(f"{name} {k}" for k in range(2, 10_000))) if n not in taken)

    def rig(self, rig_id: int) -> Rig:
        found: Rig = self._record(RigRow, rig_id, Rig)
        return found

    def save_rig(self, rig: Rig, rig_id: int | None = None) -> int:
        """Keeps a rig; its id. What it changes of a rig with runs is kept as a correction."""
        with self._session() as s:
            row = s.get(RigRow, rig_id) if rig_id else None
            if row is None:
                row = RigRow(id=rig_id, name=rig.name, record="")
                s.add(row)
            else:
                self._note_corrections(
                    s,
                    "rig",
                    row.id,
                    before=self._said(RigRow, row.id, row.record, Rig.from_json),
                    after=rig,
                )
            row.name, row.record = rig.name, rig.to_json()
            s.flush()
            return row.id

    def has_tests(self, kind: Kind, owner: int) -> bool:
        """Whether anything was tested with a build or rig."""
        with self._session() as s:
            return bool(
                s.scalar(
                    select(func.count()).where(
                        (TestRow.build_id if kind == "build" else TestRow.rig_id) == owner
                    )
                )
            )

    def newest_test(self, build_id: int) -> int:
        """The number of a build's newest test; 0: it has none."""
        newest = (
            select(TestRow.id)
            .where(TestRow.build_id == build_id)
            .order_by(TestRow.created.desc(), TestRow.id.desc())
        )
        with self._session() as s:
            return s.scalar(newest.limit(1)) or 0

    def remove(self, kind: Kind, owner: int) -> None:
        """Takes back a build or rig that was begun and never tested. Raises LogbookError where it
        has tests.
        """
        with self._session() as s:
            row = s.get(BuildRow if kind == "build" else RigRow, owner)
            if self.has_tests(kind, owner):
                raise LogbookError(f"this {kind} has tests and cannot be removed from the logbook")
            if row is not None:
                s.delete(row)

    # --- what was tested, and put right afterwards ------------------------------------------------

    def runs_with(self, kind: Kind, owner: int) -> int:
        """How many runs were made with a build or rig, those left out included."""
        with self._session() as s:
            return self._runs_with(s, kind, owner)

    def _runs_with(self, s: Session, kind: Kind, owner: int) -> int:
        column = TestRow.build_id if kind == "build" else TestRow.rig_id
        return (
            s.scalar(
                select(func.count(RunRow.id))
                .join(TestRow, TestRow.id == RunRow.test_id)
                .where(column == owner)
            )
            or 0
        )

    def _note_corrections(
        self, s: Session, kind: Kind, owner: int, before: Build | Rig | None, after: Build | Rig
    ) -> None:
        if (
            before is not None
            and bears_on_results(before, after)
            and self._runs_with(s, kind, owner)
        ):
            for field, old, new in differences(before, after):
                s.add(
                    CorrectionRow(kind=kind, owner=owner, field=field[:200], before=old, after=new)
                )

    def corrections(self, build_id: int, rig_id: int) -> list[Correction]:
        """What was put right of a build and a rig after runs were made with them, oldest first."""
        asked = ("build", build_id), ("rig", rig_id)
        with self._session() as s:
            rows = self._rows(s, CorrectionRow, order=(CorrectionRow.id,))
            mine = [r for r in rows if (r.kind, r.owner) in asked]
            of = {r.kind for r in mine}
            names = {"build": self.build(build_id).name} if "build" in of else {}
            names |= {"rig": self.rig(rig_id).name} if "rig" in of else {}
            return [
                Correction(
                    moment(r.at),
                    "build" if r.kind == "build" else "rig",
                    names[r.kind],
                    field=r.field,
                    before=r.before,
                    after=r.after,
                )
                for r in mine
            ]

    def _record(self, table: type[Any], row_id: int, record: type[Any]) -> Any:
        with self._session() as s:
            row = self._row(s, table, row_id)
            said = self._said(table, row_id, row.record, record.from_json)
        if said is None:
            name = f"{table.__tablename__.removesuffix('s')} {row_id}"
            raise LogbookError(
                damaged(self.folder / "logbook.sqlite", f"{name}: {self.damage[name]}")
            )
        return said

    # --- tests and runs ---------------------------------------------------------------------------

    def add_test(
        self,
        build_id: int,
        rig_id: int,
        plan: Plan,
        title: str = "",
        created: datetime | None = None,
    ) -> int:
        """Begins a test; its number. created: where it is not now."""
        with self._session() as s:
            row = TestRow(build_id=build_id, rig_id=rig_id, plan=plan.to_json(), title=title)
            row.created = created or datetime.now(UTC)
            s.add(row)
            s.flush()
            return row.id

    def tests(self, build_id: int | None = None) -> list[StoredTest]:
        """Tests in the order in which they were created; of one build or of all."""
        with self._session() as s:
            return self._tests(s, *(() if build_id is None else (TestRow.build_id == build_id,)))

    def count_tests(self) -> int:
        with self._session() as s:
            return s.scalar(select(func.count(TestRow.id))) or 0

    def _tests(self, s: Session, *where: Any) -> list[StoredTest]:
        counting = (
            select(RunRow.test_id, func.count().label("n"))
            .where(RunRow.struck.is_(False))
            .group_by(RunRow.test_id)
        )
        if where:
            counting = counting.where(RunRow.test_id.in_(select(TestRow.id).where(*where)))
        counts: dict[int, int] = {row.test_id: row.n for row in s.execute(counting)}
        found = []
        for r in self._rows(s, TestRow, *where, order=(TestRow.created, TestRow.id)):
            plan = self._said(TestRow, r.id, r.plan, self._plan_said)
            rest = self._said(
                TestRow, f"{r.id} headline", f"{r.created} {r.headline or 'null'}", headline_said
            )
            if plan is not None and rest is not None:
                created, headline = rest
                found.append(
                    StoredTest(
                        r.id,
                        r.build_id,
                        r.rig_id,
                        title=r.title,
                        plan=plan,
                        created=created,
                        headline=headline,
                        runs=counts.get(r.id, 0),
                    )
                )
        return found

    def test(self, test_id: int) -> StoredTest:
        """Raises LogbookError when it is not there or damaged."""
        with self._session() as s:
            found = self._tests(s, TestRow.id == test_id)
            if not found:
                self._row(s, TestRow, test_id)  # says which
                raise LogbookError(
                    damaged(self.folder / "logbook.sqlite", f"test {test_id} cannot be read")
                )
            return found[0]

    def save_plan(self, test_id: int, plan: Plan) -> None:
        with self._session() as s:
            self._row(s, TestRow, test_id).plan = plan.to_json()

    def save_headline(self, test_id: int, headline: dict[str, Any]) -> None:
        """Keeps what lists show of a test; where nothing can be kept, it is derived each time."""
        if self.read_only:
            return
        with self._session() as s:
            self._row(s, TestRow, test_id).headline = json.dumps(headline)

    def add_run(self, test_id: int, run: Run, recording: Recording | str = "") -> int:
        """Keeps a run with its recording, given as data or as the name of one already kept (a
        shared file); "": it was read by a person, and has none.
        """
        run = (
            run
            if run.started
            else run.model_copy(update={"started": datetime.now(UTC).isoformat(timespec="seconds")})
        )
        name = (
            self.keep_recording(recording, self.belongs(test_id, run))
            if isinstance(recording, Recording)
            else recording
        )
        with self._session() as s:
            row = RunRow(test_id=test_id, record=run.to_json(), recording=name, struck=False)
            s.add(row)
            s.flush()
            return row.id

    def belongs(self, test_id: int, run: Run) -> dict[str, Any]:
        """The note by which a recording can be given back to its test. Raises LogbookError when
        there is no such test.
        """
        return {
            "test": test_id,
            "begun": self.test(test_id).created.isoformat(),
            "run": json.loads(run.to_json()),
        }

    def runs(self, test_id: int, *, struck: bool = False) -> list[StoredRun]:
        """Runs in the order they were made; struck ones only when asked for."""
        return self._runs(
            RunRow.test_id == test_id, *(() if struck else (RunRow.struck.is_(False),))
        )

    def some_runs(self, run_ids: Sequence[int]) -> list[StoredRun]:
        """These runs, as far as they are there and not damaged."""
        return self._runs(RunRow.id.in_(run_ids))

    def run(self, run_id: int) -> StoredRun:
        """Raises LogbookError when it is not there or damaged."""
        found = self.some_runs([run_id])
        if not found:
            raise LogbookError(f"run {run_id} of this logbook is missing or damaged")
        return found[0]

    def _runs(self, *where: Any) -> list[StoredRun]:
        with self._session() as s:
            rows = self._rows(s, RunRow, *where, order=(RunRow.id,))
            said = [self._said(RunRow, r.id, r.record, self._run_said) for r in rows]
        return [
            StoredRun(r.id, r.test_id, run, recording=r.recording, struck=r.struck)
            for r, run in zip(rows, said, strict=True)
            if run is not None
        ]

    def _plan_said(self, text: str) -> Plan:
        """A plan; thousands of tests have the same."""
        if text not in self._plans:
            self._plans[text] = Plan.from_json(text)
        return self._plans[text]

    def _run_said(self, text: str) -> Run:
        """A run; calibration and instruments, the most of it and the same in thousands, are read
        once.
        """
        told = json.loads(text)
        if not isinstance(told, dict):
            return Run.from_json(text)
        large: dict[str, Any] = {}
        for name, record in (("calibration", Calibration), ("sensors", Sensors)):
            if part := told.pop(name, None):
                own = json.dumps(part)
                if own not in self._instruments:
                    self._instruments[own] = record.from_json(own, name)
                large[name] = self._instruments[own]
        run = Run.from_json(json.dumps(told))
        return run.model_copy(update=large) if large else run

    def save_run(self, run_id: int, run: Run) -> None:
        """Keeps what is known of a run beside its recording; the recording stays as it is."""
        with self._session() as s:
            self._row(s, RunRow, run_id).record = run.to_json()

    def strike(self, run_ids: Sequence[int], struck: bool = True, why: str = "") -> None:
        """Leaves runs out of the results, or takes them back in. Nothing is deleted. why: kept with
        each."""
        with self._session() as s:
            for run_id in run_ids:
                row = self._row(s, RunRow, run_id)
                row.struck = struck
                if why:
                    run = Run.from_json(row.record).model_copy(update={"left_out": why})
                    row.record = run.to_json()
