"""A simulated board: a process that sends a board's lines over a pseudo-terminal and obeys a
board's commands.

What it measures and obeys is a subclass's: `simulator.SimulatedBench` for the methods of a rig,
`fixture.FixtureBench` for readings.
"""

from __future__ import annotations

import contextlib
import errno
import os
import select
import time
import tty
from abc import ABC, abstractmethod
from collections.abc import Callable
from collections.abc import Mapping as Named
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from sparring.bench.lines import SIMULATED, Mapping, with_checksum
from sparring.bench.simulated.supply import SupplyPanel
from sparring.core.quantity import from_si, kind_of
from sparring.core.recording import CHANNELS

_RPM = 60 / (2 * np.pi)
_DEAF = 2.0  # [s] without a reader
_TURN = 0.02  # [s] of work before what came of it is sent
_SENT: dict[str, tuple[str, int, Callable[[float], float]]] = {  # unit, places, SI to unit
    "cell": ("counts", 0, lambda v: v),
    "speed": ("rpm", 2, lambda v: v * _RPM),
    "motor_speed": ("rpm", 1, lambda v: v * _RPM),
    "voltage": ("V", 3, lambda v: v),
    "current": ("A", 3, lambda v: v),
    "input_force": ("N", 3, lambda v: v),
    "temperature": ("°C", 1, lambda v: v - 273.15),
    "load_voltage": ("V", 3, lambda v: v),
    "load_current": ("A", 3, lambda v: v),
    "force": ("N", 3, lambda v: v),
    "force_2": ("N", 3, lambda v: v),
    "cell_2": ("counts", 0, lambda v: v),
    "torque": ("N·m", 4, lambda v: v),
    "angle": ("deg", 3, lambda v: np.degrees(v)),
}


def _sent(channel: str) -> tuple[str, int, Callable[[float], float]]:
    """How a board sends a channel: unit, places, from SI."""
    if channel in _SENT:
        return _SENT[channel]
    kind = CHANNELS[channel].kind
    unit = kind_of(kind).default
    return unit, 4, lambda v: from_si(v, unit, kind)


@dataclass
class Faults:
    """What the line does to the data: chances per line."""

    drop: float = 0.0
    garble: float = 0.0
    checksum: bool = True


