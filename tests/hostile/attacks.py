"""Attacks on everything that comes from outside, by the thousand: records, logs, recordings,
databases, a board's lines.

Each takes how many and a seed, and gives back what happened; the suite makes some of each, `make
attack` many.
"""

from __future__ import annotations

import copy
import errno
import json
import math
import os
import queue
import random
import select
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
import traceback
import tty
import warnings
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from typer.testing import CliRunner

from sparring.bench.lines import Block, LineReader, with_checksum
from sparring.bench.link import Link
from sparring.bench.session import Session
from sparring.cli.app import app
from sparring.core.methods import METHODS
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.run import Run
from sparring.demo import hollin_yard
from sparring.files import record_files
from sparring.logbook import Logbook, LogbookError, recordings
from sparring.logbook.recordings import RecordingError
from sparring.logbook.recovery import adopt, recover

HANG = 60  # [s] that no input may take

LINES = [
    b"", b"> tare ok abc\n", b"# columns: x\n", b"! top\n", b"1,2,3\n", b"9" * 5000,
    b"#" * 3000 + b"\n", b"# columns: seq, t/9**9**9, speed/rpm\n",
    b"> " + b"<img src=x>" * 50 + b"\n",
]  # fmt: skip

VALUES = [
    None, True, [], {}, "", "x", -1, 0, 1e300, math.nan, math.inf, -math.inf, 10**400, "0",
    "-3 N·m", "1e400 mm", "9**9**9 mm", "(" * 3000 + "1" + ")" * 3000,
    "1 " + "kg*" * 2000 + "kg", "1 mm ± 1e300 mm", "1 mm ± -2 mm", "1 kg/m^99",
    "² V", "nan mm", "inf rpm",
    "<img src=/etc/passwd>", "\x00", "\ud83d", "é" * 300, "1 " * 100_000,
    [[[[[[]]]]]], {"a": {"b": {}}},
    "../../etc/passwd", "/etc/passwd",
    "0 mm", "-5 V", "1e-300 mm", "1e9 rpm", "1/0", "١٢ mm",
]  # fmt: skip


class Hang(BaseException):
    """It has taken longer than anything may."""


@dataclass
class Tally:
    """What came of an attack. tracebacks, hangs, silences: each with what brought it about; told:
    damage that was said.
    """

    inputs: int = 0
    told: int = 0
    slowest: float = 0.0
    tracebacks: list[str] = field(default_factory=list)
    hangs: list[str] = field(default_factory=list)
    silences: list[str] = field(default_factory=list)

    @contextmanager
    def one(self, what):
        """One input. `what` says how to bring it about again."""
        self.inputs += 1
        begun = time.perf_counter()
        before = signal.signal(signal.SIGALRM, _hang)
        signal.setitimer(signal.ITIMER_REAL, HANG)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                yield
        except Hang:
            self.hangs.append(what)
        except Exception:
            self.tracebacks.append(f"{what}\n{traceback.format_exc(limit=-4)}")
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
            signal.signal(signal.SIGALRM, before)
            self.slowest = max(self.slowest, time.perf_counter() - begun)

    @property
    def faults(self):
        return self.tracebacks + self.hangs + self.silences


def _hang(_number, _frame):
    raise Hang


# --- commands on mutated files --------------------------------------------------------------------


def _paths(node, at=()):
    yield at
    for key, value in (
        node.items()
        if isinstance(node, dict)
        else enumerate(node)
        if isinstance(node, list)
        else ()
    ):
        yield from _paths(value, (*at, key))


def mutated(document, rng):
    """A JSON document with something wrong with it, as text."""
    document = copy.deepcopy(document)
    for _ in range(rng.choice([1, 1, 1, 2, 5])):
        at = rng.choice([p for p in _paths(document) if p])
        node = document
        for key in at[:-1]:
            node = node[key]
        how = rng.random()
        if how < 0.7:
            node[at[-1]] = rng.choice(VALUES)
        elif how < 0.85:
            del node[at[-1]]
        elif isinstance(node, dict):
            node[rng.choice(["unknown", "", "<b>", "version"])] = rng.choice(VALUES)
        else:
            node.insert(0, node[at[-1]])
    text = json.dumps(document)
    how = rng.random()
    if how < 0.03:
        return text[: rng.randrange(len(text))]
    if how < 0.05:
        return "\ufeff" + text
    if how < 0.07:
        return "[" * 100_000
    if how < 0.09:
        return text.replace("{", '{"version": 1, "version": 2, ', 1)
    return text


