"""The force at the load cells of a run."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from sparring.core import nan
from sparring.core.instruments import calibration
from sparring.core.instruments.meters import Meter
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError
from sparring.core.reduce.windows import Window, block_means, mean_with_uncertainty
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import LineFit, Uncertain, nominal


@dataclass(frozen=True)
class Pull:
    """Force at the load cell, or at both together [N]: mean in the window; smallest block mean in
    it and largest while the drive was on; fade: the part lost from the second quarter of that time
    to the last, beyond what scatter explains."""

    mean: Uncertain
    least: float
    most: float
    fade: float | None


def pull_of(
    inputs: Inputs,
    rig: Rig,
    run: Run,
    *,
    on: Recording,
    window: Window,
    mean: Callable[[str], Uncertain],
) -> Pull | None:
    """The force while the drive is `on`, its mean by `mean`.

    None without a cell, or without its calibration where it comes in counts. Raises
    ReductionError when a second is lacking.
    """
    how = inputs.meters_of(run).sensors.second_cell
    zero = inputs.tare(run.tare) if run.tare is not None else None
    by = inputs.meters_of(run).force
    found = _cell(on, "cell", "force", line=inputs.cell_of(run), zero=zero, mean=mean, by=by)
    if found is None:
        return None
    force, course = found
    if how != "not used":
        second = _cell(
            on, "cell_2", "force_2", line=inputs.second_cell_of(run), zero=None, mean=mean, by=by
        )
        if second is None:
            raise ReductionError(
                f"the second load cell, which is {how} on this rig, is not in the "
                "recording, or in counts without a calibration; assign a column to it, "
                "calibrate it, or set it to “not used” on Rig"
            )
        sign = 1 if how == "added" else -1
        force, course = force + sign * second[0], course + sign * second[1]
    inside = (
        (block_means(on.t) >= window.start) & (block_means(on.t) <= window.stop) & ~np.isnan(course)
    )
    least = float(course[inside].min()) if inside.any() else nominal(force)
    return Pull(force, least, float(np.nanmax(course)), _fade(course))


def at_rest(inputs: Inputs, run: Run, log: Recording, on: Recording) -> tuple[float, float] | None:
    """What the load cell shows [N] while the drive is off, before it is on or else after, and its
    standard uncertainty by its scatter; None where that was not recorded, or something turned.

    log: what holds the run, as it was recorded; on: corrected.
    """
    key = next((k for k in ("force", "cell") if log.has(k)), None)
    meters = inputs.meters_of(run)
    if key is None or meters.sensors.second_cell != "not used" or len(on) < 2:
        return None
    begins, ends = (int(n) for n in np.searchsorted(log.t, (on.t[0], on.t[-1])))
    before = slice(max(begins - _BESIDE, 0), max(begins - _COMES_ON, 0))
    after = slice(ends + 1 + _COMES_ON, ends + 1 + _BESIDE)
    usual = {
        name: nan.median(np.abs(on.channels[name][:: len(on) // _BESIDE + 1]))
        for name in ("voltage", "current", "speed", "motor_speed")
        if log.has(name) and on.has(name)
    }
    for part, way in ((before, -1), (after, 1)):
        near = Recording(log.t[part], {name: y[part] for name, y in log.channels.items()})
        beside = meters.corrected(near).channels
        shown = beside[key]
        off = ~np.isnan(shown)
        for name, level in usual.items():
            off &= ~(np.abs(beside[name]) > 0.05 * level)
        off, shown = off[::way], shown[::way]  # from the run outwards
        some = shown[: len(off) if off.all() else int(np.argmin(off))]
        if len(some) >= _RESTS:
            break
    else:
        return None
    if key == "cell":
        line = inputs.cell_of(run)
        if line is None:
            return None
        zero = line.intercept if run.tare is None else inputs.tare(run.tare)
        some = (some - nominal(zero)) / nominal(line.slope)
    mean, u, _ = mean_with_uncertainty(some)
    return mean, u if math.isfinite(u) else 0.0


_RESTS = 3  # samples that tell a level at rest
_BESIDE = 2000  # samples that are looked at on either side
_COMES_ON = 1  # samples beside a drive that is on, which may be of the moment of switching


def _fade(course: np.ndarray) -> float | None:
    """The part lost from the second quarter to the last, nothing where scatter explains it."""
    quarter = max(len(course) // 4, 1)
    parts = course[quarter : 2 * quarter + 1], course[-quarter:]
    (early, u, _), (late, u_late, _) = (mean_with_uncertainty(part) for part in parts)
    if not early > 0 or math.isnan(late):
        return None
    return 1 - late / early if abs(early - late) > 2 * math.hypot(u, u_late) else 0.0


def _cell(
    on: Recording,
    counts: str,
    newtons: str,
    line: LineFit | None,
    zero: Uncertain,
    mean: Callable[[str], Uncertain],
    by: Meter,
) -> tuple[Uncertain, np.ndarray] | None:
    """(mean force in the window, its block means while the drive is on) [N] of one cell, by
    whichever channel it has. by: one that gives newtons.
    """
    if line is not None and (reading := mean(counts)) is not None:
        rest = nominal(line.intercept if zero is None else zero)
        return calibration.force(line, reading, zero), (
            block_means(on.channels[counts]) - rest
        ) / nominal(line.slope)
    force = mean(newtons)
    if force is None or not on.has(newtons):  # read by a person: it has no course
        return None
    return by(force), block_means(on.channels[newtons])
