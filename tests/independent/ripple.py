"""Speeds of drives with planted damage, and what of each a tester should be told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from independent.gears import Dip, Wave, logged

# orders for one turn of the output, by hand: two spur stages 17/60 and 14/83; a planetary stage of
# sun 12, planets 18, ring 48 held, its carrier being the output
SPUR = {"output": 1.0, "shaft 1": 83 / 14, "motor": 83 / 14 * 60 / 17}
SPUR_MESHES = (83.0, 60 * 83 / 14)
PLANETARY = {"output": 1.0, "stage 1 planets": 48 / 18, "motor": 1 + 48 / 12}
PLANETARY_MESHES = (48.0,)


@dataclass(frozen=True)
class Case:
    """What is planted: "" or a shaft that runs out, or one with a tooth of so many that is
    damaged. goes: how its speed goes in the log.
    """

    train: str
    runs_out: str = ""
    damaged: str = ""
    teeth: int = 0
    goes: str = "nearly steady"

    def waves(self, rng: np.random.Generator) -> list[Wave | Dip]:
        """The even ripple of any such drive, with the damage."""
        shafts, meshes = (
            (SPUR, SPUR_MESHES) if self.train == "spur" else (PLANETARY, PLANETARY_MESHES)
        )
        parts: list[Wave | Dip] = [
            Wave(order, rng.uniform(0.001, 0.004), rng.uniform(0, 2 * np.pi)) for order in meshes
        ]
        parts.append(Wave(1.0, 0.001, rng.uniform(0, 2 * np.pi)))
        if self.runs_out:
            amplitude = rng.uniform(0.01, 0.02)
            parts.append(Wave(shafts[self.runs_out], amplitude, rng.uniform(0, 2 * np.pi)))
        if self.damaged:
            size = rng.uniform(0.02, 0.05)
            parts.append(Dip(shafts[self.damaged], self.teeth, size, rng.uniform(0, 1)))
        return parts

    def log(self, seed: int, rate: float = 1600.0) -> tuple[np.ndarray, np.ndarray]:
        """(t, speed) as a logger writes them: a ramp, a clock that jitters, noise, a gain."""
        rng = np.random.default_rng(seed)
        gain = 1 + 1e-3 * rng.uniform(-1, 1)
        waves = self.waves(rng)
        course = None if self.goes == "nearly steady" else course_of(self.goes, rng)
        t, speed, _ = logged(rng, waves, rate=rate, gain=gain, course=course)
        return t, speed


def course_of(goes: str, rng: np.random.Generator) -> Callable[[np.ndarray], np.ndarray]:
    """A speed of the output [rad/s] over 20 s: a ramp by 10 to 500 %, up or down, straight or as a
    motor runs up; or one that wanders by some per cent within seconds.
    """
    if goes == "wanders":
        waves = [
            (rng.uniform(0.005, 0.03), rng.uniform(0.3, 3.0), rng.uniform(0, 2 * np.pi))
            for _ in range(3)
        ]
        return lambda t: 8.0 * (1 + sum(a * np.sin(w * t + p) for a, w, p in waves))
    low, times = rng.uniform(3.0, 6.0), np.exp(rng.uniform(np.log(1.1), np.log(6.0)))
    bend = rng.choice([0.0, 4.0, 10.0])  # [s] of an exponential; 0: straight
    down = rng.uniform() < 0.5

    def ramp(t: np.ndarray) -> np.ndarray:
        part = t / 20.0 if not bend else (1 - np.exp(-t / bend)) / (1 - np.exp(-20.0 / bend))
        return low * (1 + (times - 1) * (1 - part if down else part))

    return ramp


CASES = {
    "clean": Case("spur"),
    "clean planetary": Case("planetary"),
    "clean on a ramp": Case("spur", goes="ramps"),
    "clean planetary on a ramp": Case("planetary", goes="ramps"),
    "clean that wanders": Case("spur", goes="wanders"),
    "broken tooth of a wheel on a ramp": Case("spur", damaged="shaft 1", teeth=60, goes="ramps"),
    "broken tooth of a pinion that wanders": Case(
        "spur", damaged="shaft 1", teeth=14, goes="wanders"
    ),
    "eccentric wheel": Case("spur", runs_out="shaft 1"),
    "eccentric pinion": Case("spur", runs_out="motor"),
    "broken tooth of a pinion": Case("spur", damaged="shaft 1", teeth=14),
    "broken tooth of a wheel": Case("spur", damaged="shaft 1", teeth=60),
    "broken tooth of the motor's pinion": Case("spur", damaged="motor", teeth=17),
    "broken tooth of the last wheel": Case("spur", damaged="output", teeth=83),
    "broken tooth of a planet": Case("planetary", damaged="stage 1 planets", teeth=18),
    "eccentric planet": Case("planetary", runs_out="stage 1 planets"),
    "broken tooth of the sun": Case("planetary", damaged="motor", teeth=12),
}