def _no_constant(name):
    raise ValueError(f"{name} in JSON")


def command(tally, what, words, named):
    """Runs a command: what it refuses has to name one of the files, what it takes has to be JSON
    without NaN.
    """
    with tally.one(what):
        done = CliRunner().invoke(app, [str(w) for w in words])
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        if done.exit_code == 0 and "--json" in words:
            json.loads(done.stdout, parse_constant=_no_constant)
        elif done.exit_code:
            tally.told += 1
            if not any(
                str(n) in done.output.replace("\n", "") or n.name in done.output for n in named
            ):
                tally.silences.append(f"{what}: refused without naming a file: {done.output[:300]}")


def records(n, seed, folder: Path) -> Tally:
    """Mutated builds, rigs and plans through the commands that read them."""
    rng, tally = random.Random(seed), Tally()
    builds = [hollin_yard.dunnock(2), *hollin_yard.others(hollin_yard.motor())]
    rigs = [hollin_yard.rig().model_copy(update={"method": m.ours()}) for m in METHODS]
    log = small_log(folder)
    good = {
        "build": folder / "good-build.json",
        "rig": folder / "good-rig.json",
        "plan": folder / "good-plan.json",
    }
    for name, record in (("build", builds[0]), ("rig", hollin_yard.rig()), ("plan", Plan())):
        record_files.save(good[name], record)
    for k in range(n):
        kind = rng.choice(["build", "build", "rig", "plan"])
        record = {"build": builds, "rig": rigs, "plan": [Plan()]}[kind]
        path = folder / f"bad-{kind}.json"
        text = mutated(json.loads(rng.choice(record).to_json()), rng)
        path.write_bytes(text.encode("utf-8", "surrogatepass"))
        files = {**good, kind: path}
        what = f"records seed {seed} number {k}: {text[:2000]}"
        if kind == "build" and rng.random() < 0.7:
            load = rng.choice(
                [
                    "0.3 N·m",
                    "0.3 N·m",
                    "-3 N·m",
                    "1e300 N·m",
                    "0 N·m",
                    "x",
                    "9**9**9 N·m",
                    "nan N·m",
                ]
            )
            command(
                tally,
                f"--load {load}, {what}",
                ["train", path, "--load", load, "--json"],
                [path, Path("--load")],
            )
        else:
            options = [f"--{name}={file}" for name, file in files.items()]
            column = rng.choice(
                [
                    [],
                    [],
                    [],
                    ["--column", "99=speed:rpm"],
                    ["--column", "²=speed:rpm"],
                    ["--column", "1=t:"],
                ]
            )
            command(
                tally,
                f"{column}, {what}",
                ["reduce", log, *options, *column, "--json"],
                [*files.values(), log, Path("column")],
            )
    return tally


def small_log(folder: Path) -> Path:
    """Four lifts in one log, made by hand: no plant is needed to refuse a file."""
    rng = np.random.default_rng(0)
    t = np.arange(0.0, 16.0, 0.02)
    on = (t % 4 > 1) & (t % 4 < 3.5)
    mass = np.floor(t / 4) * 0.5 + 0.5
    cells = [
        t,
        12.0 * on,
        (0.4 + 0.5 * mass) * on,
        (110 - 18 * mass) * on + 0.05 * rng.standard_normal(len(t)),
        mass,
    ]
    path = folder / "log.csv"
    np.savetxt(
        path,
        np.column_stack(cells),
        fmt="%.4f",
        delimiter=",",
        header="t [s],voltage [V],current [A],speed [rpm],mass [kg]",
        comments="",
    )
    return path


_CELLS = [
    "",
    "nan",
    "inf",
    "1e300",
    "-1e300",
    "1e999",
    "x",
    "-",
    "1,5",
    '"',
    "\x00",
    "0x10",
    "1.2.3",
    "=1+1",
    "<img src=x>",
    "9" * 400,
]


