"""Hollin Yard's campaigns: which gears, which is done; and does grease pay, on three drives at two
voltages, of which half is. And what the drives are wanted for: vents of two sizes.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial
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
from sparring.demo.part import TARE, Part, Runs, Tested, at, keep_test, of_rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_MADE = 28  # of 52 trials
_DONE = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)
_BEGAN = datetime(2026, 11, 16, 8, 0, tzinfo=UTC)


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
        Duty(name="small vent", task=small, voltage=12.0, cycles=30 * 365 * 5.0, per_day=30.0),
        Duty(
            name="large vent, shut before rain",
            task=large,
            voltage=12.0,
            cycles=12 * 365 * 5.0,
            per_day=12.0,
        ),
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


def parts(builds: Sequence[Build], rig: Rig) -> list[Part]:
    """Both campaigns, build by build; and a second set of gears for two of the builds."""
    done, begun = gears(), campaign()
    named = {b.name: b for b in builds}
    truth = {"Dunnock r1": 1.05, "Dunnock r2": 0.98, "Dunnock r3": 1.03, "Wren r2": 1.04}
    made = [
        _Trials(c, named[build], rig, began, many, truth.get(build, 1.04) if c is done else 1.04, n)
        for c, began, many, seed in (
            (done, _DONE, len(trials(done)), 64),
            (begun, _BEGAN, _MADE, 40),
        )
        for n, build in enumerate((b.name for b in builds if b.name in c.builds), start=seed)
    ]
    second = [
        Part(f"second set, {name}", partial(_second_set, named[name], rig, friction, n), _keep_test)
        for n, (name, friction) in enumerate((("Dunnock r1", 1.12), ("Dunnock r2", 1.05)))
    ]
    return [Part(f"{t.campaign.name}, {t.build.name}", t.tested, t.keep) for t in made] + second


@dataclass(frozen=True)
class _Trials:
    """The first `many` trials of a campaign, as far as they are of one build. friction: the true
    one over the nominal one.
    """

    campaign: Campaign
    build: Build
    rig: Rig
    began: datetime
    many: int
    friction: float
    seed: int

    def tested(self) -> Tested:
        c, build, rig = self.campaign, self.build, self.rig
        made = trials(c)[: self.many]
        mine = [t for t in made if t.cell[0] == build.name]
        counts = Counter(t.cell[1] for t in mine)
        steps = tuple(
            s.model_copy(update={"repeats": counts[column_of(s)]})
            for s in c.plan.steps
            if counts[column_of(s)]
        )
        plan = c.plan.model_copy(update={"steps": steps})
        when = {(*t.cell, t.number): (t.block, made.index(t)) for t in mine}
        runs: Runs = []
        for run, recording in _lifted(build, rig, plan, self.friction, seed=self.seed):
            step = c.plan.step(run.step)
            assert step is not None
            block, place = when[build.name, column_of(step), run.repeat]
            minutes = 12 * (place % 13) + 2 * run.step
            began = self.began + timedelta(days=block - 1, minutes=minutes)
            runs += of_rig([(run, recording)], rig, started=at(began))
        whole = c.plan_of(build.name)
        told = headline(analyse(build, rig, whole, runs))
        return Tested(build.name, rig.name, whole, c.name, self.began, runs, told)

    def keep(self, book: Logbook, made: Tested) -> None:
        test = keep_test(book, made)
        key, known = next(
            ((k, c) for k, c in book.campaigns() if c.name == self.campaign.name),
            (0, self.campaign),
        )
        key = key or book.save_campaign(known)
        if all(t.build != made.build for t in known.tests):
            book.begin_in(known, key, made.build, test)


def keep_duties(book: Logbook) -> None:
    """What the drives are wanted for."""
    kept = {str(n): json.loads(d.to_json()) for n, d in enumerate(duties(), start=1)}
    book.set_setting("duties", kept)


def _second_set(build: Build, rig: Rig, friction: float, n: int) -> Tested:
    """Dry and greased once more, with gears of another print: how much specimens differ."""
    plan = gears().plan
    steps = tuple(s.model_copy(update={"repeats": 4}) for s in plan.steps)
    plan = plan.model_copy(
        update={"steps": steps, "factors": (Factor(name="specimen", level="second set"),)}
    )
    day = _DONE + timedelta(days=7 + n)
    runs: Runs = []
    for k, lifted in enumerate(_lifted(build, rig, plan, friction, seed=80 + n)):
        runs += of_rig([lifted], rig, started=at(day + timedelta(minutes=4 * k)))
    told = headline(analyse(build, rig, plan, runs))
    return Tested(build.name, rig.name, plan, "second set of gears", day, runs, told)


def _lifted(
    build: Build, rig: Rig, plan: Plan, friction: float, *, seed: int
) -> Iterable[tuple[Run, Recording]]:
    truth = [f * friction for f in build.loss_figures()]
    bench = bench_of(build, rig, friction=truth)
    lifts = ladder(bench, sensors_of(rig), rig, plan, seed=seed)
    return runs_of(lifts, rig.method, tare=TARE)


def _keep_test(book: Logbook, made: Tested) -> None:
    keep_test(book, made)
