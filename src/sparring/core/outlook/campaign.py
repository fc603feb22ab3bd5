"""A campaign: builds against voltages, each cell tried once in every block, in an order by which
warming, wear and days do not look like a difference.
"""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field, model_validator

from sparring.core.build import Build
from sparring.core.plan.order import Lift
from sparring.core.plan.record import Plan, PlanStep
from sparring.core.records import Record
from sparring.core.reduce.results import TestResult
from sparring.core.train.kinematics import ratio_in_words
from sparring.core.uncertainty import nominal, t_widening

Name = Annotated[str, Field(min_length=1, max_length=80)]
Cell = tuple[str, str]
"""(build's name, column): `("Wren r2", "9 V")`."""
_RANGE = 2.66
"""Moving ranges to the limits of an individuals control chart, 3/1.128 (NIST/SEMATECH e-Handbook of
Statistical Methods, 6.3.2.2)."""


class Factors(NamedTuple):
    """What a campaign compares builds in, in words: `36:1`, `POM/brass`, `greased`."""

    ratio: str
    material: str
    lubricant: str


def factors(build: Build) -> Factors:
    """Those of a build."""
    materials = dict.fromkeys(m for s in build.stages if (m := s.material))
    ratio = ratio_in_words(abs(build.ratio())).removesuffix(" reduction")
    return Factors(ratio, "/".join(materials) or "–", build.lubricant)


class InLogbook(Record):
    """Which test of the logbook holds a build's runs."""

    build: Name
    test: Annotated[int, Field(ge=1)]


class Campaign(Record):
    """builds: names of those compared, a row each; plan: what is done to each, its voltages (or
    speeds) being the columns, its repeats the runs of one trial; blocks: in each of which every
    cell is tried once; reference: a build that is tried once more at the begin of each block, at
    the last column; tests: where the runs are.
    """

    version: Literal["sparring.campaign/1"] = "sparring.campaign/1"
    name: Name = "campaign"
    builds: Annotated[tuple[Name, ...], Field(min_length=1, max_length=60)]
    plan: Plan
    blocks: Annotated[int, Field(ge=1, le=50)] = 3
    order: Literal["shuffled in blocks", "as listed"] = "shuffled in blocks"
    seed: Annotated[int, Field(ge=0, le=999_999)] = 1
    reference: Annotated[str, Field(max_length=80)] = ""
    tests: Annotated[tuple[InLogbook, ...], Field(max_length=60)] = ()

    @model_validator(mode="after")
    def _whole(self) -> Campaign:
        if twice := next((b for b, n in Counter(self.builds).items() if n > 1), None):
            raise ValueError(f"the build {twice} stands there twice")
        if self.reference and self.reference not in self.builds:
            raise ValueError(f"the reference {self.reference} is none of the builds")
        if not self.columns:
            raise ValueError("the plan measures nothing; give it steps with a voltage")
        return self

    @property
    def columns(self) -> tuple[str, ...]:
        """`9 V`, `12 V`: what the drive is set to, as the plan lists it."""
        return tuple(dict.fromkeys(column_of(s) for s in self.plan.todo if s.counted))

    def steps(self, column: str) -> list[PlanStep]:
        """What one trial in a column does."""
        return [s for s in self.plan.todo if s.counted and column_of(s) == column]

    def test_of(self, build: str) -> int | None:
        """Number of the test with a build's runs; None: not begun."""
        return next((t.test for t in self.tests if t.build == build), None)

    def needed(self, cell: Cell) -> int:
        """Trials of a cell."""
        return self.blocks * (1 + (cell == self.reference_cell))

    @property
    def reference_cell(self) -> Cell | None:
        return (self.reference, self.columns[-1]) if self.reference else None

    def plan_of(self, build: str) -> Plan:
        """What the test of a build asks for, over all blocks."""
        steps = tuple(
            s.model_copy(update={"repeats": s.repeats * self.needed((build, column_of(s)))})
            if s.counted
            else s
            for s in self.plan.steps
        )
        return self.plan.model_copy(update={"steps": steps, "order": "as listed"})


class Trial(NamedTuple):
    """One trial of a cell: in which block (from 1), the how many of its cell (from 1), and whether
    it is the block's reference.
    """

    block: int
    cell: Cell
    number: int
    reference: bool = False


def column_of(step: PlanStep) -> str:
    """`9 V`, or `60 rpm` of a step that is set by its speed."""
    if step.voltage is not None:
        return f"{step.voltage:.4g} V"
    return f"{(step.speed or 0.0) * 30 / math.pi:.4g} rpm"