def logs(n, seed, folder: Path) -> Tally:
    """Mutated logs through `sparring reduce`."""
    rng, tally = random.Random(seed), Tally()
    lines = small_log(folder).read_text().splitlines()
    build, rig = folder / "build.json", folder / "rig.json"
    record_files.save(build, hollin_yard.dunnock(2))
    record_files.save(rig, hollin_yard.rig())
    path = folder / "bad.csv"
    for k in range(n):
        mine = list(lines)
        for _ in range(rng.choice([1, 1, 3, 50])):
            at, how = rng.randrange(len(mine)), rng.random()
            cells = mine[at].split(",")
            if how < 0.6:
                cells[rng.randrange(len(cells))] = rng.choice(_CELLS)
                mine[at] = ",".join(cells)
            elif how < 0.7:
                mine[at] = ",".join(cells[: rng.randrange(len(cells))])
            elif how < 0.8:
                mine.insert(rng.randrange(len(mine)), mine[at])
            elif how < 0.9:
                mine[at] += ",1" * rng.choice([1, 1000])
            else:
                column = rng.randrange(5)
                value = rng.choice(_CELLS)
                mine = [
                    ",".join(value if i == column else c for i, c in enumerate(x.split(",")))
                    for x in mine
                ]
        data = "\n".join(mine).encode("utf-8", "surrogatepass")
        how = rng.random()
        if how < 0.1:
            spot = rng.randrange(len(data))
            data = data[:spot] + bytes([rng.randrange(256)]) + data[spot + 1 :]
        elif how < 0.15:
            data = data[: rng.randrange(len(data))]
        elif how < 0.2:
            data = data.decode(errors="replace").encode("utf-16")
        path.write_bytes(data)
        command(
            tally,
            f"logs seed {seed} number {k}",
            ["reduce", path, f"--build={build}", f"--rig={rig}", "--json"],
            [path, build, rig],
        )
    return tally


# --- damage on the disk ---------------------------------------------------------------------------


def _damage(data: bytes, rng) -> bytes:
    out = bytearray(data)
    how = rng.random()
    if how < 0.6:
        out[rng.randrange(len(out))] ^= 1 << rng.randrange(8)
    elif how < 0.75:
        return bytes(out[: rng.randrange(len(out))])
    elif how < 0.9:
        at, size = rng.randrange(len(out)), rng.randrange(1, 4096)
        out[at : at + size] = bytes(len(out[at : at + size]))
    else:
        at = rng.randrange(len(out))
        out[at : at + 64] = rng.randbytes(len(out[at : at + 64]))
    return bytes(out)


def a_recording(n=2000):
    rng = np.random.default_rng(3)
    t = np.arange(n) / 80
    return Recording(
        t,
        {"speed": 11 + rng.standard_normal(n), "cell": 114_000 + 8 * rng.standard_normal(n)},
        ((3.0, 4.0),),
        7,
        ((1.0, "heard"),),
    )


def _same(a: Recording, b: Recording) -> bool:
    return (
        a.channels.keys() == b.channels.keys()
        and np.array_equal(a.t, b.t)
        and all(np.array_equal(v, b.channels[k], equal_nan=True) for k, v in a.channels.items())
        and (a.gaps, a.lost, a.marks) == (b.gaps, b.lost, b.marks)
    )


def damaged_recordings(n, seed, folder: Path) -> Tally:
    """Flipped bits, holes and cuts in recordings: read as it was, or told."""
    rng, tally = random.Random(seed), Tally()
    whole = a_recording()
    path = folder / recordings.write(folder, whole)
    data = path.read_bytes()
    for k in range(n):
        hurt = _damage(data, rng)
        if hurt == data:
            continue
        path.write_bytes(hurt)
        with tally.one(what := f"recordings seed {seed} number {k}"):
            try:
                if not _same(recordings.read(path), whole):
                    tally.silences.append(what)
            except RecordingError:
                tally.told += 1
    return tally


