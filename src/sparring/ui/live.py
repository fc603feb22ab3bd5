"""The bench as the window sees it: the link's threads turned into signals, the last minutes in memory, captures to disk."""

from __future__ import annotations

import json
import sys
import tempfile
import threading
import time
from collections import deque
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QObject, QProcess, QTimer, pyqtSignal

from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.rig import Rig
from sparring.core.run import Run

if TYPE_CHECKING:
    from sparring.bench.lines import Event, Mapping, Sample, Tally
    from sparring.bench.link import Link
    from sparring.bench.recorder import Recorder

_KEEP = 150_000  # samples in memory a channel
_FRAME = 33  # [ms] between looks at what has come
_SIMULATION_SPEED = 1.0


class Ring:
    """The newest samples of all channels: one array, written in place, read as views in time order."""

    def __init__(self, channels: tuple[str, ...], size: int = _KEEP) -> None:
        self.channels, self.size = channels, size
        self._data = np.empty((len(channels) + 1, 2 * size))
        self.count = 0
        self._end = 0

    def add(self, rows: list[tuple[float, ...]]) -> None:
        block = np.asarray(rows, float).T[:, -self.size :]
        n = block.shape[1]
        if self._end + n > 2 * self.size:  # slide the newest half to the front
            keep = min(self.size, self._end)
            self._data[:, :keep] = self._data[:, self._end - keep : self._end]
            self._end = keep
        self._data[:, self._end : self._end + n] = block
        self._end += n
        self.count = min(self.size, self._end)

    @property
    def t(self) -> np.ndarray:
        return self._data[0, self._end - self.count : self._end]

    def values(self, channel: str) -> np.ndarray:
        return self._data[self.channels.index(channel) + 1, self._end - self.count : self._end]

    def since(self, start: float) -> slice:
        """The part of the arrays with t >= start."""
        return slice(int(np.searchsorted(self.t, start)), self.count)


def on_bench(build: Build, rig: Rig) -> str:
    """What stands on a bench, in words. Not its dimensions: a tester who corrects a figure has not touched the bench."""
    return f"{build.name} on {rig.name}, {rig.method.kind}"


