"""A bench that a process without a window attends to: connecting, waiting, hearing what happens."""

from __future__ import annotations

import contextlib
import queue
import time
from collections.abc import Callable, Iterator

from sparring.bench.captures import Notice
from sparring.bench.devices.connecting import port_for
from sparring.bench.session import Session
from sparring.core.guard import guard_of
from sparring.core.instruments.devices import DeviceSet
from sparring.core.quantity import Measured
from sparring.core.rig import Rig

_HELLO = 2.0  # [s] after which one that does not answer is greeted again
_FIRST = 30.0  # [s] within which a bench has to say what it is
_TURN = 0.05  # [s] between two looks at what came
_TRIES = 3  # to tare
LOST = 10.0  # [s] for a bench that is lost to come back


class Interrupted(Exception):
    """The work ended before its end; the message says why. What was done is kept."""


class Attended:
    """A session, and what it tells, taken in on the caller's thread."""

    def __init__(self, rig: Rig, say: Callable[[str], None]) -> None:
        """say: is told what a tester should know."""
        self.rig, self.say = rig, say
        self._heard: queue.SimpleQueue[Notice] = queue.SimpleQueue()
        self.session = Session(self._heard.put)
        self.session.guard = guard_of(rig)
        self.state = "off"
        self.lost_for = LOST
        self._greeted = time.monotonic()

    @contextlib.contextmanager
    def connected(
        self, devices: DeviceSet, confirm: Callable[[str], None], tare: Measured | None = None
    ) -> Iterator[bool]:
        """Connects, checks the care notes and tares; gives whether the bench is a simulated one.
        confirm: asks whoever stands there to do what it says, and returns when it is done; tare: of
        before, in place of a new one, for a load may hang. Raises Interrupted; KeyboardInterrupt
        stops the bench and passes on.
        """
        link = port_for(devices, self.session)
        self.session.attach(link, link.tally)
        link.start()
        try:
            try:
                self.until(lambda: self._there(link.in_use), _FIRST, "")
            except Interrupted as err:
                raise Interrupted(str(err) or self._missing(link.port)) from err
            simulated = self.session.facts().simulated
            if not simulated and not self.rig.care_confirmed:
                raise Interrupted(
                    f"the care notes of {self.rig.name} are not confirmed: sparring care LOGBOOK"
                    f" --rig '{self.rig.name}' --confirm NAME"
                )
            if tare is not None:
                self.session.tare = tare
            elif self.rig.method.CELL:
                if not simulated:
                    confirm("Remove all load from the load cell")
                self._zero()
            yield simulated
        except KeyboardInterrupt:
            self.session.stop()
            raise
        finally:
            self.session.detach()
            link.close()
            self.hear()

    def _there(self, in_use: str) -> bool:
        """Whether the bench is there. Raises Interrupted where somebody else has it."""
        if in_use:
            raise Interrupted(in_use)
        if self.state != "ready" or self.session.facts().obeys:
            return self.state == "ready"
        if time.monotonic() > self._greeted + _HELLO:  # one that was busy may not have heard it
            self._greeted = time.monotonic()
            self.session.send("hello")
        return False

    def _missing(self, port: str) -> str:
        """What a bench that did not come lacks."""
        facts = self.session.facts()
        if self.state == "ready" and not facts.obeys:
            return f"{port} sends lines, but nothing on it answers “hello”: it takes no commands"
        return f"{port} sends no valid lines"

    def _zero(self) -> None:
        """Tries it a few times: what a bench still had to say to whoever drove it before may be
        taken for its answer.
        """
        for _ in range(_TRIES):
            self.step(lambda: self.session.zero(f"{self.rig.method.SET_BY[0]} 0"))
            if self.session.facts().tare is not None:
                return
        raise Interrupted("the bench was not tared")

    def took(self, notice: Notice) -> None:
        """Something was told, beside its state and what is said."""

    def looked(self) -> None:
        """A turn of waiting is over."""

    def step(self, begin: Callable[[], bool]) -> None:
        """Does one thing with the bench and waits until all of it is over, however long it takes.
        Raises Interrupted when it does not begin, or is lost for too long.
        """
        if not begin():
            raise Interrupted(f"the bench is not at rest: it is {self.state}")
        lost = 0.0
        while True:
            self.hear(_TURN)
            self.looked()
            facts = self.session.facts()
            if self.state == "ready" and not facts.recording and not facts.keeping:
                self.hear()
                return
            lost = lost + _TURN if self.state == "lost" else 0.0
            if lost > self.lost_for:
                raise Interrupted(f"the bench is lost: {facts.why}")

    def until(self, condition: Callable[[], bool], seconds: float, otherwise: str) -> None:
        """Waits for a condition; after so many seconds raises Interrupted."""
        end = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > end:
                raise Interrupted(otherwise)
            self.hear(_TURN)

    def hear(self, wait: float = 0.0) -> None:
        """Takes in what the session has told; waits so long [s] for the first of it."""
        try:
            notice = self._heard.get(timeout=wait) if wait else self._heard.get_nowait()
            while True:
                if notice.kind == "state":
                    self.state = notice.what
                elif notice.kind == "said":
                    self.say(notice.what)
                else:
                    self.took(notice)
                notice = self._heard.get_nowait()
        except queue.Empty:
            return
