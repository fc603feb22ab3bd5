"""An instrument that is told in text what to do and asked for its readings: a supply, a load, a
motor driver.
"""

from __future__ import annotations

import queue
import re
import threading
import time
from collections.abc import Callable
from typing import NamedTuple, Protocol

from sparring.bench.answers import figure_of
from sparring.bench.lastword import LastWord
from sparring.bench.link import RETRY
from sparring.bench.wire import Wire, open_wire, reason
from sparring.core.instruments.devices import Device, Template

_ANSWER = 0.5  # [s] that an instrument takes to answer at most
_NEAR = 2e-3  # part by which the figure in an answer may differ from what was sent


class Listens(Protocol):
    """Who is told what an instrument does. All calls come from its thread."""

    def said(self, text: str) -> None:
        """Something for the tester to know."""

    def up(self, instrument: Instrument) -> None:
        """It is there. Its `begin` has been sent."""

    def down(self, instrument: Instrument, why: str) -> None:
        """It cannot be reached, or is gone."""

    def read(self, instrument: Instrument, t: float, values: list[float]) -> None:
        """All queries were answered at t [s] of the link's clock, in the units they come in."""

    def done(self, instrument: Instrument, word: str, figure: str, refused: str) -> None:
        """A word was carried out, or refused, with the reason."""


class _Order(NamedTuple):
    template: Template
    figure: str


class Instrument:
    """One instrument: its thread asks the queries at their rate, and carries out what it is told
    between two of them.
    """

    def __init__(
        self, device: Device, listens: Listens, *, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.device, self.clock = device, clock
        self.identity = ""  # what it answered to `begin`
        self._listens = listens
        self._orders: queue.SimpleQueue[_Order] = queue.SimpleQueue()
        self._wake, self._stop = threading.Event(), threading.Event()
        self._wire: Wire | None = None
        self._rest = b""
        stop = next((t for t in device.templates if t.word == "stop"), None)
        self._last_word = LastWord(stop.filled(0.0), listens.said) if stop is not None else None
        self._thread = threading.Thread(
            target=self._run, name=f"instrument {device.address}", daemon=True
        )

    def start(self) -> None:
        """Begins to connect, and to ask."""
        self._thread.start()

    def close(self) -> None:
        """Ends the thread, what was ordered before it done, and closes the connection."""
        self._stop.set()
        self._wake.set()
        self._thread.join(timeout=3)

    def takes(self, word: str) -> bool:
        """Whether it has a template for a word."""
        return any(t.word == word for t in self.device.templates)

    @property
    def there(self) -> bool:
        """Whether it is connected."""
        return self._wire is not None

    def order(self, word: str, figure: str) -> bool:
        """Has a word carried out; False when it cannot be: it is not there."""
        template = next((t for t in self.device.templates if t.word == word), None)
        if template is None or not self.there:
            return False
        self._orders.put(_Order(template, figure))
        self._wake.set()
        return True

    # --- its thread -------------------------------------------------------------------------------

    def _run(self) -> None:
        said = ""
        while not self._stop.is_set():
            address = self.device.address
            try:
                wire = open_wire(address, self.device.baud)
            except (OSError, ValueError) as err:
                why = f"{self.device.name}: {address} cannot be opened: {reason(err)}"
                if why != said:
                    self._listens.down(self, why)
                    said = why
                self._stop.wait(RETRY)
                continue
            said, self._rest = "", b""
            try:
                if self._last_word is not None:
                    self._last_word.opened(wire)
                self._begin(wire)
                self._wire = wire
                self._listens.up(self)
                self._serve(wire)
            except OSError as err:
                if not self._stop.is_set():
                    self._listens.down(self, f"{self.device.name}: {address}: {reason(err)}")
            finally:
                self._wire = None
                if self._last_word is not None:
                    self._last_word.closes()
                wire.close()
            self._stop.wait(RETRY)

    def _begin(self, wire: Wire) -> None:
        if not self.device.begin:
            return
        if "?" in self.device.begin:
            self.identity = self._ask(wire, self.device.begin)
        else:
            self._send(wire, self.device.begin)

    def _serve(self, wire: Wire) -> None:
        due = self.clock()
        while not self._stop.is_set() or not self._orders.empty():
            while not self._orders.empty():
                self._carry_out(wire, self._orders.get())
            if self._stop.is_set():
                return
            if self.device.queries and self.clock() >= due:
                begun = self.clock()
                values = [_number(self._ask(wire, q.ask)) for q in self.device.queries]
                # the readings lie between the first question and the last answer
                self._listens.read(self, (begun + self.clock()) / 2, values)
                due = max(due + 1 / self.device.rate, self.clock())
            self._wake.wait(min(max(due - self.clock(), 0.0), 0.25))
            self._wake.clear()

    def _carry_out(self, wire: Wire, order: _Order) -> None:
        template, figure = order
        try:
            value = float(figure) if figure else 0.0
        except ValueError:
            self._listens.done(self, template.word, figure, f"{figure} is not a number")
            return
        refused = ""
        if self._last_word is not None:
            self._last_word.before(template.word, wire)
        self._send(wire, template.filled(value))
        if template.check:
            said = self._ask(wire, template.check)
            refused = _doubt(template, value, said)
        self._listens.done(self, template.word, figure, refused)

    def _send(self, wire: Wire, text: str) -> None:
        wire.write(text.encode() + b"\n")

    def _ask(self, wire: Wire, question: str) -> str:
        """The next line that comes after a question. Raises OSError where none does."""
        self._rest = b""  # an answer that came too late is none to this question
        self._send(wire, question)
        end = self.clock() + _ANSWER
        while b"\n" not in self._rest:
            self._rest += wire.read()
            if self.clock() > end and b"\n" not in self._rest:
                raise TimeoutError(f"no answer to “{question}” within {_ANSWER:g} s")
        line, self._rest = self._rest.split(b"\n", 1)
        return line.decode("ascii", "replace").strip()


def _doubt(template: Template, value: float, said: str) -> str:
    """Why an answer does not confirm what was sent, or ""."""
    if template.answer:
        good = re.fullmatch(template.answer, said, re.IGNORECASE) is not None
    else:
        figure = figure_of(said)
        good = figure is not None and abs(figure - value) <= _NEAR * abs(value) + 1e-6
    return "" if good else f"it answers “{said[:40]}” to “{template.check}”"


def _number(said: str) -> float:
    """The first figure of an answer; NaN where there is none."""
    figure = figure_of(said)
    return float("nan") if figure is None else figure
