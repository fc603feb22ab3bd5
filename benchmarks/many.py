"""A logbook of 10 000 tests, one of them of 10 000 runs: opened, searched, and one more lift kept,
over reading its recordings.
"""

from __future__ import annotations

import json
import sqlite3
import tempfile
import time
from contextlib import closing
from pathlib import Path

import numpy as np

from benchmarks.yardstick import best, qt, say

RUNS = TESTS = 10_000


def make(folder: Path) -> int:
    """The demo's logbook with its first test repeated; the test of many runs."""
    from sparring.demo import make_logbook
    from sparring.logbook import Logbook
    from sparring.logbook.tables import seal_of

    make_logbook(folder)
    with Logbook(folder) as book:
        test = book.tests()[0]
    with closing(sqlite3.connect(folder / "logbook.sqlite")) as db:
        runs = db.execute(
            "SELECT record, recording FROM runs WHERE test_id = ?", (test.id,)
        ).fetchall()
        plan, head = db.execute(
            "SELECT plan, headline FROM tests WHERE id = ?", (test.id,)
        ).fetchone()
        now = "2026-11-20 10:00:00.000000"
        first = db.execute("SELECT max(id) + 1 FROM runs").fetchone()[0]
        many = []
        for k in range(RUNS - len(runs)):
            record, name = runs[k % len(runs)]
            text = json.dumps({**json.loads(record), "repeat": 10 + k})
            many.append(
                (
                    first + k,
                    test.id,
                    text,
                    name,
                    0,
                    now,
                    seal_of((first + k, test.id, text, name, False)),
                )
            )
        db.executemany(
            "INSERT INTO runs (id, test_id, record, recording, struck, created, seal) VALUES (?, ?,"
            " ?, ?, ?, ?, ?)",
            many,
        )
        owner = test.build_id, test.rig_id
        ids = range(1000, 1000 + TESTS)
        more = [
            (k, *owner, f"soak {k}", plan, head, now, seal_of((k, *owner, f"soak {k}", plan, head)))
            for k in ids
        ]
        db.executemany(
            "INSERT INTO tests (id, build_id, rig_id, title, plan, headline, created, seal) VALUES"
            " (?, ?, ?, ?, ?, ?, ?, ?)",
            more,
        )
        # unsealed, as by an earlier version
        db.execute(
            "INSERT OR REPLACE INTO settings (key, value) VALUES ('test', ?)", (str(test.id),)
        )
        db.commit()
    return test.id


def many() -> None:
    """Ratios to reading 10 000 recordings; stalls of the window in milliseconds."""
    from PyQt6.QtCore import QTimer

    from sparring.logbook import Logbook
    from sparring.ui.app.shell import MainWindow
    from sparring.ui.model import background

    app = qt()
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "book"
        test = make(folder)
        with Logbook(folder) as book:
            names = [r.recording for r in book.runs(test)]
            some = names[:500]
            bare = best(lambda: [book.recording(n) for n in some], 3) * len(names) / len(some)
            run, recording = book.runs(test)[0].run, book.recording(names[0])
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        app.processEvents()
        beats: list[float] = []
        beat = QTimer()
        beat.setInterval(1)
        beat.timeout.connect(lambda: beats.append(time.perf_counter()))
        beat.start()

        def timed(what: str, begin, done, goal: float) -> None:  # type: ignore[no-untyped-def]
            beats.clear()
            start = time.perf_counter()
            begin()
            while not done() or background.busy():
                app.processEvents()
                time.sleep(0.0005)
            for _ in range(100):
                app.processEvents()
                time.sleep(0.001)
            took = time.perf_counter() - start - 0.1
            stall = 1e3 * float(np.max(np.diff(beats))) if len(beats) > 1 else 0.0
            say(
                f"many: {what} over reading 10 000 recordings",
                took / bare,
                goal,
                f"{took:.1f} s against {bare:.1f} s; longest stall {stall:.0f} ms",
            )

        desk = window.desk
        timed("first opened", lambda: desk.open(folder), lambda: desk.result is not None, 5)
        desk.close()
        desk.result = None
        timed("opened again", lambda: desk.open(folder), lambda: desk.result is not None, 1)

        def keep() -> None:
            assert desk.book is not None
            desk.runs_changed(
                [desk.book.add_run(test, run.model_copy(update={"repeat": 99_999}), recording)]
            )

        n = len(desk.runs)
        timed("one more lift kept", keep, lambda: len(desk.runs) == n + 1, 0.2)
        timed("searched", lambda: window.logbook.search.setText("soak 77"), lambda: True, 0.05)
        window.close()