def cut_streams(n, seed, folder: Path) -> Tally:
    """Damaged captures, taken in when the logbook is opened: no traceback, and what can be read is
    what was written.
    """
    from sparring.bench.recorder import Recorder

    rng, tally = random.Random(seed), Tally()
    whole = a_recording()
    path = folder / "capture.arrow"
    recorder = Recorder(path, tuple(whole.channels), {"test": 1, "run": {}})
    for k in range(0, len(whole), 100):
        part = slice(k, k + 100)
        recorder.add(whole.t[part], np.column_stack([v[part] for v in whole.channels.values()]))
        recorder._flush()
    recorder.close(ended="top")
    data = path.read_bytes()
    for k in range(n):
        path.write_bytes(_damage(data, rng) if k % 2 else data[: rng.randrange(len(data))])
        with tally.one(f"streams seed {seed} number {k}"):
            try:
                read, note = recordings.read_stream(path)
                at = np.searchsorted(whole.t, read.t).clip(max=len(whole) - 1)
                same = np.array_equal(whole.t[at], read.t) and all(
                    np.array_equal(whole.channels[c][at], v) for c, v in read.channels.items()
                )
                if (
                    not same
                    or (note.get("test"), note.get("run")) != (1, {})
                    or (k % 2 == 0 and "damaged" in note)
                ):
                    tally.silences.append(f"streams seed {seed} number {k}")
                tally.told += "damaged" in note or "cut" in note
            except RecordingError:
                tally.told += 1
    return tally


