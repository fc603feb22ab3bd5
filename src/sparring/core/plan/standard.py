"""What is done to a drive where nobody planned anything."""

from __future__ import annotations

from sparring.core.build import Build
from sparring.core.plan.record import LOADS, Plan, PlanStep

_REPEATS = 5


def standard(build: Build) -> Plan:
    """Five weights, five times each, at the voltage of the build's own motor; a drive without one
    is turned as fast as it usually is.
    """
    if build.has_motor:
        driven = {"voltage": build.motor.voltage.value}
    else:
        driven = {"speed": build.usual_input / abs(build.ratio())}
    return Plan.ours(
        steps=tuple(
            PlanStep.ours(id=n, load=load, repeats=_REPEATS, **driven)
            for n, load in enumerate(LOADS)
        )
    )
