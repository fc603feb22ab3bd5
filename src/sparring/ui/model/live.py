"""The bench as the window sees it: what a session tells, turned into signals; the last minutes in
memory.
"""

from __future__ import annotations

import contextlib
import math
import sys
import tempfile
from collections import deque
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QProcess, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication

from sparring.bench.escape import EscapeWatch
from sparring.bench.lastword import LastWord
from sparring.bench.ring import Ring
from sparring.bench.session import Facts, Session
from sparring.core.build import Build
from sparring.core.guard import Guard
from sparring.core.instruments.devices import Device, DeviceSet
from sparring.core.methods import MethodBase
from sparring.core.quantity import Measured
from sparring.core.rig import Rig
from sparring.core.run import Run

if TYPE_CHECKING:
    from sparring.bench.captures import Notice
    from sparring.bench.devices.joined import Joined
    from sparring.bench.lines import Tally
    from sparring.bench.link import Link
    from sparring.bench.states import State

_FRAME = 33  # [ms] between looks at what has come
_SIMULATION_SPEED = 1.0


def on_bench(build: Build, rig: Rig) -> str:
    """What stands on a bench, in words. Not its dimensions: a tester who corrects a figure has not
    touched the bench.
    """
    return f"{build.name} on {rig.name}, {rig.method.word}"


