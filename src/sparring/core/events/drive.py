"""Events of the drive and its load: stall, jam, slip, skip, breakage, traction, a slack cord."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from sparring.core import nan
from sparring.core.events.event import Found, detector
from sparring.core.events.supply import dips_at
from sparring.core.events.watched import Watched, before_and_after, stretches
from sparring.core.finding import Fact
from sparring.core.methods import Drawbar
from sparring.core.train.stage import StageBase

_STILL = 0.03  # part of its usual speed below which an output stands still
_SUDDEN = 0.12  # [s] within which a jam stops it
_FROM = 0.6  # part of the speed of half a second before, from which it stops then
_SLIPS = 0.04  # part by which the speeds leave the ratio
_LAYER = 0.05  # part by which the current steps up
_COUNTS = 2.5  # of a display, that are no step of its own
_UP = 0.6  # [s] in which a drive comes up


def _stops(w: Watched) -> list[tuple[int, int, bool]]:
    """(first sample, last + 1, whether it stopped suddenly) of each standstill, driven."""
    speed = w.get("speed")
    if speed is None or w.rig.method.STANDS or w.rig.method.HELD:
        return []
    found = []
    usual = w.free_speed
    for a, b in w.spans:
        still = np.abs(np.nan_to_num(speed[a:b], nan=np.inf)) < _STILL * usual
        for first, last in stretches(still, w.many(0.25)):
            if first < w.many(_UP) and last < b - a - 2:
                continue  # on the way up, and it moves on
            before = speed[a + max(0, first - w.many(_SUDDEN)) : a + first]
            earlier = speed[a + max(0, first - w.many(1.0)) : a + max(0, first - w.many(0.5))]
            level = nan.median(earlier) if len(earlier) > 1 else usual
            fast = nan.most(before) if len(before) > 1 else 0.0
            ran = fast > max(0.25 * usual, _FROM * level) and w.dt < _SUDDEN / 2
            if first == 0 and last < w.many(_UP):
                continue  # it has not begun yet
            found.append((a + first, a + last, ran))
    return found


@detector("stall", "Stalled", "note")
def stall(w: Watched) -> Found:
    """The output stands still for a quarter of a second, driven, and came to it slowly, or nobody
    can tell how: a log of less than some 16 Hz shows no jam.
    """
    for a, b, sudden in _stops(w):
        if not sudden:
            seen = "The output stands still, driven."
            if w.dt >= _SUDDEN / 2:
                seen = "The output stands still, driven; at this rate a jam looks the same."
            yield float(w.t[a]), float(w.t[b - 1]), seen, {}


@detector("jam", "Jammed", "wrong")
def jam(w: Watched) -> Found:
    """The output stops within an eighth of a second from running, and stays so, driven."""
    speed = w.get("speed")
    if speed is None or _broke(w):
        return
    for a, b, sudden in _stops(w):
        if sudden:
            ran = nan.most(speed[max(0, a - w.many(0.3)) : a])
            facts = {"speed": Fact(ran, "speed", digits=3)}
            yield float(w.t[a]), float(w.t[b - 1]), "It stopped at once, from {speed}.", facts


@detector("slip", "Slipping", "wrong")
def slip(w: Watched) -> Found:
    """The speeds at both ends leave the ratio for a fifth of a second: something slips between
    them, and no clutch is there to do so.
    """
    if not _clutches(w):
        yield from _slips(w)


@detector("clutch-slip", "Clutch slips", "caution")
def clutch_slip(w: Watched) -> Found:
    """The speeds at both ends leave the ratio for a fifth of a second, with a clutch or a belt
    between them.
    """
    if _clutches(w):
        yield from _slips(w)


def _clutches(w: Watched) -> list[StageBase]:
    return [s for s in w.build.stages if getattr(s, "type", "") == "slip"]


def _slips(w: Watched) -> Found:
    motor, out = w.get("motor_speed"), w.get("speed")
    if motor is None or out is None or _broke(w):
        return
    ratio = abs(w.build.ratio())
    fast = np.nan_to_num(motor) > 0.2 * nan.quantile(np.abs(motor), 0.98)
    with np.errstate(invalid="ignore", divide="ignore"):
        lost = np.where(fast & w.on, 1 - out * ratio / motor, np.nan)
    if np.isfinite(lost).sum() < w.many(0.5):
        return
    usual = nan.median(lost)
    # a ratio entered wrong is one from beginning to end: what slips does not always do so
    base = usual if abs(usual) > _SLIPS and nan.deviation(lost) < _SLIPS / 2 else 0.0
    width = w.many(0.2)
    _, mean = before_and_after(lost, width)
    scatter = nan.scatter(lost)
    off = np.nan_to_num(mean - base) > max(_SLIPS, 4 * scatter / np.sqrt(width))
    for a, b in stretches(off, w.many(0.1)):
        most = nan.most(mean[a:b] - base)
        facts = {"lost": Fact(most, "ratio")}
        seen = "The output turns {lost} slower than the ratio says."
        yield float(w.t[a]), float(w.t[min(b - 1 + width, len(w.t) - 1)]), seen, facts
        return


# --- the load -------------------------------------------------------------------------------------


def _load(w: Watched) -> np.ndarray | None:
    """What tells the load: force, or else a generator's or the motor's current."""
    for name in ("force", "load_current", "current"):
        if (y := w.get(name)) is not None:
            return y
    return None


def _drops(w: Watched, y: np.ndarray, part: float) -> list[tuple[int, float, float]]:
    """(sample, level before, part lost) where the load falls by more than a part of it at once."""
    width = w.many(0.25)
    found = []
    for a, b in w.spans:
        a += w.many(_UP)
        if b - a < width + 4:
            continue
        z = y[a:b]
        before, _ = before_and_after(z, width)
        after = np.minimum(z, np.append(z[1:], z[-1]))  # a tooth takes hardly a sample
        noise = nan.scatter(z)
        with np.errstate(invalid="ignore", divide="ignore"):
            lost = np.where(before - after > 8 * noise, 1 - after / before, 0.0)
        for first, last in stretches(np.nan_to_num(lost) > part, 1):
            k = first + int(np.argmax(lost[first:last]))
            found.append((a + first, float(before[first]), float(lost[k])))
    return found


def _broke(w: Watched) -> tuple[int, float] | None:
    """(sample, level before) where the load goes and stays away though the drive is on."""
    y = w.get("force")
    if y is None:
        return None
    for k, level, _ in _drops(w, y, 0.6):
        end = next((b for a, b in w.spans if a <= k < b), len(y))
        rest = y[k + w.many(0.05) : end]
        if len(rest) >= w.many(0.3) and nan.quantile(rest, 0.9) < 0.3 * level:
            return k, level
    return None


@detector("breakage", "Something broke", "wrong")
def breakage(w: Watched) -> Found:
    """The load goes at once and does not come back, though the drive is on."""
    if (found := _broke(w)) is not None:
        k, level = found
        facts = {"force": Fact(level, "force", digits=3)}
        yield float(w.t[k]), float(w.t[-1]), "The load of {force} is gone at once.", facts


@detector("skip", "Skipped", "wrong")
def skip(w: Watched) -> Found:
    """The load falls by a fifth or more within a sample or two, and swings above its level within a
    third of a second: a tooth, a belt or a pole has jumped.
    """
    y = _load(w)
    if y is None or _broke(w):
        return
    last = -1
    stops = [a for a, _, _ in _stops(w)]
    moves = np.abs(np.diff(y))
    count = float(nan.least(moves[moves > 0])) if (moves > 0).any() else 0.0
    for k, level, lost in _drops(w, y, 0.2):
        back = y[k + 1 : k + w.many(0.33)]
        if k < last or len(back) < 4 or not (back > 1.05 * level).any():
            continue
        if lost * level < _COUNTS * count or dips_at(w, k):
            continue  # of a coarse display; of the supply
        stood = any(abs(k - a) < w.many(0.5) for a in stops)
        if stood or _slack(w, y, k, level) or not _goes_on(w, k):
            continue
        last = k + w.many(0.4)
        at = float(w.t[min(k + w.many(0.4), len(y) - 1)])
        yield (
            float(w.t[k]),
            at,
            "The load falls by {lost} and is back.",
            {"lost": Fact(lost, "ratio")},
        )


def _goes_on(w: Watched, k: int) -> bool:
    """Whether it turns as before, half a second after."""
    speed = w.get("speed")
    if speed is None:
        return True
    before = speed[max(k - w.many(0.3), 0) : k - 1]
    after = speed[k + w.many(0.4) : k + w.many(0.7)]
    if len(before) < 3 or len(after) < 3:
        return True
    usual = nan.median(before)
    return abs(nan.median(after) - usual) < 0.08 * abs(usual)


def _slack(w: Watched, y: np.ndarray, k: int, level: float) -> bool:
    """Whether nothing pulls for a tenth of a second."""
    part = y[k : k + w.many(0.5)]
    return bool(stretches(np.nan_to_num(part) < 0.08 * level, w.many(0.1)))


@detector("cord-slack", "Cord went slack", "caution")
def cord_slack(w: Watched) -> Found:
    """Nothing pulls for a tenth of a second in the middle of a run, and then it does again."""
    y = w.get("force")
    if y is None or not w.rig.method.CORD or _broke(w):
        return
    for k, level, _ in _drops(w, y, 0.6):
        later = y[k + w.many(0.1) : k + w.many(1.5)]
        if _slack(w, y, k, level) and (later > 0.7 * level).any():
            end = k + w.many(0.1) + int(np.argmax(later > 0.7 * level))
            yield (
                float(w.t[k]),
                float(w.t[min(end, len(y) - 1)]),
                "The cord carries no load for a while.",
                {},
            )
            return


def _levels(
    w: Watched, signals: Sequence[np.ndarray], width: int, gap: int
) -> Iterator[tuple[int, int, list[tuple[np.ndarray, np.ndarray]]]]:
    """Of each stretch over which the drive is on and has come up (first, last + 1): the medians of
    each signal before and after every sample of it.
    """
    for a, b in w.spans:
        a += w.many(_UP)
        if b - a >= 2 * width + gap:
            yield a, b, [before_and_after(y[a:b], width, gap) for y in signals]


@detector("cord-layer", "Cord wound on a wider layer", "caution")
def cord_layer(w: Watched) -> Found:
    """Of a hoist the current steps up within a fifth of a second and stays, while the speed falls
    and the voltage does not: the same weight at a larger radius.
    """
    amps, speed, volts = w.get("current"), w.get("speed"), w.get("voltage")
    if not w.rig.method.CORD or amps is None or speed is None or _broke(w):
        return
    width = w.many(0.4)
    for a, b, (i, turns) in _levels(w, (amps, speed), width, w.many(0.15)):
        with np.errstate(invalid="ignore", divide="ignore"):
            more, slower = i[1] / i[0] - 1, 1 - turns[1] / turns[0]
        u = 1.25 * nan.scatter(amps[a:b]) * math.sqrt(2 / width) / nan.median(amps[a:b])
        here = np.where((more > max(_LAYER, 5 * u)) & (slower > 0.004), more, 0.0)
        k = int(np.nanargmax(here)) if np.nanmax(here, initial=0.0) > 0 else -1
        if k < 0 or nan.least(speed[a + k : b - 1]) < 0.3 * turns[0][k]:
            continue  # it stalls
        if i[0][k] < 0.95 * nan.median(amps[a : a + k]):
            continue  # something gave for a while, and is back
        stays = nan.median(amps[max(b - width, a + k) : b - 1]) / i[0][k] - 1
        if stays > 0.7 * here[k] and not (volts is not None and dips_at(w, a + k)):
            facts = {"more": Fact(float(here[k]), "ratio")}
            seen = "The current steps up by {more} and stays, and it turns slower."
            yield float(w.t[a + k]), float(w.t[b - 1]), seen, facts
            return


@detector("traction-loss", "Wheels lost their grip", "caution")
def traction_loss(w: Watched) -> Found:
    """Of a vehicle the pull falls and stays lower while the wheels turn faster."""
    force, speed = w.get("force"), w.get("speed")
    if not isinstance(w.rig.method, Drawbar) or force is None or speed is None:
        return
    for a, b, (pull, turns) in _levels(w, (force, speed), w.many(0.3), w.many(0.2)):
        with np.errstate(invalid="ignore", divide="ignore"):
            less, faster = 1 - pull[1] / pull[0], turns[1] / turns[0] - 1
        here = np.where((less > 0.12) & (faster > 0.005), less, 0.0)
        if here.any():
            k = int(np.nanargmax(here))
            facts = {"less": Fact(float(here[k]), "ratio")}
            seen = "The pull falls by {less} while the wheels turn faster."
            yield float(w.t[a + k]), float(w.t[b - 1]), seen, facts
            return
