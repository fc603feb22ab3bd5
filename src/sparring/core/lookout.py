"""What a run shows while it goes on: what happened in it, and whether it has been steady for long
enough.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.events import Event, detect
from sparring.core.plan import Plan
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.steady import steady_enough
from sparring.core.rig import Rig
from sparring.core.run import Run

EVERY = 0.4  # [s] between two looks
BACK = 20.0  # [s] that a look goes back
BEFORE = 0.3  # [s] before the drive came on, that belong to a run


class Seen(NamedTuple):
    """events: of the last `BACK`; steady: a run that nothing but time ends may end."""

    events: list[Event]
    steady: bool


def look(build: Build, rig: Rig, plan: Plan, recording: Recording, tare: Measured | None) -> Seen:
    """Looks at the newest part of a run under way, from `BEFORE` it began."""
    volts = recording.channels.get("voltage", np.empty(0))
    volts = volts[np.isfinite(volts)]
    run = Run(voltage=float(volts.max()) if len(volts) else 0.0, tare=tare)
    steady = rig.method.open_ended and steady_enough(recording, plan.settle, plan.measure)
    return Seen(detect(build, rig, run, recording), steady)