class Board(ABC):
    """A board on a pseudo-terminal. link: where a symlink to the port is put, so that it can be
    found again.
    """

    def __init__(
        self,
        sensed: tuple[str, ...],
        *,
        seed: int,
        rate: float,
        speed: float,
        faults: Faults | None,
        link: Path | None,
    ) -> None:
        self.sensed = sensed
        self._how = {c: _sent(c) for c in sensed}
        self.panel: SupplyPanel | None = None  # a supply that drives it, in place of commands
        self.rate, self.time_scale = rate, speed
        self.columns = Mapping.from_header(
            ", ".join(["seq", "t/ms", *(f"{c}/{_sent(c)[0]}" for c in sensed)])
        )
        self.faults = faults or Faults()
        self.rng = np.random.default_rng(seed)
        self.seq = 0
        self._input = b""
        self._begun = b""  # the rest of a line of which a part is sent
        self._full_since: float | None = None
        self._leaving = self._closed = False
        self._boot = os.urandom(4).hex()
        # [s] without a command after which it stops by itself; 0: never
        self._watchdog, self._heard = (0.0, 0.0)
        self._master, slave = os.openpty()
        tty.setraw(slave)
        os.set_blocking(self._master, False)
        self.port = os.ttyname(slave)
        self._slave = slave  # kept open, so that the port survives its readers
        self.link = None
        if link is not None:
            link.parent.mkdir(parents=True, exist_ok=True)
            if link.exists() and not link.is_symlink():
                self.close()
                raise FileExistsError(
                    errno.EEXIST,
                    "this is a file, not a link; choose another path for the link to the port",
                    str(link),
                )
            link.unlink(missing_ok=True)
            link.symlink_to(self.port)
            self.link = link

    @abstractmethod
    def obey(self, word: str, value: float) -> tuple[str, str]:
        """Does what a command says: (why it is refused or "", what is answered beside ok)."""

    @abstractmethod
    def measure(self, period: float) -> tuple[float, Named[str, float], str]:
        """`period` [s] later: (the board's clock [s], what its sensors show, what it says by itself
        or "").
        """

    @property
    @abstractmethod
    def moves(self) -> bool:
        """Whether it drives something."""

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
        if self.panel is not None:
            self.panel.close()
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
            # too slow a machine: let the clock slip rather than fall behind for ever
            if due - simulated > 0.5:
                begin += (due - simulated - 0.5) / self.time_scale
            chunk = b""
            turn = time.monotonic() + _TURN
            while simulated + period <= due and time.monotonic() < turn:
                chunk += self._sample(period)
                simulated += period
            while self.panel is not None and not self.panel.orders.empty():
                order = self.panel.orders.get()
                order.done(self.obey(order.word, order.value)[0])
            if self._watchdog and self.moves and time.monotonic() - self._heard > self._watchdog:
                self.obey("stop", 0.0)
                chunk += b"! watchdog\n"
            self._send(chunk)
            wait = max(0.0, min((simulated + period - due) / self.time_scale, 0.05))
            ready, _, _ = select.select([self._master], [], [], wait)
            if ready:
                self._listen()

    def _send(self, data: bytes) -> None:
        """A port that is full loses whole lines, as a board's does; what nobody has read for a
        while is thrown away, so that who comes later is not told of the past. Never sooner: a
        reader that is only slow would take the empty port for a pulled cable.
        """
        data, self._begun = self._begun + data, b""
        whole = True
        try:
            while data:
                sent = os.write(self._master, data)
                whole = data[sent - 1 : sent] == b"\n"
                data, self._full_since = data[sent:], None
        except BlockingIOError:
            self._begun = b"" if whole else data[: data.find(b"\n") + 1]
            now = time.monotonic()
            self._full_since = self._full_since or now
            if now - self._full_since > _DEAF:
                with contextlib.suppress(OSError):
                    import termios

                    termios.tcflush(self._slave, termios.TCIFLUSH)
        except OSError:
            return

    def _listen(self) -> None:
        try:
            self._input += os.read(self._master, 4096)
        except OSError:
            return
        *lines, self._input = self._input.split(b"\n")
        for line in lines if self.panel is None else ():  # a logger alone obeys nothing
            self._command(line.decode("ascii", "replace").strip())

    def _command(self, text: str) -> None:
        word, _, figure = text.partition(" ")
        self._heard = time.monotonic()
        try:
            value = float(figure) if figure else 0.0
        except ValueError:
            self._send(f"> {word} refused: {figure} is not a number\n".encode())
            return
        refused = ""
        if word == "hello":
            figure = self._boot
            self._send(f"# {SIMULATED}\n# columns: {self.columns.header()}\n".encode())
        elif word == "watchdog":
            self._watchdog = max(value, 0.0)
        elif word == "rate":
            self.rate = min(max(value, 10.0), 1000.0)
        elif word == "bye":
            self.leave()
        else:
            refused, answer = self.obey(word, value)
            figure = answer or figure
        self._send(f"> {word} {'refused: ' + refused if refused else 'ok ' + figure}\n".encode())

    def _sample(self, period: float) -> bytes:
        clock, shown, said = self.measure(period)
        self.seq += 1
        t = clock * 1e3 + self.rng.standard_normal() * 0.1
        figures = ((self._how[c], shown[c]) for c in self.sensed)
        body = ",".join(
            [
                f"{self.seq}",
                f"{t:.1f}",
                *(f"{to_unit(v):.{places}f}" for (_, places, to_unit), v in figures),
            ]
        )
        line = with_checksum(body) if self.faults.checksum else body.encode() + b"\n"
        chance = self.rng.random()
        if chance < self.faults.drop:
            line = b""
        elif chance < self.faults.drop + self.faults.garble:
            at = int(self.rng.integers(1, len(line)))
            line = line[:at] + bytes([int(self.rng.integers(33, 126))]) + line[at + 1 :]
        return line + (f"! {said}\n".encode() if said else b"")
