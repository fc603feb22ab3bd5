"""The simulated bench: a separate process that speaks a board's lines over a pseudo-terminal.

Commands: hello, drive VOLTS, up, down, stop, hang KILOGRAMS, tare, rate HERTZ, bye.
"""

from __future__ import annotations

import contextlib
import os
import select
import time
import tty
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from sparring.bench.lines import Mapping, with_checksum
from sparring.core.plant.bench import Bench, Plant
from sparring.core.plant.lifts import RAMP
from sparring.core.plant.sensors import SensorSet

_COLUMNS = Mapping.from_header("seq, t/ms, cell/counts, speed/rpm, motor_speed/rpm, voltage/V, current/A, temperature/°C")
_RPM = 60 / (2 * np.pi)


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
        *,
        hook: float,
        travel: float,
        seed: int = 1,
        rate: float = 80.0,
        speed: float = 1.0,
        stalled_for: float = 0.8,
        current_limit: float = np.inf,
        faults: Faults | None = None,
        link: Path | None = None,
    ) -> None:
        self.plant = Plant(replace(bench, mass=hook))
        self.sensors, self.hook, self.travel = sensors, hook, travel
        self.rate, self.time_scale, self.stalled_for, self.current_limit = rate, speed, stalled_for, current_limit
        self.faults = faults or Faults()
        self.rng = np.random.default_rng(seed)
        self.volts, self.moving = 12.0, "stop"
        self.seq, self._still, self._over, self._since = 0, 0.0, 0.0, 0.0
        self._crept = np.zeros(1)
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
            self._send(f"# simulated bench\n# columns: {_COLUMNS.header()}\n".encode())
        elif word == "drive":
            self.volts = value
        elif word in ("up", "down", "stop"):
            self._move(word)
        elif word == "hang":
            if self.moving != "stop" or float(self.plant.state.height[0]) > 0.02:
                refused = "lower the hook first"
            elif not 0 <= value < 1000:
                refused = "not a weight"
            else:
                self._hang(value + self.hook)
        elif word == "tare":
            figure = f"{np.mean(self._cell[-int(self.rate) :]):.1f}" if self._cell else ""
            refused = "" if figure else "no reading yet"
        elif word == "rate":
            self.rate = min(max(value, 10.0), 1000.0)
        elif word == "bye":
            self.leave()
        else:
            refused = "not a command"
        self._send(f"> {word} {'refused: ' + refused if refused else 'ok ' + figure}\n".encode())

    def _hang(self, mass: float) -> None:
        before = self.plant
        self.plant = Plant(replace(before.bench, mass=mass))
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
        plant.volts[:] = sign * self.volts * min(self._since / RAMP, 1.0)
        plant.advance(period)
        truth = plant.truth()
        truth["speed"] = (plant.state.angle - self._angle) / plant.bench.ratio / period
        truth["motor_speed"] = truth["speed"] * plant.bench.ratio
        self._angle = plant.state.angle.copy()
        self._crept += (truth["force"] - self._crept) * period / np.asarray(self.sensors.creep_time)
        s = {k: float(v[0]) for k, v in self.sensors.read(truth, plant.time, self._crept, self.rng).items()}
        self._cell = [*self._cell[-1000:], s["cell"]]
        said = self._watch(truth, period)
        self.seq += 1
        t = plant.time * 1e3 + self.rng.standard_normal() * 0.1
        body = (
            f"{self.seq},{t:.1f},{s['cell']:.0f},{s['speed'] * _RPM:.2f},{s['motor_speed'] * _RPM:.1f},"
            f"{s['voltage']:.3f},{s['current']:.3f},{s['temperature'] - 273.15:.1f}"
        )
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
            self._still = self._still + period if abs(speed) < 0.02 and self._since > RAMP else 0.0
            self._over = self._over + period if abs(current) > self.current_limit else 0.0
            if height >= self.travel:
                self._move("stop")
                return b"! top\n"
            if self._still >= self.stalled_for:
                self._move("stop")
                return b"! stalled\n"
            if self._over > 0.3:
                self._move("stop")
                return b"! limit current\n"
        elif self.moving == "down" and height <= 0 and float(self.plant.wound(self.plant.state.angle)[0]) <= 0:
            self._move("stop")
            return b"! bottom\n"
        return b""
