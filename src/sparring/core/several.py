"""Several motors on one drive, each with a supply and meters of its own: what they take together,
and how they share the torque.

A bench may send `voltage_1`, `current_1` and so on, beside or in place of those of all together.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from sparring.core import motor as motors
from sparring.core.uncertainty import Uncertain, nominal

MOST = 8
"""Motors on one drive."""
_LEAST = 0.02  # of what all could give: below it a share is a quotient of nothing
_NOTHING = 1e-3  # [A]


def own(what: str, n: int) -> str:
    """The channel of motor `n`, counted from 1: what is `voltage` or `current`."""
    return f"{what}_{n}"


def count(channels: Mapping[str, object]) -> int:
    """Motors whose current is among the channels, counted from the first without a gap."""
    return next((n for n in range(MOST) if own("current", n + 1) not in channels), MOST)


def beyond(channels: Mapping[str, object]) -> int:
    """A motor whose current is there while that of one before it is not; 0: none."""
    there = count(channels)
    return next((n for n in range(there + 1, MOST + 1) if own("current", n) in channels), 0)


def whole(channels: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
    """The channels, each of shape (n,), with the current of all motors together [A] and the voltage
    [V] at which they take the power that they take, where only those of each are there.
    """
    found = dict(channels)
    amps = [found[own("current", n + 1)] for n in range(count(found))]
    if not amps:
        return found
    total = np.sum(amps, axis=0)
    found.setdefault("current", total)
    each = [found.get(own("voltage", n + 1)) for n in range(len(amps))]
    volts = [v for v in each if v is not None]
    if "voltage" not in found and len(volts) == len(amps):
        power = np.sum([v * i for v, i in zip(volts, amps, strict=True)], axis=0)
        flows = np.abs(total) > np.maximum(_LEAST * np.sum(np.abs(amps), axis=0), _NOTHING)
        with np.errstate(invalid="ignore", divide="ignore"):
            found["voltage"] = np.where(flows, power / total, np.mean(volts, axis=0))
    return found


def summed(channels: Mapping[str, np.ndarray]) -> bool:
    """Whether the current of all motors is the sum of each one's, and nothing that was measured."""
    amps = [channels[own("current", n + 1)] for n in range(count(channels))]
    return bool(amps) and np.array_equal(
        channels.get("current", np.nan), np.sum(amps, axis=0), equal_nan=True
    )


def corrected(
    channels: Mapping[str, np.ndarray], correct: Callable[[str, np.ndarray], np.ndarray]
) -> dict[str, np.ndarray]:
    """Every channel as `correct` (its key, its samples) has it, what is summed being summed
    again.
    """
    again = {"current", "voltage"} if summed(channels) else set()
    if any(own("voltage", n + 1) not in channels for n in range(count(channels))):
        again.discard("voltage")
    return whole({key: correct(key, y) for key, y in channels.items() if key not in again})


def torques(
    lines: Sequence[tuple[motors.Motor, float]], currents: Sequence[Uncertain]
) -> list[Uncertain]:
    """What each motor gives at the common shaft [N·m] by its own current [A]; below nothing, one
    that is dragged along. lines: with their gearing.
    """
    return [g * m.torque_from_current(i) for (m, g), i in zip(lines, currents, strict=True)]


def shares(
    lines: Sequence[tuple[motors.Motor, float]], currents: Sequence[Uncertain]
) -> list[Uncertain] | None:
    """Part of their torque together that each motor gives, by its own current [A]; None where they
    give next to nothing.
    """
    each = torques(lines, currents)
    total = sum(each[1:], start=each[0])
    could = sum(abs(nominal(g * m.k * i)) for (m, g), i in zip(lines, currents, strict=True))
    if not nominal(total) > max(_LEAST * could, 1e-9):
        return None
    return [t / total for t in each]
