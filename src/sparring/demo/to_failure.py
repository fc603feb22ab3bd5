"""A test to failure of the demo: the printed split ring, heavier step by step until it breaks, at a
third of what its weakest part should carry.
"""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.events import with_events
from sparring.core.plan import Plan, PlanStep
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.mishaps import MISHAPS
from sparring.core.plant.sensors import SensorSet
from sparring.core.quantity import Measured
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig
from sparring.demo.part import Part, Runs, Tested, at, keep_test, of_rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook

ZERO, GAIN = 41_000.0, 520.0  # of the 20 kg cell [counts], [counts/N]
_LOADS = (3.0, 4.0, 5.0, 6.0, 7.0)  # [kg]
_PART = "stage 1 turning ring"  # where a layer parted
_TESTED = datetime(2026, 11, 19, 14, 0, tzinfo=UTC)
_SENSORS = SensorSet(cell_zero=ZERO, cell_gain=GAIN, cell_noise=14.0)


def plan(build: Build) -> Plan:
    """Once each, the part named that should go first."""
    steps = (
        PlanStep(
            id=n,
            kind="to failure",
            load=Measured(m, 1e-3),
            voltage=12.0,
            repeats=1,
            part=build.limits[0].name,
        )
        for n, m in enumerate(_LOADS)
    )
    return Plan(steps=tuple(steps), question="what breaks")


def part(build: Build, rig: Rig) -> Part:
    """The test as it went: all held, but for the last."""
    return Part("to failure", partial(_tested, build, rig), _keep)


def _tested(build: Build, rig: Rig) -> Tested:
    whole = plan(build)
    bench = bench_of(build, rig, friction=[f * 1.05 for f in build.loss_figures()])
    last = len(_LOADS) - 1
    runs: Runs = []
    for steps, mishap in ((whole.steps[:last], ""), (whole.steps[last:], "breakage")):
        some = whole.model_copy(update={"steps": steps})
        broken = MISHAPS[mishap]() if mishap else None
        lifts = ladder(bench, _SENSORS, rig, some, seed=31, mishap=broken)
        made = runs_of(lifts, rig.method, tare=Measured(ZERO, 4.0))
        for run, recording in of_rig(made, rig, started=at(_TESTED)):
            told = with_events(build, rig, run, recording)
            if told.broke:
                told = told.model_copy(update={"broke": _PART})
            runs.append((told, recording))
    figures = headline(analyse(build, rig, whole, runs))
    return Tested(build.name, rig.name, whole, "to failure", _TESTED, runs, figures)


def _keep(book: Logbook, made: Tested) -> None:
    keep_test(book, made)
