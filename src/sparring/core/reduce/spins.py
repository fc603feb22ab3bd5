"""A run-up to its points: T = J dω/dt + drag(ω) in each part of the range of speed, the drag from
the coast-down.

The slope is that of a parabola fitted by least squares to the samples of the part (a Savitzky-Golay
filter of unequal steps), so its bandwidth is the time the mass spends there.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from sparring.core.by_eye import READ
from sparring.core.methods import RunUp
from sparring.core.quantity import show
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError, seen
from sparring.core.reduce.points import Point, point_at
from sparring.core.reduce.spread import COAST_DOWN, COASTING, WINDOW
from sparring.core.reduce.warmth import COLD, Warmth
from sparring.core.reduce.windows import Window, block_means, parabola
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import (
    Uncertain,
    fit_line,
    from_measured,
    logarithm,
    nominal,
    t_widening,
    ufloat,
)

PARTS = np.linspace(0.12, 0.88, 9)
"""Edges of the parts of the range, of the no-load speed."""
_WIDE = (
    2.5  # squared speeds from first to last of a coast-down that tells how drag grows with speed
)
_LEAST = 8  # samples in a part


def reduce_spin(
    inputs: Inputs, rig: Rig, run: Run, recording: Recording, begin: Warmth = COLD
) -> list[Point]:
    """A point for each part of the range that the mass ran through; their step numbers count the
    parts. begin: how warm the motor was when the recording began.

    Raises ReductionError when there is no speed, no spin, or no part with samples enough.
    """
    method = rig.method
    assert isinstance(method, RunUp)
    rec = seen(inputs, run, recording)
    if not rec.has("speed"):
        raise ReductionError(
            "the recording has no flywheel speed; assign a column to it, or log it"
        )
    good = ~np.isnan(rec.channels["speed"])
    t, speed = rec.t[good], rec.channels["speed"][good] / method.gearing
    if len(t) < 3 * _LEAST:
        raise ReductionError(
            f"the recording holds {len(t)} speed readings; a run-up needs {3 * _LEAST} or more"
        )
    near = 2 * (min(len(t) // 60, 60) // 2) + 5
    # to part the range by; a reading's own noise would pick itself
    smooth = np.convolve(speed, np.ones(near) / near, "same")
    top = int(np.argmax(smooth))
    start = top - int(np.argmin(smooth[top::-1]))  # before it may coast what the run before left
    volts = (
        float(np.nanmax(block_means(rec.channels["voltage"])))
        if rec.has("voltage")
        else run.voltage
    )
    no_load = nominal(inputs.motor.speed(0.0, volts)) / nominal(inputs.ratio)
    inertia = inputs.figures["inertia"] * method.gearing**2
    drag = _drag(inputs, t[top:], speed[top:], no_load)
    course = inputs.course_of(recording, begin)
    # of the motor's line against what it turns: near the no-load speed a part lasts longer than it
    own = nominal(inertia) + nominal(inputs.rotor) * nominal(inputs.ratio) ** 2
    pull = nominal(inputs.motor.k**2 / inputs.motor.R) * nominal(inputs.ratio) ** 2
    follows = own / pull
    points = []
    for part, (low, high) in enumerate(zip(PARTS[:-1] * no_load, PARTS[1:] * no_load, strict=True)):
        rising = smooth[start : top - near]
        inside = start + np.flatnonzero((rising >= low) & (rising < high))
        if len(inside) < _LEAST or np.ptp(t[inside]) <= 0:
            continue
        first, last = int(inside[0]), int(inside[-1]) + 1
        at, slope, u_at, u_slope = parabola(t[first:last], speed[first:last], follows)
        if slope <= 0:
            continue
        w = inputs.meters_of(run).speed(ufloat(at, u_at, WINDOW.of("speed")))
        faster = inputs.meters_of(run).speed.doubt * ufloat(
            slope, u_slope, WINDOW.of("acceleration")
        )
        torque = inertia * faster
        if drag is not None:
            slowing = inputs.meters_of(run).speed.doubt * drag(w)
            torque = torque + _own_drag(inputs, method, slowing)
        window = Window(float(t[first]), float(t[last - 1]) + 1e-9, True, 0.0)
        placed = run.model_copy(update={"step": run.step * (len(PARTS) - 1) + part})
        on = rec.span(float(t[start]), float(t[top]) + 1e-9)
        motor = slope * nominal(inputs.ratio)
        point = point_at(
            inputs,
            rig,
            placed,
            on=on,
            window=window,
            torque=torque,
            speed=w,
            acceleration=motor,
            course=course,
        )
        points.append(replace(point, source=run))
    if not points:
        raise ReductionError(
            f"no part of the range has {_LEAST} readings: the flywheel accelerates too fast "
            "for this sample rate; log faster, or use a larger inertia"
        )
    return points


def _drag(
    inputs: Inputs, t: np.ndarray, speed: np.ndarray, no_load: float
) -> Callable[[Uncertain], Uncertain] | None:
    """Slowing [rad/s²] at a speed [rad/s] by drag, c₀ + c₂ ω², from the coast-down; None without
    six parts of it.

    A coast-down that covers little speed tells one figure: at another speed the drag is then
    between that figure (dry rubbing) and that figure times the square of the speeds (air),
    rectangular.
    """
    keep = speed > 0.08 * no_load
    stop = int(np.argmin(keep)) if not keep.all() else len(keep)
    t, speed = t[3:stop], speed[3:stop]
    pieces = min(12, len(t) // _LEAST)
    if pieces < 6:
        return None
    at, slowing = [], []
    for ts, ys in zip(np.array_split(t, pieces), np.array_split(speed, pieces), strict=True):
        w, slope, *_ = parabola(ts, ys)
        at.append(w * w)
        slowing.append(-slope)
    if max(at) > _WIDE * min(at):
        line = fit_line(np.array(at), np.array(slowing), inputs=COAST_DOWN).widened()
        return lambda w: line.intercept + line.slope * w**2
    scatter = float(np.std(slowing, ddof=1)) / math.sqrt(pieces)
    known = ufloat(float(np.mean(slowing)), scatter * t_widening(pieces - 1), COASTING)
    return lambda w: _between(inputs, known, w**2 / float(np.mean(at)))


def _between(inputs: Inputs, known: Uncertain, air: Uncertain) -> Uncertain:
    """A slowing known at one speed, at another: between that figure and `air` times it, the square
    of the speeds' quotient."""
    return known * ((1 + air) / 2 + inputs.other_drag * (1 - air) / 2)