class BenchSession(QObject):
    """One bench, connected or not: the window's end of a `bench.session.Session`, whose states it
    has.
    """

    arrived = pyqtSignal()  # new samples are in the ring
    happened = pyqtSignal(str)  # a word from the bench
    state_changed = pyqtSignal()
    kept = pyqtSignal(int)  # a lift is in the logbook; its id
    recorded = pyqtSignal(Path)  # the stream of a recording that drove nothing is closed
    said = pyqtSignal(str)
    stop_asked = pyqtSignal()  # by the tester

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.link: Link | Joined | None = None
        self.ring: Ring | None = None
        self.state: State = "off"
        self.port = ""
        self.simulated = False
        # what the simulated bench is set up with: `on_bench`, or the key of a set-up for readings
        self.simulates = ""
        self.keep: Callable[[Path], int] | None = None
        self.guard = Guard()
        self._rests: tuple[int, datetime] | None = None
        self.again = False  # first power is to be run once more
        self._session: Session | None = None  # made with the first bench
        self._facts = Facts()
        self._queue: deque[Notice] = deque()
        self._process: QProcess | None = None
        self._files: tempfile.TemporaryDirectory[str] | None = None
        self._frame = QTimer(self)
        self._frame.setInterval(_FRAME)
        self._frame.timeout.connect(self._drain)

    # --- connecting -------------------------------------------------------------------------------

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
        mishap: str = "",
    ) -> None:
        """Starts the simulated bench as a process of its own, and connects to it like to a board.
        readings: the key of a set-up for readings that it is in place of the rig; mishap: what
        goes wrong in every run.
        """
        self.disconnect_bench()
        self._files = tempfile.TemporaryDirectory(prefix="sparring-bench-")
        folder = Path(self._files.name)
        (folder / "build.json").write_text(build.to_json(), encoding="utf-8")
        (folder / "rig.json").write_text(rig.to_json(), encoding="utf-8")
        options = {
            "--build": str(folder / "build.json"),
            "--rig": str(folder / "rig.json"),
            "--seed": str(seed),
            "--speed": str(speed),
            "--rate": str(rate),
            "--friction": str(friction),
        }
        options |= {"--readings": readings} if readings else {}
        options |= {"--mishap": mishap} if mishap else {}
        told = [text for option in options.items() for text in option]
        self._stand_in(["bench", *told], readings or on_bench(build, rig))

    def replay(self, log: Path, build: Build, rig: Rig) -> None:
        """Plays a log as a board, as a process of its own, in place of the bench of these."""
        self.disconnect_bench()
        self._stand_in(["replay", str(log)], on_bench(build, rig))

    def _stand_in(self, command: list[str], simulates: str) -> None:
        """Starts a process that prints its port and speaks as a board does."""
        self.simulated, self.simulates = True, simulates
        self._set_state("connecting")
        process = QProcess(self)
        process.setProgram(sys.executable)
        process.setArguments(["-m", "sparring", *command])
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
            self.said.emit(f"The simulated bench ended: {said.splitlines()[-1] if said else code}")

    def connect_port(self, port: str, columns: str = "", *, simulated: bool = False) -> None:
        """Connects to a board alone; columns: of one that sends bare numbers."""
        board = Device.ours(address=port, columns=columns)
        self.connect_devices(DeviceSet.ours(devices=(board,)), simulated=simulated)

    def connect_devices(self, devices: DeviceSet, *, simulated: bool = False) -> None:
        """Connects to devices; keeps trying where one is not there yet, or goes."""
        from sparring.bench.devices.connecting import port_for
        from sparring.bench.lines import LineError

        if not simulated:
            self.disconnect_bench()
        if self._session is None:
            self._session = Session(self._queue.append)
        if LastWord.escape is None and QGuiApplication.platformName() == "xcb":
            with contextlib.suppress(OSError):  # without it the window alone hears the key
                LastWord.escape = EscapeWatch()
        session = self._session
        try:
            link = port_for(devices, session)
        except LineError as err:
            self.said.emit(str(err))
            return
        self.port, self.simulated, self.ring = link.port, simulated, None
        session.attach(link, link.tally)
        session.keep, self.link = self.keep, link
        self._frame.start()
        link.start()
        self._drain()

    def disconnect_bench(self) -> None:
        """Lets the bench go: it is told to stop, and a capture under way is closed and kept."""
        link, self.link = self.link, None
        if self._session is not None and link is not None:
            self._session.detach()
            link.close()
        self._drain()
        self._frame.stop()
        if self._process is not None:
            process, self._process = self._process, None
            process.finished.disconnect()
            process.kill()
            process.waitForFinished(2000)
        if self._files is not None:
            self._files.cleanup()
            self._files = None
        self.simulated = False
        self._set_state("off")

    def let_go(self) -> None:
        """Lets the bench go without a word to the window, which may be gone."""
        if self._session is not None:
            self._session.detach()

    # --- what is known of it ----------------------------------------------------------------------

    @property
    def why(self) -> str:
        """Why it is lost or not connected yet."""
        return self._facts.why

    @property
    def obeys(self) -> bool:
        """Whether it answers commands."""
        return self._facts.obeys

    @property
    def tare(self) -> Measured | None:
        """Reading of the cell with nothing pulling, as the bench said it."""
        return self._facts.tare

    @property
    def hung(self) -> float | None:
        """What the bench has confirmed that hangs (or is set), SI; None: nothing yet."""
        return self._facts.hung

    @property
    def hook_up(self) -> bool:
        """Whether the hook was driven up and has not been said to be down."""
        return self._facts.hook_up

    @property
    def stop_wanted(self) -> bool:
        """Whether a stop was asked for that the bench has not confirmed."""
        return self._facts.stop_wanted

    @property
    def drive_started(self) -> float | None:
        """When the newest lift began [s]."""
        return self._facts.drive_started

    @property
    def keeping(self) -> bool:
        """Whether something that was recorded is still being put away."""
        return self._facts.keeping

    @property
    def recording(self) -> bool:
        """Whether something is being recorded."""
        return self._facts.recording

    @property
    def marks(self) -> list[tuple[float, str]]:
        """(t [s], text), oldest first."""
        return list(self._session.marks) if self._session is not None else []

    @property
    def gaps(self) -> list[tuple[float, float]]:
        """Spans [s] in which nothing came."""
        return list(self._session.gaps) if self._session is not None else []

    @property
    def stands_in(self) -> bool:
        """Whether it is no real bench: one that was started here, or a board
        that says so itself."""
        return self.simulated or self._facts.simulated

    def word(self, method: MethodBase) -> str:
        """What the bench does, in a method's words."""
        _, doing, stopping = method.DOES
        words = {
            "lifting": doing.lower(),
            "lowering": stopping.lower(),
            "preparing": "setting up",
            "stopping": "STOP not confirmed",
        }
        return words.get(self.state, self.state)

    @property
    def shared(self) -> bool:
        """Whether it is a life test's, which is only looked at here."""
        return self.link is not None and self.port.startswith("unix:")

    @property
    def name(self) -> str:
        """What is connected, in words."""
        return "Life test" if self.shared else self.port or "No bench"

    def has_no_end(self, method: MethodBase) -> bool:
        """Whether a run goes on until somebody ends it: neither the bench nor its time does."""
        return not self._facts.times and math.isinf(method.course[1])

    @property
    def live(self) -> Ring | None:
        """The ring while samples come; none once the bench was let go or lost: what it last showed
        is no reading.
        """
        return self.ring if self.state not in ("off", "connecting", "lost") else None

    @property
    def tally(self) -> Tally | None:
        """What the line was worth."""
        return self.link.tally() if self.link else None

    def rested_since(self, step: int) -> datetime:
        """When the rest of a step that drives nothing began; now, if it has just."""
        if self._rests is None or self._rests[0] != step:
            self._rests = step, datetime.now(UTC)
        return self._rests[1]

    # --- commands ---------------------------------------------------------------------------------

    def send(self, command: str) -> bool:
        """A command that changes nothing of what is known here (`weigh 2`)."""
        return self._session is not None and self._session.send(command)

    def stop(self) -> None:
        """Asks the bench to stop, whatever it does, until it says that it has. Not an emergency
        stop.
        """
        self._do(lambda s: s.stop())
        self.stop_asked.emit()

    def zero(self, clear: str = "") -> None:
        """Tares; first `clear` (`hang 0`)."""
        if not self._do(lambda s: s.zero(clear)):
            self.said.emit("The bench is not at rest: not tared.")

    def lower(self) -> None:
        """Lets the hook down that a stop left halfway."""
        self._do(lambda s: s.lower())

    def lift(
        self,
        run: Run,
        test_id: int,
        path: Path,
        setting: tuple[str, float] | None = None,
        seconds: float | None = None,
    ) -> None:
        """Sets what is to hang, records and drives; see `Session.lift`."""

        def begin(s: Session) -> bool:
            s.guard = self.guard
            return s.lift(run, test_id, path, setting, seconds)

        self._do(begin)

    def record(self, path: Path, note: dict[str, Any]) -> bool:
        """Begins a recording that drives nothing; whether it began."""
        return bool(self._do(lambda s: s.record(path, note)))

    def end_recording(self) -> None:
        """Ends what `record` began."""
        self._do(lambda s: s.end_recording())

    def finish(self) -> None:
        """Ends a capture by hand, for benches that take no commands."""
        self._do(lambda s: s.finish())

    def mark(self, text: str, at: float | None = None) -> None:
        """Marks a moment of the bench's clock [s]; the present one without."""
        self._do(lambda s: s.mark(text, at))
        self.arrived.emit()

    def _do(self, what: Callable[[Session], Any]) -> Any:
        """Does it, and lets the window know at once what has come of it."""
        if self._session is None or self.link is None:
            return False
        done = what(self._session)
        self._facts = self._session.facts()
        self._drain()
        if self._facts.stop_wanted and self.state == "lost":
            self.state_changed.emit()  # in words only
        return done

    # --- what the session tells -------------------------------------------------------------------

    def _drain(self) -> None:
        new = False
        while self._queue:
            if self._session is not None:
                self._facts = self._session.facts()
            kind, what = self._queue.popleft()
            if kind == "block":
                t, values, channels = what
                if self.ring is None or self.ring.channels != channels:
                    self.ring = Ring(channels)
                self.ring.add(t, values)
                new = True
            elif kind == "state":
                self._set_state(what)
            elif kind == "answer":
                self.state_changed.emit()
            elif kind in ("word", "said", "recorded", "kept"):
                {
                    "word": self.happened,
                    "said": self.said,
                    "recorded": self.recorded,
                    "kept": self.kept,
                }[kind].emit(what)
            elif kind == "gap":
                new = True
        if new:
            self.arrived.emit()

    def _set_state(self, state: State) -> None:
        if state != self.state:
            self.state = state
            self.state_changed.emit()
