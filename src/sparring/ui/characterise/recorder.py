"""Recording for readings: from the connected bench, a simulated set-up, or a log; what it holds
goes to whoever wants it.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QWidget

from sparring.core.characterise import Method
from sparring.core.instruments import calibration
from sparring.core.live import Instruments
from sparring.core.plant.fixtures import FIXTURES
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.inputs import instruments_of
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.widgets.files import file_filter
from sparring.ui.widgets.plain import Label, tip

_DECIMALS = {"speed": 0, "torque": 3, "current": 3}  # of live figures; others 2


class ReadingRecorder(QWidget):
    """Buttons and the live figures of the channels that a way of measuring reads."""

    said = pyqtSignal(str)

    def __init__(
        self,
        desk: Desk,
        session: BenchSession,
        take: Callable[[Recording, str], bool],
        kept_as: Callable[[], str],
    ) -> None:
        """take: is handed each recording and where it came from; says whether it is safe now.
        kept_as: the record it is made for, so that one cut off by a crash finds it.
        """
        super().__init__()
        self.desk, self.session, self.take = desk, session, take
        self.method: type[Method] | None = None
        self._begun: float | None = None
        self._kept_as = kept_as
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.go = QPushButton("Record")
        self.go.setToolTip(
            tip("Records from the bench until complete, or until pressed again (Ctrl+Enter)")
        )
        self.go.clicked.connect(self.toggle)
        # of its own: a button's goes with its text
        self.key = QShortcut(QKeySequence("Ctrl+Return"), self)
        self.key.activated.connect(self.toggle)
        self.simulate = QPushButton("Simulated setup")
        self.simulate.setToolTip(tip("Starts a simulated bench for this measurement"))
        self.simulate.clicked.connect(self.start_simulated)
        self.log = QPushButton("From a log …")
        self.log.clicked.connect(lambda: self.open_log())
        for button in (self.go, self.simulate, self.log):
            button.setAutoDefault(False)
            row.addWidget(button)
        self.live = Label()
        row.addWidget(self.live, 1)
        session.arrived.connect(self._show)
        session.state_changed.connect(self._show)
        session.happened.connect(self._happened)
        session.recorded.connect(self._recorded)

    def set_method(self, method: type[Method]) -> None:
        self.method = method
        self.setVisible(bool(method.CHANNELS))
        self.simulate.setVisible(method.ID in FIXTURES)
        self._show()

    # --- the bench --------------------------------------------------------------------------------

    def start_simulated(self, *, speed: float = 1.0) -> None:
        if self.method is not None:
            self.session.simulate(
                self.desk.build, self.desk.rig, readings=FIXTURES[self.method.ID].KEY, speed=speed
            )

    def _set_up(self) -> bool:
        """Whether the bench is the simulated set-up for these readings."""
        fixture = FIXTURES.get(self.method.ID) if self.method is not None else None
        return (
            fixture is not None and self.session.simulated and self.session.simulates == fixture.KEY
        )

    def toggle(self) -> None:
        """Begins a recording, or ends it and hands it over."""
        ring, book, method = self.session.ring, self.desk.book, self.method
        if self._begun is not None:
            self.session.send("stop")
            self.end()
            return
        if ring is None or not ring.count or book is None or method is None:
            return
        note = {"readings": method.ID, "kept_as": self._kept_as(), "source": self.session.port}
        if self.session.record(book.capture_path(), note):
            self._begun = float(ring.t[-1])
            # a board is not set going from here: what turns, turns by the tester's hand
            if self._set_up():
                self.session.send("up")
            self._show()

    def end(self) -> None:
        """Ends a recording that is under way and hands it over."""
        if self._begun is not None:
            self.session.end_recording()

    def _happened(self, word: str) -> None:
        if word.split(" ")[0] in ("top", "stalled", "limit"):
            self.end()

    def _recorded(self, stream: Path) -> None:
        from sparring.logbook.recordings import RecordingError, read_stream

        if self._begun is None:
            # begun by another: the dialog of earlier readings, or the one that came after it
            return
        self._begun = None
        self._show()
        try:
            recording, note = read_stream(stream)
        except RecordingError as err:
            self.said.emit(str(err))
            return
        if self.take(recording, note["source"]):
            stream.unlink()  # else the next start finds it again

    def as_true(self, recording: Recording) -> Recording:
        """The recording as the rig's instruments say it truly was: meters by their comparisons, a
        raw cell in newtons by its calibration. Raises ValueError where one of them gives no line.
        """
        rig = self.desk.rig
        recording = instruments_of(rig.sensors).corrected(recording)
        if not recording.has("cell") or recording.has("force") or rig.calibration is None:
            return recording
        calibration.fit(rig.calibration, rig.gravity.value)  # says what is wrong with it
        tare = self.session.tare.value if self.session.tare is not None else None
        force = Instruments(rig).force(recording.channels["cell"], tare)
        return Recording(
            recording.t, {**recording.channels, "force": force}, recording.gaps, recording.lost
        )

    def _show(self) -> None:
        s, method = self.session, self.method
        ready = (
            s.ring is not None
            and s.ring.count > 0
            and s.state == "ready"
            and self.desk.book is not None
        )
        self.go.setEnabled(ready)
        self.go.setText("Record" if self._begun is None else "Stop and use the readings")
        if method is None or s.ring is None or not ready:
            self.live.setText(
                {"connecting": "waiting for the bench", "lost": "the bench is lost"}.get(
                    s.state, "no bench connected"
                )
            )
            return
        parts = []
        for channel in (c for c in method.CHANNELS if c in s.ring.channels):
            label, kind = CHANNELS[channel].label, CHANNELS[channel].kind
            newest, places = float(s.ring.values(channel)[-1]), _DECIMALS.get(kind, 2)
            parts.append(f"{label.lower()} {self.desk.show(newest, kind, decimals=places)}")
        missing = [
            CHANNELS[c].label.lower()
            for c in method.CHANNELS
            if c not in s.ring.channels and c != "force"
        ]
        if missing:
            parts.append(f"this bench sends no {', no '.join(missing)}")
        if self._begun is not None:
            parts.append(f"{s.ring.t[-1] - self._begun:.0f} s recorded")
        self.live.setText("   ".join(parts))

    # --- a log ------------------------------------------------------------------------------------

    def open_log(self, path: Path | None = None) -> None:
        """Asks for a log and for what its columns are, and hands it over."""
        from sparring.exchange.imports import LOGS, log_format
        from sparring.files.log_look import LogError
        from sparring.ui.widgets.import_dialog import ImportDialog

        method = self.method
        if method is None:
            return
        if path is None:
            name, _ = QFileDialog.getOpenFileName(
                self, "Log of these readings", "", file_filter(LOGS)
            )
            if not name:
                return
            path = Path(name)
        form = log_format(path)
        try:
            look = form.look(path)
        except LogError as err:
            self.said.emit(str(err))
            return
        wanted = tuple(c for c in method.CHANNELS if c not in ("motor_speed", "force"))
        dialog = ImportDialog(
            self.desk,
            look,
            self,
            needs=wanted,
            act="Use the readings",
            into=f"It is converted to readings: {method.TITLE.lower()}.",
        )

        def accepted() -> None:
            dialog.remember()
            try:
                recording, remarks = log_format(path).read(
                    look, dialog.mapping(), lambda _part: None
                )
            except LogError as err:
                self.said.emit(str(err))
                return
            self.take(recording, path.name)
            if remarks:
                self.said.emit(" ".join(remarks))

        dialog.accepted.connect(accepted)
        dialog.open()
        self.dialog = dialog