def _own_drag(inputs: Inputs, method: RunUp, slowing: Uncertain) -> Uncertain:
    """Of the drag that slows by so much [rad/s², of the output] what is the mass's own [N·m]: only
    that is at the output. With the drive, the rotor slows too, by the ratio squared.
    """
    inertia = inputs.figures["inertia"] * method.gearing**2
    if method.coasts == "alone":
        return inertia * slowing
    drag = (inertia + inputs.rotor * inputs.ratio**2) * slowing
    return drag / 2 + nominal(drag) / 2 / math.sqrt(3) * inputs.whose_drag


_NEAR = 0.97  # of the no-load speed: nothing pushes there


def read_spin(inputs: Inputs, rig: Rig, run: Run) -> Point:
    """The point of a spin that a person timed between two speeds of the mass, and its coast-down
    where they timed that too; its step is the part of the range it lies in.

    Over a line of torque that falls to nothing at the no-load speed ω₀, the mean torque of a spin
    from ω₁ to ω₂ is that at ω₀ − (ω₂ − ω₁)/ln((ω₀ − ω₁)/(ω₀ − ω₂)), below the middle; a third of
    the way from there to the middle is its doubt. Raises ReductionError where a figure is missing
    or the second speed is as good as ω₀.
    """
    method, read = rig.method, run.read
    assert isinstance(method, RunUp)
    if read is None or read.first_speed is None or read.time is None:
        raise ReductionError("a run-up is read as two flywheel speeds and the time between them")
    meter = inputs.meters_of(run).speed

    def turns(name: str) -> Uncertain:
        shown = from_measured(getattr(read, name), READ.of(name))
        return meter((shown - meter.zero) / meter.gain) / method.gearing

    low, high = turns("first_speed"), turns("second_speed")
    volts = run.voltage if read.voltage is None else read.voltage.value
    no_load = inputs.motor.speed(0.0, volts) / inputs.ratio
    if nominal(high) > _NEAR * nominal(no_load):
        most, was = (
            show(w * method.gearing, "speed", "rpm", decimals=0)
            for w in (_NEAR * nominal(no_load), nominal(high))
        )
        raise ReductionError(
            f"the second speed ({was}) is practically the no-load speed; time it below {most}"
        )
    middle = (low + high) / 2
    mean = no_load - (high - low) / logarithm((no_load - low) / (no_load - high))
    speed = mean + ufloat(0.0, nominal(middle - mean) / 3, READ.of("course"))
    inertia = inputs.figures["inertia"] * method.gearing**2
    faster = (high - low) / from_measured(read.time, READ.of("time"))
    torque = inertia * faster
    if read.coast_first is not None and read.coast_time is not None:
        first, second = turns("coast_first"), turns("coast_second")
        slowing = (first - second) / from_measured(read.coast_time, READ.of("coast_time"))
        air = (speed / ((first + second) / 2)) ** 2
        torque = torque + _own_drag(inputs, method, _between(inputs, slowing, air))
    part = int(np.searchsorted(PARTS, nominal(speed / no_load))) - 1
    window = Window(0.0, read.time.value, True, 0.0)
    nothing = Recording(np.array([0.0, read.time.value]), {})
    parts = len(PARTS) - 1
    placed = run.model_copy(update={"step": run.step * parts + min(max(part, 0), parts - 1)})
    motor = nominal(faster) * nominal(inputs.ratio)
    point = point_at(
        inputs,
        rig,
        placed,
        on=nothing,
        window=window,
        torque=torque,
        speed=speed,
        acceleration=motor,
    )
    return replace(point, source=run)
