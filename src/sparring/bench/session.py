"""One bench: connecting, what hangs, taring, running, stopping, and keeping what was recorded. What
a tester asks for is here, what the bench makes of it in `machine`."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from sparring.bench.captures import Notice
from sparring.bench.lines import Tally
from sparring.bench.machine import Machine
from sparring.bench.states import MOVING, Port
from sparring.core.quantity import Measured
from sparring.core.run import Run

_GOODBYE = 0.5  # [s] that a bench gets to confirm its stop when it is let go


class Facts(NamedTuple):
    """What is known of a bench at one moment.

    why: it is lost or not connected yet; obeys: it answers commands; tare, hung: as it has
    confirmed them; hook_up: it was driven up and has not said that it is down; stop_wanted: and not
    confirmed; drive_started: the newest lift's beginning [s]; recording: something is; keeping:
    something that was is still being put away; simulated: the board says so itself; times: it ends
    a run by itself.
    """

    why: str = ""
    obeys: bool = False
    tare: Measured | None = None
    hung: float | None = None
    hook_up: bool = False
    stop_wanted: bool = False
    drive_started: float | None = None
    recording: bool = False
    keeping: bool = False
    simulated: bool = False
    times: bool = True


class Session(Machine):
    """One bench, from the first line to the last. Every method may be called from any thread."""

    # --- connecting -------------------------------------------------------------------------------

    def attach(self, link: Port, tally: Callable[[], Tally]) -> None:
        """Takes a link that is about to be started. tally: of its lines."""
        with self._lock:
            self._forget()
            self.link, self._captures.tally = link, tally
            self._set("connecting")

    def detach(self) -> None:
        """Lets the bench go: told to stop and given a moment to say so, what was being recorded
        kept. Close the link afterwards. One that somebody else drives goes on.
        """
        with self._lock:
            if self.link is None:
                return
            moves = self.obeys and self.state in MOVING
            self._still.clear()
            # one that has answered nothing was told nothing, and may be somebody else's
            if (self.obeys or self.stop_wanted) and not self._shared:
                self._halt("interrupted")
        if moves:
            self._still.wait(_GOODBYE)
        with self._lock:
            self._captures.end("interrupted")
            self._captures.close()
            self.link = None
            captures = self._captures
        captures.wait()
        with self._lock:
            self._forget()
            self._tell(Notice("state", "off"))

    def facts(self) -> Facts:
        """What is known of it now."""
        with self._lock:
            return Facts(
                self.why,
                self.obeys,
                self.tare,
                hung=self.hung,
                hook_up=bool(self.hook_up),
                stop_wanted=self.stop_wanted,
                drive_started=self.drive_started,
                recording=self._captures.recording,
                keeping=self._captures.keeping,
                simulated=self._simulated,
                times=self.link is None or self.link.times,
            )

    # --- what a tester asks for -------------------------------------------------------------------

    def stop(self) -> None:
        """Asks the bench to stop, whatever it does, until it says that it has. Not an emergency
        stop.
        """
        with self._lock:
            if self.link is not None:
                self._halt("stopped")

    def zero(self, clear: str = "") -> bool:
        """Tares: first `clear` (`hang 0`), then `tare`. Whether it was begun."""
        return self._begin_steps([clear, "tare"] if clear else ["tare"])

    def lower(self) -> bool:
        """Lets the hook down that a stop left halfway: gently, and with the lift's voltage where
        gently was stopped, for it may not have moved."""
        return self._begin_steps(self._down())

    def lift(
        self,
        run: Run,
        test_id: int,
        path: Path,
        setting: tuple[str, float] | None = None,
        seconds: float | None = None,
    ) -> bool:
        """Sets what is to hang (`("hang", 0.5)`) unless it does, then records and drives; for so
        many seconds, where the bench does not end it before. Whether it was begun; a command that
        the bench refuses or leaves unanswered ends it, with the reason said. A bench that takes no
        commands is only recorded, and a drive without a motor is turned by somebody.
        """
        with self._lock:
            if self.state != "ready" or self.stop_wanted:
                return False
            started = run.started or datetime.now(UTC).isoformat(timespec="seconds")
            run = run.model_copy(update={"tare": self.tare, "started": started})
            self._step = path, {"test": test_id, "run": json.loads(run.to_json())}
            turned = run.input_speed is not None  # by hand, drill or wind: no bench drives that
            self._voltage = run.voltage if run.input_speed is None else run.input_speed
            self._driven = 0.0, None
            if self.obeys and (self._simulated or not turned):
                self._driven = 0.0 if turned else self._voltage, seconds
                first = (
                    [f"{setting[0]} {setting[1]:.6g}"]
                    if setting is not None and not self._set_to(setting[1])
                    else []
                )
                ends = self.link is not None and self.link.times
                lasting = [f"for {seconds:g}"] if seconds is not None and ends else []
                return self._begin_steps([*first, *lasting, f"drive {self._voltage:g}", "up"])
            if self.link is not None and self.link.awaited:  # nothing would turn
                self._say(f"{self.link.awaited} is not connected yet; nothing was started.")
                return False
            if not self._begin_capture():
                return False
            self._set("lifting")
            return True

    def finish(self) -> None:
        """Ends a lift that has lasted for long enough, as one that went well."""
        with self._lock:
            if self.state == "lifting" and self.link is not None:
                self._halt("top")

    def record(self, path: Path, note: dict[str, Any]) -> bool:
        """Begins a recording that drives nothing, with `note` in its header; whether it began.
        `recorded` tells its end.
        """
        with self._lock:
            return self.state == "ready" and self._open(path, note, drives=False)

    def end_recording(self) -> None:
        """Ends what `record` began, and waits until it is on the disk."""
        with self._lock:
            if self._captures.drives:
                return
            self._captures.end("stopped")
            self._captures.close()
            captures = self._captures
        captures.wait()

    def mark(self, text: str, at: float | None = None) -> None:
        """Marks a moment of the bench's clock [s]; the present one without."""
        with self._lock:
            t = self.last_t if at is None else at
            if t is None:
                return
            self.marks.append((t, text))
            self._captures.mark(t, text)

    def send(self, command: str) -> bool:
        """A command that changes nothing of what is kept here (`weigh 2`)."""
        with self._lock:
            return self.link.send(command) if self.link is not None else False