def trials(campaign: Campaign) -> list[Trial]:
    """All trials in their order. Shuffled: each block in an order of its own, which the seed tells
    again; its reference first. As listed: one cell after the other, all its blocks.
    """
    cells = [(b, c) for b in campaign.builds for c in campaign.columns]
    counts: Counter[Cell] = Counter()
    found: list[Trial] = []

    def add(block: int, cell: Cell, *, reference: bool = False) -> None:
        counts[cell] += 1
        found.append(Trial(block, cell, counts[cell], reference))

    if campaign.order == "as listed":
        for cell in cells:
            for n in range(campaign.needed(cell)):
                add(1 + n % campaign.blocks, cell)
        return found
    for block in range(1, campaign.blocks + 1):
        if (reference := campaign.reference_cell) is not None:
            add(block, reference, reference=True)
        shuffled = list(cells)
        random.Random(1000 * campaign.seed + block).shuffle(shuffled)
        for cell in shuffled:
            add(block, cell)
    return found


Made = Mapping[str, Mapping[int, int]]
"""Runs made: by build, by step id."""


def done(campaign: Campaign, cell: Cell, made: Made) -> int:
    """Whole trials of a cell."""
    runs = made.get(cell[0], {})
    return min(runs.get(s.id, 0) // s.repeats for s in campaign.steps(cell[1]))


def next_trial(campaign: Campaign, made: Made) -> Trial | None:
    """The first trial that is not whole; None: all are."""
    whole = {}
    for t in trials(campaign):
        if t.cell not in whole:
            whole[t.cell] = done(campaign, t.cell, made)
        if t.number > whole[t.cell]:
            return t
    return None


def next_in(campaign: Campaign, trial: Trial, made: Made) -> Lift | None:
    """The next run of a trial."""
    runs = made.get(trial.cell[0], {})
    for s in campaign.steps(trial.cell[1]):
        if (n := runs.get(s.id, 0)) < trial.number * s.repeats:
            return Lift(s.id, n + 1)
    return None


# --- what it tells --------------------------------------------------------------------------------


class Difference(NamedTuple):
    """Of two builds, block by block: mean, standard uncertainty (widened for few), blocks."""

    value: float
    u: float
    blocks: int


def difference(a: Sequence[float], b: Sequence[float]) -> Difference:
    """a − b of what was measured in the same blocks, shape (blocks,) each: what a block shares, as
    warmth or the day, drops out. Raises ValueError for less than two blocks.
    """
    apart = np.asarray(a, float) - np.asarray(b, float)
    n = len(apart)
    if n < 2:
        raise ValueError("a difference needs two blocks or more")
    u = float(apart.std(ddof=1)) / math.sqrt(n) * t_widening(n - 1)
    return Difference(float(apart.mean()), u, n)


class Control(NamedTuple):
    """The reference over the blocks: values against their mean, shape (n,), when [s since the
    first]; limit: of a value that is under control; drift per day and its standard uncertainty
    (None: too few, or all within an hour); outside: places of values beyond the limit.
    """

    values: np.ndarray
    when: np.ndarray
    limit: float
    drift: tuple[float, float] | None
    outside: tuple[int, ...]


def control(values: Iterable[float], when: Iterable[float]) -> Control | None:
    """An individuals chart of the reference; None for less than three values."""
    x, t = np.array(list(values), float), np.array(list(when), float)
    if len(x) < 3:
        return None
    x = x - x.mean()
    limit = _RANGE * float(np.abs(np.diff(x)).mean())
    drift = None
    days = (t - t.mean()) / 86_400.0
    if np.ptp(t) > 3600.0:
        slope = float(days @ x / (days @ days))
        left = x - slope * days
        u = math.sqrt(float(left @ left) / (len(x) - 2) / float(days @ days))
        drift = slope, u * t_widening(len(x) - 2)
    outside = tuple(int(n) for n in np.flatnonzero(np.abs(x) > limit))
    return Control(x, t - t[0], limit, drift, outside)


def reference_of(campaign: Campaign, result: TestResult) -> Control | None:
    """The control chart of the reference's efficiency: of every reference trial the mean over its
    loads, each against that load's own mean, so that a load that is missing shifts nothing.
    """
    numbers = [t.number for t in trials(campaign) if t.reference]
    if (cell := campaign.reference_cell) is None:
        return None
    steps = {s.id: s for s in campaign.steps(cell[1])}
    found: dict[int, list[float]] = {}
    times: dict[int, list[float]] = {}
    for step in result.lifted:
        name = "gearbox" if step.gearbox is not None else "wire_to_shaft"
        known = [p for p in step.points if p.run.step in steps and getattr(p, name) is not None]
        if not known:
            continue
        mean = float(np.mean([nominal(getattr(p, name)) for p in known]))
        for p in known:
            number = 1 + (p.run.repeat - 1) // steps[p.run.step].repeats
            if number in numbers:
                found.setdefault(number, []).append(nominal(getattr(p, name)) - mean)
                times.setdefault(number, []).append(_seconds(p.run.started))
    order = sorted(found)
    return control(
        [float(np.mean(found[n])) for n in order], [float(np.mean(times[n])) for n in order]
    )


def _seconds(started: str) -> float:
    try:
        return datetime.fromisoformat(started).timestamp()
    except ValueError:
        return 0.0
