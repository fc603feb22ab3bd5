"""A person at a simulated bench: what they read of a run, and how far off."""

from __future__ import annotations

import math

import numpy as np

from sparring.core.by_eye import REACTION, ByEye, read_within
from sparring.core.plant.lifts import RAMP, Lifted
from sparring.core.quantity import Measured

_DIVISIONS = {"voltage": 0.1, "current": 0.01, "force": 0.05}  # [V], [A], [N] of the displays
_ANGLE = math.radians(5)  # to which a pointer on the output is read


def read(
    lifted: Lifted, rng: np.random.Generator, *, settle: float = 0.4, tachometer: bool = False
) -> tuple[ByEye, float]:
    """What was read of a run, and when reading began [s]; that much after the drive was on.

    Displays show the mean of what the instruments give, to their last digit; the angle is read to
    5°, the clock is stopped by hand. tachometer: the speed is read off one, to 0.1 rad/s, in place
    of angle and time. Of a run that stalled only the displays are read.
    """
    t, true, shown = lifted.recording.t, lifted.truth, lifted.recording.channels
    on = t[true["speed"] > 0.05 * true["speed"].max()] if len(t) else t
    start, stop = float(on[0]) + RAMP + settle, float(on[-1]) - 0.3
    inside = (t >= start) & (t <= stop)

    def display(key: str, division: float) -> Measured:
        value = float(np.nanmean(shown[key][inside]))
        return read_within(round(value / division) * division, division)

    figures = {k: display(k, d) for k, d in _DIVISIONS.items() if k in shown}
    if lifted.ended == "stalled":
        return ByEye(**figures), start
    if tachometer:
        looked = Measured(float(t[inside][-1] - t[inside][0]))
        return ByEye(**figures, speed=display("speed", 0.1), time=looked), start
    turned = float(np.trapezoid(true["speed"][inside], t[inside]))
    took = float(t[inside][-1] - t[inside][0]) + REACTION * rng.standard_normal()
    return (
        ByEye(
            **figures,
            turned=read_within(round(turned / _ANGLE) * _ANGLE, _ANGLE),
            time=Measured(took, REACTION),
        ),
        start,
    )
