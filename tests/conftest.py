"""Shared benches, and a settings folder of the tests' own."""

from __future__ import annotations

import math
import os
import tempfile
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="sparring-tests-")

import pytest
from hypothesis import HealthCheck, settings

from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard

settings.register_profile("suite", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("suite")

LONGEST = ("test_window", "test_live", "test_methods", "test_closure", "test_readings", "test_build_page", "test_results")


def pytest_collection_modifyitems(items):
    """The longest files first: a long one begun last would keep one process busy while the others wait."""
    items.sort(key=lambda item: LONGEST.index(item.path.stem) if item.path.stem in LONGEST else len(LONGEST))


TARE = Measured(84_120.0, 4.0)
CASES = 200  # of a study of how often the truth lies in the stated interval


def benches(few):
    """How many benches a study takes: all by `make study`; the suite makes do with fewer where one takes long."""
    return CASES if os.environ.get("SPARRING_ALL_BENCHES") else few


def about_95(share, n, most=0.99):
    """Whether a share of n intervals is 95 in 100, as far as n tell it: 95 ± 4 % of 200. most: for intervals known to be wide."""
    least = 0.95 - 2.6 * math.sqrt(0.95 * 0.05 / n)
    return least <= share <= (most if n >= CASES else 1.0)


def make_runs(build, rig, plan, *, seed=1, friction=1.0, sensors=None, **bench):
    """A test's lifts on the plant: (runs with recordings, what was true)."""
    truth = bench_of(build, rig, friction=[f * friction for f in build.loss_figures()], **bench)
    lifts = ladder(
        truth,
        sensors_of(rig, **(sensors or {})),
        rig,
        [m.value for m in plan.loads],
        plan.repeats,
        volts=plan.voltage,
        seed=seed,
    )
    weighed = list(plan.loads) if rig.method.SET_BY[1] == "mass" and rig.method.STEP else None
    return runs_of(lifts, weighed, plan.voltage, tare=TARE), lifts


@pytest.fixture(scope="session")
def build():
    return hollin_yard.dunnock(2)


@pytest.fixture(scope="session")
def rig():
    return changed(hollin_yard.rig(), ("method", "travel"), 0.6)  # shorter lifts: the plant takes most of the tests' time


@pytest.fixture(scope="session")
def plan():
    return hollin_yard.plan(0.5, 1.0, 1.5, 2.0, 2.5, repeats=3)


@pytest.fixture(scope="session")
def lifted(build, rig, plan):
    """Fifteen good lifts, made once for all tests of a worker."""
    return make_runs(build, rig, plan)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item, call):
    report = yield
    item.failed = getattr(item, "failed", False) or report.failed
    return report


@pytest.fixture(scope="session")
def windows():
    kept = []
    yield kept
    for window in kept:
        discard(window)


@pytest.fixture
def shown(qapp, windows, request):
    """The window, on Build. The tests of a process share it, each with a logbook of its own, as a tester opens one after the
    other; after a failed test, and where a test closed it, comes another."""
    from sparring.ui.application import application
    from sparring.ui.shell import MainWindow

    application()
    if not windows:
        windows.append(MainWindow())
    window = windows[0]
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    window.go("Build")
    if "Rig" in window.made:
        window.rig_page.tabs.setCurrentIndex(0)
    yield window
    window.session.disconnect_bench()
    close_others(window)
    if request.node.failed or not window.isVisible():
        discard(windows.pop())


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

    from sparring.ui import background

    window.desk.open(folder)
    there = folder.resolve()
    wait_for(lambda: window.desk.book and window.desk.book.folder == there and not background.busy(), 25, QApplication.processEvents)


def discard(window):
    """Closes a window, waits for what it still has under way, and takes it away: dozens of them slow every later one."""
    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QApplication

    from sparring.ui import background

    window.close()
    wait_for(lambda: not background.busy(), step=QApplication.processEvents)
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def wait_for(condition, seconds=15.0, step=None):
    """Waits until `condition()` holds; `step` keeps things going meanwhile. Fails loudly."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return
        if step:
            step()
        time.sleep(0.004)
    raise AssertionError(f"not within {seconds} s: {condition}")