class BenchSession(QObject):
    """One bench, connected or not. `state`: off, connecting, ready, lifting, lowering, lost."""

    arrived = pyqtSignal()  # new samples are in the ring
    happened = pyqtSignal(str)  # a word from the bench
    state_changed = pyqtSignal()
    captured = pyqtSignal(Path)  # a lift's stream is closed
    recorded = pyqtSignal(Path)  # the stream of a recording that drove nothing is closed
    said = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.link: Link | None = None
        self.ring: Ring | None = None
        self.state, self.port, self.why = "off", "", ""
        self.simulated = False
        self.simulates = ""  # what the simulated bench is set up with: `on_bench`, or the key of a set-up for readings
        self.obeys = False  # the bench answers commands
        self.tare: Measured | None = None
        self.hung: float | None = None
        self.limit_current, self.limit_speed = np.inf, np.inf
        self.marks: list[tuple[float, str]] = []
        self.gaps: list[tuple[float, float]] = []
        self.drive_started: float | None = None
        self._queue: deque[Any] = deque()
        self._lock = threading.Lock()
        self._recorder: Recorder | None = None
        self._drives = False  # what is being recorded is a lift
        self._offset = 0.0
        self._last_t: float | None = None
        self._last_wall = 0.0
        self._lost_at: float | None = None
        self._lost_before = 0
        self._process: QProcess | None = None
        self._files: tempfile.TemporaryDirectory[str] | None = None
        self._closing: dict[str, Any] | None = None
        self._frame = QTimer(self)
        self._frame.setInterval(_FRAME)
        self._frame.timeout.connect(self._drain)

    # --- connecting -----------------------------------------------------------------------------------------

    def simulate(
        self,
        build: Build,
        rig: Rig,
        *,
        readings: str = "",
        seed: int = 21,
        speed: float = _SIMULATION_SPEED,
        rate: float = 80.0,
        friction: float = 1.05,
    ) -> None:
        """Starts the simulated bench as a process of its own, and connects to it like to a board. readings: the key of a
        set-up for readings that it is in place of the rig."""
        self.disconnect_bench()
        self._files = tempfile.TemporaryDirectory(prefix="sparring-bench-")
        folder = Path(self._files.name)
        (folder / "build.json").write_text(build.to_json(), encoding="utf-8")
        (folder / "rig.json").write_text(rig.to_json(), encoding="utf-8")
        self.simulated, self.simulates = True, readings or on_bench(build, rig)
        self._set_state("connecting")
        process = QProcess(self)
        process.setProgram(sys.executable)
        process.setArguments(
            [
                "-m",
                "sparring",
                "bench",
                "--build",
                str(folder / "build.json"),
                "--rig",
                str(folder / "rig.json"),
                "--seed",
                str(seed),
                "--speed",
                str(speed),
                "--rate",
                str(rate),
                "--friction",
                str(friction),
                *(["--readings", readings] if readings else []),
            ]
        )
        process.readyReadStandardOutput.connect(lambda: self._port_known(process))
        process.finished.connect(lambda code, _status: self._bench_ended(process, code))
        self._process = process
        process.start()

    def _port_known(self, process: QProcess) -> None:
        port = bytes(process.readAllStandardOutput().data()).decode().strip().splitlines()
        if port and self.link is None and process is self._process:
            self.connect_port(port[0], simulated=True)

    def _bench_ended(self, process: QProcess, code: int) -> None:
        if process is self._process and code:
            said = bytes(process.readAllStandardError().data()).decode().strip()
            self.said.emit(f"The simulated bench ended: {said or code}")

    def connect_port(self, port: str, baud: int = 115200, mapping: Mapping | None = None, *, simulated: bool = False) -> None:
        """Connects to a serial port; keeps trying when it is not there yet, or goes."""
        from sparring.bench.link import Link

        if not simulated:
            self.disconnect_bench()
        self.port, self.simulated, self.obeys = port, simulated, False
        self.ring, self._last_t, self._lost_at, self._offset = None, None, None, 0.0
        self.marks.clear()
        self.gaps.clear()
        self.link = Link(
            port,
            baud=baud,
            mapping=mapping,
            on_samples=self._samples,
            on_event=lambda e: self._push(("event", e)),
            on_state=self._up_or_down,
        )
        self._set_state("connecting")
        self._frame.start()
        self.link.start()

    def disconnect_bench(self) -> None:
        """Lets the bench go; a capture under way is closed and kept."""
        if self.link is not None:
            if self.obeys:
                self.link.send("stop")
            self.link.close()
            self.link = None
        self._drain()
        self._end_capture("interrupted")
        self._finish_capture()
        self._frame.stop()
        if self._process is not None:
            process, self._process = self._process, None
            process.finished.disconnect()
            process.kill()
            process.waitForFinished(2000)
        if self._files is not None:
            self._files.cleanup()
            self._files = None
        self.simulated, self.tare, self.hung = False, None, None
        self._set_state("off")

    @property
    def recording(self) -> bool:
        """Whether something is being recorded."""
        return self._recorder is not None

    @property
    def live(self) -> Ring | None:
        """The ring while samples come; none once the bench was let go or lost: what it last showed is no reading."""
        return self.ring if self.state in ("ready", "lifting", "lowering") else None

    @property
    def tally(self) -> Tally | None:
        return self.link.reader.tally if self.link else None

    # --- commands -------------------------------------------------------------------------------------------

    def send(self, command: str) -> bool:
        return self.link.send(command) if self.link else False

    def stop(self) -> None:
        """Asks the bench to stop, whatever it does. Not an emergency stop."""
        if self.link is None:
            return
        self.send("stop")
        if self.state in ("lifting", "lowering"):
            self._end_capture("stopped")
            self._set_state("ready")

    def lift(self, run: Run, test_id: int, path: Path) -> None:
        """Begins a capture and lifts. On a bench that takes no commands, only the capture begins."""
        run = run.model_copy(update={"tare": self.tare})
        if not self._begin(path, {"test": test_id, "run": json.loads(run.to_json())}, drives=True):
            return
        self.drive_started = self._last_t
        self._set_state("lifting")
        if self.obeys:
            self.send(f"drive {run.voltage:g}")
            self.send("up")

    def record(self, path: Path, note: dict[str, Any]) -> bool:
        """Begins a recording that drives nothing, with `note` in its header; whether it began. `recorded` tells its end."""
        return self._begin(path, note, drives=False)

    def end_recording(self) -> None:
        """Ends what `record` began."""
        if not self._drives:
            self._end_capture("stopped")
            self._finish_capture()

    def _begin(self, path: Path, note: dict[str, Any], *, drives: bool) -> bool:
        from sparring.bench.recorder import Recorder, RecorderError

        if self.link is None or self.ring is None or self.state != "ready":
            return False
        if self._recorder is not None:
            self.said.emit("Something is being recorded already; end that first.")
            return False
        try:
            self._recorder = Recorder(path, self.ring.channels, note, on_fault=lambda err: self._push(("fault", err)))
        except RecorderError as err:
            self.said.emit(str(err))
            return False
        self._drives = drives
        self._lost_before = self.link.reader.tally.lost
        return True

    def finish(self) -> None:
        """Ends a capture by hand, for benches that take no commands."""
        if self.state == "lifting":
            self.send("stop")
            self._end_capture("top")
            self._set_state("ready")

    def mark(self, text: str, at: float | None = None) -> None:
        """Marks a moment of the bench's clock [s]; the present one without."""
        t = self._last_t if at is None else at
        if t is None:
            return
        self.marks.append((t, text))
        if self._recorder is not None:
            self._recorder.mark(t, text)
        self.arrived.emit()

    # --- the link's side (its thread) -----------------------------------------------------------------------

    def _push(self, item: Any) -> None:
        self._queue.append(item)

    def _up_or_down(self, up: bool, why: str) -> None:
        # set here and not where the window hears of it: by then, samples may be coming again
        if not up and self._lost_at is None:
            self._lost_at = self._last_t
        self._push(("state", up, why))

    def _samples(self, now: float, samples: list[Sample]) -> None:
        rows = []
        for s in samples:
            t = s.t if s.t is not None else now
            if self._last_t is None:
                self._offset = -t if s.t is None else 0.0
            elif t + self._offset <= self._last_t:  # the board's clock began anew
                self._offset = self._last_t + max(1e-6, now - self._last_wall if s.t is not None else 1e-6) - t
            at = t + self._offset
            if self._lost_at is not None:
                gap = (self._lost_at, at)
                self._lost_at = None
                self._push(("gap", gap))
                if self._recorder is not None:
                    self._recorder.gap(*gap)
            self._last_t, self._last_wall = at, now
            rows.append((at, *s.values))
        recorder = self._recorder
        if recorder is not None:
            recorder.add(rows)
        self._push(("rows", rows))

    # --- the window's side ----------------------------------------------------------------------------------

    def _drain(self) -> None:
        new: list[tuple[float, ...]] = []
        while self._queue:
            item = self._queue.popleft()
            if item[0] == "rows":
                new.extend(item[1])
            elif item[0] == "event":
                self._event(item[1])
            elif item[0] == "state":
                self._link_state(item[1], item[2])
            elif item[0] == "gap":
                self.gaps.append(item[1])
                self.said.emit(f"The bench is back after {item[1][1] - item[1][0]:.1f} s; the gap is marked in the recording.")
            elif item[0] == "fault":
                self.send("stop")
                self.said.emit(str(item[1]))
                self._end_capture("interrupted")
                self._set_state("ready")
        if new:
            mapping = self.link.reader.mapping if self.link else None
            if self.ring is None and mapping is not None:
                self.ring = Ring(mapping.channels)
                if self.state in ("connecting", "lost"):
                    self._set_state("ready")
            if self.ring is not None and len(new[0]) == len(self.ring.channels) + 1:
                self.ring.add(new)
                self._watch(new)
                self.arrived.emit()
        if self._closing is not None and time.monotonic() > self._closing["at"]:
            self._finish_capture()

    def _link_state(self, up: bool, why: str) -> None:
        self.why = why
        if up:
            if self._last_t is not None:
                self._set_state("lifting" if self._recorder is not None and self._drives else "ready")
            return
        if self._last_t is None:
            self.said.emit(why)
        elif self.state != "lost":
            self.said.emit(f"{why}. Plug it in again: the run goes on, the gap will be marked.")
        self._set_state("connecting" if self._last_t is None else "lost")

    def _event(self, event: Event) -> None:
        word, _, rest = event.text.partition(" ")
        if event.kind == "reply":
            if word == "hello":
                self.obeys = True
            elif word == "tare" and rest.startswith("ok"):
                self.tare = Measured(float(rest.split()[-1]), 6.0)
            elif word in ("hang", "resistor") and rest.startswith("ok"):
                self.hung = float(rest.split()[-1])
            elif "refused" in rest:
                self.said.emit(f"The bench refuses “{word}”: {rest.removeprefix('refused: ')}.")
            self.state_changed.emit()
        elif event.kind == "happened":
            reason = word if word in ("top", "stalled", "limit") else ""
            if reason and self.state == "lifting":
                self._end_capture(reason)
                self._set_state("lowering")
                self.send("down")
            elif word == "bottom":
                self._set_state("ready")
            self.happened.emit(event.text)

    def _watch(self, rows: list[tuple[float, ...]]) -> None:
        """Stops at the rig's limits, whatever the board does."""
        ring = self.ring
        assert ring is not None
        if self.state != "lifting" or "current" not in ring.channels:
            return
        part = ring.since(ring.t[-1] - 0.3)
        current, speed = ring.values("current")[part], ring.values("speed")[part] if "speed" in ring.channels else np.zeros(1)
        limit = (
            "current"
            if len(current) > 3 and current.min() > self.limit_current
            else "speed"
            if len(speed) > 3 and np.abs(speed).min() > self.limit_speed
            else ""
        )
        if limit:
            self.send("stop")
            self._end_capture("limit")
            self._set_state("lowering" if self.obeys else "ready")
            self.send("down")
            self.said.emit(f"Stopped: the {limit} was above the rig's limit for 0.3 s.")

    def _end_capture(self, reason: str) -> None:
        if self._recorder is not None and self._closing is None:
            self._closing = {"at": time.monotonic() + 0.25, "ended": reason}

    def _finish_capture(self) -> None:
        if self._recorder is None or self._closing is None:
            return
        recorder, self._recorder = self._recorder, None
        reason, self._closing = self._closing["ended"], None
        tally = self.tally
        recorder.close(ended=reason, lost=tally.lost - self._lost_before if tally else 0)
        (self.captured if self._drives else self.recorded).emit(recorder.path)

    def _set_state(self, state: str) -> None:
        if state != self.state:
            self.state = state
            self.state_changed.emit()
