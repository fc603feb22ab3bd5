"""What a bench is stopped by: figures worked out of every sample as it comes, and how much of each
is allowed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import NamedTuple

import numpy as np

from sparring.core.live import Instruments
from sparring.core.quantity import from_si
from sparring.core.rig import Rig

Samples = Mapping[str, np.ndarray]
"""Channels as the bench sent them, SI, each of shape (n,)."""

_ROOM = 293.15  # [K] from which nearness to a temperature is counted (20 °C)
_SLOW = 0.5  # [s] between two conversions of a slow load-cell amplifier, with room (cp)
_SLOWER = 5.0  # [s] the same of a thermometer


class Watched(NamedTuple):
    """A figure with its limit.

    most: allowed magnitude, SI; of: the figure of each sample by channels and tare [counts], None
    where the bench does not send what it needs; above: what nearness is counted from; unread [s]:
    for how long it may have no reading.
    """

    name: str
    kind: str
    unit: str
    most: float
    of: Callable[[Samples, float | None], np.ndarray | None]
    above: float = 0.0
    unread: float = 0.1

    def told(self, value: float) -> str:
        """A figure with its unit, as a message has it: three digits."""
        shown = from_si(value, self.unit, self.kind)
        decimals = max(0, 2 - math.floor(math.log10(abs(shown)))) if shown else 0
        return f"{shown:.{decimals}f} {self.unit}"


class Guard(NamedTuple):
    """Everything that a bench is watched for. stalled_for [s]: for how long the output may stand
    still while it is driven; driven_for [s]: how long a run is, before it only runs out.
    """

    watched: tuple[Watched, ...] = ()
    stalled_for: float = math.inf
    driven_for: float = math.inf


def channel(key: str, name: str, kind: str, unit: str, most: float) -> Watched:
    """A channel that is watched as it comes."""
    return Watched(name, kind, unit, most, lambda samples, _tare: samples.get(key))


def guard_of(rig: Rig) -> Guard:
    """What a rig's limits say. The load cell may carry its rated capacity where no less is
    entered.
    """
    limits, method, instruments = rig.limits, rig.method, Instruments(rig)

    def power(samples: Samples, _tare: float | None) -> np.ndarray | None:
        volts, amps = samples.get("voltage"), samples.get("current")
        return None if volts is None or amps is None else volts * amps

    def force(samples: Samples, tare: float | None) -> np.ndarray | None:
        if "force" not in samples and not instruments.calibrated:
            return None
        return instruments.series("force", samples, tare)

    def torque(samples: Samples, tare: float | None) -> np.ndarray | None:
        pull = force(samples, tare)
        known = {key: samples.get(key) for key in method.CHANNELS} | {"force": pull}
        found = method.measured(method.figures(), known.get)
        return None if found is None else np.asarray(found, float)

    found = [
        channel("current", "current", "current", "A", limits.current),
        channel("speed", "output speed", "speed", "rpm", method.top_speed(limits.speed)),
    ]
    if limits.torque is not None:
        found.append(Watched("output torque", "torque", "N·m", limits.torque, torque, unread=_SLOW))
    if limits.power is not None:
        found.append(Watched("electrical power", "power", "W", limits.power, power))
    if limits.temperature is not None:
        hot = channel("temperature", "motor temperature", "temperature", "°C", limits.temperature)
        found.append(hot._replace(above=_ROOM, unread=_SLOWER))
    capacity = rig.calibration.capacity if rig.calibration is not None else math.inf
    most = min(capacity, math.inf if limits.force is None else limits.force)
    if math.isfinite(most):
        found.append(Watched("load cell force", "force", "N", most, force, unread=_SLOW))
    return Guard(tuple(found), limits.stalled_for, method.course[1])
