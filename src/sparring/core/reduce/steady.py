"""A run with one steady window, to its point."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from sparring.core.recording import Recording
from sparring.core.reduce.in_window import mean_or, slowed
from sparring.core.reduce.inputs import Inputs, ReductionError, seen
from sparring.core.reduce.points import Point, point_at
from sparring.core.reduce.pull import at_rest
from sparring.core.reduce.warmth import COLD, Warmth
from sparring.core.reduce.windows import Window, find_window, powered_spans
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import nominal

_STALLED_PART = 0.03  # of the no-load speed: below it the output counts as at rest


def reduce_run(
    inputs: Inputs,
    rig: Rig,
    run: Run,
    recording: Recording,
    *,
    settle: float,
    measure: float,
    orders: tuple[float, ...] = (),
    begin: Warmth = COLD,
) -> Point:
    """The point of one run.

    orders: turns of the shafts per turn of the output, whose ripple in the speed is wanted; begin:
    how warm the motor was when the recording began.
    Raises ReductionError when the recording lacks what torque and speed need, or the drive was
    never on.
    """
    rec = seen(inputs, run, recording)
    if not inputs.has_motor and not rec.has("speed") and rec.has("motor_speed"):
        turned = rec.channels["motor_speed"] / nominal(inputs.ratio)
        rec = replace(rec, channels={**rec.channels, "speed": turned})
    stands = rig.method.STANDS
    if not rec.has("speed") and not stands:
        raise ReductionError("the recording has no output speed; assign a column to it, or log it")
    if len(rec) < 8:
        raise ReductionError(f"the recording holds {len(rec)} samples; at least 8 are needed")
    ch = rec.channels
    spans = powered_spans(
        rec.t,
        ch.get("voltage"),
        ch.get("current"),
        ch.get("speed"),
        least=0.1 if stands or run.broke else 0.4,
    )
    if not spans:
        raise ReductionError(
            "the drive was never on in this recording (no forward voltage, current or speed)"
        )
    start, stop = max(spans, key=lambda s: s[1] - s[0])
    on = rec.span(start, stop)
    course = inputs.course_of(recording, begin)
    if stands:  # an arm meets its stop in a moment: how the run ended tells all
        return point_at(
            inputs,
            rig,
            run,
            on=on,
            window=Window(start, stop, True, 0.0),
            stalled=_stuck(rig, run, on),
        )
    no_load = nominal(inputs.motor.speed(0.0, mean_or(on, "voltage", run.voltage))) / nominal(
        inputs.ratio
    )
    if not inputs.has_motor:
        no_load = float(np.nanmax(np.abs(on.channels["speed"])))
    tail = on.span(max(start, stop - 0.4), stop)
    stalled = (
        run.ended == "stalled"
        or bool(run.broke)
        or rig.method.HELD
        or abs(mean_or(tail, "speed", 0.0)) < _STALLED_PART * abs(no_load)
    )
    try:
        if stalled:
            window = Window(max(start, stop - 0.4), stop, True, 0.0)
        else:
            warms = slowed(inputs, on, course)
            window = find_window(on.t, on.channels["speed"], settle, measure, lambda t: -warms(t))
    except ValueError as err:
        raise ReductionError(str(err)) from err
    point = point_at(
        inputs, rig, run, on=on, window=window, stalled=stalled, orders=orders, course=course
    )
    return replace(
        point,
        at_rest=at_rest(inputs, run, recording, on),
        paused=course is not None and course.paused,
    )


def _stuck(rig: Rig, run: Run, on: Recording) -> bool:
    """Whether the arm did not get to its upper stop: as the bench said, or for a log by the angle
    that was turned.
    """
    if run.broke:
        return True
    if run.source != "import":
        if run.ended not in ("top", "stalled"):
            raise ReductionError(
                f"the run ended as {run.ended} before the arm reached its stop or stalled; "
                "repeat it"
            )
        return run.ended == "stalled"
    if not on.has("speed"):
        raise ReductionError(
            f"a log of a {rig.method.TITLE.lower()} needs the output speed, to tell lifted "
            "from not lifted; assign a column to it"
        )
    turned = float(np.trapezoid(np.nan_to_num(on.channels["speed"]), on.t))
    return not rig.method.got_there(turned)


def steady_enough(recording: Recording, settle: float, measure: float) -> bool:
    """Whether a run that is going on has been steady for as long as is measured [s], by the same
    judgement that picks the window of a result; so it may end.
    """
    key = "speed" if recording.has("speed") else "motor_speed"
    if not recording.has(key) or len(recording) < 8:
        return False
    ch = recording.channels
    spans = powered_spans(recording.t, ch.get("voltage"), ch.get("current"), ch[key], least=0.4)
    if not spans or spans[-1][1] - spans[-1][0] < settle + measure:
        return False
    on = recording.span(*spans[-1])
    try:
        window = find_window(on.t, on.channels[key], settle, measure)
    except ValueError:
        return False
    return window.steady and window.length >= 0.95 * measure
