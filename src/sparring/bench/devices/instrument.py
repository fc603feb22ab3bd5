"""An instrument that is told in text what to do and asked for its readings: a supply, a load, a
motor driver.
"""

from __future__ import annotations

import contextlib
import math
import queue
import sys
import threading
import time
from collections.abc import Callable
from typing import NamedTuple, Protocol

from sparring.bench.devices.dialogue import Dialogue, open_dialogue
from sparring.bench.lastword import MOVES, LastWord
from sparring.bench.link import RETRY
from sparring.bench.portlock import PortInUse
from sparring.bench.wire import reason
from sparring.core.instruments.answers import AnswerError, shown
from sparring.core.instruments.devices import Device, Query, Template

_QUIET = 0.15  # [s] after a first answer in which nothing more may come
_AGAIN = 0.05  # [s] between two words to one that has not confirmed that it is off
_LET_GO = 2.0  # [s] in which one that is let go has to confirm that it is off


class Listens(Protocol):
    """Who is told what an instrument does. All calls come from its thread."""

    def said(self, text: str) -> None:
        """Something for the tester to know."""

    def up(self, instrument: Instrument) -> None:
        """It is there. Its `begin` has been sent."""

    def down(self, instrument: Instrument, why: str) -> None:
        """It cannot be reached, or is gone."""

    def read(self, instrument: Instrument, t: float, values: list[float]) -> None:
        """All queries were answered at t [s] of the link's clock; SI, NaN where the answer was no
        figure.
        """

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
        self.in_use = ""  # by whom, in words
        self.identity = ""  # what it answered to `begin`
        self._listens = listens
        self._orders: queue.SimpleQueue[_Order] = queue.SimpleQueue()
        self._wake, self._stop = threading.Event(), threading.Event()
        self._to: Dialogue | None = None
        self._stops = next((t for t in device.templates if t.word == "stop"), None)
        self._off = True  # as far as it has confirmed
        self._doubted: set[str] = set()  # questions whose answers are not used, as was said
        self._last_word = None
        if self._stops is not None:
            text = self._stops.filled(0.0)
            anew = [sys.executable, "-m", "sparring.bench.devices.lastly", device.address]
            self._last_word = LastWord(text, listens.said, [*anew, str(device.baud), text])
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
        return self._to is not None

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
                to = open_dialogue(address, self.device.baud)
            except (OSError, ValueError) as err:
                why = f"{self.device.name}: {address} cannot be opened: {reason(err)}"
                self.in_use = why if isinstance(err, PortInUse) else ""
                if why != said:
                    self._listens.down(self, why)
                    said = why
                self._stop.wait(RETRY)
                continue
            try:
                said = self._hold(to, said)
            finally:
                self._to = None
                if self._last_word is not None:
                    self._last_word.closes(self._off)
                with contextlib.suppress(OSError):
                    to.close()
            self._stop.wait(RETRY)

    def _hold(self, to: Dialogue, before: str) -> str:
        """As long as it is connected; why that ended, which is not said where it was `before`.
        Whatever ends it, the instrument is off then, or gone.
        """
        why = ""
        try:
            if self._last_word is not None:
                self._last_word.opened(to)
            self._begin(to)
            self._to = to
            self._listens.up(self)
            self._serve(to)
        except OSError as err:
            why = f"{self.device.name}: {self.device.address}: {reason(err)}"
        except Exception as err:
            # of whatever else the thread would end: what it drives must not go on
            why = f"{self.device.name}: {type(err).__name__}: {err}"
        if why not in ("", before) and not self._stop.is_set():
            self._listens.down(self, why)
        end = self.clock() + _LET_GO
        while not self._off and self._switch_off(to) and self.clock() < end:
            time.sleep(_AGAIN)
        return why

    def _switch_off(self, to: Dialogue) -> bool:
        """Says stop once; whether the connection is still there."""
        assert self._stops is not None
        try:
            self._say(to, self._stops, 0.0)
        except TimeoutError:
            return True
        except OSError:
            return False
        return True

    def _begin(self, to: Dialogue) -> None:
        """Greets it, and looks whether it answers each question with one line."""
        self._doubted.clear()
        if self._stops is not None:  # whoever drove it before may have been killed
            to.tell(self._stops.filled(0.0))
        if "?" in self.device.begin:
            self.identity = self._ask(to, self.device.begin)
        elif self.device.begin:
            to.tell(self.device.begin)
        if not self.device.queries:
            return
        to.stray()
        first = self.device.queries[0]
        self._ask(to, first.ask)
        self._stop.wait(_QUIET)
        _refuse(to.stray())

    def _serve(self, to: Dialogue) -> None:
        due = self.clock()
        while not self._stop.is_set() or not self._orders.empty():
            while not self._orders.empty():
                self._carry_out(to, self._orders.get())
            if self._stop.is_set():
                return
            if self.device.queries and self.clock() >= due:
                begun = self.clock()
                values = [self._read(to, q) for q in self.device.queries]
                _refuse(to.stray())
                # the readings lie between the first question and the last answer
                self._listens.read(self, (begun + self.clock()) / 2, values)
                due = max(due + 1 / self.device.rate, self.clock())
            self._wake.wait(min(max(due - self.clock(), 0.0), 0.25))
            self._wake.clear()

    def _read(self, to: Dialogue, query: Query) -> float:
        """The reading that a question is answered with, SI; NaN where the answer is none, which is
        said once.
        """
        if not self._orders.empty():  # what is to be done comes first
            self._carry_out(to, self._orders.get())
        said = self._ask(to, query.ask)
        try:
            value = query.reading(said)
        except AnswerError as err:
            if query.ask not in self._doubted:
                self._doubted.add(query.ask)
                self._listens.said(
                    f"{self.device.name}: the answer to “{query.ask}” is not understood: {err}."
                    f" Nothing is recorded of {query.channel}."
                )
            return math.nan
        self._doubted.discard(query.ask)
        return value

    def _carry_out(self, to: Dialogue, order: _Order) -> None:
        template, figure = order
        try:
            value = float(figure) if figure else 0.0
        except ValueError:
            self._listens.done(self, template.word, figure, f"{figure} is not a number")
            return
        if self._last_word is not None:
            self._last_word.before(template.word, to)
        self._listens.done(self, template.word, figure, self._say(to, template, value))

    def _say(self, to: Dialogue, template: Template, value: float) -> str:
        """Tells it a word; why its answer does not confirm that, or ""."""
        if template.word in MOVES:
            self._off = False
        to.tell(template.filled(value))
        refused = template.doubt(value, self._ask(to, template.check)) if template.check else ""
        if template.word == "stop" and not refused:
            self._off = True
        return refused

    def _ask(self, to: Dialogue, question: str) -> str:
        """The one line that answers a question. Raises OSError where none comes, or more."""
        _refuse(to.stray())
        return to.ask(question)


def _refuse(came: str) -> None:
    """What came unasked would be taken for the answer to the next question. Raises OSError."""
    if came:
        raise OSError(
            f"it sent “{shown(came)}” unasked, and its answers cannot be told apart: every question"
            " has to be answered with one line (is an echo switched on?)"
        )
