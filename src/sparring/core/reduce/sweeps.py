"""A brake's slow sweep to its points: the range of torque in equal parts, on the way up and on the
way down.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError, seen
from sparring.core.reduce.points import Point, point_at
from sparring.core.reduce.warmth import COLD, Warmth
from sparring.core.reduce.windows import Window, parabola, powered_spans
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import nominal

PARTS = 6
_RANGE = (0.1, 0.95)  # of the largest torque: below it the brake is hardly on, above it turns round
_LEAST = 8  # samples in a part
_STANDS = 0.03  # of the no-load speed: what turns slower stands


def reduce_sweep(
    inputs: Inputs, rig: Rig, run: Run, recording: Recording, begin: Warmth = COLD
) -> list[Point]:
    """A point for each part of the range of torque and each way; their step numbers count the
    parts, up and down are repeats. begin: how warm the motor was when the recording began.

    Torque and speed are those in the middle of a part, of a parabola through its samples: both run
    through it. Raises ReductionError when the cell or the speed is missing, or no part has samples
    enough.
    """
    rec = seen(inputs, run, recording)
    channel = next((c for c in ("cell", "force") if rec.has(c)), "")
    if not channel or not rec.has("speed"):
        raise ReductionError(
            "a sweep needs the load cell and the speed in the recording; assign columns to "
            "them, or log them"
        )
    ch = rec.channels
    spans = powered_spans(rec.t, ch.get("voltage"), ch.get("current"), ch.get("speed"))
    if not spans:
        raise ReductionError(
            "the drive was never on in this recording (no forward voltage, current or speed)"
        )
    on = rec.span(*max(spans, key=lambda s: s[1] - s[0]))
    near = max(5, len(on) // 60)
    force = np.convolve(np.nan_to_num(on.channels[channel]), np.ones(near) / near, "same")
    # what comes before the drive is fastest is its starting, and at the ends the average lacks
    # neighbours
    pace = np.convolve(np.nan_to_num(on.channels["speed"]), np.ones(near) / near, "same")
    begun = near + int(np.argmax(pace[near : near + len(on) // 2]))
    top = begun + int(np.argmax(force[begun : len(on) - near]))
    bottom = float(force[begun : len(on) - near].min())
    edges = bottom + np.linspace(*_RANGE, PARTS + 1) * (float(force[top]) - bottom)
    no_load = nominal(
        inputs.motor.speed(
            0.0, float(np.nanmax(ch["voltage"])) if rec.has("voltage") else run.voltage
        )
    ) / nominal(inputs.ratio)
    course = inputs.course_of(recording, begin)
    points = []
    for way, (first, last) in enumerate(((begun, top), (top, len(on) - near))):
        for part, (low, high) in enumerate(pairwise(edges.tolist())):
            inside = first + np.flatnonzero((force[first:last] >= low) & (force[first:last] < high))
            if len(inside) < _LEAST:
                continue
            stretch = on.span(float(on.t[inside[0]]), float(on.t[inside[-1]]) + 1e-9)
            good = ~np.isnan(stretch.channels["speed"])
            if good.sum() < _LEAST:
                continue
            speed, slope, *_ = parabola(stretch.t[good], stretch.channels["speed"][good])
            if speed < _STANDS * no_load:
                continue
            placed = run.model_copy(
                update={
                    "step": run.step * PARTS + part,
                    "repeat": 2 * (run.repeat - 1) + way + 1,
                    "load": None,
                }
            )
            window = Window(float(stretch.t[0]), float(stretch.t[-1]) + 1e-9, True, 0.0)
            point = point_at(
                inputs,
                rig,
                placed,
                on=on,
                window=window,
                acceleration=slope * nominal(inputs.ratio) or 1e-12,
                course=course,
            )
            # the torque changes because it is asked to
            paused = course is not None and course.paused
            points.append(replace(point, source=run, pull=None, torque_peak=None, paused=paused))
    if not points:
        raise ReductionError(
            f"no part of the range has {_LEAST} samples while turning: sweep more slowly, "
            "or log faster"
        )
    return points
