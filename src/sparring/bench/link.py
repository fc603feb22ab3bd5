"""The cable: a thread that reads a port, keeps trying when it is pulled, and hands on what came."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Protocol

from sparring.bench.answers import refusal
from sparring.bench.lastword import MOVES, LastWord
from sparring.bench.lines import SHARED, Block, Event, LineReader, Mapping, Tally
from sparring.bench.portlock import PortInUse
from sparring.bench.wire import TURN, Wire, open_wire, reason

_GOODBYE = 0.5  # [s] that a bench gets to confirm its stop when it is let go
RETRY = 0.3  # [s] between attempts to open a port again


class Ends(Protocol):
    """Who listens to a link. All calls come from its thread."""

    def link_up(self) -> None:
        """The port is open."""

    def link_down(self, why: str) -> None:
        """It cannot be opened, or is gone. why: in words."""

    def came(self, items: list[Block | Event]) -> None:
        """Lines came."""

    def said(self, text: str) -> None:
        """Something for the tester to know."""

    def trouble(self, text: str) -> None:
        """The same, of what must not go on: what is driven has to stop."""

    def turn(self, waited: float) -> None:
        """After every read, and while the port is away. waited [s]: for how long the port was open
        and nothing valid came.
        """


class Link:
    """One board on one port: serial, `tcp://host:port` or `unix:/path`."""

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
        self.lowers = self.times = True
        self.in_use = ""  # by whom, in words
        self.awaited = ""
        self._ends = ends
        self._wire: Wire | None = None
        self._last_word = LastWord("stop", ends.said)
        self._shared = False  # somebody else drives it
        self._still = True  # as far as it has confirmed
        self._stop = threading.Event()
        self._write = threading.Lock()
        self._thread = threading.Thread(target=self._run, name=f"link {port}", daemon=True)

    def start(self) -> None:
        """Begins to read."""
        self._thread.start()

    def tally(self) -> Tally:
        """What its lines were worth."""
        return self.reader.tally

    def close(self) -> None:
        """Ends the thread and closes the port."""
        self._stop.set()
        self._thread.join(timeout=3)

    def send(self, command: str) -> bool:
        """Sends a command line; False when the cable is out or the board does not take it."""
        try:
            with self._write:
                wire = self._wire
                if wire is None:
                    return False
                word = command.partition(" ")[0]
                if not self._shared:
                    self._last_word.before(word, wire)
                    self._still &= word not in MOVES
                wire.write(command.encode() + b"\n")
        except OSError:
            return False
        return True

    def _run(self) -> None:
        said = ""
        while not self._stop.is_set():
            try:
                wire = open_wire(self.port, self.baud)
            except (OSError, ValueError) as err:
                why = f"{self.port} cannot be opened: {reason(err)}"
                self.in_use = why if isinstance(err, PortInUse) else ""
                if why != said:
                    self._ends.link_down(why)
                    said = why
                self._rest()
                continue
            said = self.in_use = ""
            self._last_word.opened(wire)
            self._wire = wire
            self._ends.link_up()
            try:
                self._read()
            except OSError as err:
                if not self._stop.is_set():
                    self._ends.link_down(f"{self.port} has disappeared: {reason(err)}")
            except Exception as err:  # nobody would watch any more what is driven
                if not self._still:
                    self.send("stop")
                self._ends.link_down(f"{self.port}: {type(err).__name__}: {err}")
            finally:
                with self._write:  # nobody is sending, and nobody will
                    self._wire = None
                    if not self._still:
                        self._still = self._is_let_go(wire)
                    self._last_word.closes(self._still)
                wire.close()
                self.reader.reset()
            self._rest()

    def _is_let_go(self, wire: Wire) -> bool:
        """Tells a bench that may move to stop; whether it confirms that soon."""
        end = self.clock() + _GOODBYE
        with contextlib.suppress(OSError):
            wire.write(b"stop\n")
            while self.clock() < end:
                items = self.reader.feed(wire.read())
                if any(isinstance(i, Event) and _has_stopped(i) for i in items):
                    return True
        return False

    def _rest(self) -> None:
        """Waits before the next attempt; what was begun goes on."""
        end = self.clock() + RETRY
        while not self._stop.wait(TURN) and self.clock() < end:
            self._ends.turn(0.0)

    def _read(self) -> None:
        wire = self._wire
        assert wire is not None
        waited, last = 0.0, self.clock()
        while not self._stop.is_set():
            data = wire.read()
            items = self.reader.feed(data) if data else []
            now = self.clock()
            # a turn that took longer than a read waits says that this machine was held up, not that
            # the bench was silent
            waited = (
                0.0
                if any(isinstance(i, Block) for i in items)
                else waited + min(now - last, 2 * TURN)
            )
            last = now
            if items:
                self._shared |= any(isinstance(i, Event) and i.text == SHARED for i in items)
                self._still |= any(isinstance(i, Event) and _has_stopped(i) for i in items)
                self._ends.came(items)
            self._ends.turn(waited)


def _has_stopped(event: Event) -> bool:
    word, _, rest = event.text.partition(" ")
    return event.kind == "reply" and word == "stop" and not refusal(rest.strip())
