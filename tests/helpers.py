"""What the tests share beside their fixtures: benches, and the window driven from outside."""

from __future__ import annotations

import fcntl
import hashlib
import math
import os
import shutil
import subprocess
import sys
import time
from itertools import pairwise
from pathlib import Path

import pytest

from sparring.core.plan import ladder as plan_ladder
from sparring.core.plan.record import LOADS
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured

TARE = Measured(84_120.0, 4.0)
CASES = 200  # of a study of how often the truth lies in the stated interval
SIZE = os.environ.get("SPARRING_STUDIES", "sample")  # of the studies: sample, ci or all


def benches(few):
    """How many benches a study takes: all by `make study`, few in CI, a sample of those in the
    tests that are run after each change.
    """
    return {"all": CASES, "ci": few, "sample": max(few // 6, min(few, 4))}[SIZE]


def about_95(share, n, most=0.99):
    """Whether a share of n intervals is 95 in 100, as far as n tell it: 95 ± 4 % of 200. most: for
    intervals known to be wide.
    """
    least = 0.95 - 2.6 * math.sqrt(0.95 * 0.05 / n)
    return least <= share <= (most if n >= CASES else 1.0)


def planned(loads=LOADS, voltages=(12.0,), repeats=5, **plan):
    """A plan of every load at every voltage [V]; the benches of the tests have 12 V motors."""
    return plan_ladder(loads, voltages, repeats, **plan)


def make_runs(build, rig, plan, *, seed=1, friction=1.0, sensors=None, **bench):
    """A test's lifts on the plant: (runs with recordings, what was true)."""
    truth = bench_of(build, rig, friction=[f * friction for f in build.loss_figures()], **bench)
    lifts = ladder(truth, sensors_of(rig, **(sensors or {})), rig, plan, seed=seed)
    return runs_of(lifts, rig.method, tare=TARE), lifts


ROOT = Path(__file__).parents[1]


def demo_logbook():
    """The demo logbook, made once for all processes and test runs of the same sources, by the
    command; not to be changed. One that cannot be made says so once, and the others at once.
    """
    sources = sorted((ROOT / "src").rglob("*.py"))
    digest = hashlib.sha256(b"".join(p.read_bytes() for p in sources)).hexdigest()[:16]
    kept = ROOT / "build" / "tests"
    kept.mkdir(parents=True, exist_ok=True)
    folder, failed = kept / f"demo-{digest}", kept / f"demo-{digest}.failed"
    with open(kept / "demo.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        run = os.environ.get("PYTEST_XDIST_TESTRUNUID", str(os.getpid()))
        if failed.exists() and failed.read_text() == run:
            pytest.fail("the demo logbook cannot be made, as said before")
        if not folder.exists():
            for old in kept.glob("demo-*"):
                shutil.rmtree(old) if old.is_dir() else old.unlink()
            part = kept / "part"
            shutil.rmtree(part, ignore_errors=True)
            command = [sys.executable, "-m", "sparring", "demo", str(part), "--no-window"]
            made = subprocess.run(command, capture_output=True, text=True, check=False)
            if made.returncode:
                failed.write_text(run)
                pytest.fail(f"the demo logbook cannot be made: {made.stderr[-3000:]}")
            _derive(part)
            part.rename(folder)
    return folder


def copied(folder, target):
    """A copy of a folder with logbooks; recordings never change, and are linked."""

    def copy(file, to):
        linked = (
            Path(file).suffix == ".parquet"
            and os.stat(file).st_dev == os.stat(Path(to).parent).st_dev
        )
        return os.link(file, to) if linked else shutil.copy2(file, to)

    return Path(shutil.copytree(folder, target, copy_function=copy))


def _derive(folder):
    """Has the results of all its tests worked out and kept, as a logbook that is in use has them:
    each copy would do it anew.
    """
    from sparring.exchange.deriving import heat_of, result_of
    from sparring.logbook import Logbook

    with Logbook(folder) as book:
        for test in book.tests():
            result_of(book, test.id)
            if book.build(test.build_id).has_motor:
                heat_of(book, test.id)


def close_others(window):
    """Closes every dialog."""
    from PyQt6.QtWidgets import QApplication

    for other in QApplication.topLevelWidgets():
        if other is not window and other.isVisible():
            other.close()


def was_wrong(window):
    """Answers the question of what an edit of a tested record is: it was wrong all along."""
    assert window.question.isVisible()
    window.question.wrong.click()
    assert not window.question.isVisible()


def lay(window, folder):
    """Opens a logbook in the window, and waits for it."""
    from PyQt6.QtWidgets import QApplication

    from sparring.ui.model import background

    window.desk.open(folder)
    there = folder.resolve()
    wait_for(
        lambda: window.desk.book and window.desk.book.folder == there and not background.busy(),
        25,
        QApplication.processEvents,
    )


def discard(window):
    """Closes a window, waits for what it still has under way, and takes it away: dozens of them
    slow every later one.
    """
    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QApplication

    from sparring.ui.model import background

    window.close()
    wait_for(lambda: not background.busy(), step=QApplication.processEvents)
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


class Heard:
    """What a window's bench went through and what was said of it, so that a test waits for what has
    been, however short it was.
    """

    def __init__(self, window):
        self._session, self._page = window.session, window.view("run")
        self.states, self.said, self.speeds, self.flows = [], [], [], []
        self._session.state_changed.connect(lambda: self.states.append(self._session.state))
        self._session.arrived.connect(
            lambda: self.speeds.append(self._page.row.figures["speed"].value)
        )
        self._page.flow_changed.connect(lambda: self.flows.append(self._page.flow().flow))
        for signal in (self._session.said, window.desk.said, window.desk.warned):
            signal.connect(self.said.append)

    def lifts(self):
        """How often a lift was begun."""
        return sum(1 for before, now in pairwise(["", *self.states]) if now == "lifting" != before)

    def fastest(self):
        """The highest output speed that the figures have shown."""
        return max(
            (float(text.replace("−", "-")) for text in self.speeds if text != "–"), default=0.0
        )

    def forget(self):
        for kept in (self.states, self.said, self.speeds, self.flows):
            kept.clear()


# [s] put behind every wait, to show that no test counts on speed
SLOWED = float(os.environ.get("SPARRING_TESTS_SLOWED", "0"))


def wait_for(condition, seconds=60.0, step=None):
    """Waits until `condition()` holds; `step` keeps things going meanwhile. Fails loudly."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            slowly = time.monotonic() + SLOWED
            while time.monotonic() < slowly:
                if step:
                    step()
                time.sleep(0.004)
            return
        if step:
            step()
        time.sleep(0.004)
    raise AssertionError(f"not within {seconds} s: {condition}")
