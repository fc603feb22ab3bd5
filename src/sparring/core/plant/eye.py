"""A person at a simulated bench: what they read of a run, and how far off."""

from __future__ import annotations

import math

import numpy as np

from sparring.core.by_eye import REACTION, ByEye, read_within
from sparring.core.methods import Hoist, MethodBase
from sparring.core.plant.lifts import RAMP, Lifted
from sparring.core.quantity import Measured

# of the displays [V], [A], [rad/s]
_DIVISIONS = {"voltage": 0.1, "current": 0.01, "load_voltage": 0.1, "load_current": 0.01}
_TACHOMETER = 0.1
_SCALE = 0.02  # [N]
_SCALE_OFF = 0.005  # half-width (95 %) of a scale's gain
_ANGLE = math.radians(5)  # to which a pointer on the output is read
_SPUN = (0.3, 0.7)  # of the highest speed: where a spin is timed
_COASTED = (0.9, 0.6)


def read(
    lifted: Lifted,
    rng: np.random.Generator,
    *,
    method: MethodBase = Hoist.ours(),
    settle: float = 0.4,
    tachometer: bool = False,
    scale: float = 0.0,
) -> tuple[ByEye, float]:
    """What was read of a run, and when reading began [s]; that much after the drive was on.

    Displays show the mean of what the instruments give, to their last digit; the angle is read to
    5°, the clock is stopped by hand. tachometer: the speed is read off one, to 0.1 rad/s, in place
    of angle and time. scale: how far that of this bench is off, in standard uncertainties. Of a
    run that stalled only the displays are read; of an arm that is lifted or not, nothing.
    """
    if method.STANDS:
        return ByEye(), 0.0
    if method.ACCELERATES:
        return _spun(lifted, rng)
    t, true = lifted.recording.t, lifted.truth
    on = t[true["voltage"] > 0.5 * true["voltage"].max()]  # or its input turned
    start, stop = float(on[0]) + RAMP + settle, float(on[-1]) - 0.3 * (not method.HELD)
    inside = (t >= start) & (t <= stop)
    figures = {
        k: _display(lifted, k, inside, division)
        for k, division in _DIVISIONS.items()
        if k in method.BY_EYE
    }
    if "force" in method.BY_EYE:
        force = float(np.mean(true["force"][inside])) * (1 + scale * _SCALE_OFF / 2)
        u = math.hypot(_SCALE / math.sqrt(12), force * _SCALE_OFF / 2)
        figures["force"] = Measured(round(force / _SCALE) * _SCALE, u)
    if lifted.ended == "stalled":
        return ByEye(**figures), start
    seconds = float(t[inside][-1] - t[inside][0])
    if tachometer:
        speed = _display(lifted, "speed", inside, _TACHOMETER)
        return ByEye(**figures, speed=speed, time=Measured(seconds)), start
    turned = float(np.trapezoid(true["speed"][inside], t[inside]))
    took = seconds + REACTION * rng.standard_normal()
    angle = read_within(round(turned / _ANGLE) * _ANGLE, _ANGLE)
    return ByEye(**figures, turned=angle, time=Measured(took, REACTION)), start


def _display(lifted: Lifted, key: str, inside: np.ndarray, division: float) -> Measured:
    value = float(np.nanmean(lifted.recording.channels[key][inside]))
    return read_within(round(value / division) * division, division)


def _spun(lifted: Lifted, rng: np.random.Generator) -> tuple[ByEye, float]:
    """The clock is started and stopped by hand as the tachometer shows two speeds, up and down."""
    t, speed = lifted.recording.t, lifted.truth["speed"]
    top = int(np.argmax(speed))
    up = [float(np.interp(part * speed[top], speed[:top], t[:top])) for part in _SPUN]
    down = [
        float(np.interp(-part * speed[top], -speed[top + 5 :], t[top + 5 :])) for part in _COASTED
    ]

    def timed(first: float, second: float) -> Measured:
        return Measured(second - first + REACTION * rng.standard_normal(), REACTION)

    def shown(part: float) -> Measured:
        return read_within(round(part * speed[top] / _TACHOMETER) * _TACHOMETER, _TACHOMETER)

    during = (t >= up[0]) & (t <= up[1])
    figures = {k: _display(lifted, k, during, _DIVISIONS[k]) for k in ("voltage", "current")}
    first, second = (shown(part) for part in _SPUN)
    coast_first, coast_second = (shown(part) for part in _COASTED)
    seen = ByEye(
        **figures,
        first_speed=first,
        second_speed=second,
        time=timed(*up),
        coast_first=coast_first,
        coast_second=coast_second,
        coast_time=timed(*down),
    )
    return seen, up[0]
