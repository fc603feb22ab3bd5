"""Whether a plan gives a motor more than it is for."""

from __future__ import annotations

from sparring.core.build import Build
from sparring.core.plan.record import STILL, Plan

WITHIN = 0.05
"""Part of its own voltage by which a motor may be driven above it: a battery that is full, a supply
that was set by hand (common practice, no source)."""


def above_rated(build: Build, plan: Plan) -> float:
    """The highest voltage [V] that a step asks for beyond what the build's motor is for; 0: none
    does, or somebody said for this test that it may. Steps that are set by a speed need their
    voltage by now to be looked at.
    """
    if not build.has_motor or plan.above_rated == "allowed":
        return 0.0
    volts = [s.voltage for s in plan.todo if s.kind not in STILL and s.voltage is not None]
    highest = max(volts, default=0.0)
    return highest if highest > (1 + WITHIN) * build.motor.voltage.value else 0.0
