"""The simulated bench: a separate process that speaks a board's lines over a pseudo-terminal.

Commands: hello, drive VOLTS, up, down, stop, hang KILOGRAMS (or resistor OHMS), weigh KILOGRAMS, tare, rate HERTZ, bye.
"""

from __future__ import annotations

import contextlib
import os
import select
import time
import tty
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from sparring.bench.lines import Mapping, with_checksum
from sparring.core.plant.bench import Bench
from sparring.core.plant.lifts import RAMP, loaded
from sparring.core.plant.plant import Plant
from sparring.core.plant.sensors import SensorSet
from sparring.core.rig import Rig, RunUp

_RPM = 60 / (2 * np.pi)
_COLUMNS: dict[str, tuple[str, int, Callable[[float], float]]] = {  # unit, places, SI to unit
    "cell": ("counts", 0, lambda v: v),
    "speed": ("rpm", 2, lambda v: v * _RPM),
    "motor_speed": ("rpm", 1, lambda v: v * _RPM),
    "voltage": ("V", 3, lambda v: v),
    "current": ("A", 3, lambda v: v),
    "temperature": ("°C", 1, lambda v: v - 273.15),
    "load_voltage": ("V", 3, lambda v: v),
    "load_current": ("A", 3, lambda v: v),
}


@dataclass
class Faults:
    """What the line does to the data: chances per line."""

    drop: float = 0.0
    garble: float = 0.0
    checksum: bool = True


