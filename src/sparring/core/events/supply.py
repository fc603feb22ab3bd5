"""Events of the supply and the motors: a limit, a breaker, one motor of several."""

from __future__ import annotations

from typing import Any

import numpy as np

from sparring.core import nan, several
from sparring.core.events.event import Found, detector
from sparring.core.events.watched import Watched, before_and_after, stretches
from sparring.core.finding import Fact

_FLAT = 0.02  # part of a current within which a limit holds it
_LOW = 0.9  # part of the voltage set, below which a limit has taken it
_RAMPS = 0.5  # [s] in which a drive may be brought up
_DIPS = 0.14  # part of the voltage by which it falls
_BACK = 1.5  # [s] within which it is back
_FEW = 5  # times in a run
_FLOATS = 0.05  # part of the voltage by which it moves while the current is held


@detector("supply-limit", "Supply at its current limit", "caution")
def supply_limit(w: Watched) -> Found:
    """The current stands at its highest, held flat, while the voltage floats below what was set."""
    volts, amps, set_to = w.get("voltage"), w.get("current"), w.run.voltage
    if volts is None or amps is None or set_to <= 0:
        return
    for a, b in w.spans:
        if b - a < w.many(0.8):
            continue  # it still comes up
        i, v = amps[a:b], volts[a:b]
        most = nan.quantile(i, 0.98)
        if most <= 0:
            continue
        # a ramp of the drive is no limit: its voltage is low because it is still being raised
        held = (np.abs(i - most) < _FLAT * most + 2 * _noise(i)) & (v < _LOW * set_to)
        for first, last in stretches(held, w.many(0.15)):
            if last < w.many(_RAMPS):
                continue
            floats = nan.most(v[first:last]) - nan.least(v[first:last])
            slope = np.polyfit(np.arange(last - first), np.nan_to_num(i[first:last]), 1)[0]
            if floats > _FLOATS * set_to and abs(slope) * (last - first) < _FLAT * most:
                facts = {
                    "current": Fact(most, "current", digits=3),
                    "voltage": Fact(nan.least(v[first:last]), "voltage", digits=3),
                }
                seen = "The current stays at {current} while the voltage is down to {voltage}."
                yield float(w.t[a + first]), float(w.t[a + last - 1]), seen, facts
                break


def _noise(y: np.ndarray) -> float:
    """Standard deviation from one sample to the next."""
    d = np.diff(y[np.isfinite(y)])
    return float(np.median(np.abs(d))) / 0.954 if len(d) else 0.0


@detector("brown-out", "Supply dipped", "caution")
def brown_out(w: Watched) -> Found:
    """The voltage falls by more than a seventh of what it was in the run and is back within a
    second and a half, once or a few times: a chopped supply does so all the time.
    """
    volts = w.get("voltage")
    if volts is None or not w.spans:
        return
    first, last = w.spans[0][0] + w.many(_RAMPS), w.spans[-1][1]
    v = volts[first:last]
    level = nan.median(v[v > 0]) if (v > 0).any() else 0.0
    if level <= 0 or len(v) < w.many(0.5):
        return
    noise = nan.scatter(v)
    low = np.nan_to_num(v, nan=level) < level - max(_DIPS * level, 6 * noise)
    dips = stretches(low, 1)
    if not dips or len(dips) > _FEW or low.mean() > 0.5:
        return
    for a, b in dips:
        whole = a > 0 and b < len(v) and (b - a) * w.dt < _BACK
        if whole and nan.most(v[b : b + 3]) > (1 - _DIPS) * level:
            facts = {
                "least": Fact(nan.least(v[a:b]), "voltage", digits=3),
                "level": Fact(level, "voltage", digits=3),
            }
            seen = "The voltage falls to {least}, from {level}, and is back."
            yield float(w.t[first + a]), float(w.t[first + b]), seen, facts


def dips_at(w: Watched, k: int) -> bool:
    """Whether the voltage is low at a sample, or a quarter of a second around it."""
    volts = w.get("voltage")
    if volts is None:
        return False
    level = nan.median(volts[w.on])
    near = volts[max(k - w.many(0.25), 0) : k + w.many(0.25)]
    return bool(nan.least(near) < (1 - _DIPS) * level)


