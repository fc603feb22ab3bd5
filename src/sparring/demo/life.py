"""A life test of the demo: the belt drive loses efficiency, skips, and fails after 900 cycles."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.endurance import Cycle, Endurance, Phase
from sparring.core.endurance.cycle import Adds
from sparring.core.events import with_events
from sparring.core.instruments.devices import DeviceSet
from sparring.core.plan import Plan, PlanStep
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.mishaps import MISHAPS
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.demo.part import TARE, Part, Tested, at, keep_test, of_rig
from sparring.endurance.journal import Journal, UnderTest, journals
from sparring.endurance.process import SIMULATED

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_CYCLES = 900
_KEPT = (1, 100, 200, 300, 400, 500, 600, 700, 800)  # with all their samples
_SKIPS = 741, 858
_LOSES = 0.55  # part by which the losses have grown in the end
_BEGAN = 1_794_000_000.0  # Unix time [s]
_LOAD = Measured(1.0, 5e-4)
_VOLTS = 12.0
PLAN = Endurance.ours(
    name="Life test, 1 kg lifted",
    duty=(Phase.ours(time=30.0, voltage=_VOLTS, load=_LOAD), Phase.ours(time=20.0, voltage=0.0)),
    inspect_every=250,
    keep_every=100,
)


@dataclass(frozen=True)
class LifeTest:
    """What came of it: runs by cycle, and every cycle."""

    tested: Tested
    cycles: list[Cycle]


def part(build: Build, rig: Rig) -> Part:
    """The life test, as its process would have left it."""
    return Part("life test", partial(_made, build, rig), partial(_keep, build, rig))


def _made(build: Build, rig: Rig) -> LifeTest:
    kept: dict[int, tuple[Run, Recording]] = {}
    for n in (*_KEPT, *_SKIPS, _CYCLES):
        what = "skip" if n in _SKIPS else "breakage" if n == _CYCLES else ""
        run, recording = _run(build, rig, _worn(n), what, n)
        kept[n] = with_events(build, rig, run, recording), recording
    summed = {n: _sum(build, rig, n, *kept[n]) for n in _KEPT}
    cycles = [_between(summed, n) for n in range(1, _CYCLES + 1)]
    for n in (*_SKIPS, _CYCLES):
        told = _sum(build, rig, n, *kept[n])
        known = cycles[n - 1]
        cycles[n - 1] = replace(told, began=known.began, hottest=known.hottest)
    runs = list(kept.values())
    plan, created = PLAN.plan(), datetime.fromtimestamp(_BEGAN, UTC)
    figures = headline(analyse(build, rig, plan, runs))
    made = Tested(build.name, rig.name, plan, PLAN.name, created, runs, figures)
    return LifeTest(made, cycles)


def _keep(build: Build, rig: Rig, book: Logbook, made: LifeTest) -> None:
    test = keep_test(book, made.tested)
    if test in journals(book.folder):
        return
    named = {r.run.repeat: [r.recording] for r in book.runs(test)}
    cycles = [replace(c, kept=named.get(c.n, [])) for c in made.cycles]
    begun = book.test(test).created.isoformat()
    devices = DeviceSet.ours(devices=(SIMULATED,))
    journal = Journal.begin(book.folder, UnderTest(test, begun, build, rig, PLAN, devices))
    journal.write_all(cycles, "ended", "it failed: breakage")


def _worn(n: int) -> float:
    """Losses over those of the first cycle."""
    return float(1 + _LOSES * (n / _CYCLES) ** 1.6)


def _run(build: Build, rig: Rig, worn: float, what: str, n: int) -> tuple[Run, Recording]:
    plan = Plan.ours(steps=(PlanStep.ours(id=0, kind="measure", load=_LOAD, voltage=_VOLTS),))
    bench = bench_of(build, rig, friction=[f * worn for f in build.loss_figures()])
    mishap = MISHAPS[what]() if what else None
    lifts = ladder(bench, sensors_of(rig), rig, plan, seed=700 + n, vary=0.004, mishap=mishap)
    began = datetime.fromtimestamp(_BEGAN + 57.0 * n, UTC)
    made = runs_of(lifts, rig.method, tare=TARE)
    (run,) = of_rig(made, rig, kind="hold", repeat=n, started=at(began))
    return run


def _sum(build: Build, rig: Rig, n: int, run: Run, recording: Recording) -> Cycle:
    cycle = Cycle(n=n, began=_BEGAN + 57.0 * n, starts=1, events=[e.id for e in run.events])
    cycle.ended = "" if run.ended == "top" else run.ended
    on = recording.channels["voltage"] > 0.5
    part = recording.span(*recording.t[np.flatnonzero(on)[[0, -1]]])
    channels = tuple(part.channels)
    values = np.column_stack([part.channels[c] for c in channels])
    adds = Adds(build, rig)
    adds.begin()
    adds.add(cycle, part.t, values, channels, tare=84_120.0, load=_LOAD.value)
    return cycle


def _between(summed: dict[int, Cycle], n: int) -> Cycle:
    """A cycle between those that were worked out, with a scatter of its own and the warmth of
    hours.
    """
    rng = np.random.default_rng(n)
    at = sorted(summed)
    told = {
        name: float(np.interp(n, at, [getattr(summed[k], name) for k in at]))
        for name in ("driven", "turns", "work", "energy", "heat", "peak_current", "peak_torque")
    }
    for name in ("energy", "heat"):
        told[name] *= 1 + 0.004 * rng.standard_normal()
    told["torque_known"] = told["driven"]
    warm = 293.0 + 11.0 * (1 - np.exp(-n / 60)) + 3.0 * (_worn(n) - 1) / _LOSES
    hottest = float(warm + 0.2 * rng.standard_normal())
    own = {"n": n, "began": _BEGAN + 57.0 * n, "starts": 1, "hottest": hottest}
    return Cycle.of_dict(told | own)
