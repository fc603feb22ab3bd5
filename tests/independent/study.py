"""Hands the independent bench's files to the program and counts how often its intervals hold."""

from __future__ import annotations

import sys
import tempfile
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from itertools import repeat
from pathlib import Path
from typing import NamedTuple

import numpy as np

from independent import plant, setups, ways
from independent.ripple import Case
from independent.traps import TRAPS
from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.events import with_events
from sparring.core.findings.setup import with_records
from sparring.core.orders.lines import orders_of
from sparring.core.outlook.drive import Drive, Load
from sparring.core.outlook.learn import learnt
from sparring.core.performance.losses import losses_at
from sparring.core.performance.model import performance
from sparring.core.plan import Plan
from sparring.core.recording import Recording
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.split import split_runs
from sparring.core.reduce.step import Step
from sparring.core.rig import Rig
from sparring.core.train.kinds import SpurStage
from sparring.core.train.kinds.planetary import PlanetaryStage
from sparring.core.uncertainty import Uncertain, nominal, std
from sparring.files import log_files, log_look, record_files


def reduced(setup: setups.Setup) -> TestResult:
    """What the program makes of a set-up's files."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for file, text in setup.files.items():
            (folder / file).write_text(text)
        build, rig, plan = (
            record_files.load(folder / f"{kind.__name__.lower()}.json", kind)
            for kind in (Build, Rig, Plan)
        )
        recording, _ = log_files.read(log_look.look(folder / "log.csv"))
        runs = split_runs(recording, plan, method=rig.method)
        seen = [(with_events(build, rig, run, recording), recording) for run in runs]
        return with_records(analyse(build, rig, plan, seen))


BUILDS = {
    "spur": Build.ours(
        stages=(SpurStage.ours(pinion=17, wheel=60), SpurStage.ours(pinion=14, wheel=83))
    ),
    "planetary": Build.ours(stages=(PlanetaryStage.ours(sun=12, planet=18, ring=48),)),
}
"""Of the cases of `ripple`."""


def named(case: Case, seed: int) -> list[tuple[str, str, int]]:
    """What the program names in a log: ("runs out" or "tooth", shaft, teeth of its gear)."""
    t, speed = case.log(seed)
    found = orders_of(BUILDS[case.train], Recording(t, {"speed": speed}), doubt=5e-4)
    return [("runs out", x.shaft, 0) for x in found.runs_out] + [
        ("tooth", x.shaft, x.gears[0].teeth) for x in found.teeth
    ]


def planted(case: Case) -> list[tuple[str, str, int]]:
    """What it should name."""
    if case.runs_out:
        return [("runs out", case.runs_out, 0)]
    return [("tooth", case.damaged, case.teeth)] if case.damaged else []


QUANTITIES = ("torque", "speed", "gearbox", "wire_to_shaft")


def truth_of(setup: setups.Setup, point: Point) -> tuple[int, dict[str, float]]:
    """(step, true means in the point's window)."""
    middle = (point.window.start + point.window.stop) / 2
    run = max((r for r in setup.runs if r.begins <= middle), key=lambda r: r.begins)
    steady = point.source is None  # of several points of a run each is told in its middle
    return run.step, run.means(point.window.start, point.window.stop, steady)


@dataclass
class Tally:
    """Of one quantity: errors in u, u as a part of the figure, and over the best u."""

    z: list[float]
    relative: list[float]
    over_best: list[float]

    def add(self, x: Uncertain, true: float, best: float | None = None) -> None:
        self.z.append((nominal(x) - true) / std(x))
        self.relative.append(std(x) / abs(true))
        if best:
            self.over_best.append(std(x) / best)

    def row(self) -> str:
        z = np.array(self.z)
        best = f"{np.median(self.over_best):.2f}" if self.over_best else "–"
        return (
            f"{100 * np.mean(np.abs(z) <= 2):.1f} | {np.mean(z):+.2f} | {np.std(z):.2f} |"
            f" {100 * np.median(self.relative):.2f} | {best}"
        )


def tallied(made: list[setups.Setup]) -> tuple[dict[str, Tally], dict[str, int], int]:
    """(tally by quantity, how often each finding of caution or worse came, set-ups not reduced)."""
    tallies: dict[str, Tally] = defaultdict(lambda: Tally([], [], []))
    said: dict[str, int] = defaultdict(int)
    lost = 0
    for setup in made:
        result = reduced(setup)
        steps = result.running or result.lifted
        if len(steps) != ways.STEPS and len({r.step for r in setup.runs}) > 1:
            lost += 1
            continue
        for step in steps:
            seen = [truth_of(setup, p) for p in step.points]
            for name in QUANTITIES:
                if (x := getattr(step, name)) is None:
                    continue
                true = float(np.mean([means[name] for _, means in seen]))
                best = setup.ideal.get(name)
                tallies[name].add(x, true, best[seen[0][0]] if best else None)
        if result.stall.by_line is not None:
            tallies["stall"].add(result.stall.by_line, setup.stall)
        if result.stall.held is not None:
            seen = [truth_of(setup, p) for s in result.steps for p in s.stalls]
            true = float(np.mean([means["torque"] for _, means in seen]))
            tallies["held"].add(result.stall.held, true)
        for finding in {f.id for f in result.findings if f.severity in ("wrong", "caution")}:
            said[finding] += 1
    return tallies, said, lost


_PART_OF = {"copper": ("copper", "brushes"), "gears": ("mesh", "drag", "unexplained")}
_PART_OF |= {"motor-friction": ("motor-friction",), "mesh": ("mesh",)}


def losses_off(setup: setups.Setup, result: TestResult) -> dict[str, list[float]]:
    """How far losses by cause lie off the truth, in u, of each step that runs well."""
    found: dict[str, list[float]] = defaultdict(list)
    known, drive = performance(result), setup.drive
    if known is None or drive is None:
        return found
    for step in result.well_running:
        told = losses_at(known, step)
        seen = [truth_of(setup, p)[1] for p in step.points]
        torque, speed = (
            np.array([float(np.mean([m[n] for m in seen]))]) for n in ("torque", "speed")
        )
        steady = plant.steady(drive, torque, speed)
        out = float((torque * speed)[0])
        put_in, shaft = (
            float(np.mean([m["torque"] * m["speed"] / m[n] for m in seen]))
            for n in ("wire_to_shaft", "gearbox")
        )
        rubs = float(steady.friction[0])
        true = {
            "copper": put_in - shaft - rubs,
            "motor-friction": rubs,
            "gears": shaft - out,
            "mesh": float((drive.part * torque * speed)[0]),
        }
        u = np.array([c.u for c in told.causes])
        covariance = told.correlation * np.outer(u, u)
        for name, parts in _PART_OF.items():
            at = [n for n, c in enumerate(told.causes) if c.id.partition(".")[0] in parts]
            power = sum(told.causes[n].power for n in at)
            variance = float(covariance[np.ix_(at, at)].sum())
            off = power - true[name]
            found[name].append(off / variance**0.5 if variance > 0 else np.inf)
    return found


class Silence(NamedTuple):
    """Of one trap: set-ups in which a figure lies beyond three times its u, and with nothing said;
    what was said, and how often.
    """

    off: int
    silent: int
    said: dict[str, int]


def trapped(name: str, n: int, seed: int) -> Silence:
    """n set-ups in the trap `name`."""
    trap = TRAPS[name]
    off = silent = 0
    said: dict[str, int] = defaultdict(int)
    for setup in setups.make(trap.method, n, seed, trap=trap):
        try:
            result = reduced(setup)
        except ValueError as err:
            said[f"refused: {str(err).rpartition(': ')[2][:60]}"] += 1
            continue
        told = {f.id for f in result.findings if f.severity in ("wrong", "caution")}
        told |= {why[:40] for _, why in result.skipped}
        worst = 0.0
        for step in result.running or result.lifted:
            seen = [truth_of(setup, p) for p in step.points]
            for quantity in QUANTITIES:
                if (x := getattr(step, quantity)) is not None:
                    true = float(np.mean([means[quantity] for _, means in seen]))
                    if np.isfinite(true):
                        worst = max(worst, abs(nominal(x) - true) / std(x))
        off += worst > 3
        silent += worst > 3 and not told
        for id in told:
            said[id] += 1
    return Silence(off, silent, dict(said))


class Foretold(NamedTuple):
    """Speed (of a cold motor) and current of a step's first run against what was predicted: errors
    in standard uncertainties, before anything was measured and after the other steps were; and how
    much narrower the speed's band became.
    """

    before: list[float]
    after: list[float]
    narrower: list[float]


def foretold(made: list[setups.Setup]) -> Foretold:
    """Of each set-up every step, predicted from the files alone, then from the other steps."""
    found = Foretold([], [], [])
    for setup in made:
        result = reduced(setup)
        if len(result.running) != ways.STEPS:
            continue
        build, rig = result.build, result.rig
        for step in result.running:
            first = step.points[0]
            rest = replace(result, steps=tuple(s for s in result.steps if s is not step))
            loads = [replace(step, points=step.points[:1])]
            drives = Drive.of(build), learnt(rest)
            widths = []
            for drive, errors in zip(drives, (found.before, found.after), strict=True):
                load = at_load(rig, loads[0])
                told = drive.foretell(load)
                for name, seen in (("speed", first.cold_speed), ("current", first.current)):
                    u = np.hypot(float(getattr(told.u, name)[0]), std(seen))
                    errors.append((nominal(seen) - float(getattr(told.state, name)[0])) / u)
                widths.append(float(told.u.speed[0]))
            found.narrower.append(widths[1] / widths[0])
    return found


def at_load(rig: Rig, step: Step) -> Load:
    """A step's load as planned: its mass as entered, at the planned voltage."""
    mass = step.points[0].run.load
    assert mass is not None
    return Load.of(rig.method.expected(mass.value, rig.gravity.value), ways.VOLTS)


VARIANTS = ((3, 0.0), (2, 0.0), (5, 0.0), (3, 0.6), (3, 0.9))
"""Repeats, and the correlation of noise from one sample to the next."""


def _counted(job: tuple[str, int, float, int]) -> list[str]:
    """The table's lines of one method and variant."""
    method, repeats, hangs, n = job
    tallies, said, lost = tallied(setups.make(method, n, 8, repeats=repeats, hangs=hangs))
    head = f"| {method} | {repeats} | {hangs:g}"
    lines = [f"{head} | {name} | {tally.row()} |" for name, tally in tallies.items()]
    alarms = ", ".join(f"{id} {count}" for id, count in sorted(said.items()))
    if alarms or lost:
        lines.append(f"{head} | said of {n} | {alarms or 'nothing'}; {lost} refused | | | | |")
    return lines


def main(n: int) -> None:
    """Prints both tables."""
    jobs = [(m, repeats, hangs, n) for m in ways.METHODS for repeats, hangs in VARIANTS]
    print("| method | repeats | φ | figure | covered % | bias u | sd u | u % | u over best |")
    print("|---|---|---|---|---|---|---|---|---|")
    with ProcessPoolExecutor() as workers:
        for lines in workers.map(_counted, jobs):
            print("\n".join(lines), flush=True)
        print("\n| trap | beyond 3 u | and nothing said | said, by how many |\n|---|---|---|---|")
        found = workers.map(trapped, TRAPS, repeat(n), repeat(3))
        for name, silence in zip(TRAPS, found, strict=True):
            told = ", ".join(f"{id} {count}" for id, count in silence.said.items())
            print(f"| {name} | {silence.off} of {n} | {silence.silent} | {told} |", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
