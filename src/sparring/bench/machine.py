"""What a bench does, says and has been told: its states, and what brings it from one to another.

What hangs, what is driven and where the hook is, it knows only from the board's replies. It decides
where lines come in (the link's thread): a busy window keeps no bench turning. `tell` hears it all.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from sparring.bench import states, texts
from sparring.bench.answers import figure_of, refusal, unlike
from sparring.bench.captures import Captures, Notice
from sparring.bench.clock import BoardClock
from sparring.bench.lastword import LastWord
from sparring.bench.lines import SHARED, SIMULATED, Block, Event
from sparring.bench.states import MOVING, Port, State
from sparring.bench.stop import Stop
from sparring.bench.watch import LimitWatch, at_rest
from sparring.core.guard import Guard
from sparring.core.quantity import Measured

_TARE_DOUBT = 6.0  # [counts] standard uncertainty of a tare


class Machine:
    """One bench, as its lines and answers tell. Its link calls what has no underscore;
    `session.Session` is the tester's side.
    """

    def __init__(
        self, tell: Callable[[Notice], None], *, clock: Callable[[], float] = time.monotonic
    ) -> None:
        """tell: is handed everything that happens, under the session's lock: it must be quick, and
        call nothing here.
        """
        self._tell, self._clock = tell, clock
        self._lock = threading.RLock()
        self.keep: Callable[[Path], int] | None = None  # keeps a lift's stream as a run; its id
        self.silent_after = states.SILENT
        self.guard = Guard()  # each lift takes the one in force
        self.link: Port | None = None
        self._forget()

    def _forget(self) -> None:
        self.state: State = "off"
        self.why = ""
        self.obeys = False  # the bench answers commands
        self.tare: Measured | None = None
        self.hung: float | None = None
        self.hook_up: bool | None = None  # None: the board has not said
        self._stop = Stop()
        self.last_t: float | None = None
        self.gaps: list[tuple[float, float]] = []
        self.marks: list[tuple[float, str]] = []
        self.drive_started: float | None = None
        self._watch: LimitWatch | None = None
        self._plausible = False  # the first readings were looked at
        self._blind: set[str] = set()  # limits of which it was said that they are not watched
        # of the newest lift: [V], 0 where somebody drives it, and for how long [s] if that is said
        self._driven: tuple[float, float | None] = 0.0, None
        self._channels: tuple[str, ...] | None = None
        self._lost_at: float | None = None
        self._lost_since = 0.0
        self._board = BoardClock(self._clock)
        self._boot = ""  # what it answered to hello
        self._before_loss: State = "ready"
        self._todo: deque[str] = deque()
        self._asked: tuple[str, str, float] | None = None  # word, figure, when
        # of the newest lift; how the hook is let down if asked for
        self._voltage, self._gently = (0.0, True)
        self._step: tuple[Path, dict[str, Any]] | None = None
        self._captures = Captures(
            self._tell,
            self._fault,
            lambda path: self.keep(path) if self.keep is not None else None,
            self._clock,
        )
        self._fed = 0.0
        self._up_since = 0.0
        self._period = 0.0
        self._watchdog = False
        self._simulated = self._shared = False
        self._still = threading.Event()

    @property
    def stop_wanted(self) -> bool:
        """Whether a stop was asked for that has not been confirmed."""
        return self._stop.wanted

    # --- what the link says -----------------------------------------------------------------------

    def link_up(self) -> None:
        """The port is open. A stop that is wanted goes first."""
        with self._lock:
            if self.link is None:
                return
            self._up_since = self._clock()
            if self.stop_wanted:
                self._send_stop()
            self.link.send("hello")

    def link_down(self, why: str) -> None:
        """The port cannot be opened, or is gone."""
        with self._lock:
            if self.link is None:
                return
            self.why = why
            if self.last_t is None:
                self._say(why)
            elif self.state != "lost":
                self._say(texts.gone(why, self.state == "lifting"))
            self._lose()

    def came(self, items: list[Block | Event]) -> None:
        """Lines came."""
        with self._lock:
            for item in items:
                if self.link is None:
                    return
                self._block(item) if isinstance(item, Block) else self._event(item)

    def said(self, text: str) -> None:
        """A device has something to tell."""
        with self._lock:
            self._say(text)

    def trouble(self, text: str) -> None:
        """A device that may drive cannot be reached."""
        with self._lock:
            self._say(text)
            if self.state in (*MOVING, "preparing"):
                self._halt("interrupted")

    def turn(self, waited: float) -> None:
        """Time went by. waited [s]: for how long the port was open and nothing valid came."""
        with self._lock:
            if self.link is None:
                return
            now = self._clock()
            allowed = states.SIMULATED_SILENT if self._simulated else self.silent_after
            if waited > max(allowed, 5 * self._period) and self.state in MOVING:
                self.why = f"no valid line for {waited:.1f} s"
                self._say(texts.silent(self.why))
                self._halt("interrupted")
                self._lose()
            if self._asked is not None and now - self._asked[2] > states.ANSWER:
                self._failed(texts.unanswered(" ".join(self._asked[:2]).strip()))
            if self.stop_wanted and not self._answers():
                self._stop.forget()
                if self.state == "stopping":
                    self._set("ready")
                    self._say(texts.NO_COMMANDS)
            if self._stop.due(now):
                self._send_stop()
            if self._stop.unconfirmed(now):
                if self.state == "ready":
                    self._set("stopping")
                self._say(texts.UNCONFIRMED)
            if self._watchdog and now - self._fed > states.WATCHDOG / 4 and self.state != "lost":
                self._fed = now
                self.link.send(f"watchdog {states.WATCHDOG:g}")
            if self.state == "lifting" and not self.link.times and self.last_t is not None:
                lasts = self._driven[1] or self.guard.driven_for
                if self.last_t - (self.drive_started or self.last_t) > lasts:
                    self._happened("top", "top")
            self._captures.turn()

    # --- samples ----------------------------------------------------------------------------------

    def _block(self, block: Block) -> None:
        block = block.whole()
        if self._channels is not None and block.mapping.channels != self._channels:
            self._other_columns(block.mapping.channels)
        self._channels = block.mapping.channels
        t, anew = self._board.run_on(
            block.t, self._clock() - self._lost_since if self.state == "lost" else 0.0
        )
        self._tell(Notice("block", (t, block.values, self._channels)))
        gap = None
        # it was switched off and on, with the cable in
        if anew and self.state not in ("lost", "connecting"):
            self._lose()
        if self.state in ("lost", "connecting"):
            gap = self._back(float(t[0]), anew)
        step = (
            float(t[-1]) - (self.last_t if self.last_t is not None and gap is None else float(t[0]))
        ) / len(t)
        self._period = 0.9 * self._period + 0.1 * min(step, 1.0)
        self.last_t = float(t[-1])
        self._captures.add(t, block.values, gap)
        if not self._plausible and self.state == "ready":
            self._plausible = True
            if wrong := at_rest(self.guard, block.mapping.channels, t, block.values):
                self._say(f"Nothing is driven, and {wrong}. Check the devices and their units.")
        if self.state in ("lifting", "lowering") and self._watch is not None:
            self._hold_against(self._watch, t, block)

    def _hold_against(self, watch: LimitWatch, t: np.ndarray, block: Block) -> None:
        """The newest samples, against the limits."""
        tare = None if self.tare is None else self.tare.value
        if wrong := watch.look(block.mapping.channels, t, block.values, tare):
            self._say(f"Stopped: {wrong}. The bench has been told to stop.")
            self.marks.append((float(t[-1]), wrong))
            self._captures.mark(*self.marks[-1])
            self._halt("stalled" if watch.stalled else "limit")
        elif near := watch.near:
            self._say(f"{near[0].upper()}{near[1:]}.")

    def _other_columns(self, channels: tuple[str, ...]) -> None:
        """The board sends other columns: what was recorded ends, a stretch of its own begins."""
        if not self._captures.under_way:
            return
        self._say(
            f"The bench now sends other columns: {', '.join(channels)}. The recording "
            "so far has been saved."
        )
        if not self._captures.begin_anew(channels) and self._captures.drives:
            self._halt("interrupted")

    # --- losing it and finding it again -----------------------------------------------------------

    def _lose(self) -> None:
        if self.state not in ("lost", "connecting"):
            self._before_loss = self.state
            self._lost_at, self._lost_since = self.last_t, self._clock()
        if self._asked is not None:
            self._failed(
                "The bench was lost before it answered; nothing was started.", settle=False
            )
        self._set("connecting" if self.last_t is None else "lost")

    def _back(self, t: float, anew: bool) -> tuple[float, float] | None:
        """Lines come (again): the gap, where there was one."""
        gap = (self._lost_at, t) if self._lost_at is not None else None
        away = self._clock() - self._lost_since
        self._lost_at = None
        state = self._before_loss if gap is not None else "ready"
        self._set(state if not self.stop_wanted else "stopping")
        if gap is None:
            return None
        self.gaps.append(gap)
        self._tell(Notice("gap", gap))
        why = ""
        if anew and self.link is not None:
            self._boot = ""
            self._forget_settings()
            why = texts.ANEW
        elif self._watchdog and away > states.WATCHDOG:
            why = f"It received nothing for {states.WATCHDOG:g} s and has stopped itself"
        ended = bool(why) and not self.stop_wanted and state in (*MOVING, "preparing")
        if ended or state == "preparing":
            self._halt("interrupted")
        self._say(texts.back(gap[1] - gap[0], why, ended))
        return gap

    def _forget_settings(self) -> None:
        self.tare, self.hung, self.hook_up, self._watchdog = None, None, None, False
        if self.link is not None:
            self.link.send("hello")  # so that it is asked for its watchdog again

    # --- words ------------------------------------------------------------------------------------

    def _event(self, event: Event) -> None:
        word, _, rest = event.text.partition(" ")
        if event.kind == "reply":
            self._reply(word, rest.strip())
        elif event.kind == "happened":
            self._happened(word, event.text)
        elif event.text == SIMULATED:
            self._simulated = True
        elif event.text == SHARED:
            self._shared = True

    def _reply(self, word: str, rest: str) -> None:
        refused = refusal(rest)
        if word == "hello":
            if self.link is not None and not refused:
                if not self.obeys and not self._shared:
                    self.link.send("stop")  # whoever drove it before may have been killed
                self.obeys = True
                self._started(rest.removeprefix("ok").strip())
                self.link.send(f"watchdog {states.WATCHDOG:g}")
        elif word == "watchdog":
            self._watchdog = not refused
        elif word == "stop" and not refused:
            self._stopped()
        elif self._asked is not None and word == self._asked[0]:
            self._answered(word, rest, refused)
        elif refused:
            self._say(f"The bench refuses “{word}”: {refused}.")
        self._tell(Notice("answer", word))

    def _started(self, boot: str) -> None:
        """A board may answer `hello` with a figure that is another whenever it begins: its clock
        alone may look as if it had run on.
        """
        before, self._boot = self._boot, boot
        if before and boot and boot != before:
            self._say(f"{texts.ANEW}.")
            if not self.stop_wanted and (
                self.state in (*MOVING, "preparing") or self._before_loss in (*MOVING, "preparing")
            ):
                self._halt("interrupted")
            self._forget_settings()

    def _answered(self, word: str, rest: str, refused: str) -> None:
        assert self._asked is not None
        asked = self._asked[1]
        if refused and word == "for":  # nothing moves yet, and it has an end of its own
            self._say(f"The bench takes no time: {refused}. Its own end counts.")
        elif refused:
            self._failed(
                f"The bench refuses “{f'{word} {asked}'.strip()}”: {refused}. The step has ended.",
                refused=True,
            )
            return
        figure = figure_of(rest)
        if word in ("hang", "resistor"):
            self.hung = figure if figure is not None else float(asked)
        if why := unlike(word, asked, rest):
            self._failed(why)
            return
        if word == "tare" and figure is not None:
            self.tare = Measured(figure, _TARE_DOUBT)
        self._asked = None
        if word == "up":
            self.hook_up = self.link is not None and self.link.lowers
            self._set("lifting")
        elif word == "down":
            self._set("lowering")
        elif not self._todo:
            self._set("ready")
        self._ask()

    def _happened(self, word: str, text: str) -> None:
        if word in ("top", "stalled", "limit"):
            if self.state == "lifting" and self.link is not None and not self.link.lowers:
                self._halt("top" if word == "top" else "stalled" if word == "stalled" else "limit")
            elif self.state == "lifting":
                self._captures.end(word)
                self._gently = True
                self._todo = deque(self._down())
                self._set("preparing")
                self._ask()
            elif self.state == "lowering" and word != "top":
                self._say(f"The bench stopped itself while lowering: {text}.")
                self._halt("stalled" if word == "stalled" else "interrupted")
        elif word == "bottom":
            self.hook_up = False
            if self.state == "lowering":
                self._set("ready")
        elif word == "watchdog" and self.state in (*MOVING, "preparing"):
            self._say(f"The bench stopped itself: it received nothing for {states.WATCHDOG:g} s.")
            self._halt("interrupted")
        self._tell(Notice("word", text))

    # --- commands that wait for their answer ------------------------------------------------------

    def _begin_steps(self, commands: list[str]) -> bool:
        with self._lock:
            if self.state != "ready" or self.stop_wanted or self.link is None:
                return False
            if self._captures.recording and "up" in commands:
                self._say("A recording is already in progress. Stop it first.")
                return False
            self._todo = deque(commands)
            self._set("preparing")
            self._ask()
            return True

    def _ask(self) -> None:
        if not self._todo or self.link is None:
            return
        command = self._todo.popleft()
        if command == "up" and not self._begin_capture():
            self._todo.clear()
            self._set("ready")
            return
        word, _, figure = command.partition(" ")
        if word == "down":
            self._watch = LimitWatch(self.guard)
        self._asked = word, figure, self._clock()
        if not self.link.send(command):
            self._failed(f"The bench does not accept “{command}”; nothing was started.")

    def _failed(self, why: str, *, settle: bool = True, refused: bool = False) -> None:
        """The step ends here. One that may have set something moving is stopped."""
        word = self._asked[0] if self._asked is not None else ""
        self._asked = None
        self._todo.clear()
        self._say(why)
        if word == "up" and refused:
            self._captures.drop()
        if word in ("up", "down"):
            self._halt("interrupted")
        elif settle and self.state == "preparing":
            self._set("ready")

    def _down(self) -> list[str]:
        voltage = self._voltage * (states.GENTLY if self._gently else 1.0)
        return [f"drive {voltage:g}", "down"] if voltage else ["down"]

    def _set_to(self, value: float) -> bool:
        return self.hung is not None and abs(self.hung - value) <= 1e-4 * abs(value) + 1e-9

    # --- stopping ---------------------------------------------------------------------------------

    def _answers(self) -> bool:
        """Whether it takes commands, or may: it has not had the time to say."""
        return (
            self.obeys
            or self.state in ("lost", "connecting")
            or self._clock() - self._up_since < states.ANSWER
        )

    def _halt(self, reason: str) -> None:
        self._todo.clear()
        self._asked = None
        # whoever stops it, or it itself, because the hook did not move so: the other way next
        lowering = self.state == "lowering" and reason in ("stopped", "stalled")
        self._gently = not self._gently if lowering else True
        if self._captures.drives:
            self._captures.end(reason)
        self._stop.want(self._clock(), answers=self._answers())
        if self.state in ("lost", "connecting"):
            self._before_loss = "stopping"
        # at rest it is confirmed before anybody could see it wanted
        elif self.state != "ready" or not self.stop_wanted:
            self._set("stopping" if self.stop_wanted else "ready")
        self._send_stop()

    def _send_stop(self) -> None:
        self._stop.sent(self._clock())
        if self.link is not None:
            self.link.send("stop")

    def _stopped(self) -> None:
        moves = self.state in ("lifting", "lowering")
        if moves and not self.stop_wanted and not self._shared:  # nobody here said so
            if not (here := LastWord.escaped()):
                self._say(texts.BY_ANOTHER)
            self._halt("stopped" if here else "interrupted")
        self._stop.forget()
        self._still.set()
        self._before_loss = "ready"  # the answer may come before the first sample
        if self.state == "stopping":
            self._set("ready")

    # --- recording --------------------------------------------------------------------------------

    def _begin_capture(self) -> bool:
        assert self._step is not None
        if not self._open(*self._step, drives=True):
            return False
        self.drive_started = self.last_t
        return True

    def _open(self, path: Path, note: dict[str, Any], *, drives: bool) -> bool:
        if (
            self.link is None
            or self._channels is None
            or not self._captures.open(path, note, self._channels, drives=drives)
        ):
            return False
        if drives:
            volts, lasting = self._driven
            guard = self.guard if lasting is None else self.guard._replace(driven_for=lasting)
            self._watch = LimitWatch(guard, volts)
            if blind := set(self._watch.unwatched(self._channels)) - self._blind:
                self._blind |= blind
                self._say(
                    f"Not watched, for this bench does not send it: {', '.join(sorted(blind))}."
                )
        return True

    def _fault(self, err: Exception) -> None:
        """From the recorder's thread: what it cannot write is not recorded, so the run is over."""
        with self._lock:
            if self.link is None:
                return
            self._say(str(err))
            if self._captures.drives:
                self._halt("interrupted")
            self._captures.end("interrupted")

    def _say(self, text: str) -> None:
        self._tell(Notice("said", text))

    def _set(self, state: State) -> None:
        if state != self.state:
            self.state = state
            self._tell(Notice("state", state))
