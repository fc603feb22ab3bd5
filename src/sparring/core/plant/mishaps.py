"""What goes wrong on the simulated bench: a load that jams, a tooth that skips, a supply that
limits, a sensor that sticks. Each is caused in the plant where it is mechanical or electrical, in
what was recorded where a sensor or a clock fails.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from sparring.core.plant.plant import Plant
from sparring.core.recording import Recording


@dataclass
class Mishap:
    """Something that happens `at` seconds after the drive came on. size: how much of it, a part or
    as the kind has it.
    """

    at: float = 1.2
    size: float = 1.0
    done: bool = False

    def act(self, plant: Plant, since: float) -> None:
        """Before each sample: `since` the drive came on [s]."""
        if not self.done and since >= self.at:
            self.done = True
            self.begin(plant)

    def begin(self, plant: Plant) -> None:
        """What happens in the plant."""

    def see(self, truth: dict[str, np.ndarray], since: float) -> None:
        """Changes what is true of a sample, beyond what the plant knows."""

    def spoil(self, recording: Recording, lane: int) -> Recording:
        """What of it is recorded otherwise."""
        return recording

    def sense(self, shown: dict[str, float], since: float) -> None:
        """The same of one sample, as it comes."""


class Jam(Mishap):
    """The output is blocked."""

    def begin(self, plant: Plant) -> None:
        slope, offset = plant.bench.up
        plant.become(replace(plant.bench, up=(slope, offset + 50.0)))


class Breakage(Mishap):
    """A tooth breaks at the load it carries now."""

    def begin(self, plant: Plant) -> None:
        plant.become(replace(plant.bench, strength=1e-6))


class Skip(Mishap):
    """The output falls back by a tooth: `size` is its pitch at the motor [rad]."""

    def begin(self, plant: Plant) -> None:
        plant.state.angle = plant.state.angle - self.size


class Slip(Mishap):
    """The output turns slower than the motor by the part `size`, from then on."""

    def see(self, truth: dict[str, np.ndarray], since: float) -> None:
        if since >= self.at:
            truth["speed"] = truth["speed"] * (1 - self.size)


class GripLost(Mishap):
    """Wheels keep the part `size` of what they grip."""

    def begin(self, plant: Plant) -> None:
        force = plant.truth()["force"]
        plant.become(replace(plant.bench, traction=np.maximum(force * self.size, 1e-3)))


class SupplyLimit(Mishap):
    """The supply gives at most `size` amperes."""

    def begin(self, plant: Plant) -> None:
        plant.become(replace(plant.bench, current_limit=self.size))


class BreakerTrip(Jam):
    """The output is blocked, and the breaker opens a quarter of a second later."""

    def act(self, plant: Plant, since: float) -> None:
        super().act(plant, since)
        if since >= self.at + 0.25:
            plant.volts = plant.volts * 0.0
            plant.open = np.ones(plant.n, bool)

    def see(self, truth: dict[str, np.ndarray], since: float) -> None:
        if since >= self.at + 0.25:
            truth["voltage"] = truth["voltage"] * 0.0
            truth["current"] = truth["current"] * 0.0


class BrownOut(Mishap):
    """For a third of a second the supply gives the part `size` of its voltage less."""

    def act(self, plant: Plant, since: float) -> None:
        if self.at <= since < self.at + 0.35:
            plant.volts = plant.volts * (1 - self.size)

    def see(self, truth: dict[str, np.ndarray], since: float) -> None:
        if self.at <= since < self.at + 0.35:
            truth["voltage"] = truth["voltage"] * (1 - self.size)


class MotorOut(Mishap):
    """Of two equal motors the second takes no more current."""

    def begin(self, plant: Plant) -> None:
        b = plant.bench
        first = b.each[:1]
        out = tuple((k, np.inf, gearing) for k, _, gearing in b.each[1:2])
        plant.become(replace(b, R=np.asarray(b.R) * 2, each=first + out))


class CordSlack(Mishap):
    """What hangs is held up for a third of a second: nothing pulls."""

    weight: Any = None

    def act(self, plant: Plant, since: float) -> None:
        super().act(plant, since)
        if self.weight is not None and since >= self.at + 0.35:
            plant.become(replace(plant.bench, weight=self.weight[0]))
            self.weight = None

    def begin(self, plant: Plant) -> None:
        self.weight = (plant.bench.weight,)
        plant.become(replace(plant.bench, weight=0.0))


class _OfSensor(Mishap, ABC):
    """Of one channel, from `at` on for `size` seconds."""

    channel: str = "speed"
    last: float | None = None

    def sense(self, shown: dict[str, float], since: float) -> None:
        if self.at <= since < self.at + self.size and self.channel in shown:
            self.last = shown[self.channel] if self.last is None else self.last
            shown[self.channel] = self.value(np.array([self.last]), 0)
        else:
            self.last = None

    def of(self, channel: str) -> _OfSensor:
        self.channel = channel
        return self

    def spoil(self, recording: Recording, lane: int) -> Recording:
        y = recording.channels[self.channel].copy()
        begins = recording.t[0] + 0.3 + self.at
        part = (recording.t >= begins) & (recording.t < begins + self.size)
        if part.any():
            y[part] = self.value(y, int(np.argmax(part)))
        return replace(recording, channels={**recording.channels, self.channel: y})

    @abstractmethod
    def value(self, y: np.ndarray, first: int) -> float:
        """What it reads from sample `first` of `y` on."""


class Stuck(_OfSensor):
    """It repeats what it read last."""

    def value(self, y: np.ndarray, first: int) -> float:
        return float(y[first])


class Unplugged(_OfSensor):
    """It reads nothing."""

    def value(self, y: np.ndarray, first: int) -> float:
        return float("nan")


class Saturated(Mishap):
    """The cell gives no more than the part `size` of what the run usually pulls."""

    def spoil(self, recording: Recording, lane: int) -> Recording:
        y = recording.channels["cell"]
        low = np.quantile(y, 0.01)
        end = low + self.size * (np.median(y) - low)
        return replace(recording, channels={**recording.channels, "cell": np.minimum(y, end)})


class ClockJump(Mishap):
    """The board's clock leaps by `size` seconds."""

    def spoil(self, recording: Recording, lane: int) -> Recording:
        t = recording.t.copy()
        t[recording.t >= recording.t[0] + 0.3 + self.at] += self.size
        return replace(recording, t=t)


