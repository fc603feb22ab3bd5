"""Attacks on what runs: lines of a board, crashes at any moment, kills, limits."""

from __future__ import annotations

import errno
import json
import math
import os
import queue
import random
import select
import shutil
import subprocess
import sys
import time
import tty
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from tally import LINES, Tally, a_recording

from sparring.bench.lines import Block, LineReader, with_checksum
from sparring.bench.link import Link
from sparring.bench.session import Session
from sparring.core.guard import Guard, channel
from sparring.core.recording import Recording
from sparring.core.run import Run
from sparring.demo import hollin_yard
from sparring.logbook import Logbook, LogbookError, recordings
from sparring.logbook.recordings import RecordingError
from sparring.logbook.recovery import adopt, recover


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
        {"test": test, "run": json.loads(Run(ended="top", voltage=12.0).to_json())},
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


def stop_times(n, seed, folder: Path) -> list[float]:
    """From the first line over a limit, written into the cable, to `stop` read from it [s]; n lifts
    on one board of 80 lines a second.
    """
    rng, times = random.Random(seed), []
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    state: queue.SimpleQueue = queue.SimpleQueue()
    session = Session(lambda notice: state.put(notice.what) if notice.kind == "state" else None)
    session.guard = Guard((channel("current", "current", "current", "A", 3.0),))
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
                    session.lift(Run(voltage=12.0), 1, folder / f"{lifted}.arrow")
    finally:
        session.detach()
        link.close()
        os.close(ours)
        os.close(theirs)
    return times
