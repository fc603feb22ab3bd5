"""Runs in which one thing happens, and runs in which nothing does, of hoists and brakes: what a
logger of 5 Hz to 1 kHz writes of each.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from independent import plant, setups, ways
from independent.logger import Log, sampled
from independent.traps import Trap


class Happens(NamedTuple):
    """torque: of the load, by what it is without, the stall torque, the time [s] and when it
    begins; volts: the same of the supply's.
    """

    told_by: tuple[str, ...]
    torque: Callable[[Any, Any, float, float], Any] = lambda usual, _most, _t, _at: usual
    volts: Callable[[float, float], float] = lambda _t, _at: ways.VOLTS


def _grows(seconds: float) -> Callable[[Any, Any, float, float], Any]:
    """To more than the drive can turn, within so long."""
    return lambda usual, most, t, at: usual + 1.5 * most * np.clip((t - at) / seconds, 0, 1)


def _layer(part: float) -> Callable[[Any, Any, float, float], Any]:
    return lambda usual, _most, t, at: usual * (1 + part * np.clip((t - at) / 0.02, 0, 1))


def _dips(part: float, seconds: float) -> Callable[[float, float], float]:
    return lambda t, at: ways.VOLTS * (1 - part * (at < t < at + seconds))


HAPPENS = {
    "nothing": Happens(()),
    "it jams": Happens(("jam",), _grows(0.02)),
    "it stalls within half a second": Happens(("stall",), _grows(0.7)),
    "it stalls within two seconds": Happens(("stall",), _grows(2.0)),
    "the supply dips by a quarter for 0.3 s": Happens(("brown-out",), volts=_dips(0.25, 0.3)),
    "the supply dips to a half for 0.15 s": Happens(("brown-out",), volts=_dips(0.5, 0.15)),
    "the cord takes a second layer, 12 % wider": Happens(("cord-layer",), _layer(0.12)),
    "the cord takes a second layer, 25 % wider": Happens(("cord-layer",), _layer(0.25)),
}
RATES = (5.0, 20.0, 50.0, 200.0, 1000.0)


def make(what: str, method: str, rate: float, n: int, seed: int) -> list[setups.Setup]:
    """n set-ups of one run each, of five seconds."""
    rng = np.random.default_rng(seed)
    owner, happens = ways.Owner(rng), HAPPENS[what]
    drive, builds = setups.drives(n, owner)
    way = ways.METHODS[method](drive, owner)
    step = int(rng.integers(ways.STEPS - 1))
    usual = way.load(way.settings[step])
    at, most = float(rng.uniform(1.5, 2.5)), drive.stall(ways.VOLTS)
    load = plant.Load(lambda w, t: happens.torque(usual.torque(w, t), most, t, at), usual.inertia)
    factor = 1 + 0.03 * rng.standard_normal(n)
    course = plant.run(drive, load, lambda t: happens.volts(t, at), 5.0, plant.cold(drive), factor)
    fed = np.array([happens.volts(t, at) for t in course.t])
    made = []
    for j in range(n):
        log, meters = Log(), setups.sensors(owner, 0.0)
        rest = np.arange(int(0.6 * rate) + 3) / rate
        nothing = {name: np.zeros(len(rest)) for name in ("volts", "current", "speed", "torque")}
        on, true = sampled(course, j, 5.0, rate, rng)
        _add(log, way, step, j, meters, rest, nothing, rng)
        _add(log, way, step, j, meters, on, true | {"volts": np.interp(on, course.t, fed)}, rng)
        _add(log, way, step, j, meters, rest, nothing, rng)
        files = setups.files_of(way, j, builds[j], log, owner, Trap())
        made.append(setups.Setup(files, [], stall=float(most[j]), drive=plant.only(drive, j)))
    return made


def _add(log, way, step, lane, meters, seconds, true, rng) -> None:
    """A stretch of the log, as the instruments show it."""
    shown = {
        "voltage": meters["voltage"].shows(true["volts"], rng),
        "current": meters["current"].shows(true["current"], rng),
        "speed": meters["speed"].shows(true["speed"], rng),
    }
    if way.weights is not None:
        shown["mass"] = np.full(len(seconds), way.weights[step, lane])
    if way.sensed is not None:
        shown[way.channel] = meters[way.channel].shows(way.sensed(true["torque"], lane), rng)
    log.add(step, seconds, **shown)
