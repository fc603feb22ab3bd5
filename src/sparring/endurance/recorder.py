"""The process that does a life test: cycle after cycle, until something ends it."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sparring.bench.attended import Attended, Interrupted
from sparring.bench.captures import Notice
from sparring.bench.lookout import Lookout
from sparring.core.endurance import Phase, ended
from sparring.core.endurance.cycle import Adds
from sparring.core.endurance.ending import BREAKS
from sparring.core.events import Event, with_events
from sparring.core.quantity import Measured
from sparring.core.run import Run
from sparring.endurance.journal import Journal, State
from sparring.endurance.process import on_bench
from sparring.endurance.relay import Relay
from sparring.files import event_files
from sparring.logbook import recordings
from sparring.logbook.recordings import RecordingError

_EVERY = 1.0  # [s] after which the moment in hand is on the disk
_LOST = 3600.0  # [s] for a bench to come back: a cable is put in again in the morning
_AGAIN = 3  # runs in a row that may end before their time, before somebody is wanted
_NOTHING = 0.05  # [s] that need not be done any more
_KEPT = 200  # marks and gaps of the session: it goes on for weeks
Tell = Callable[[dict[str, Any]], None]


class Recorder(Attended):
    """Does the life test of a journal, from where it is."""

    def __init__(
        self,
        journal: Journal,
        tell: Tell | None = None,
        confirm: Callable[[str], None] = lambda _text: None,
    ) -> None:
        """tell: is told what happens, as it goes to the log; confirm: asks whoever stands there to
        do something before it is begun for the first time.
        """
        self.journal, self._tell, self._confirm = journal, tell, confirm
        self.tested = journal.tested()
        super().__init__(self.tested.rig, lambda text: self._note("said", text=text))
        self.lost_for = _LOST
        self.plan = self.tested.plan
        self._adds = Adds(self.tested.build, self.tested.rig)
        self.session.keep = self._keep
        self._lookout = Lookout(
            self.session,
            self.tested.build,
            self.tested.rig,
            self.plan.plan(),
            happened=self._happened,
        )
        self._relay: Relay | None = None
        self._wanted = threading.Event()  # somebody said: go on
        self._stopping = False  # for somebody who waits until it is confirmed
        self._pause = ""  # why it is to pause, as soon as it can
        self._over = ""  # why it is to end
        self._saved = 0.0
        self._phase: Phase | None = None
        self._ended = ""  # of the newest run
        self._last_way = 0  # of the newest driven phase: 1, -1
        self._done_before = 0.0  # of the phase, before the run under way [s]
        self._interrupted = 0  # runs in a row

    # --- going ------------------------------------------------------------------------------------

    def go(self) -> str:
        """Until it is over; why it is. Raises Interrupted where it cannot go on, JournalError or
        OSError where nothing can be written any more; the bench is stopped then.
        """
        with self.journal.locked():
            return self._go()

    def _go(self) -> str:
        self.journal.mend()
        self.journal.now.pid, self.journal.now.why = os.getpid(), ""
        self.journal.captures.mkdir(exist_ok=True)
        self._take_up()
        try:
            with (
                on_bench(self.journal.folder, self.tested) as devices,
                self.connected(devices, self._confirm, self._tared()) as simulated,
            ):
                self._relay = Relay(self._asked, simulated=simulated)
                self.journal.now.socket = self._relay.address
                try:
                    why = self._cycles()
                finally:
                    self._relay.close()
        except (Interrupted, OSError) as err:
            with contextlib.suppress(OSError):
                self._set("failed", str(err))
            raise
        except KeyboardInterrupt:
            with contextlib.suppress(OSError):
                self._set("paused", "its process was ended")
            raise
        self._set("ended", why)
        return why

    def _tared(self) -> Measured | None:
        """The tare of before. Somebody took the load off the cell then; nobody does after a power
        cut.
        """
        kept = self.journal.now.tare
        return None if kept is None else Measured(*kept)

    def _take_up(self) -> None:
        """What a run left that was being recorded when the process was killed. One that cannot be
        kept is set aside, and named.
        """
        for stream in sorted(self.journal.captures.glob("*.arrow")):
            try:
                self._put_away(stream, "interrupted")
            except (RecordingError, OSError, KeyError, ValueError) as err:
                aside = stream.with_suffix(".aside")
                stream.rename(aside)
                self._note("said", text=f"A run could not be kept: {err}. It lies in {aside}.")

    def _cycles(self) -> str:
        journal, plan = self.journal, self.plan
        tare = self.session.facts().tare
        journal.now.tare = None if tare is None else (tare.value, tare.u)
        self._set("running")
        if not journal.now.cycle.began:
            journal.now.cycle.began = time.time()
        while True:
            last = journal.cycles[-1] if journal.cycles else None
            if why := self._over or ended(plan, journal.totals, last):
                return why
            n = journal.now.cycle.n
            if plan.inspect_every and n > 1 and (n - 1) % plan.inspect_every == 0:
                self._inspection(n - 1)
            while journal.now.phase < len(plan.duty) and not self._over:
                self._do(plan.duty[journal.now.phase])
            if self._over:
                journal.now.cycle.ended = journal.now.cycle.ended or "ended"
            done = journal.close_cycle()
            self._note("cycle", **done.to_dict())

    def _inspection(self, cycles: int) -> None:
        told = [line for line in self.journal.logged(50) if line.get("kind") == "inspected"]
        if any(line.get("cycles") == cycles for line in told):
            return
        self._wait_for_word("inspection", f"{cycles} cycles are done: inspect it, then go on")
        if not self._over:
            self._note("inspected", cycles=cycles)

    def _do(self, phase: Phase) -> None:
        """One phase, or what is left of it."""
        now = self.journal.now
        left = phase.time - now.elapsed
        if self._pause:
            self._wait_for_word("paused", self._pause)
            return
        if left > _NOTHING and not (self._drive(phase, left) if phase.driven else self._rest(left)):
            return  # it is gone on with, from where it was
        now.phase, now.elapsed = now.phase + 1, 0.0
        self._write(always=True)

    def _rest(self, seconds: float) -> bool:
        """Off, for so long; whether it lasted."""
        end, begun = time.monotonic() + seconds, self.journal.now.elapsed
        while (left := end - time.monotonic()) > 0:
            self.hear(min(left, 0.2))
            self.journal.now.elapsed = begun + seconds - left
            self._write()
            if self._pause or self._over:
                return bool(self._over)
        return True

    def _drive(self, phase: Phase, seconds: float) -> bool:
        """Drives for so long; whether it went to its end."""
        now, method = self.journal.now, self.rig.method
        way = 1 if phase.voltage > 0 else -1
        self._adds.begin(reversed=self._last_way == -way)
        self._last_way = way
        run = Run(
            step=now.phase,
            kind="hold",
            repeat=now.cycle.n,
            load=phase.load if method.weighed() else None,
            voltage=phase.voltage,
            calibration=self.rig.calibration if method.CELL else None,
            sensors=self.rig.sensors,
            source="simulated" if self.session.facts().simulated else "bench",
        )
        setting = None
        if phase.load is not None or phase.resistor is not None:
            mass = None if phase.load is None else phase.load.value
            setting = method.SET_BY[0], method.setting(mass, phase.resistor)
        name = f"{now.cycle.n:07d}-{now.phase}-{int(1e3 * time.time())}.arrow"
        path = self.journal.captures / name
        self._phase, self._ended = phase, ""
        now.cycle.starts += 1
        del self.session.gaps[:-_KEPT], self.session.marks[:-_KEPT]
        test, lasts = self.tested.test, seconds if method.open_ended else None
        self.until(self._at_rest, _LOST, "the bench is not at rest")
        if method.LETS_DOWN and self.session.facts().hook_up:
            self.step(self.session.lower)
        self._done_before = now.elapsed
        self.step(lambda: self.session.lift(run, test, path, setting, lasts))
        self._phase = None
        self._write(always=True)
        if self._ended == "top":
            self._interrupted = 0
            return True
        return self._cut_short(self._ended or "interrupted")

    def _cut_short(self, how: str) -> bool:
        """A run that did not go to its end; whether the phase counts as done all the same."""
        now = self.journal.now
        now.cycle.ended = how
        if how == "stalled":
            if self.plan.to_failure:
                self._over = "it failed: it stalled"
            else:
                self._pause = "it stalled"
            return True
        if how in ("limit", "stopped"):
            self._pause = self._pause or (
                "a limit ended the run" if how == "limit" else "it was stopped"
            )
        else:
            self._interrupted += 1
            if self._interrupted >= _AGAIN:
                self._pause = f"{_AGAIN} runs in a row were interrupted"
        return False

    def _at_rest(self) -> bool:
        return self.state == "ready" and not self.session.facts().stop_wanted

    def _wait_for_word(self, state: State, why: str) -> None:
        """Nothing turns until somebody says that it may."""
        self._pause = ""
        self._wanted.clear()
        self._set(state, why)
        while not self._wanted.is_set() and not self._over:
            self.hear(0.2)
            self._write()
        self._interrupted = 0
        self._set("running")

    # --- what comes -------------------------------------------------------------------------------

    def took(self, notice: Notice) -> None:
        if notice.kind != "block":
            return
        t, values, channels = notice.what
        self._lookout.add(t, values, channels)
        if self._relay is not None:
            self._relay.block(t, values, channels)
        if self.state == "lifting" and self._phase is not None:
            facts = self.session.facts()
            began = facts.drive_started
            kept = self.journal.now.tare  # a board that was restarted has forgotten it
            tare = None if kept is None else kept[0]
            load = None if self._phase.load is None else self._phase.load.value
            self._adds.add(self.journal.now.cycle, t, values, channels, tare=tare, load=load)
            if began is not None:
                done = float(t[-1]) - began
                so_far = min(self._done_before + done, self._phase.time)
                self.journal.now.elapsed = max(self.journal.now.elapsed, so_far)

    def looked(self) -> None:
        self._lookout.look()
        self._write()

    def _happened(self, event: Event) -> None:
        self.journal.now.cycle.events.append(event.id)
        self._note("event", cycle=self.journal.now.cycle.n, event=event_files.one(event))
        if self.plan.to_failure and event.id in BREAKS:  # it does not go on to the cycle's end
            self._over = f"it failed: {event.id}"
            self.session.stop()

    def _stop(self) -> str | None:
        """Confirmed to who asked for it no sooner than by the bench."""
        if not self._stopping:
            self._pause, self._stopping = self._pause or "it was stopped", True
            self.session.stop()
        if self.session.facts().stop_wanted:
            return None
        self._stopping = False
        return ""

    def _asked(self, text: str) -> str | None:
        """A word from somebody who is connected; on the relay's thread."""
        word = text.partition(" ")[0]
        if word == "stop":
            return self._stop()
        if word == "pause":
            self._pause = self._pause or "somebody wanted it"
        elif word == "resume":
            self._pause = ""
            self._wanted.set()
        elif word == "end":
            self._over = self._over or "somebody ended it"
            self.session.finish()
        elif word != "watchdog":
            return "a life test is going on"
        return ""

    # --- what is kept -----------------------------------------------------------------------------

    def _keep(self, stream: Path) -> int:
        """The run's stream: kept whole, where its cycle is, or thrown away. On the thread that
        wrote it.
        """
        self._ended = self._put_away(stream, "")
        return 0

    def _put_away(self, stream: Path, otherwise: str) -> str:
        """How a run ended. Its recording goes beside those of the logbook, with a note of the test
        it belongs to, from where the logbook takes it in.
        """
        recording, note = recordings.read_stream(stream)
        how = str(note.get("ended") or otherwise or "interrupted")
        cycle = self.journal.now.cycle
        wanted = (cycle.n - 1) % self.plan.keep_every == 0 or bool(cycle.events) or how != "top"
        if len(recording) > 8 and wanted:
            run = Run.model_validate(note["run"]).model_copy(update={"ended": how})
            run = with_events(self.tested.build, self.rig, run, recording)
            belongs = {
                "test": self.tested.test,
                "begun": self.tested.begun,
                "run": run.model_dump(mode="json"),
            }
            folder = self.journal.folder.parent.parent / "recordings"
            cycle.kept.append(recordings.write(folder, recording, belongs))
        stream.unlink(missing_ok=True)
        return how

    def _set(self, state: State, why: str = "") -> None:
        now = self.journal.now
        if (now.state, now.why) != (state, why):
            now.state, now.why = state, why
            self._note("state", state=state, why=why)
        self._write(always=True)

    def _write(self, *, always: bool = False) -> None:
        if always or time.monotonic() - self._saved > _EVERY:
            self._saved = time.monotonic()
            self.journal.save()

    def _note(self, kind: str, **told: Any) -> None:
        if kind != "cycle":
            self.journal.log(kind, **told)
        if self._tell is not None:
            at = datetime.now(UTC).isoformat(timespec="milliseconds")
            self._tell({"kind": kind, "at": at, **told})
