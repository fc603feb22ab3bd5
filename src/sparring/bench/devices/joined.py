"""Several boards and instruments as one bench: their samples on the first board's clock, their
commands each to whom they belong.
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from sparring.bench.answers import refusal
from sparring.bench.devices.clocks import Arrivals
from sparring.bench.devices.columns import Column
from sparring.bench.devices.instrument import Instrument
from sparring.bench.lines import Block, Event, Mapping, Tally
from sparring.bench.lines import Column as Named
from sparring.bench.link import Ends, Link
from sparring.core.instruments.devices import Device, DeviceSet
from sparring.core.quantity import kind_of
from sparring.core.recording import CHANNELS
from sparring.core.together import Lag, lags

_WAIT = 0.04  # [s] that samples wait for those of the other devices: a limit waits no longer
_KNOWN = 3.0  # [s] within which a board says what its columns are
_SHOWS = 0.1  # [SI] from which two readings of a figure are compared
_ALIKE = 0.2  # part by which they may differ
_OFTEN = 20  # looks in a row
_TARE = 1.0  # [s] of readings that a tare is the mean of


class _Message(NamedTuple):
    who: Device
    kind: str
    what: Any


class _Ends:
    """What one board says, put in the queue."""

    def __init__(self, device: Device, put: Callable[[_Message], None]) -> None:
        self._device, self._put = device, put

    def link_up(self) -> None:
        self._put(_Message(self._device, "up", None))

    def link_down(self, why: str) -> None:
        self._put(_Message(self._device, "down", why))

    def came(self, items: list[Block | Event]) -> None:
        self._put(_Message(self._device, "came", (items, time.monotonic())))

    def turn(self, waited: float) -> None:
        self._put(_Message(self._device, "turn", waited))

    def said(self, text: str) -> None:
        self._put(_Message(self._device, "said", text))

    def trouble(self, text: str) -> None:
        self._put(_Message(self._device, "said", text))


class Joined:
    """Several devices behind one set of ends. One thread of its own does everything but sending."""

    def __init__(
        self, devices: DeviceSet, ends: Ends, *, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.devices, self.clock = devices, clock
        self.port = ", ".join(d.name for d in devices.devices)
        self._ends = ends
        self._queue: queue.SimpleQueue[_Message] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="devices", daemon=True)
        self.boards: dict[str, Link] = {}
        self.instruments: dict[str, Instrument] = {}
        for d in devices.devices:
            if d.speaks == "lines":
                mapping = Mapping.from_header(d.columns) if d.columns else None
                told = _Ends(d, self._queue.put)
                self.boards[d.name] = Link(
                    d.address, told, baud=d.baud, mapping=mapping, clock=clock
                )
            else:
                self.instruments[d.name] = Instrument(d, self, clock=clock)
        self.first = next((d for d in devices.devices if d.speaks == "lines"), devices.devices[0])
        self._arrivals = {d.name: Arrivals(clock) for d in devices.devices}
        self._columns: dict[str, Column] = {}
        for d in devices.devices:
            if d.speaks == "text" and d is not self.first:
                self._columns[d.name] = Column(tuple(q.channel for q in d.queries))
        self._own: Column | None = None  # the first device's, as it came
        self._waiting: list[tuple[float, np.ndarray, Block]] = []  # arrived, on our clock, samples
        self._mapping: tuple[tuple[str, ...], Mapping] | None = None
        self._begun = clock()
        self._obeys = False  # the first board answers commands
        self._asked_hello = False
        self._away: set[str] = set()
        self._unstopped: set[str] = set()
        self._asked: dict[str, set[str]] = {}  # by word, who has not answered yet
        self._cell: list[tuple[float, float]] = []  # of the first board: (t, counts)
        self._said: set[str] = set()
        self._differ: dict[str, int] = {}  # looks in a row in which two devices did not agree

    # --- as a session's port ----------------------------------------------------------------------

    def start(self) -> None:
        """Begins to connect."""
        self._thread.start()
        for part in self._parts:
            part.start()

    def close(self) -> None:
        """Ends all threads and closes all ports."""
        for part in self._parts:
            part.close()
        self._stop.set()
        self._thread.join(timeout=3)

    @property
    def _parts(self) -> list[Link | Instrument]:
        return [*self.boards.values(), *self.instruments.values()]

    @property
    def in_use(self) -> str:
        """By whom a port of it is, in words."""
        return next((p.in_use for p in self._parts if p.in_use), "")

    @property
    def driver(self) -> Instrument | None:
        """The instrument that drives; None: the first board does, if it obeys."""
        return next(iter(self._takers("up")), None)

    @property
    def awaited(self) -> str:
        """Who is to drive and is not there yet."""
        return ", ".join(i.device.name for i in self._takers("up") if not i.there)

    @property
    def lowers(self) -> bool:
        """Whether it can be let down."""
        return self.driver is None or bool(self._takers("down"))

    @property
    def times(self) -> bool:
        """Whether it ends a run by itself."""
        return self.driver is None

    def tally(self) -> Tally:
        """Lines of all boards."""
        all_of = [link.reader.tally for link in self.boards.values()]
        return Tally(
            sum(x.samples for x in all_of),
            sum(x.garbled for x in all_of),
            sum(x.lost for x in all_of),
            next((x.last_garbled for x in all_of if x.last_garbled), ""),
        )

    def send(self, command: str) -> bool:
        """Sends a command to whom it belongs; False when nobody could take it."""
        word, _, figure = command.partition(" ")
        if word == "hello":
            for link in self.boards.values():
                link.send("hello")
            self._asked_hello = True
            self._greet()
            return True
        if word == "stop":
            return self._send_stop()
        if takers := self._takers(word):
            self._asked[word] = {i.device.name for i in takers}
            taken = [i.order(word, figure) for i in takers]  # each is told, whatever the others say
            if not all(taken) and len(taken) > 1:
                self._send_stop()  # none of them drives alone
            return all(taken)
        board = self.boards.get(self.first.name)
        if board is not None and self._obeys:
            return board.send(command)
        self._answer(word, self._by_hand(word, figure))
        return True

    def _greet(self) -> None:
        """Answers a hello, once everything that drives is there."""
        drivers = self._takers("up")
        if self._asked_hello and drivers and all(i.there for i in drivers):
            self._asked_hello = False
            self._answer("hello", "ok")

    def owners(self) -> dict[str, str]:
        """The device that each channel comes from."""
        found = dict.fromkeys(self._own.channels if self._own else (), self.first.name)
        for name, column in list(self._columns.items()):
            found = dict.fromkeys(column.channels, name) | found
        return found

    def lags(self) -> dict[str, Lag]:
        """By how much each device beside the first seems late, over the last minute; those of which
        it cannot be told are not in it. From any thread; takes a while.
        """
        own = self._own
        if own is None:
            return {}
        kinds = {key: c.kind for key, c in CHANNELS.items()}
        found = {n: lags(own.series(), c.series(), kinds) for n, c in list(self._columns.items())}
        return {name: each[0] for name, each in found.items() if each}

    def _send_stop(self) -> bool:
        """To all that may drive, until each has confirmed it."""
        if not self._unstopped:
            self._unstopped = {n for n, i in self.instruments.items() if i.takes("stop")}
            if self._obeys:
                self._unstopped.add(self.first.name)
        sent = False
        for name in set(self._unstopped):
            if name in self.instruments:
                sent |= self.instruments[name].order("stop", "")
            else:
                sent |= self.boards[name].send("stop")
        return sent

    def _takers(self, word: str) -> list[Instrument]:
        """Whom a word is for: of several supplies each drives its motor."""
        return [i for i in self.instruments.values() if i.takes(word)]

    def _by_hand(self, word: str, figure: str) -> str:
        """What is answered to a word that no device takes: somebody hangs the weight."""
        if word in ("hang", "resistor", "drive"):
            return f"ok {figure}"
        if word == "tare":
            newest = self._cell[-1][0] if self._cell else 0.0
            counts = [c for t, c in self._cell if t > newest - _TARE and np.isfinite(c)]
            return f"ok {np.mean(counts):.1f}" if counts else "refused: no reading of a cell yet"
        if word == "watchdog":
            return "refused: these devices have none"
        return "refused: no device has a template for it"

    def _answer(self, word: str, reply: str) -> None:
        self._queue.put(_Message(self.first, "answer", Event("reply", f"{word} {reply}".strip())))

    # --- what instruments say, from their threads -------------------------------------------------

    def said(self, text: str) -> None:
        self._queue.put(_Message(self.first, "said", text))

    def up(self, instrument: Instrument) -> None:
        self._queue.put(_Message(instrument.device, "up", None))

    def down(self, instrument: Instrument, why: str) -> None:
        self._queue.put(_Message(instrument.device, "down", why))

    def read(self, instrument: Instrument, t: float, values: list[float]) -> None:
        self._queue.put(_Message(instrument.device, "read", (t, values)))

    def done(self, instrument: Instrument, word: str, figure: str, refused: str) -> None:
        self._queue.put(_Message(instrument.device, "done", (word, figure, refused)))

    # --- the thread -------------------------------------------------------------------------------

    def _run(self) -> None:
        waited = 0.0
        while not self._stop.is_set():
            try:
                message: _Message | None = self._queue.get(timeout=_WAIT / 2)
            except queue.Empty:
                message = None
            try:
                if message is not None and message.kind == "turn":
                    waited = message.what if message.who is self.first else waited
                elif message is not None:
                    getattr(self, f"_take_{message.kind}")(message.who, message.what)
                self._release()
                if self._queue.empty():
                    self._ends.turn(waited if self.first.speaks == "lines" else 0.0)
            except Exception as err:  # nobody would watch any more what is driven
                self._send_stop()
                text = f"{self.port}: {type(err).__name__}: {err}. The bench was told to stop."
                if text not in self._said:
                    self._said.add(text)
                    self._ends.trouble(text)

    def _take_up(self, who: Device, _what: None) -> None:
        if who.name in self._away:
            self._away.discard(who.name)
            if who is not self.first:
                self._ends.said(f"{who.name} is back.")
        if who.name in self.instruments:  # whoever drove it before may have been killed
            self.instruments[who.name].order("stop", "")
            self._greet()
        if who is self.first:
            self._ends.link_up()
        elif who.name in self.boards:
            self.boards[who.name].send("hello")

    def _take_down(self, who: Device, why: str) -> None:
        self._away.add(who.name)
        drives = who.name in self.instruments and self.instruments[who.name].takes("stop")
        if drives:
            self._ends.trouble(f"{why}. It may go on driving: cut its power.")
        elif who is self.first and self.driver is not None:
            self._ends.trouble(f"{why}. What is driven cannot be watched without it.")
        if who is self.first:
            self._ends.link_down(why)
        elif not drives:
            self._ends.said(f"{why}. No readings from it until it is back.")

    def _take_came(self, who: Device, what: tuple[list[Block | Event], float]) -> None:
        items, arrived = what
        for item in items:
            if isinstance(item, Event):
                self._heard(who, item)
                continue
            ours = self._arrivals[who.name].on_ours(item.t, arrived) - who.delay
            if who is self.first:
                if np.isnan(item.t).any():
                    item = Block(item.mapping, ours, item.values)
                self._waiting.append((arrived, ours, item))
                if self._own is None or self._own.channels != item.mapping.channels:
                    self._own = Column(item.mapping.channels)
                self._own.add(ours, item.values)
            else:
                if who.name not in self._columns:
                    self._columns[who.name] = Column(item.mapping.channels)
                self._columns[who.name].add(ours, item.values)

    def _heard(self, who: Device, event: Event) -> None:
        word = event.text.partition(" ")[0]
        if who is not self.first:
            return
        if event.kind == "reply" and word == "hello":
            self._obeys = True
        stopped = event.kind == "reply" and word == "stop"
        if stopped and not refusal(event.text.removeprefix("stop").strip()):
            self._confirmed(who, event)
            return
        self._ends.came([event])

    def _confirmed(self, who: Device, event: Event) -> None:
        """A stop is confirmed when all have confirmed it."""
        self._unstopped.discard(who.name)
        if not self._unstopped:
            self._ends.came([event])

    def _take_said(self, _who: Device, text: str) -> None:
        self._ends.said(text)

    def _take_answer(self, _who: Device, event: Event) -> None:
        self._ends.came([event])

    def _take_done(self, who: Device, what: tuple[str, str, str]) -> None:
        word, figure, refused = what
        reply = f"refused: {who.name}: {refused}" if refused else f"ok {figure}"
        event = Event("reply", f"{word} {reply}".strip())
        if word == "stop" and not refused:
            self._confirmed(who, event)
            return
        waiting = self._asked.get(word, set())
        waiting.discard(who.name)
        if refused and word in ("up", "down") and len(self._takers(word)) > 1:
            self._send_stop()  # the others drive
        if refused or not waiting:  # what several were told is done when all have
            self._ends.came([event])

    def _take_read(self, who: Device, what: tuple[float, list[float]]) -> None:
        t, read = what
        values = np.array([read])
        at = np.array([t - who.delay])
        if who is self.first:  # no board at all: it gives the clock
            block = Block(Mapping(tuple(Named(q.channel) for q in who.queries)), at, values)
            self._waiting.append((self.clock(), at, block))
        else:
            self._columns[who.name].add(at, values)

    # --- joining ----------------------------------------------------------------------------------

    def _release(self) -> None:
        """Hands on the samples of the first device for which the others have come, or were waited
        for long enough.
        """
        unknown = set(self.boards) - set(self._columns) - {self.first.name} - self._away
        if unknown and self.clock() - self._begun < _KNOWN:
            return
        others = [c for name, c in self._columns.items() if name not in self._away]
        covered = min((c.newest for c in others), default=np.inf)
        while self._waiting:
            arrived, ours, block = self._waiting[0]
            if ours[-1] > covered and self.clock() - arrived < _WAIT:
                return
            self._waiting.pop(0)
            self._ends.came([self._whole(ours, block)])

    def _twice(self, channel: str, name: str, read: np.ndarray, block: Block) -> None:
        """A channel of two devices: said, and compared until both have shown something."""
        if channel not in self._said:
            self._said.add(channel)
            self._ends.said(f"{channel} comes twice: that of {name} is not used.")
        own = block.mapping.channels
        if channel not in own or f"{channel} {name}" in self._said:
            return
        first = block.values[:, own.index(channel)]
        both = np.abs(np.array([first, read])[:, np.isfinite(first) & np.isfinite(read)])
        if not both.size or both.max() < _SHOWS:
            return
        shown = both.mean(axis=1)
        unlike = abs(shown[0] - shown[1]) > _ALIKE * shown.max()
        self._differ[channel] = self._differ.get(channel, 0) + 1 if unlike else 0
        if self._differ[channel] >= _OFTEN:
            self._said.add(f"{channel} {name}")
            self._ends.said(
                f"{self.first.name} and {name} do not agree on {channel}: {shown[0]:.3g} and"
                f" {shown[1]:.3g} {kind_of(CHANNELS[channel].kind).si}. One of them is read"
                " wrongly, or measures somewhere else."
            )

    def _whole(self, ours: np.ndarray, block: Block) -> Block:
        """A block of the first device with the others' columns beside its own."""
        own = block.mapping.channels
        if "cell" in own:
            counts = block.values[:, own.index("cell")]
            newest = zip(ours.tolist(), counts.tolist(), strict=True)
            self._cell = [*self._cell[-2000:], *newest]
        names, parts = list(own), [block.values]
        for name, column in self._columns.items():
            fresh = [n for n, c in enumerate(column.channels) if c not in names]
            found = column.at(ours)
            for c in set(column.channels) & set(names):
                self._twice(c, name, found[:, column.channels.index(c)], block)
            names += [column.channels[n] for n in fresh]
            parts.append(found[:, fresh])
        channels = tuple(names)
        if self._mapping is None or self._mapping[0] != channels:
            self._mapping = channels, Mapping(tuple(Named(c) for c in channels))
        return Block(self._mapping[1], block.t, np.hstack(parts))