class SimulatedBench:
    """A bench on a pseudo-terminal. link: where a symlink to the port is put, so that it can be found again."""

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
    ) -> None:
        self.method = rig.method
        self.rig, self.bench = rig, bench
        self.plant = Plant(loaded(bench, rig, [self._at_rest()]))
        self.sensors = sensors
        self.travel, self.hold, self.coast = rig.method.course
        self.rate, self.time_scale = rate, speed
        self.stalled_for, self.current_limit = rig.limits.stalled_for, rig.limits.current
        sensed = ["speed", "motor_speed", "voltage", "current", "temperature", *rig.method.CHANNELS]
        self.sensed = ["cell", *sensed] if rig.method.CELL else sensed
        self.columns = Mapping.from_header(", ".join(["seq", "t/ms", *(f"{c}/{_COLUMNS[c][0]}" for c in self.sensed)]))
        self.faults = faults or Faults()
        self.rng = np.random.default_rng(seed)
        self.volts, self.moving = 12.0, "stop"
        self.seq, self._still, self._over, self._since = 0, 0.0, 0.0, 0.0
        self._crept = np.zeros(1)
        self._weighed = 0.0
        self._angle = self.plant.state.angle.copy()
        self._cell: list[float] = []
        self._input = b""
        self._leaving = self._closed = False
        self._master, slave = os.openpty()
        tty.setraw(slave)
        os.set_blocking(self._master, False)
        self.port = os.ttyname(slave)
        self._slave = slave  # kept open, so that the port survives its readers
        self.link = link
        if link is not None:
            link.parent.mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(FileNotFoundError):
                link.unlink()
            link.symlink_to(self.port)

    def _at_rest(self) -> float:
        """The load before anything was hung: an empty hook, an open brake, an open circuit."""
        return float("inf") if self.method.SET_BY[1] == "resistance" else 0.0

    def leave(self) -> None:
        """Ends `serve` at its next turn."""
        self._leaving = True

    def close(self) -> None:
        """Gives the port back. Safe to call twice."""
        if self._closed:
            return
        self._closed = True
        os.close(self._master)
        os.close(self._slave)
        if self.link is not None:
            with contextlib.suppress(OSError):
                self.link.unlink()

    def serve(self, seconds: float = np.inf) -> None:
        """Runs until `bye` or for `seconds` of wall time."""
        begin = time.monotonic()
        simulated = 0.0
        parent = os.getppid()
        while not self._leaving and time.monotonic() - begin < seconds and os.getppid() == parent:
            due = (time.monotonic() - begin) * self.time_scale
            period = 1.0 / self.rate
            if due - simulated > 0.5:  # too slow a machine: let the clock slip rather than fall behind for ever
                begin += (due - simulated - 0.5) / self.time_scale
            chunk = b""
            while simulated + period <= due and len(chunk) < 8192:
                chunk += self._sample(period)
                simulated += period
            self._send(chunk)
            wait = max(0.0, min((simulated + period - due) / self.time_scale, 0.05))
            ready, _, _ = select.select([self._master], [], [], wait)
            if ready:
                self._listen()

    # --- the board's side ---------------------------------------------------------------------------------

    def _send(self, data: bytes) -> None:
        while data:
            try:
                data = data[os.write(self._master, data) :]
            except BlockingIOError:  # nobody reads: a board's lines go into the void too
                with contextlib.suppress(OSError):
                    import termios

                    termios.tcflush(self._slave, termios.TCIFLUSH)
                return
            except OSError:
                return

    def _listen(self) -> None:
        try:
            self._input += os.read(self._master, 4096)
        except OSError:
            return
        *lines, self._input = self._input.split(b"\n")
        for line in lines:
            self._command(line.decode("ascii", "replace").strip())

    def _command(self, text: str) -> None:
        word, _, figure = text.partition(" ")
        try:
            value = float(figure) if figure else 0.0
        except ValueError:
            self._send(f"> {word} refused: {figure} is no number\n".encode())
            return
        refused = ""
        if word == "hello":
            self._send(f"# simulated bench\n# columns: {self.columns.header()}\n".encode())
        elif word == "drive":
            self.volts = value
        elif word in ("up", "down", "stop"):
            self._move(word)
        elif word == self.method.SET_BY[0]:
            if self.moving != "stop" or (self.method.LETS_DOWN and float(self.plant.state.height[0]) > 0.02):
                refused = "lower the hook first" if self.method.LETS_DOWN else "stop first"
            elif not 0 <= value < 1e6:
                refused = f"not a {self.method.SET_BY[1]}"
            else:
                self._hang(value)
        elif word == "tare":
            figure = f"{np.mean(self._cell[-int(self.rate) :]):.1f}" if self._cell else ""
            refused = "" if figure else "no reading yet"
        elif word == "weigh":  # a known mass straight on the cell, for its calibration
            refused = "stop first" if self.moving != "stop" else ""
            self._weighed = self._weighed if refused else max(value, 0.0)
        elif word == "rate":
            self.rate = min(max(value, 10.0), 1000.0)
        elif word == "bye":
            self.leave()
        else:
            refused = "not a command"
        self._send(f"> {word} {'refused: ' + refused if refused else 'ok ' + figure}\n".encode())

    def _hang(self, setting: float) -> None:
        before = self.plant
        self.plant = Plant(loaded(self.bench, self.rig, [setting]))
        self.plant.state.warmed = before.state.warmed
        self.plant.time, self.plant.state.temperature = before.time, before.state.temperature
        self.plant.state.worn = before.state.worn
        self._angle = self.plant.state.angle.copy()

    def _move(self, word: str) -> None:
        self.moving = word
        self._still = self._over = 0.0
        self._since = 0.0

    def _sample(self, period: float) -> bytes:
        plant = self.plant
        self._since += period
        sign = {"up": 1.0, "down": -1.0, "stop": 0.0}[self.moving]
        if sign < 0 and not self.method.LETS_DOWN:
            sign = 0.0  # nothing comes down: it only runs out
        coasting = self.moving == "up" and self._since > RAMP + self.hold
        plant.volts[:] = 0.0 if coasting else sign * self.volts * min(self._since / RAMP, 1.0)
        plant.open[:] = coasting
        plant.advance(period)
        truth = plant.truth()
        truth["speed"] = (plant.state.angle - self._angle) / plant.bench.ratio / period
        truth["motor_speed"] = truth["speed"] * plant.bench.ratio
        if isinstance(self.method, RunUp):
            truth["speed"] = truth["rise"] * self.method.gearing
        self._angle = plant.state.angle.copy()
        if self._weighed:
            truth["force"] = truth["force"] + self._weighed * self.rig.gravity.value
        self._crept += (truth["force"] - self._crept) * period / np.asarray(self.sensors.creep_time)
        s = {k: float(v[0]) for k, v in self.sensors.read(truth, plant.time, self._crept, self.rng, self.method.CHANNELS).items()}
        self._cell = [*self._cell[-1000:], s["cell"]]
        said = self._watch(truth, period)
        self.seq += 1
        t = plant.time * 1e3 + self.rng.standard_normal() * 0.1
        shown = ((_COLUMNS[c], s[c]) for c in self.sensed)
        body = ",".join([f"{self.seq}", f"{t:.1f}", *(f"{to_unit(v):.{places}f}" for (_, places, to_unit), v in shown)])
        line = with_checksum(body) if self.faults.checksum else body.encode() + b"\n"
        chance = self.rng.random()
        if chance < self.faults.drop:
            line = b""
        elif chance < self.faults.drop + self.faults.garble:
            at = int(self.rng.integers(1, len(line)))
            line = line[:at] + bytes([int(self.rng.integers(33, 126))]) + line[at + 1 :]
        return line + said

    def _watch(self, truth: dict[str, np.ndarray], period: float) -> bytes:
        """The board's own stops."""
        height, speed, current = float(self.plant.state.height[0]), float(truth["speed"][0]), float(truth["current"][0])
        if self.moving == "up":
            driven = RAMP < self._since <= RAMP + self.hold
            self._still = self._still + period if abs(speed) < 0.02 and driven else 0.0
            self._over = self._over + period if abs(current) > self.current_limit else 0.0
            if height >= self.travel or self._since >= RAMP + self.hold + self.coast:
                self._move("stop")
                return b"! top\n"
            if self._still >= self.stalled_for:
                self._move("stop")
                return b"! stalled\n"
            if self._over > 0.3:
                self._move("stop")
                return b"! limit current\n"
        elif self.moving == "down" and not self.method.LETS_DOWN:
            if abs(speed) < 0.05 and float(self.plant.state.rise[0]) < 0.5 * float(self.method.BODY_SPEED) + 0.05:
                self._move("stop")
                return b"! bottom\n"
        elif self.moving == "down" and height <= 0 and float(self.plant.wound()[0]) <= 0:
            self._move("stop")
            return b"! bottom\n"
        return b""
