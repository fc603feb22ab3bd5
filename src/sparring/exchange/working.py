"""What a build has done so far, added up from the recordings of all its tests."""

from __future__ import annotations

import contextlib
import math
from dataclasses import dataclass

import numpy as np

from sparring.core.endurance import Cycle
from sparring.core.endurance.cycle import Adds
from sparring.core.live import Instruments
from sparring.core.lives.cycles import Cycles, cycles_of
from sparring.core.quantity import Measured
from sparring.logbook import Logbook

_TORQUE = 0.01  # standard uncertainty of the work, as a part, beside that of the turns (common
# practice: a load cell of 2 %)
_GATE = 0.05  # of the greatest torque: smaller swings are ripple and noise (common practice)


@dataclass(frozen=True)
class Worked:
    """turns: of the output, either way; work: out of it; seconds: driven; starts: runs; unknown:
    runs whose torque or speed nobody knows; peak: the most torque [N·m], 0: not known.
    """

    turns: Measured
    work: Measured
    seconds: float
    starts: int
    unknown: int
    peak: float


def worked(book: Logbook, build_id: int) -> Worked:
    """Every run counts that turned it, those that results leave out among them."""
    build, rigs = book.build(build_id), {}
    total, unknown, starts, doubt = Cycle(), 0, 0, 0.0
    for test in book.tests(build_id):
        if test.rig_id not in rigs:
            rigs[test.rig_id] = book.rig(test.rig_id)
        rig = rigs[test.rig_id]
        doubt = max(doubt, rig.sensors.speed_accuracy / 2)
        for stored in book.runs(test.id, struck=True):
            run = stored.run
            recording = book.recording(stored.recording) if stored.recording else None
            if recording is None or len(recording.t) < 2:
                unknown += 1
                continue
            adds, one = Adds(build, rig), Cycle()
            adds.begin()
            adds.add(
                one,
                recording.t,
                np.column_stack(list(recording.channels.values())),
                tuple(recording.channels),
                tare=run.tare.value if run.tare else None,
                load=run.load.value if run.load else None,
            )
            starts += 1
            unknown += one.torque_known < 0.5 * one.driven
            for name in ("turns", "work", "driven"):
                setattr(total, name, getattr(total, name) + getattr(one, name))
            total.peak_torque = max(total.peak_torque, one.peak_torque)
    work = abs(total.work)
    return Worked(
        Measured(total.turns, doubt * total.turns),
        Measured(work, math.hypot(doubt, _TORQUE) * work),
        total.driven,
        starts,
        unknown,
        total.peak_torque,
    )


def cycles_of_test(book: Logbook, test_id: int) -> Cycles | None:
    """Load cycles of all runs of a test whose torque was measured; None: of none."""
    test = book.test(test_id)
    rig = book.rig(test.rig_id)
    instruments, method = Instruments(rig), rig.method
    found = []
    for stored in book.runs(test_id, struck=True):
        if not stored.recording:
            continue
        channels = book.recording(stored.recording).channels
        tare = stored.run.tare.value if stored.run.tare else None
        force = instruments.series("force", channels, tare)
        known = {key: channels.get(key) for key in method.CHANNELS} | {"force": force}
        load = method.measured(method.figures(), known.get)
        if load is None:
            continue
        with contextlib.suppress(ValueError):  # a run in which nothing changed
            found.append(cycles_of(np.asarray(load, float), gate=_GATE * float(np.nanmax(load))))
    if not found:
        return None
    ranges, means, counts = (
        np.concatenate([getattr(c, name) for c in found]) for name in ("ranges", "means", "counts")
    )
    return Cycles(ranges, means, counts, sum(c.reversals for c in found))
