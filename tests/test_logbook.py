"""The logbook's folder: what is kept, what is damaged, what a crash leaves."""

import errno
import gc
import io
import json
import os
import signal
import subprocess
import sys
import textwrap

import numpy as np
import pytest
from helpers import planned, wait_for
from typer.testing import CliRunner

from sparring.bench.recorder import Recorder
from sparring.cli.app import app
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.logbook import Logbook, LogbookError, keeping
from sparring.logbook.recordings import RecordingError, read_stream
from sparring.logbook.recovery import adopt, recover
from sparring.logbook.tables import SCHEMA


@pytest.fixture
def book(tmp_path, build, rig, plan):
    with Logbook(tmp_path / "book") as made:
        made.add_test(made.save_build(build), made.save_rig(rig), plan)
        yield made


def note(run=None):
    return {"test": 1, "run": json.loads((run or Run(step=2, voltage=12.0)).to_json())}


def test_a_capture_becomes_a_run_with_marks_and_gaps(book):
    recorder = Recorder(book.capture_path(), ["speed"], note())
    empty = recorder.path.stat().st_size
    recorder.add(np.arange(150) * 0.01, 1.0 + np.arange(150)[:, None])
    recorder.mark(0.5, "click heard")
    # the first part is on the disk by then
    wait_for(lambda: recorder.path.stat().st_size > empty + 2000)
    recorder.add(2 + np.arange(50) * 0.01, np.full((50, 1), 2.0))
    recorder.gap(1.5, 2.0)
    recorder.close(ended="top", lost=3)
    adopt(book, recorder.path)
    run = book.runs(1)[0]
    recording = book.recording(run.recording)
    assert (run.run.ended, run.run.step, len(recording)) == ("top", 2, 200)
    assert (recording.marks, recording.gaps, recording.lost) == (
        ((0.5, "click heard"),),
        ((1.5, 2.0),),
        3,
    )
    assert not list(book.folder.glob("recordings/*.arrow"))


KILLED = """
import json, sys, time
from pathlib import Path
from sparring.bench.recorder import Recorder
from sparring.core.run import Run
r = Recorder(Path(sys.argv[1]), ["speed"], {"test": 1, "run": 
    json.loads(Run(step=4, voltage=12.0).to_json())})
start = time.monotonic()
while True:
    r.add([time.monotonic() - start], [[1.0]])
    print(time.monotonic() - start, flush=True)
    time.sleep(0.01)
"""


def test_kill_9_loses_at_most_a_second(book):
    process = subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(KILLED), str(book.capture_path())],
        stdout=subprocess.PIPE,
        text=True,
    )
    last = 0.0
    while last < 1.7:
        last = float(process.stdout.readline())
    os.kill(process.pid, signal.SIGKILL)
    rest = process.communicate()[0].split()
    last = float(rest[-1]) if rest else last
    said = recover(book)
    assert len(said) == 1
    assert "Recovered an interrupted run" in said[0]
    run = book.runs(1)[-1]
    assert run.run.ended == "interrupted"
    assert last - book.recording(run.recording).t[-1] < 1.0
    assert recover(book) == []


def test_rubbish_left_by_a_crash_is_kept_and_told(book):
    (book.folder / "recordings" / "dead.arrow").write_bytes(b"\x00\x01 nothing")
    assert "kept as dead.arrow.unreadable" in recover(book)[0]
    assert (book.folder / "recordings" / "dead.arrow.unreadable").exists()


