"""Hollin Yard's campaign: does grease pay, on three drives at two voltages? Half of it is done."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.outlook.campaign import Campaign, column_of, trials
from sparring.core.plan import ladder as planned
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_MADE = 28  # of 52 trials
_BEGAN = datetime(2026, 11, 16, 8, 0, tzinfo=UTC)
_TARE = Measured(84_120.0, 4.0)


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
    """Keeps the campaign with the first of its trials. ids: of the builds, by their names."""
    c = campaign()
    key = book.save_campaign(c)
    made = trials(c)[:_MADE]
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
        truth = [f * 1.04 for f in build.loss_figures()]
        lifts = ladder(
            bench_of(build, rig, friction=truth),
            sensors_of(rig),
            rig,
            c.plan.model_copy(update={"steps": steps}),
            seed=40 + n,
        )
        when = {(*t.cell, t.number): (t.block, made.index(t)) for t in mine}
        for run, recording in runs_of(lifts, rig.method, tare=_TARE):
            step = c.plan.step(run.step)
            assert step is not None
            block, place = when[build.name, column_of(step), run.repeat]
            minutes = 12 * (place % 13) + 2 * run.step
            began = _BEGAN + timedelta(days=block - 1, minutes=minutes)
            known = {
                "started": began.isoformat(timespec="seconds"),
                "calibration": rig.calibration,
                "sensors": rig.sensors,
            }
            book.add_run(test, run.model_copy(update=known), recording)
        runs = book.material(book.runs(test))
        book.save_headline(test, headline(analyse(build, rig, c.plan_of(build.name), runs)))
