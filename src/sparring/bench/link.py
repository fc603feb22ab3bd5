"""The cable: a thread that reads a serial port, keeps trying when it is pulled, and says what it saw through callbacks."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import serial

from sparring.bench.lines import Event, LineReader, Mapping, Sample

_RETRY = 0.3  # [s] between attempts to open the port again


class Link:
    """One bench on one port.

    Callbacks come from the reading thread: on_samples(arrival times [s], samples), on_event(event),
    on_state(True: connected, False: lost, reason).
    """

    def __init__(
        self,
        port: str,
        *,
        baud: int = 115200,
        mapping: Mapping | None = None,
        on_samples: Callable[[float, list[Sample]], None],
        on_event: Callable[[Event], None],
        on_state: Callable[[bool, str], None],
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.port, self.baud, self.clock = port, baud, clock
        self.reader = LineReader(mapping)
        self._on_samples, self._on_event, self._on_state = on_samples, on_event, on_state
        self._serial: serial.Serial | None = None
        self._stop = threading.Event()
        self._write = threading.Lock()
        self._thread = threading.Thread(target=self._run, name=f"link {port}", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """Ends the thread and closes the port."""
        self._stop.set()
        self._thread.join(timeout=3)

    @property
    def connected(self) -> bool:
        return self._serial is not None

    def send(self, command: str) -> bool:
        """Sends a command line; False when the cable is out."""
        port = self._serial
        if port is None:
            return False
        try:
            with self._write:
                port.write(command.encode() + b"\n")
        except (serial.SerialException, OSError):
            return False
        return True

    def _run(self) -> None:
        said = ""
        while not self._stop.is_set():
            try:
                self._serial = serial.Serial(self.port, self.baud, timeout=0.05, write_timeout=1.0)
            except (serial.SerialException, OSError, ValueError) as err:
                reason = f"{self.port} cannot be opened: {getattr(err, 'strerror', None) or err}"
                if reason != said:
                    self._on_state(False, reason)
                    said = reason
                self._stop.wait(_RETRY)
                continue
            said = ""
            self._on_state(True, self.port)
            self.send("hello")
            try:
                self._read()
            except (serial.SerialException, OSError, TypeError) as err:  # TypeError: the port closed under the read
                if not self._stop.is_set():
                    why = getattr(err, "strerror", None) or "it was unplugged or switched off, or another program reads it too"
                    self._on_state(False, f"{self.port} is gone: {why}")
            finally:
                port, self._serial = self._serial, None
                if port is not None:
                    port.close()
                self.reader.reset()
            self._stop.wait(_RETRY)

    def _read(self) -> None:
        port = self._serial
        assert port is not None
        while not self._stop.is_set():
            data = port.read(max(1, port.in_waiting))
            if not data:
                continue
            now = self.clock()
            items = self.reader.feed(data)
            samples = [i for i in items if isinstance(i, Sample)]
            if samples:
                self._on_samples(now, samples)
            for item in items:
                if isinstance(item, Event):
                    self._on_event(item)