@detector("breaker-trip", "Breaker or fuse opened", "wrong")
def breaker_trip(w: Watched) -> Found:
    """Voltage and current fall to nothing at once, out of a high current, and stay there while the
    run goes on.
    """
    volts, amps = w.get("voltage"), w.get("current")
    if volts is None or amps is None or w.rig.method.course[2] > 0:
        return  # a drive that coasts is switched off on purpose
    for a, b in w.spans:
        v = nan.median(volts[a:b])
        rest = w.t[-1] - w.t[b - 1]
        if rest < 0.6 or len(w.t) < b + w.many(0.3):
            continue
        later = slice(b, min(b + w.many(0.5), len(w.t)))
        dead = nan.most(np.abs(volts[later][1:])) < 0.05 * v
        none = nan.most(np.abs(amps[later][1:])) < 0.05 * max(nan.most(amps[a:b]), 0.02)
        before = amps[max(a, b - w.many(0.1)) : b]
        high = nan.most(before)
        usual = nan.median(amps[a:b])
        # a bench that ends a stall waits longer than a breaker does
        since = b - 1 - next((k for k in range(b - 1, a, -1) if amps[k] < 1.25 * usual), a)
        waited = since * w.dt > 0.7 * w.rig.limits.stalled_for
        if dead and none and high > 1.25 * usual and not waited:
            facts = {"current": Fact(high, "current", digits=3)}
            seen = "Voltage and current are gone at once, out of {current}."
            yield float(w.t[b - 1]), float(w.t[-1]), seen, facts


@detector("motor-dropped-out", "One of several motors dropped out", "wrong")
def motor_dropped_out(w: Watched) -> Found:
    """With several motors the speed falls at once while voltage and current hardly change: those
    that are left carry it. Where each has an ammeter, one takes nothing while the others go on.
    """
    volts, amps = w.get("voltage"), w.get("current")
    speed: Any = w.get("motor_speed")
    speed = w.get("speed") if speed is None else speed
    motors = 1 + len(w.build.further_motors)
    if motors > 1 and several.count(w.recording.channels) == motors:
        yield from _takes_nothing(w, motors)
        return
    if motors == 1 or volts is None or amps is None or speed is None:
        return
    width, gap = w.many(0.2), w.many(0.1)
    for a, b in w.spans:
        a += w.many(0.5)  # it comes up first
        if b - a < 2 * width + gap:
            continue
        fell, same = (before_and_after(y[a:b], width, gap) for y in (speed, volts))
        current = before_and_after(amps[a:b], width, gap)
        with np.errstate(invalid="ignore", divide="ignore"):
            drop = 1 - fell[1] / fell[0]
            steady = np.abs(same[1] / same[0] - 1) < 0.04
            alike = np.abs(current[1] / current[0] - 1) < 0.12
        here = np.where(steady & alike & (drop > 0.03), drop, 0.0)
        if not here.any():
            continue
        k = int(np.argmax(here))
        scatter = 1.4826 * nan.median(np.abs(np.diff(speed[a:b]))) / fell[0][k]
        if here[k] > max(0.03, 3 * scatter / np.sqrt(width)):
            facts = {"drop": Fact(float(here[k]), "ratio")}
            seen = "The speed falls by {drop} at once, with the same voltage and about the current."
            yield float(w.t[a + k]), float(w.t[a + min(k + gap, b - a - 1)]), seen, facts


def _takes_nothing(w: Watched, motors: int) -> Found:
    """By each motor's own current."""
    each = [w.get(several.own("current", n + 1)) for n in range(motors)]
    amps = [y for y in each if y is not None]
    width, gap = w.many(0.2), w.many(0.1)
    for a, b in w.spans:
        a += w.many(0.5)  # it comes up first
        if len(amps) < motors or b - a < 2 * width + gap:
            continue
        took = np.array([before_and_after(y[a:b], width, gap) for y in amps])
        total = took.sum(axis=0)
        for n, (before, after) in enumerate(took):
            others = total - took[n]
            fair = (before > 0.25 * total[0] / motors) & (before > 4 * _noise(amps[n][a:b]))
            gone = fair & (after < 0.1 * before) & (others[1] > 0.9 * others[0])
            if gone.any():
                k = int(np.argmax(np.where(gone, before - after, 0.0)))
                facts = {
                    "before": Fact(float(before[k]), "current", digits=2),
                    "others": Fact(float(others[1][k]), "current", digits=3),
                }
                seen = f"Motor {n + 1} took {{before}}, and nothing since; the others {{others}}."
                yield float(w.t[a + k]), float(w.t[a + min(k + gap, b - a - 1)]), seen, facts
