"""Events of the sensors: stuck, saturated, unplugged, a clock that jumps, a zero that drifts."""

from __future__ import annotations

import math

import numpy as np

from sparring.core import nan
from sparring.core.events.event import Found, detector
from sparring.core.events.watched import Watched, stretches
from sparring.core.finding import Fact
from sparring.core.recording import CHANNELS

_SURELY = 1e-7  # chance that what is seen is no more than chance
_MOSTLY = 0.5  # part of a run over which one value leaves nothing to go by
_BY_ONE = 0.7  # part of a display's steps that are one count where its noise is below a count
_JUMPS = 8.0  # times the usual time between two samples, and half a second, that a clock may leave
_DRIFTS = 5.0  # standard uncertainties, and 1 % of the load, by which a zero has moved


def _repeated(w: Watched, y: np.ndarray, name: str) -> list[tuple[int, int]]:
    """Stretches over which a signal repeats one value while the drive is on, longer than its own
    noise lets happen.
    """
    same = np.concatenate([[False], np.diff(y) == 0])
    usual = same[w.on]
    if usual.size < 20:
        return []
    # of a signal that seldom repeats; one that mostly does shows no noise to go by
    runs = stretches(same & w.on, 3)
    a, b = max(runs, key=lambda r: r[1] - r[0], default=(0, 0))
    moving: tuple[np.ndarray, ...] = y[:a], y[b:]
    if b - a > _MOSTLY * usual.size and w.log is not None and w.log.has(name):
        whole = w.log.channels[name]  # what it showed in other runs
        moving = (whole[np.isfinite(whole) & (whole != y[b - 1]) & (whole != 0)],)
    chance = _by_chance(np.concatenate([np.diff(part) for part in moving]))
    if chance > 0.5:
        return []
    least = max(math.log(_SURELY) / math.log(chance), 4)
    return [(a - 1, b) for a, b in runs if b - a >= least]


def _by_chance(steps: np.ndarray) -> float:
    """How often a signal repeats a value that moves in these steps from sample to sample; 1 where
    most of them are a single count: such a display may stand still between two counts for long.
    """
    steps = np.sort(np.abs(steps[np.isfinite(steps)]))
    steps = steps[: math.ceil(0.9 * len(steps))]  # the largest are the drive's, as it comes up
    moved = steps[steps > 0]
    if len(steps) < 20 or not len(moved) or np.mean(moved < 1.5 * moved.min()) > _BY_ONE:
        return 1.0
    return min(max(float(np.mean(steps == 0)), 1e-3), 1.0)


@detector("sensor-stuck", "Sensor stuck", "wrong")
def stuck(w: Watched) -> Found:
    """A channel repeats one value for a quarter of a second or more, where its noise moved it
    before, and that value is not its end.
    """
    yield from _still(w, at_end=False)


@detector("sensor-saturated", "Sensor saturated", "wrong")
def saturated(w: Watched) -> Found:
    """A channel stands at the highest or lowest value it ever shows, again and again."""
    yield from _still(w, at_end=True)


def _still(w: Watched, *, at_end: bool) -> Found:
    for name in _measured(w):
        y = w.recording.channels[name]
        if name == "voltage":
            continue  # a good supply holds it to the last digit
        for a, b in _repeated(w, y, name):
            geared = {"speed": 1.0, "motor_speed": abs(w.build.ratio())}.get(name)
            if geared is not None and abs(y[a + 1]) < 0.02 * w.free_speed * geared:
                continue  # it stands
            ever = y if w.log is None or not w.log.has(name) else w.log.channels[name]
            end = y[a + 1] in (nan.most(ever), nan.least(ever)) and y[a + 1] != 0
            # what cuts a signal off does so again and again, or most of the time
            often = len(stretches(y == y[a + 1], 2)) > 1 or (b - a) > 0.5 * w.on.sum()
            end = end and often
            # at a value that was passed it is stuck, at one that cuts all off it is saturated
            if end != at_end or (not at_end and w.t[b - 1] - w.t[a] < 0.25):
                continue
            seen = f"{CHANNELS[name].label}: one value for {w.t[b - 1] - w.t[a]:.2g} s."
            yield float(w.t[a]), float(w.t[b - 1]), seen, {}
            break


