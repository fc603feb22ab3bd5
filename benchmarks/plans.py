"""The Plan page: 200 steps predicted and drawn; predicted anew after a run."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from benchmarks.yardstick import qt, say


def plans() -> None:
    """A plan of 200 steps laid out, predicted and drawn; the same predicted anew from its runs."""
    from sparring.core.outlook.drive import Drive
    from sparring.core.outlook.foresee import foresee
    from sparring.core.outlook.learn import learnt
    from sparring.core.plan import ladder
    from sparring.core.quantity import Measured
    from sparring.demo import make_logbook
    from sparring.ui.app.shell import MainWindow
    from sparring.ui.model import background

    app = qt()
    loads = [Measured(0.05 * (n + 1), 5e-4) for n in range(50)]
    plan = ladder(loads, (6.0, 8.0, 10.0, 12.0), 1)
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.desk.open(make_logbook(Path(folder) / "book"))
        while window.desk.book is None or background.busy():
            app.processEvents()
            time.sleep(0.005)
        d = window.desk
        window.go("plan")
        page = window.view("plan")
        result = d.result
        d.new_test()
        times = []
        for k in range(8):
            steps = plan.steps[k:] + plan.steps[:k]
            start = time.perf_counter()
            d.lay_steps(steps, "plan")
            page.repaint()
            times.append(time.perf_counter() - start)
            app.processEvents()
        say(
            "plan: 200 steps predicted and drawn, ms",
            1e3 * min(times),
            100,
            f"median {1e3 * statistics.median(times):.0f}",
        )
        times = []
        for _ in range(8):
            start = time.perf_counter()
            foresee(learnt(result) if result else Drive.of(d.build), d.rig, plan)
            times.append(time.perf_counter() - start)
        say("plan: 200 steps predicted anew after a run, ms", 1e3 * min(times), 50)
        window.close()
