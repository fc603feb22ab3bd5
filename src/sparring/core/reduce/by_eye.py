"""A run that was read by a person, to its point."""

from __future__ import annotations

import numpy as np

from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError
from sparring.core.reduce.points import Point, point_at
from sparring.core.reduce.spins import read_spin
from sparring.core.reduce.warmth import COLD
from sparring.core.reduce.windows import Window
from sparring.core.rig import Rig
from sparring.core.run import Run


def reduce_read(inputs: Inputs, rig: Rig, run: Run) -> Point:
    """The point of a run without a recording, by the same equations as one with. Its window is the
    time in which it was read.

    Raises ReductionError where what was read tells no torque or no speed, or it was swept.
    """
    if run.read is None:
        raise ReductionError("the run has neither a recording nor readings; exclude it")
    if rig.method.swept:
        raise ReductionError(
            f"a swept {rig.method.TITLE.lower()} needs a recording over time, which cannot "
            "be read by eye; record it, or load it in steps"
        )
    stalled = run.ended == "stalled" or bool(run.broke) or rig.method.HELD
    if run.ended not in ("top", "stalled") and not stalled:
        raise ReductionError(
            f"the run ended as {run.ended}: its readings are incomplete; repeat it"
        )
    if rig.method.ACCELERATES:
        return read_spin(inputs, rig, run)
    told = [run.read.turned, run.read.travel, run.read.speed]
    if not inputs.has_motor:  # its input is counted instead
        told += [run.read.input_turned, run.read.motor_speed]
    length = run.read.time.value if run.read.time is not None else 0.0
    nothing = Recording(np.array([0.0, length]), {})
    course = None
    if run.read.current is not None and length > 0:  # which warmed the motor all the while
        current = np.full(2, run.read.current.value)
        course = inputs.course_of(Recording(nothing.t, {"current": current}), COLD)
    return point_at(
        inputs,
        rig,
        run,
        on=nothing,
        window=Window(0.0, length, True, 0.0),
        course=course,
        stalled=stalled,
        speed=0.0 if stalled and not rig.method.STANDS else None,  # it stands still
        # a pull that was read is a torque, even where nobody saw how fast it turned
        speedless=not any(told) and run.read.force is not None,
    )
