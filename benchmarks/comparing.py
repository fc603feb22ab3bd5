"""Benchmarks of comparing and choosing."""

from __future__ import annotations

import json
import time
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from benchmarks.yardstick import best, qt, say


def compare() -> None:
    """200 builds × 40 runs compared, drawn and ranked, over reading their results as JSON."""
    from PyQt6.QtWidgets import QApplication

    from sparring.core.analysis import analyse
    from sparring.core.compare.figures import At
    from sparring.core.compare.subject import Subject
    from sparring.core.compare.whole import compared
    from sparring.core.performance.model import performance
    from sparring.core.plant.bench import bench_of
    from sparring.core.plant.lifts import ladder, runs_of
    from sparring.core.plant.sensors import sensors_of
    from sparring.core.quantity import Measured
    from sparring.demo import hollin_yard
    from sparring.files.result_files import to_dict
    from sparring.ui.model.desk import Desk
    from sparring.ui.pages.compare.curves import CurvesView
    from sparring.ui.pages.compare.figures_table import FiguresTable
    from sparring.ui.pages.compare.forest import Forest

    build, rig = hollin_yard.dunnock(2), hollin_yard.rig()
    plan = hollin_yard.plan(0.5, 1.0, 1.5, 2.0, repeats=10)
    of = []
    for n in range(10):  # as many as take a minute to make; the rest are theirs under other names
        bench = bench_of(build, rig, friction=[f * (0.9 + 0.02 * n) for f in build.loss_figures()])
        lifts = ladder(bench, sensors_of(rig), rig, plan, seed=n)
        runs = runs_of(lifts, rig.method, tare=Measured(84_120.0, 4.0))
        of.append(analyse(build, rig, plan, runs))
    subjects = [
        Subject(
            f"Dunnock r{n + 1}",
            build.model_copy(update={"revision": n + 1}),
            result=of[n % 10],
            model=performance(of[n % 10]),
            rig=rig.name,
            test=n + 1,
        )
        for n in range(200)
    ]
    texts = [json.dumps(to_dict(r)) for r in of] * 20
    qt()
    desk = Desk()
    views = CurvesView(desk), Forest(desk), FiguresTable(desk)
    for view in views:
        view.resize(800, 400)
        view.show()

    def all_of_it() -> None:
        fresh = [replace(s, _made={}) for s in subjects]  # nothing of before is left
        desk.comparing.found = compared(fresh, At(12.0, 0.386), reference=0)
        for view in views:
            view.refresh()
        QApplication.processEvents()

    ours, bare = best(all_of_it, 3), best(lambda: [json.loads(t) for t in texts], 3)
    figure = f"{ours:.2f} s against {bare:.2f} s"
    say("compare: 200 builds × 40 runs and drawn over reading them", ours / bare, 10, figure)


def duty() -> None:
    """5 000 candidate drives against a duty of 20 segments, over as many plain exponentials."""
    from sparring.core.duty.figures import Candidate, known_drive
    from sparring.core.duty.meets import meets
    from sparring.core.duty.record import Duty
    from sparring.core.duty.segment import Segment
    from sparring.core.outlook.drive import Drive
    from sparring.demo import hollin_yard

    drives = [known_drive(Drive.of(hollin_yard.dunnock(n)), measured=False) for n in (1, 2, 3)]
    motors = [
        replace(drives[n % 3].motor, k=drives[n % 3].motor.k * (0.6 + 0.01 * n)) for n in range(50)
    ]
    trains = [
        replace(drives[n % 3].train, a=drives[n % 3].train.a * (0.5 + 0.01 * n)) for n in range(100)
    ]
    candidates = [Candidate("c", m, t, measured=False) for m in motors for t in trains]
    segments = tuple(Segment(torque=0.05 * (n + 1), speed=3.0, time=5.0) for n in range(20))
    asked = Duty(segments=segments, voltage=12.0)
    x = np.linspace(-1.0, 0.0, 5_000 * 20 * 40)
    ours, bare = best(lambda: meets(candidates, asked), 3), best(lambda: np.exp(x), 3)
    say("duty: 5 000 drives × 20 segments over 4 M exponentials", ours / bare, 60, f"{ours:.2f} s")


def search() -> None:
    """A logbook of 10 000 tests searched by a condition, over a plain search in their texts."""
    from sparring.core.search import query
    from sparring.demo import hollin_yard
    from sparring.logbook.searching import facts_of
    from sparring.logbook.stored import StoredTest

    builds = [hollin_yard.dunnock(n) for n in (1, 2, 3)]
    made, plan = datetime(2026, 11, 12, tzinfo=UTC), hollin_yard.plan(0.5)
    tests = [
        StoredTest(n, n % 3, 1, f"test {n}", plan, made, {"value": 0.5 + n / 20_000}, 5)
        for n in range(10_000)
    ]
    began = time.perf_counter()
    facts = [facts_of(builds[t.build_id], [t], {1: "Hoist A"}) for t in tests]
    made_in = time.perf_counter() - began
    text = "material = POM and ratio > 25 and efficiency > 80 %"

    def ours() -> int:
        keep = query(text)
        return sum(map(keep, facts))

    seconds, bare = best(ours, 5), best(lambda: sum("pom" in f.text for f in facts), 5)
    figure = f"{1e3 * seconds:.0f} ms; what they are found by in {made_in:.2f} s, once"
    say("search: 10 000 tests by three conditions over one word", seconds / bare, 40, figure)
