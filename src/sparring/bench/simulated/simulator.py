"""The simulated bench of a rig: the plant under the method's load, its sensors, and the board's own
stops.

Commands: hello, drive VOLTS, for SECONDS, up, down, stop, hang KILOGRAMS (or resistor OHMS), weigh
KILOGRAMS, tare, rate HERTZ, bye.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from sparring.bench.simulated.board import Board, Faults
from sparring.bench.simulated.supply import SupplyPanel
from sparring.core.plant.bench import Bench
from sparring.core.plant.lifts import RAMP, loaded, swept_part
from sparring.core.plant.mishaps import MISHAPS
from sparring.core.plant.plant import Plant
from sparring.core.plant.sensors import SensorSet
from sparring.core.rig import Rig
from sparring.core.several import own

_SUPPLY_READS = 2e-3  # [V], [A] by which a supply's own readings scatter


class SimulatedBench(Board):
    """A rig's bench, with its method's load and sensors."""

    def __init__(
        self,
        bench: Bench,
        sensors: SensorSet,
        rig: Rig,
        *,
        seed: int = 1,
        rate: float = 80.0,
        speed: float = 1.0,
        faults: Faults | None = None,
        link: Path | None = None,
        mishap: str = "",
        supply: int | None = None,
        load: float | None = None,
    ) -> None:
        """mishap: by its name in `mishaps.MISHAPS`, in every run; supply: a port on which a supply
        is told in text what to do (0: a free one), the board being a logger alone, with `load` on.
        """
        self.method = rig.method
        self.mishap, self._fresh = mishap, None if not mishap else MISHAPS[mishap]()
        source = ("input_force",) if np.any(bench.turned) else ("voltage", "current", "temperature")
        each = (own("current", n + 1) for n in range(len(bench.each)))
        sensed = ("speed", "motor_speed", *source, *rig.method.CHANNELS, *each)
        super().__init__(
            ("cell", *sensed) if rig.method.CELL else sensed,
            seed=seed,
            rate=rate,
            speed=speed,
            faults=faults,
            link=link,
        )
        self.rig, self.bench = rig, bench
        self._hung = self._at_rest()
        self.plant = Plant(loaded(bench, rig, [self._hung]))
        self.sensors = sensors
        self.travel, self.hold, self.coast = rig.method.course
        self.stalled_for, self.current_limit = rig.limits.stalled_for, rig.limits.current
        self.volts, self.moving = 0.0, "stop"
        self._still, self._over, self._since = 0.0, 0.0, 0.0
        self._crept = np.zeros(1)
        self._weighed = 0.0
        self._angle = self.plant.state.angle.copy()
        self._cell: list[float] = []
        self._drawn = 0.0, 0.0
        self._backwards = False  # the newest run was
        if load is not None:
            self._hang(load)
        if supply is not None:
            self.panel = SupplyPanel(supply, lambda: self._drawn)

    def _at_rest(self) -> float:
        """The load before anything was hung: an empty hook, an open brake, an open circuit."""
        return self.method.setting(None, None)

    def obey(self, word: str, value: float) -> tuple[str, str]:
        if word == "drive":
            self.volts = value
        elif word == "for":
            if not 0 < value < 1e6:
                return "not a time", ""
            self.hold = value
        elif word in ("up", "down", "stop"):
            self._move(word)
        elif word == self.method.SET_BY[0]:
            if self.moving != "stop" or (
                self.method.LETS_DOWN and float(self.plant.state.height[0]) > 0.02
            ):
                return "lower the hook first" if self.method.LETS_DOWN else "stop first", ""
            if not 0 <= value < 1e6:
                return f"not a {self.method.SET_BY[1]}", ""
            self._hang(value)
        elif word == "tare":
            return (
                ("", f"{np.mean(self._cell[-int(self.rate) :]):.1f}")
                if self._cell
                else ("no reading yet", "")
            )
        elif word == "weigh":  # a known mass straight on the cell, for its calibration
            if self.moving != "stop":
                return "stop first", ""
            self._weighed = max(value, 0.0)
        else:
            return "not a command", ""
        return "", ""

    @property
    def moves(self) -> bool:
        return self.moving != "stop"

    def _hang(self, setting: float) -> None:
        self._hung = setting
        before = self.plant
        self.plant = Plant(loaded(self.bench, self.rig, [setting]))
        self.plant.state.warmed = before.state.warmed
        self.plant.time, self.plant.state.temperature = before.time, before.state.temperature
        self.plant.state.worn = before.state.worn
        self._angle = self.plant.state.angle.copy()

    def _move(self, word: str) -> None:
        if word != "up":
            self.hold = self.method.course[1]  # a time counts for one run
        if word == "up":
            if self._backwards and not self.method.LETS_DOWN:
                self._hang(self._hung)  # what holds it back lies against it again
            self._backwards = self.volts < 0
        self.moving = word
        if word == "up" and self.mishap:  # whole again, until it happens in this run
            self._fresh = MISHAPS[self.mishap]()
            self.plant.become(loaded(self.bench, self.rig, [self._hung]))
            self.plant.state.broken[:] = False
        self._still = self._over = 0.0
        self._since = 0.0

    def measure(self, period: float) -> tuple[float, dict[str, float], str]:
        plant = self.plant
        self._since += period
        sign = {"up": 1.0, "down": -1.0, "stop": 0.0}[self.moving]
        if sign < 0 and not self.method.LETS_DOWN:
            sign = 0.0  # nothing comes down: it only runs out
        coasting = self.moving == "up" and self._since > RAMP + self.hold and self.panel is None
        plant.volts[:] = 0.0 if coasting else sign * self.volts * min(self._since / RAMP, 1.0)
        plant.open[:] = coasting
        if self.method.swept:
            plant.tightened = (
                swept_part((self._since - RAMP) / self.hold) if self.moving == "up" else 0.0
            )
        going = self._fresh if self.moving == "up" else None
        if going is not None:
            going.act(plant, self._since)
        plant.advance(period)
        truth = plant.truth()
        truth["speed"] = (plant.state.angle - self._angle) / plant.bench.ratio / period
        truth["motor_speed"] = truth["speed"] * plant.bench.ratio
        truth["speed"] = self.method.tachometer(truth["speed"], truth["rise"])
        self._angle = plant.state.angle.copy()
        if going is not None:
            going.see(truth, self._since)
        if self._weighed:
            truth["force"] = truth["force"] + self._weighed * self.rig.gravity.value
        self._crept += (truth["force"] - self._crept) * period / np.asarray(self.sensors.creep_time)
        shown = {
            k: float(v[0])
            for k, v in self.sensors.read(
                truth, plant.time, self._crept, self.rng, self.method.CHANNELS
            ).items()
        }
        if going is not None:
            going.sense(shown, self._since)
        self._cell = [*self._cell[-1000:], shown["cell"]]
        own = self.rng.normal(0.0, _SUPPLY_READS, 2)  # its own meters
        self._drawn = float(truth["voltage"][0] + own[0]), float(truth["current"][0] + own[1])
        if self.panel is not None:  # it knows of no end
            return plant.time, shown, ""
        if np.any(self.bench.turned):
            shown["input_force"] = shown["current"] / float(np.asarray(self.bench.arm))
        return plant.time, shown, self._watch(truth, period)

    def _watch(self, truth: dict[str, np.ndarray], period: float) -> str:
        """The board's own stops."""
        height, speed, current = (
            float(self.plant.state.height[0]),
            float(truth["speed"][0]),
            float(truth["current"][0]),
        )
        if self.moving == "up":
            driven = RAMP < self._since <= RAMP + self.hold
            self._still = self._still + period if abs(speed) < 0.02 and driven else 0.0
            over = abs(current) > self.current_limit and not np.any(self.bench.turned)
            self._over = self._over + period if over else 0.0
            if height >= self.travel or self._since >= RAMP + self.hold + self.coast:
                self._move("stop")
                return "top"
            if self._still >= self.stalled_for:
                self._move("stop")
                return "stalled"
            if self._over > 0.3:
                self._move("stop")
                return "limit current"
        elif self.moving == "down" and not self.method.LETS_DOWN:
            runs_on = self.method.ACCELERATES and float(self.plant.state.rise[0]) > 0.5
            if abs(speed) < 0.05 and not runs_on:
                self._move("stop")
                return "bottom"
        elif self.moving == "down" and height <= 0 and float(self.plant.wound()[0]) <= 0:
            self._move("stop")
            return "bottom"
        return ""
