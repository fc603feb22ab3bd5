"""Shared benches, and a settings folder of the tests' own."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="sparring-tests-")

import pytest
from helpers import SIZE, Heard, close_others, copied, demo_logbook, discard, make_runs
from hypothesis import HealthCheck, settings

from sparring.core.plant import motion
from sparring.core.records import changed
from sparring.demo import hollin_yard

# the same examples every time: whoever changes something else is not to find a rare one
settings.register_profile(
    "suite",
    deadline=None,
    derandomize=True,
    max_examples=60 if SIZE != "sample" else 20,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("suite")

if motion.__file__.endswith(".so"):
    source = Path(motion.__file__).with_name("motion.py")
    if source.stat().st_mtime > Path(motion.__file__).stat().st_mtime:
        pytest.exit(f"{source} was changed after it was compiled: run make .venv/.ready-dev", 1)

# one that needs no demo logbook comes first, while another process makes it
LONGEST = (
    "test_devices",
    "test_window",
    "test_methods",
    "test_live_methods",
    "test_live",
    "test_closure",
    "test_compare_page",
    "test_endurance",
    "test_results_page",
    "test_compare",
    "test_plan_page",
    "test_by_eye_page",
    "test_wear_page",
    "test_words",
    "test_advance",
    "test_events",
    "test_revisions",
    "test_readings_window",
    "test_run_page",
    "test_build_page",
    "test_rig_page",
)


def pytest_xdist_auto_num_workers():
    """One more than there are processors: a run on a bench takes its time, and waits."""
    return (os.cpu_count() or 1) + 1


def pytest_collection_modifyitems(items):
    """The longest files first: a long one begun last would keep one process busy while the others
    wait. What draws examples is a study of its own.
    """
    for item in items:
        if hasattr(item.function, "hypothesis"):
            item.add_marker("study")
        if item.path.parent.name == "journeys" and not item.get_closest_marker("main"):
            item.add_marker("whole")
    items.sort(
        key=lambda item: (
            LONGEST.index(item.path.stem) if item.path.stem in LONGEST else len(LONGEST)
        )
    )


@pytest.fixture(scope="session")
def demo_book():
    """The demo logbook; not to be changed."""
    return demo_logbook()


@pytest.fixture
def folder(demo_book, tmp_path):
    """A copy of the demo logbook."""
    return copied(demo_book, tmp_path / "book")


@pytest.fixture(scope="session")
def build():
    return hollin_yard.dunnock(2)


@pytest.fixture(scope="session")
def rig():
    # shorter lifts: the plant takes most of the tests' time
    return changed(hollin_yard.rig(), ("method", "travel"), 0.6)


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
    """The window, on Build. The tests of a process share it, each with a logbook of its own, as a
    tester opens one after the other; after a failed test, and where a test closed it, comes
    another."""
    from sparring.ui.app.application import application
    from sparring.ui.app.shell import MainWindow

    application()
    if not windows:
        windows.append(MainWindow())
        windows[0].heard = Heard(windows[0])
    window = windows[0]
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    window.go("build")
    window.heard.forget()
    if "rig" in window.views:
        window.view("rig").tabs.setCurrentIndex(0)
    if "run" in window.views:
        window.view("run")._wants_eye = False  # whatever the rig of a test before has
    yield window
    window.session.disconnect_bench()
    close_others(window)
    if request.node.failed or not window.isVisible():
        discard(windows.pop())