class ZeroDrift(Mishap):
    """The cell's zero moves by the part `size` of what it saw, evenly over the run."""

    def spoil(self, recording: Recording, lane: int) -> Recording:
        y = recording.channels["cell"]
        moved = self.size * (np.median(y) - np.min(y)) * np.linspace(0.0, 1.0, len(y))
        return replace(recording, channels={**recording.channels, "cell": np.round(y + moved)})


LIVE = ("jam", "breakage", "skip", "slip", "cord-slack", "supply-limit", "sensor-stuck")
"""Those that a simulated bench does while it runs, in the order in which they are offered."""
MISHAPS: dict[str, Callable[[], Mishap]] = {
    "jam": Jam,
    "breakage": Breakage,
    "skip": lambda: Skip(size=2.6),
    "slip": lambda: Slip(size=0.08),
    "clutch-slip": lambda: Slip(size=0.08),
    "traction-loss": lambda: GripLost(size=0.7),
    "cord-slack": CordSlack,
    "supply-limit": lambda: SupplyLimit(at=0.0, size=0.75),
    "breaker-trip": BreakerTrip,
    "brown-out": lambda: BrownOut(size=0.3),
    "motor-dropped-out": MotorOut,
    "sensor-stuck": lambda: Stuck(size=0.6),
    "sensor-unplugged": lambda: Unplugged(size=0.4),
    "sensor-saturated": lambda: Saturated(size=0.8),
    "clock-jump": lambda: ClockJump(size=1.5),
    "zero-drift": lambda: ZeroDrift(size=0.06),
}
"""By the event that each causes; a stall needs none but a load."""