def _measured(w: Watched) -> list[str]:
    """Channels that a running drive moves."""
    moving = ("cell", "force", "speed", "motor_speed", "voltage", "current", "cell_2", "force_2")
    channels = w.recording.channels
    return [c for c in moving if c in channels and np.isfinite(channels[c]).any()]


@detector("sensor-unplugged", "Sensor unplugged", "wrong")
def unplugged(w: Watched) -> Found:
    """A channel has no reading for a while, or shows nothing but zero while the drive turns, and
    the others go on.
    """
    channels = w.recording.channels
    for name in _measured(w):
        y = channels[name]
        others = [np.isfinite(channels[c]) for c in channels if c != name]
        if not others:
            continue
        gone = ~np.isfinite(y) & np.any(others, axis=0)
        zero = (y == 0) & w.on & np.any([_turning(w, c) for c in channels if c != name], axis=0)
        for a, b in stretches(gone, w.many(0.15)) + stretches(zero, w.many(0.25)):
            if not np.isfinite(y[:a]).any() or (zero[a] and not nan.most(np.abs(y[:a])) > 0):
                continue  # it was never there
            seen = f"{CHANNELS[name].label}: no reading for {w.t[b - 1] - w.t[a]:.2g} s."
            yield float(w.t[a]), float(w.t[b - 1]), seen, {}
            break


def _turning(w: Watched, channel: str) -> np.ndarray:
    """Where a channel shows that the drive turns."""
    y = w.recording.channels[channel]
    if channel not in ("speed", "motor_speed") or not np.isfinite(y).any():
        return np.zeros(len(y), bool)
    return np.asarray(np.nan_to_num(np.abs(y)) > 0.3 * nan.most(np.abs(y)))


@detector("clock-jump", "Clock jumped", "caution")
def clock_jump(w: Watched) -> Found:
    """Within a run two samples lie much further apart than usual, and no lost connection explains
    it.
    """
    apart = np.diff(w.t)
    for k in np.flatnonzero(apart > max(_JUMPS * w.dt, 0.5)).tolist():
        known = any(a <= w.t[k] + w.dt and w.t[k + 1] - w.dt <= b for a, b in w.recording.gaps)
        # a pause that nobody logged is no jump
        if not known and w.on[k] and w.on[k + 1]:
            facts = {"gap": Fact(float(apart[k]), "time", digits=3)}
            yield float(w.t[k]), float(w.t[k + 1]), "{gap} between two samples.", facts


@detector("zero-drift", "Zero of the load cell drifted", "caution")
def zero_drift(w: Watched) -> Found:
    """Before and after, at rest and with nothing pulling, the cell reads differently."""
    force = w.get("force")
    method = w.rig.method
    rubs = method.FADES and not method.swept
    if force is None or not w.spans or method.LETS_DOWN or method.HELD or rubs:
        # what hangs may pull as long as it is up, an arm that was pressed stays so, and a brake
        # that is still tight keeps the drive wound up
        return
    first, last = w.spans[0][0], w.spans[-1][1]
    level = nan.median(force[w.on])
    speed = w.get("speed")
    rest = np.ones(len(force), bool)
    if speed is not None:
        rest = np.abs(np.nan_to_num(speed)) < 0.02 * nan.quantile(np.abs(speed), 0.98)
    free = rest & (np.abs(force) < 0.12 * abs(level))
    before, after = force[:first][free[:first]], force[last:][free[last:]]
    if min(len(before), len(after)) < 5 or level <= 0:
        return
    moved = nan.mean(after) - nan.mean(before)
    u = math.hypot(*(nan.deviation(x) / math.sqrt(len(x)) for x in (before, after)))
    if abs(moved) > max(_DRIFTS * u, 0.01 * level):
        facts = {"moved": Fact(abs(moved), "force", digits=2)}
        way = "more" if moved > 0 else "less"
        seen = f"At rest it reads {{moved}} {way} than before."
        yield float(w.t[last]), float(w.t[-1]), seen, facts
