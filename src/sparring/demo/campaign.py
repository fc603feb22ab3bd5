"""Hollin Yard's campaigns: which gears, which is done; and does grease pay, on three drives at two
voltages, of which half is. And what the drives are wanted for: vents of two sizes.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.duty.record import Duty
from sparring.core.duty.tasks import Vent
from sparring.core.outlook.campaign import Campaign, column_of, trials
from sparring.core.plan import Factor, Plan
from sparring.core.plan import ladder as planned
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig
from sparring.core.run import Run

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_MADE = 28  # of 52 trials
_DONE = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)
_BEGAN = datetime(2026, 11, 16, 8, 0, tzinfo=UTC)
_TARE = Measured(84_120.0, 4.0)


def gears() -> Campaign:
    """Dry, greased, brass or planetary, at 12 V, in five blocks: the planetary one is of another
    material and another ratio at once.
    """
    loads = [Measured(m, 2.5e-4) for m in (0.5, 1.0, 1.5, 2.0)]
    return Campaign(
        name="which gears?",
        builds=("Dunnock r1", "Dunnock r2", "Dunnock r3", "Wren r2"),
        plan=planned(loads, (12.0,), 1),
        blocks=5,
        seed=3,
        reference="Dunnock r2",
    )


def duties() -> list[Duty]:
    """Both vents open with the wind on them; the large one has to be shut before the rain is in."""
    small = Vent(width=0.4, length=0.6, mass=1.5, wind=8.0, gust=12.0, gearing=12.0, time=20.0)
    large = Vent(width=0.6, length=0.9, mass=3.5, wind=8.0, gust=12.0, gearing=24.0, time=4.5)
    return [
        Duty(name="small vent", task=small, cycles=30 * 365 * 5.0, per_day=30.0),
        Duty(name="large vent, shut before rain", task=large, cycles=12 * 365 * 5.0, per_day=12.0),
    ]


def campaign() -> Campaign:
    """Dunnock, Wren and Plover, dry and greased, at 9 and 12 V, in four blocks, one a day."""
    loads = [Measured(m, 2.5e-4) for m in (0.5, 1.0)]
    return Campaign(
        name="grease or dry?",
        builds=("Dunnock r1", "Dunnock r2", "Plover r2", "Plover r1", "Wren r3", "Wren r2"),
        plan=planned(loads, (9.0, 12.0), 1),
        blocks=4,
        seed=7,
        reference="Dunnock r1",
    )


def make(
    book: Logbook, builds: Sequence[Build], ids: dict[str, int], rig: Rig, rig_id: int
) -> None:
    """Keeps both campaigns, a second set of gears for two builds, and the duties. ids: of the
    builds, by their names.
    """
    done = gears()
    truth = {"Dunnock r1": 1.05, "Dunnock r2": 0.98, "Dunnock r3": 1.03, "Wren r2": 1.04}
    where = builds, ids, rig, rig_id
    _keep(book, done, where, _DONE, len(trials(done)), truth, seed=64)
    _second_sets(book, where)
    c = campaign()
    _keep(book, c, where, _BEGAN, _MADE, dict.fromkeys(c.builds, 1.04), seed=40)
    kept = {str(n): json.loads(d.to_json()) for n, d in enumerate(duties(), start=1)}
    book.set_setting("duties", kept)


Where = tuple[Sequence[Build], dict[str, int], Rig, int]


def _keep(
    book: Logbook,
    c: Campaign,
    where: Where,
    began: datetime,
    many: int,
    truth: Mapping[str, float],
    *,
    seed: int,
) -> None:
    """A campaign with the first of its trials. truth: friction over the nominal one."""
    builds, ids, rig, rig_id = where
    key = book.save_campaign(c)
    made = trials(c)[:many]
    for n, build in enumerate(b for b in builds if b.name in c.builds):
        mine = [t for t in made if t.cell[0] == build.name]
        counts = Counter(t.cell[1] for t in mine)
        test = book.add_test(ids[build.name], rig_id, c.plan_of(build.name), c.name)
        c = book.begin_in(c, key, build.name, test)
        steps = tuple(
            s.model_copy(update={"repeats": counts[column_of(s)]})
            for s in c.plan.steps
            if counts[column_of(s)]
        )
        plan = c.plan.model_copy(update={"steps": steps})
        when = {(*t.cell, t.number): (t.block, made.index(t)) for t in mine}
        for run, recording in _lifted(build, rig, plan, truth[build.name], seed=seed + n):
            step = c.plan.step(run.step)
            assert step is not None
            block, place = when[build.name, column_of(step), run.repeat]
            minutes = 12 * (place % 13) + 2 * run.step
            _add(
                book, test, run, recording, rig, began + timedelta(days=block - 1, minutes=minutes)
            )
        _headline(book, test, build, rig, c.plan_of(build.name))


def _second_sets(book: Logbook, where: Where) -> None:
    """Dry and greased once more, with gears of another print: how much specimens differ."""
    builds, ids, rig, rig_id = where
    named = {b.name: b for b in builds}
    plan = gears().plan
    steps = tuple(s.model_copy(update={"repeats": 4}) for s in plan.steps)
    plan = plan.model_copy(
        update={"steps": steps, "factors": (Factor(name="specimen", level="second set"),)}
    )
    for n, (name, friction) in enumerate((("Dunnock r1", 1.12), ("Dunnock r2", 1.05))):
        build = named[name]
        test = book.add_test(ids[name], rig_id, plan, "second set of gears")
        for k, (run, recording) in enumerate(_lifted(build, rig, plan, friction, seed=80 + n)):
            began = _DONE + timedelta(days=7 + n, minutes=4 * k)
            _add(book, test, run, recording, rig, began)
        _headline(book, test, build, rig, plan)


def _lifted(
    build: Build, rig: Rig, plan: Plan, friction: float, *, seed: int
) -> Iterable[tuple[Run, Recording]]:
    truth = [f * friction for f in build.loss_figures()]
    bench = bench_of(build, rig, friction=truth)
    lifts = ladder(bench, sensors_of(rig), rig, plan, seed=seed)
    return runs_of(lifts, rig.method, tare=_TARE)


def _add(
    book: Logbook, test: int, run: Run, recording: Recording, rig: Rig, began: datetime
) -> None:
    known = {
        "started": began.isoformat(timespec="seconds"),
        "calibration": rig.calibration,
        "sensors": rig.sensors,
    }
    book.add_run(test, run.model_copy(update=known), recording)


def _headline(book: Logbook, test: int, build: Build, rig: Rig, plan: Plan) -> None:
    runs = book.material(book.runs(test))
    book.save_headline(test, headline(analyse(build, rig, plan, runs)))
