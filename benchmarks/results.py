"""The charts of Results: an order spectrum over one Fourier transform, a test of 500 runs opened
and drawn over reading its recordings, a map redrawn.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks import many
from benchmarks.yardstick import best, qt, say

_SAMPLES = 10_000_000
_RUNS = 500


def orders() -> None:
    """10 million samples of a ramp with jitter to their spectrum, over one rfft as long."""
    from scipy.fft import rfft

    from sparring.core.orders.spectrum import spectrum
    from sparring.core.orders.turning import turning
    from sparring.core.recording import Recording

    rng = np.random.default_rng(1)
    t = np.sort((np.arange(_SAMPLES) + rng.uniform(-0.1, 0.1, _SAMPLES)) / 10_000.0)
    speed = 50.0 + 5.0 * t / t[-1]
    y = speed * (1 + 0.01 * np.sin(41 * t) + 0.004 * rng.standard_normal(_SAMPLES))
    turned = turning(Recording(t, {"speed": speed}), {"output": 1.0, "motor": 30.0})
    bare = best(lambda: rfft(y), 3)
    took = best(lambda: spectrum(turned, y), 2)
    say("orders: 10 million samples to a spectrum over an rfft", took / bare, 3.0, f"{took:.2f} s")


def results() -> None:
    """A test of 500 runs, and the map of the demo's bought drive."""
    from sparring.logbook import Logbook
    from sparring.ui.app.shell import MainWindow
    from sparring.ui.model import background

    app = qt()
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "book"
        many.RUNS, many.TESTS = _RUNS, 1
        test = many.make(folder)
        with Logbook(folder) as book:
            names = [r.recording for r in book.runs(test)]
            bare = best(lambda: [book.recording(n) for n in names], 3)
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.desk.open(folder)

        def settled(until: Callable[[], bool] = lambda: True) -> None:
            while background.busy() or window.desk.book is None or not until():
                app.processEvents()
                time.sleep(0.0005)
            for _ in range(5):
                app.processEvents()

        settled()
        window.go("results")
        settled()

        def opened() -> None:
            window.desk.choose_build(window.desk.build_id + 1)
            settled()
            window.desk.choose_test(test)
            settled()

        opened()
        took = best(opened, 3)
        detail = f"{took:.2f} s, goal under 1 s"
        say("results: 500 runs opened and drawn over reading them", took / bare, 3.0, detail)
        page = window.view("results")
        assert window.desk.book is not None
        bought = next(i for i, b in window.desk.book.builds() if b.name == "Bought r1")
        window.desk.choose_build(bought)
        settled()
        page.show_kind("map")
        insight = page.insight
        settled(lambda: insight.found is not None and insight.found.map is not None)
        kind, found = page.kind("map"), insight.found

        def redrawn() -> None:
            kind.put(found)
            kind.map.grab()

        took = best(redrawn, 5)
        blank = best(lambda: kind.map.grab(), 5)
        detail = f"{1e3 * took:.0f} ms, goal 50"
        say("results: a map redrawn over its picture alone", took / blank, 5.0, detail)
        window.close()