class BadDisk(io.FileIO):
    """A file on a disk that, after `room` bytes, does what `how` says."""

    def __init__(self, path, how):
        super().__init__(path, "x+")
        self.how, self.room = how, 40_000

    def write(self, data):
        data, there = bytes(data), self.tell()
        if self.how == "a part":
            return super().write(data[: max(len(data) // 3, 1)])  # the rest is for another call
        if there + len(data) <= self.room:
            return super().write(data)
        if self.how == "lies":
            super().write(bytes(len(data)))
            return len(data)
        # as much as there is room for
        taken = super().write(data[: max(self.room - there, 0)])
        if self.how == "short":
            return taken
        number = {"full": errno.ENOSPC, "failing": errno.EIO}[self.how]
        raise OSError(number, os.strerror(number))


@pytest.mark.parametrize("room_again", [False, True])
@pytest.mark.parametrize("how", ["full", "failing", "short", "lies", "a part"])
def test_what_is_said_to_be_saved_reads_back_on_a_bad_disk(book, how, room_again):
    faults, made = [], []
    recorder = Recorder(
        book.capture_path(),
        ["speed"],
        note(),
        on_fault=faults.append,
        opener=lambda p: made.append(BadDisk(p, how)) or made[0],
    )
    for n in range(40):
        recorder.add(n + np.arange(100) / 100, np.ones((100, 1)))
        if n % 10 == 0:
            size = made[0].tell()
            wait_for(lambda size=size: made[0].tell() > size or faults)
    if how != "a part":
        wait_for(lambda: faults)
        assert "saved" in str(faults[0])
        said = int(str(faults[0]).split(" samples are saved")[0].rsplit(" ", 1)[1])
        assert len(read_stream(recorder.path)[0]) == said
    if room_again:
        made[0].room = 10**9
    recorder.close(ended="top")
    assert len(read_stream(recorder.path)[0]) == recorder.samples
    adopt(book, recorder.path)
    run = book.runs(1)[0]
    kept = len(book.recording(run.recording))
    assert kept == recorder.samples
    if room_again or how == "a part":
        assert (kept, run.run.ended) == (4000, "top")
    else:
        assert 0 < kept < 4000
        assert run.run.ended == "interrupted"


def test_a_second_program_is_refused_with_the_holders_name(book):
    with pytest.raises(LogbookError, match=f"already open: process {os.getpid()}"):
        Logbook(book.folder)


def test_everything_is_there_after_closing(tmp_path, build, rig, plan, lifted):
    with Logbook(tmp_path / "b") as book:
        test = book.add_test(book.save_build(build), book.save_rig(rig), plan, "first")
        for run, recording in lifted[0][:2]:
            book.add_run(test, run, recording)
        book.strike([book.runs(test)[0].id])
        book.save_headline(test, {"value": 0.8})
        book.set_setting("import x", [["t", "s"]])
    with Logbook(tmp_path / "b") as book:
        assert next(b for _, b in book.builds()).to_json() == build.to_json()
        assert book.rig(1).to_json() == rig.to_json()
        stored = book.test(test)
        assert (stored.title, stored.runs, stored.headline, stored.plan.repeats) == (
            "first",
            1,
            {"value": 0.8},
            plan.repeats,
        )
        kept = book.recording(book.runs(test, struck=True)[0].recording)
        assert (kept.channels["speed"] == lifted[0][0][1].channels["speed"]).all()
        assert book.setting("import x") == [["t", "s"]]
        with pytest.raises(LogbookError, match="already in the logbook"):
            book.save_build(build)


def test_another_database_is_opened_again_without_a_file_of_the_folder(tmp_path, build):
    url = f"sqlite:///{tmp_path / 'shared.db'}"
    with Logbook(tmp_path / "b", database=url) as book:
        book.save_build(build)
    with Logbook(tmp_path / "b", database=url, create=False) as book:
        assert [b.name for _, b in book.builds()] == [build.name]
    (tmp_path / "shared.db").write_text("overwritten by something else" * 50)
    with pytest.raises(LogbookError, match="database of this logbook cannot be used"):
        Logbook(tmp_path / "b", database=url)


def test_folders_that_are_no_logbook_are_told_apart(tmp_path):
    with pytest.raises(LogbookError, match=r"no logbook\.sqlite"):
        Logbook(tmp_path / "none", create=False)
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "thesis.txt").write_text("x")
    with pytest.raises(LogbookError, match="other files"):
        Logbook(tmp_path / "full")
    (tmp_path / "bad").mkdir()
    (tmp_path / "bad" / "logbook.sqlite").write_text(
        "this is not a database at all, not even close" * 50
    )
    with pytest.raises(LogbookError, match="not a database"):
        Logbook(tmp_path / "bad")


def test_a_logbook_of_a_newer_version_is_left_alone(tmp_path):
    from sqlalchemy import text

    with Logbook(tmp_path / "b") as book, book.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(LogbookError, match="newer version"):
        Logbook(tmp_path / "b")


@pytest.mark.parametrize("part", ["recordings", "photos", "backups"])
def test_a_folder_that_is_a_link_out_of_the_logbook_is_refused(book, tmp_path, part):
    folder = book.folder
    book.close()
    (tmp_path / "elsewhere").mkdir()
    there = folder / part
    there.rename(folder / "aside") if there.exists() else None
    there.symlink_to(tmp_path / "elsewhere")
    with pytest.raises(LogbookError, match="is a link to"):
        Logbook(folder)


def test_migrations_make_the_tables_that_the_code_expects(tmp_path):
    from alembic.autogenerate import compare_metadata
    from alembic.runtime.migration import MigrationContext

    from sparring.logbook.tables import Base

    with Logbook(tmp_path / "b") as book, book.engine.connect() as connection:
        context = MigrationContext.configure(connection)
        assert context.get_current_revision() == SCHEMA
        assert compare_metadata(context, Base.metadata) == []


def test_a_missing_recording_is_named(book, lifted):
    book.add_run(1, *lifted[0][0])
    name = book.runs(1)[0].recording
    (book.folder / "recordings" / name).unlink()
    with pytest.raises(RecordingError, match="missing"):
        book.recording(name)


def test_no_flipped_bit_of_a_recording_reads_as_another_figure(book, lifted):
    rng = np.random.default_rng(3)
    run, whole = lifted[0][0]
    book.add_run(1, run, whole)
    path = book.folder / "recordings" / book.runs(1)[0].recording
    good = path.read_bytes()
    for place in rng.integers(0, len(good) * 8, 300):
        data = bytearray(good)
        data[place // 8] ^= 1 << (place % 8)
        path.write_bytes(data)
        with pytest.raises(RecordingError, match="changed since it was written"):
            book.recording(path.name)
    path.write_bytes(good)
    assert (book.recording(path.name).t == whole.t).all()


def test_nobody_else_reads_a_logbook_and_any_folder_name_opens_its_own(tmp_path, build, lifted):
    for name in ("a?b", "100%41", "x#y", "two words"):
        with Logbook(tmp_path / name) as book:
            book.add_run(
                book.add_test(book.save_build(build), book.save_rig(Rig()), planned()),
                *lifted[0][0],
            )
        assert (tmp_path / name / "logbook.sqlite").exists()
        for path in [tmp_path / name, *(tmp_path / name).rglob("*")]:
            assert path.stat().st_mode & 0o077 == 0, path


def test_killed_between_the_run_and_the_end_of_its_stream_a_lift_is_kept_once(book, monkeypatch):
    recorder = Recorder(book.capture_path(), ["speed"], note())
    recorder.add(np.arange(100) * 0.01, np.ones((100, 1)))
    recorder.close(ended="top")

    def killed(*_):
        raise KeyboardInterrupt

    with monkeypatch.context() as m:
        m.setattr(type(recorder.path), "unlink", killed)
        with pytest.raises(KeyboardInterrupt):
            adopt(book, recorder.path)
    assert len(recover(book)) == 1
    assert len(book.runs(1)) == 1
    assert not list(book.folder.glob("recordings/*.arrow"))
    assert len(list(book.folder.glob("recordings/*.parquet"))) == 1


def test_full_read_only_and_damaged_are_told_apart_and_a_good_stream_waits(book, monkeypatch):
    recorder = Recorder(book.capture_path(), ["speed"], note())
    recorder.add(np.arange(100) * 0.01, np.ones((100, 1)))
    recorder.close(ended="top")

    def no_room(*_):
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as m:
        m.setattr(os, "fsync", no_room)
        (said,) = recover(book)
    assert "No space left" in said
    assert "tries again" in said
    assert recorder.path.exists()
    with book.engine.connect() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(LogbookError, match="disk is full"):
        book.set_setting("a long setting", "x" * 8_000_000)
    book.engine.dispose()
    assert "Recovered an interrupted run" in recover(book)[0]
    assert len(book.runs(1)) == 1
    with book.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA query_only = ON")
    with pytest.raises(LogbookError, match="write permissions"):
        book.set_setting("another", 1)


def test_a_damaged_database_is_told_and_a_copy_of_the_day_takes_its_place(tmp_path, build, lifted):
    folder = tmp_path / "b"
    with Logbook(folder) as book:
        book.add_run(
            book.add_test(book.save_build(build), book.save_rig(Rig()), planned()), *lifted[0][0]
        )
    with Logbook(folder):  # the second opening copies what the first has left
        (copy,) = keeping.backups(folder)
        with pytest.raises(OSError, match="open in another program"):
            keeping.restore(folder)
    for day in range(1, 15):
        keeping.back_up(folder, today=f"2025-01-{day:02d}")
    assert [p.name for p in keeping.backups(folder)][-1] == copy.name
    assert len(keeping.backups(folder)) == 10
    clean = keeping.check(folder)
    assert (
        clean["database"],
        clean["runs"],
        clean["damaged"],
        clean["left_over"],
        clean["cut_off"],
    ) == (None, 1, [], [], [])
    data = bytearray((folder / "logbook.sqlite").read_bytes())
    data[4096:12288] = b"\x55" * 8192
    (folder / "logbook.sqlite").write_bytes(data)
    assert keeping.check(folder)["database"]
    with pytest.raises(LogbookError, match="sparring restore"):
        Logbook(folder)
    keeping.restore(folder)
    with Logbook(folder) as book:
        (run,) = book.runs(1)
        assert len(book.recording(run.recording)) > 10
        book.keep_recording(lifted[0][1][1], {})
    (folder / "recordings" / run.recording).unlink()
    found = keeping.check(folder)
    assert [d["runs"] for d in found["damaged"]] == [[1]]
    assert len(found["left_over"]) == 1
    assert list(folder.glob("logbook.sqlite.before-*"))


def test_killed_in_its_first_migration_a_logbook_opens_the_next_time(tmp_path):
    from sqlalchemy import Engine, event

    def killed(_connection, _cursor, statement, *_):
        if "CREATE TABLE corrections" in statement:
            raise KeyboardInterrupt

    event.listen(Engine, "before_cursor_execute", killed)
    try:
        with pytest.raises(KeyboardInterrupt):
            Logbook(tmp_path / "b")
    finally:
        event.remove(Engine, "before_cursor_execute", killed)
    gc.collect()  # what holds the lock of the one that was killed
    with Logbook(tmp_path / "b") as book:
        assert book.tests() == []


def test_the_demo_is_not_made_among_other_files(tmp_path):
    (tmp_path / "letter.txt").write_text("dear tester")
    told = CliRunner().invoke(app, ["demo", str(tmp_path), "--no-window"])
    assert told.exit_code == 1
    assert "Name a folder that is empty" in told.output
    assert [p.name for p in tmp_path.iterdir()] == ["letter.txt"]
