"""What happens in a run, found while it goes on."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject, pyqtSignal

from sparring.core.lookout import BACK, BEFORE, EVERY, Seen, look
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession


class Watching(QObject):
    """Looks at a run under way. `happened(event)`: once for each kind of event in a run;
    `steady()`: once, when it has been steady for long enough.
    """

    happened = pyqtSignal(object)
    steady = pyqtSignal()

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        self._looked, self._busy = 0.0, False
        self._said: set[str] = set()
        self._began: float | None = None
        self.enough = False  # the run under way has been steady for long enough
        session.arrived.connect(self._look)

    def _look(self) -> None:
        s = self.session
        if s.state != "lifting" or s.ring is None or s.drive_started is None:
            return
        if s.drive_started != self._began:
            self._began, self._said, self.enough = s.drive_started, set(), False
        now = time.monotonic()
        if self._busy or now - self._looked < EVERY:
            return
        self._looked, self._busy = now, True
        ring, began = s.ring, self._began
        recording = ring.recording(max(began - BEFORE, float(ring.t[-1]) - BACK), s.gaps)
        build, rig, plan, tare = self.desk.build, self.desk.rig, self.desk.todo, s.tare

        def done(seen: Seen) -> None:
            self._busy = False
            if began != self._began:
                return
            for e in seen.events:
                if e.id not in self._said:
                    self._said.add(e.id)
                    self.happened.emit(e)
            if seen.steady and not self.enough:
                self.enough = True
                self.steady.emit()

        def failed(err: Exception) -> None:
            self._busy = False
            if "" not in self._said:  # once a run
                self._said.add("")
                self.desk.said.emit(f"Events cannot be looked for in this run: {err}")

        background.run(lambda: look(build, rig, plan, recording, tare), done, failed)
