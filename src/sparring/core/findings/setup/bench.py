"""What the rules on a bench that is set up look at, and their list. A rule is one small function,
registered by `@setup_rule`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from sparring.core import predict
from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.motor import Motor
from sparring.core.plan import Plan
from sparring.core.rig import Rig


@dataclass(frozen=True)
class Bench:
    """A build on a rig with a plan, and what several rules ask for."""

    build: Build
    rig: Rig
    plan: Plan
    today: date

    @cached_property
    def motor(self) -> Motor:
        return self.build.motor_line()

    @cached_property
    def set_to(self) -> float:
        """See `predict.set_to`."""
        return predict.set_to(self.build, self.plan)

    @cached_property
    def torques(self) -> list[float]:
        """About what each step asks for [N·m], lightest first."""
        method = self.rig.method
        asked = {s.mass or 0.0 for s in self.plan.on(method).todo if s.counted}
        return sorted(predict.load_torque(self.rig, m) for m in asked)

    @cached_property
    def stall(self) -> float:
        return predict.stall_torque(self.build, self.set_to)

    @property
    def free_speed(self) -> float:
        """Of the output [rad/s]."""
        return predict.no_load_speed(self.build, self.set_to)


Rule = Callable[[Bench], Iterable[Finding]]
SETUP_RULES: list[Rule] = []


def setup_rule(function: Rule) -> Rule:
    """Registers a rule."""
    SETUP_RULES.append(function)
    return function
