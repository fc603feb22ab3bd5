"""Speeds of drives with planted damage, and what of each a tester should be told."""

from __future__ import annotations

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
    damaged.
    """

    train: str
    runs_out: str = ""
    damaged: str = ""
    teeth: int = 0

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
        t, speed, _ = logged(rng, self.waves(rng), rate=rate, gain=gain)
        return t, speed


CASES = {
    "clean": Case("spur"),
    "clean planetary": Case("planetary"),
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
