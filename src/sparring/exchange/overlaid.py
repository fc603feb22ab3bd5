"""Curves of a build compared that its recordings tell: what it carries for how long, and what
repeats with the turns of its output.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from sparring.core.compare.figures import At, torque_of
from sparring.core.compare.subject import Subject
from sparring.core.orders.lines import orders_of
from sparring.core.orders.spectrum import FIRST
from sparring.core.performance.continuous import CARRIED_FOR, carries
from sparring.core.reduce.inputs import ReductionError, part_of
from sparring.core.uncertainty import nominal
from sparring.exchange.deriving import heat_of
from sparring.logbook import Logbook


class Lines(NamedTuple):
    """What stands out of a spectrum, arrays of shape (n,): where, how high, standard uncertainty;
    parts: that make them.
    """

    x: np.ndarray
    y: np.ndarray
    u: np.ndarray
    parts: tuple[str, ...]


class Overlaid(NamedTuple):
    """A curve, arrays of shape (n,), SI; u: standard uncertainty of its values; lines: of a
    spectrum, whose other values are noise.
    """

    x: np.ndarray
    y: np.ndarray
    u: np.ndarray | None = None
    lines: Lines | None = None


def carried(book: Logbook, s: Subject, at: At) -> Overlaid | None:
    """Torque [N·m] over the seconds from cold for which it is carried, the last of them infinite,
    at the test's main voltage; None of what has no motor or was not tested. Raises LogbookError,
    RecordingError.
    """
    if s.model is None or not s.build.has_motor:
        return None
    found = carries(s.model, heat_of(book, s.test), spans=CARRIED_FOR)
    seconds, torque, u = np.array([(c.seconds, c.torque, c.u) for c in found]).T
    return Overlaid(seconds, torque, u)


def ripple(book: Logbook, s: Subject, at: At) -> Overlaid | None:
    """Amplitude over the mean, over the order counted by the output's turns: of the first recorded
    run whose load is nearest to the common torque. None where nothing was recorded, or no angle can
    be told. Raises LogbookError, RecordingError.
    """
    level, torque = s.level(at.voltage), torque_of(s, at)
    if s.result is None or level is None or torque is None:
        return None
    kept = [r for r in book.runs(s.test) if r.recording]
    steps = [x for x in s.result.steps[level.first : level.last] if x.lifted]
    for step in sorted(steps, key=lambda x: abs(nominal(x.torque) - torque)):
        for point in step.points:
            run = point.source or point.run
            stored = next((r for r in kept if r.run == run), None)
            if stored is None:
                continue
            rec = part_of(run, book.recording(stored.recording))
            doubt = s.result.rig.sensors.speed_accuracy / 2
            try:
                found = orders_of(s.build, rec, doubt=doubt)
            except ReductionError:
                return None
            spectrum = found.spectrum
            if len(spectrum.order) <= FIRST or not spectrum.mean:
                return None
            scale = 1 / abs(spectrum.mean)
            told = np.array([(x.found, x.amplitude, x.u) for x in found.lines]).reshape(-1, 3).T
            lines = Lines(
                told[0], scale * told[1], scale * told[2], tuple(x.part for x in found.lines)
            )
            order, amplitude = spectrum.order[FIRST:], spectrum.amplitude[FIRST:]
            return Overlaid(order, scale * amplitude, lines=lines)
    return None
