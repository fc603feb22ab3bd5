"""Speeds of a shaft with known ripple: what turns it is uneven once a turn, once a tooth, at one
tooth; by stepping the angle itself, so that nothing is taken from the program that looks for it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

_FINE = 4  # steps of the angle between two samples


@dataclass(frozen=True)
class Wave:
    """A part of the speed: amplitude · sin(2π order · turns + phase)."""

    order: float
    amplitude: float
    phase: float = 0.0


@dataclass(frozen=True)
class Dip:
    """One tooth of so many on a shaft that turns `order` times as often: the speed falls by `size`
    while it is in mesh.
    """

    order: float
    teeth: int
    size: float
    at: float = 0.3  # of a turn


def logged(
    rng: np.random.Generator,
    parts: list[Wave | Dip],
    *,
    seconds: float = 20.0,
    rate: float = 800.0,
    begin: float = 8.0,
    end: float = 8.8,
    jitter: float = 0.1,
    noise: float = 0.004,
    gain: float = 1.0,
    course: Callable[[np.ndarray], np.ndarray] | None = None,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(t [s], speed as shown [rad/s], true turns), shape (n,). begin, end: speeds between which it
    ramps; course: its speed [rad/s] over the time [s] in place of that ramp; jitter: of the clock,
    part of a sample; noise: relative; gain: of the tachometer.
    """
    n = int(seconds * rate)
    t = np.sort((np.arange(n) + rng.uniform(-jitter, jitter, n)) / rate)
    t -= t[0]
    fine = np.interp(np.arange((n - 1) * _FINE + 1) / _FINE, np.arange(n), t)
    even = begin + (end - begin) * fine / seconds if course is None else course(fine)
    turned, shown = 0.0, np.empty(n)
    turns = np.empty(n)
    uneven = _uneven(parts)
    for i in range(len(fine)):
        speed = even[i] * uneven(turned)
        if i % _FINE == 0:
            shown[i // _FINE], turns[i // _FINE] = speed, turned
        if i + 1 < len(fine):
            turned += speed * (fine[i + 1] - fine[i]) / (2 * np.pi)
    return t, gain * shown * (1 + noise * rng.standard_normal(n)), turns


def _uneven(parts: list[Wave | Dip]) -> Callable[[float], float]:
    from math import pi, sin

    waves = [(2 * pi * p.order, p.amplitude, p.phase) for p in parts if isinstance(p, Wave)]
    dips = [(p.order, 0.5 / p.teeth, p.size, p.at) for p in parts if isinstance(p, Dip)]

    def at(turned: float) -> float:
        y = 1.0
        for w, a, phase in waves:
            y += a * sin(w * turned + phase)
        for order, half, size, place in dips:
            if abs((turned * order - place + 0.5) % 1.0 - 0.5) < half:
                y -= size
        return y

    return at
