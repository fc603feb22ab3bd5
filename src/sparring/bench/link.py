"""The cable: a thread that reads a serial port, keeps trying when it is pulled, and hands on what
came.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from typing import Protocol

import serial

from sparring.bench.lines import Block, Event, LineReader, Mapping

_RETRY = 0.3  # [s] between attempts to open the port again
_TURN = 0.05  # [s] that a read waits for something to come
_WRITE = 0.2  # [s] that a board which does not listen may hold up a command


class Ends(Protocol):
    """Who listens to a link. All calls come from its thread."""

    def link_up(self) -> None:
        """The port is open."""

    def link_down(self, why: str) -> None:
        """It cannot be opened, or is gone. why: in words."""

    def came(self, items: list[Block | Event]) -> None:
        """Lines came."""

    def turn(self, waited: float) -> None:
        """After every read, and while the port is away. waited [s]: for how long the port was open
        and nothing valid came.
        """


class Link:
    """One bench on one port."""

    def __init__(
        self,
        port: str,
        ends: Ends,
        *,
        baud: int = 115200,
        mapping: Mapping | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.port, self.baud, self.clock = port, baud, clock
        self.reader = LineReader(mapping)
        self._ends = ends
        self._serial: serial.Serial | None = None
        self._stop = threading.Event()
        self._write = threading.Lock()
        self._thread = threading.Thread(target=self._run, name=f"link {port}", daemon=True)

    def start(self) -> None:
        """Begins to read."""
        self._thread.start()

    def close(self) -> None:
        """Ends the thread and closes the port."""
        self._stop.set()
        self._thread.join(timeout=3)

    def send(self, command: str) -> bool:
        """Sends a command line; False when the cable is out or the board does not take it."""
        port = self._serial
        if port is None:
            return False
        try:
            with self._write:
                port.write(command.encode() + b"\n")
        except (serial.SerialException, OSError, TypeError):
            return False
        return True

    def _run(self) -> None:
        said = ""
        while not self._stop.is_set():
            try:
                self._serial = serial.Serial(
                    self.port, self.baud, timeout=_TURN, write_timeout=_WRITE
                )
            except (serial.SerialException, OSError, ValueError) as err:
                number = getattr(err, "errno", None)
                reason = f"{self.port} cannot be opened: {os.strerror(number) if number else err}"
                if reason != said:
                    self._ends.link_down(reason)
                    said = reason
                self._rest()
                continue
            said = ""
            self._ends.link_up()
            try:
                self._read()
            # TypeError: the port closed under the read
            except (serial.SerialException, OSError, TypeError) as err:
                if not self._stop.is_set():
                    why = getattr(err, "strerror", None) or (
                        "it was unplugged or switched off, or another program is using it"
                    )
                    self._ends.link_down(f"{self.port} has disappeared: {why}")
            finally:
                port, self._serial = self._serial, None
                if port is not None:
                    port.close()
                self.reader.reset()
            self._rest()

    def _rest(self) -> None:
        """Waits before the next attempt; what was begun goes on."""
        end = self.clock() + _RETRY
        while not self._stop.wait(_TURN) and self.clock() < end:
            self._ends.turn(0.0)

    def _read(self) -> None:
        port = self._serial
        assert port is not None
        waited, last = 0.0, self.clock()
        while not self._stop.is_set():
            data = port.read(max(1, port.in_waiting))
            items = self.reader.feed(data) if data else []
            now = self.clock()
            # a turn that took longer than a read waits says that this machine was held up, not that
            # the bench was silent
            waited = (
                0.0
                if any(isinstance(i, Block) for i in items)
                else waited + min(now - last, 2 * _TURN)
            )
            last = now
            if items:
                self._ends.came(items)
            self._ends.turn(waited)