def damaged_databases(n, seed, folder: Path) -> Tally:
    """Flipped bits, holes and cuts in a logbook's database: what it holds is as it was, or the
    damage is told.
    """
    rng, tally = random.Random(seed), Tally()
    book = folder / "book"
    with Logbook(book) as made:
        build, rig = made.save_build(hollin_yard.dunnock(2)), made.save_rig(hollin_yard.rig())
        test = made.add_test(build, rig, hollin_yard.plan(0.5, 1.0), "one")
        for k in range(30):
            made.add_run(test, Run(step=k), f"{k:064x}.parquet")
    database = book / "logbook.sqlite"
    with closing(sqlite3.connect(database)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    data = database.read_bytes()

    def read():
        with Logbook(book) as opened:
            return (
                repr(
                    (opened.builds(), opened.rigs(), opened.tests(), opened.runs(test, struck=True))
                ),
                opened.damage,
            )

    whole, _ = read()
    for k in range(n):
        hurt = _damage(data, rng)
        if hurt == data:
            continue
        for ending in ("-wal", "-shm"):
            database.with_name(database.name + ending).unlink(missing_ok=True)
        shutil.rmtree(book / "backups", ignore_errors=True)
        database.write_bytes(hurt)
        with tally.one(what := f"databases seed {seed} number {k}"):
            try:
                now, damage = read()
                if damage:
                    tally.told += 1
                elif now != whole:
                    tally.silences.append(what)
            except LogbookError:
                tally.told += 1
    return tally


# --- a board's lines ------------------------------------------------------------------------------


def lines(n, seed, _folder: Path) -> Tally:
    """Garbage between good lines: no figure is believed that was not sent, time never jumps,
    nothing raises.
    """
    rng, tally = random.Random(seed), Tally()
    for k in range(n):
        with tally.one(what := f"lines seed {seed} number {k}"):
            reader, sent = LineReader(), set()
            data = b"# columns: seq, t/ms, speed/rpm, current/A\n"
            for seq in range(60):
                line = with_checksum(f"{seq},{12.5 * seq:.1f},{100 + seq},{seq / 100:.2f}")
                sent.add((round(100 + seq, 6), round(seq / 100, 6)))
                how = rng.random()
                if how < 0.2:
                    spot = rng.randrange(len(line))
                    line = (
                        line[:spot]
                        + rng.randbytes(rng.randrange(1, 4))
                        + line[spot + rng.randrange(3) :]
                    )
                elif how < 0.3:
                    line = rng.choice([*LINES, rng.randbytes(200)]) + line
                data += line
            shown = []
            at = 0
            while at < len(data):
                step = rng.randrange(1, 300)
                shown += [i for i in reader.feed(data[at : at + step]) if isinstance(i, Block)]
                at += step
            for block in shown:
                if block.mapping.channels != ("speed", "current"):
                    continue
                got = {
                    (round(float(a) * 30 / math.pi, 3), round(float(b), 6))
                    for a, b in block.values
                    if math.isfinite(a + b)
                }
                if wrong := [
                    g
                    for g in got
                    if not any(abs(g[0] - s[0]) < 0.01 and abs(g[1] - s[1]) < 1e-4 for s in sent)
                ]:
                    tally.silences.append(f"{what}: believed {wrong[:3]}")
                if len(block.t) and not np.all(np.isfinite(block.t)):
                    tally.silences.append(f"{what}: a time that is none")
    return tally


# --- crashes while a lift is kept -----------------------------------------------------------------


class Crash(BaseException):
    """The machine stops here."""


CHUNK = 50  # samples between two writes of the recorder, which come at least once a second


class Shim:
    """Stands in for the calls by which anything gets to the disk, and stops, or fails, at one of
    them.
    """

    def __init__(self, at, how):
        self.at, self.how, self.count = at, how, 0

    def __call__(self, name, call):
        def called(*words, **more):
            self.count += 1
            if self.count == self.at:
                if self.how == "crash":
                    raise Crash(name)
                raise OSError(errno.ENOSPC, "No space left on device")
            if self.count > self.at and self.how == "crash":
                raise Crash(name)  # nothing after it is done
            return call(*words, **more)

        return called


def keep_a_lift(book: Logbook, test: int, whole: Recording) -> None:
    """Captures a lift and makes a run of it, as a session does, but in one thread."""
    from sparring.bench.recorder import Recorder

    recorder = Recorder(
        book.capture_path(),
        tuple(whole.channels),
        {"test": test, "run": json.loads(Run(ended="top").to_json())},
    )
    for k in range(0, len(whole), CHUNK):
        part = slice(k, k + CHUNK)
        recorder.add(whole.t[part], np.column_stack([v[part] for v in whole.channels.values()]))
        recorder._flush()
        recorder._sync()
    recorder.close(ended="top")
    if recorder.fault is not None:
        raise recorder.fault
    adopt(book, recorder.path)


def crashes(n, seed, folder: Path) -> Tally:
    """Keeping a lift, ended or refused at each call that writes; then opened again: nothing twice,
    nothing silent, and of what was written nothing but the last batch is lost. n: calls that are
    tried."""
    tally, whole = Tally(), a_recording(600)
    start = folder / "start"
    with Logbook(start) as made:
        test = made.add_test(
            made.save_build(hollin_yard.dunnock(2)),
            made.save_rig(hollin_yard.rig()),
            hollin_yard.plan(0.5),
            "one",
        )
    for how in ("crash", "full"):
        at = 0
        while at < n:
            at += 1
            book = folder / f"{how} {at}"
            shutil.copytree(start, book)
            with tally.one(what := f"crashes, {how} at call {at}"):
                shim = Shim(at, how)
                written = _until_it_stops(book, test, whole, shim)
                if shim.count < at:
                    at = n  # it went through
                _look_after(book, test, whole, written, how, what, tally)
            shutil.rmtree(book)
    return tally


def _until_it_stops(book: Path, test: int, whole: Recording, shim: Shim) -> int:
    """Keeps a lift until the shim ends it; samples that were on the disk by then."""
    from sparring.bench import recorder as recording

    written = 0
    flush = recording.Recorder._flush

    def flushed(self):
        nonlocal written
        flush(self)
        written = self.samples

    with pytest.MonkeyPatch.context() as patch:
        # its thread writes nothing by itself: all is done in turn
        patch.setattr(recording, "FLUSH_EVERY", 1e6)
        patch.setattr(recording.Recorder, "_flush", flushed)
        opened = Logbook(book)
        try:
            # the recorder's thread stops there, too
            patch.setattr("threading.excepthook", lambda _: None)
            patch.setattr("os.fsync", shim("fsync", os.fsync))
            for name in ("rename", "unlink"):
                patch.setattr(Path, name, shim(name, getattr(Path, name)))
            patch.setattr(
                pa.ipc.RecordBatchStreamWriter,
                "write_batch",
                shim("write", pa.ipc.RecordBatchStreamWriter.write_batch),
            )
            patch.setattr(pq, "write_table", shim("write", pq.write_table))
            patch.setattr(Logbook, "add_run", shim("commit", Logbook.add_run))
            keep_a_lift(opened, test, whole)
        except (Crash, OSError, LogbookError, RecordingError):
            pass
        finally:
            patch.undo()
            opened.close()
    return written


def _look_after(
    book: Path, test: int, whole: Recording, written: int, how: str, what: str, tally: Tally
) -> None:
    with Logbook(book) as opened:
        said = recover(opened)
        runs = opened.runs(test)
        again = recover(opened)
        if len(opened.runs(test)) != len(runs) or again:
            tally.silences.append(f"{what}: opened twice it says {again}")
        if len(runs) > 1:
            tally.silences.append(f"{what}: kept {len(runs)} times")
        kept = opened.recording(runs[0].recording) if runs else None
        if kept is not None and not np.array_equal(kept.t, whole.t[: len(kept)]):
            tally.silences.append(f"{what}: other figures")
        if (0 if kept is None else len(kept)) < written:
            tally.silences.append(
                f"{what}: {written} samples were written, {0 if kept is None else len(kept)} are"
                f" kept; {said}"
            )
        if list((book / "recordings").glob("*.part")) or list(
            (book / "recordings").glob("*.arrow")
        ):
            tally.silences.append(f"{what}: something is left over")
        tally.told += bool(said)


RECORDS = """
import sys, time
from pathlib import Path
import numpy as np
from sparring.bench.recorder import Recorder
recorder = Recorder(Path(sys.argv[1]), ("speed",), {"test": 1, "run": {}})
print("begun", flush=True)
while True:
    recorder.add(np.array([time.time()]), np.ones((1, 1)))
    time.sleep(0.0125)
"""


def kills(n, seed, folder: Path) -> list[float]:
    """A process that records, killed outright at any moment: what of the time until then is not on
    the disk [s].
    """
    rng, lost = random.Random(seed), []
    for k in range(n):
        path = folder / f"killed-{k}.arrow"
        process = subprocess.Popen(
            [sys.executable, "-c", RECORDS, str(path)], stdout=subprocess.PIPE
        )
        process.stdout.readline()
        time.sleep(0.5 + rng.random())
        process.kill()
        at = time.time()
        process.wait()
        process.stdout.close()
        lost.append(at - recordings.read_stream(path)[0].t[-1])
    return lost


# --- how long a bench goes on over a limit --------------------------------------------------------


def stop_times(n, seed, folder: Path) -> list[float]:
    """From the first line over a limit, written into the cable, to `stop` read from it [s]; n lifts
    on one board of 80 lines a second.
    """
    rng, times = random.Random(seed), []
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    state: queue.SimpleQueue = queue.SimpleQueue()
    session = Session(lambda notice: state.put(notice.what) if notice.kind == "state" else None)
    session.limits = {"current": 3.0}
    session.keep = lambda _stream: 0
    link = Link(os.ttyname(theirs), session)
    session.attach(link, lambda: link.reader.tally)
    link.start()
    begun, seq, heard = time.monotonic(), 0, b""
    over_at, due, turning = math.inf, begun, False
    lifted = 0
    try:
        while len(times) < n:
            ready, _, _ = select.select([ours], [], [], max(0.0, due - time.monotonic()))
            now = time.monotonic()
            if ready:
                heard += os.read(ours, 4096)
                *words, heard = heard.split(b"\n")
                for word in words:
                    if word == b"hello":
                        os.write(ours, b"# columns: seq, t/ms, speed/rpm, current/A\n")
                    os.write(
                        ours,
                        b"> " + word.split()[0] + b" ok " + b" ".join(word.split()[1:]) + b"\n",
                    )
                    if word == b"up":
                        turning, over_at = True, math.inf
                        first_over = now + rng.uniform(0.05, 0.15)
                    if word == b"stop" and turning:
                        times.append(now - over_at)
                        turning = False
            if now >= due:
                due, seq = max(due + 1 / 80, now - 0.1), seq + 1
                amps = 9.0 if turning and now >= first_over else 1.0
                if amps > 3 and over_at == math.inf:
                    over_at = now
                os.write(ours, with_checksum(f"{seq},{1e3 * (now - begun):.1f},100,{amps}"))
                if session.state == "ready" and not session.facts().recording:
                    lifted += 1
                    session.lift(Run(), 1, folder / f"{lifted}.arrow")
    finally:
        session.detach()
        link.close()
        os.close(ours)
        os.close(theirs)
    return times
