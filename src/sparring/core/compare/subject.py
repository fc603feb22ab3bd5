"""What is compared: builds, each with a test, what was measured of its parts and how it wears."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

from sparring.core.build import Build
from sparring.core.characterise.base import Result
from sparring.core.outlook.campaign import Campaign, trials
from sparring.core.performance.model import Performance
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import Level, TestResult
from sparring.core.wear.result import Wear

T = TypeVar("T")
SAME_VOLTAGE = 0.02
"""Part by which two voltages are the same."""


@dataclass(frozen=True)
class Subject:
    """One column of a comparison. name: `Dunnock r2`, with the test's title where a build stands
    there twice; rig: which one, for what its inputs are; day: of the test's first run; blocks: by
    step id and repeat, where the test is part of a campaign; parts: what was measured of the build
    by hand, by method and figure; said: the tester's own factors; test: its number, 0: a build
    without one.
    """

    name: str
    build: Build
    result: TestResult | None = None
    model: Performance | None = None
    rig: str = ""
    test: int = 0
    title: str = ""
    day: str = ""
    campaign: str = ""
    blocks: Mapping[tuple[int, int], str] = field(default_factory=dict)
    parts: Mapping[str, Result] = field(default_factory=dict)
    wear: Wear | None = None
    said: Mapping[str, str] = field(default_factory=dict)
    _made: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)

    def once(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, worked out once for a key: a comparison asks the same in many ways."""
        if key not in self._made:
            self._made[key] = make()
        found: T = self._made[key]
        return found

    @property
    def specimen(self) -> str:
        """Which copy of the build was tested: the build's only one where nobody says."""
        return f"{self.build.name} {self.said.get('specimen', '')}".strip()

    def level(self, voltage: float) -> Level | None:
        """What was measured at a voltage [V], or within 2 % of it."""
        if self.result is None:
            return None
        near = [v for v in self.result.levels if abs(v.voltage - voltage) <= SAME_VOLTAGE * voltage]
        return min(near, key=lambda v: abs(v.voltage - voltage), default=None)

    def round_of(self, point: Point) -> str:
        """In which round a run was made: of a campaign its block, else its repeat within the
        test.
        """
        run = point.run
        block = self.blocks.get((run.step, run.repeat))
        return f"{self.campaign}, {block}" if block else f"test {self.test}, {run.repeat}"


def blocks_of(campaign: Campaign, build: str) -> dict[tuple[int, int], str]:
    """Block by step id and repeat, of all runs of a campaign that a build's test may hold. The
    reference's further trials in a block have a name of their own.
    """
    found: dict[tuple[int, int], str] = {}
    for trial in trials(campaign):
        if trial.cell[0] != build:
            continue
        for step in campaign.steps(trial.cell[1]):
            for k in range(step.repeats):
                repeat = (trial.number - 1) * step.repeats + k + 1
                name = f"block {trial.block}" + (f".{k + 1}" if step.repeats > 1 else "")
                found[step.id, repeat] = name + (" reference" if trial.reference else "")
    return found
