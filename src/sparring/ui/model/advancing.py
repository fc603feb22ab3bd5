"""Runs that begin by themselves, one after the other, until somebody holds them."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from sparring.core.run import Run

_PAUSE = 3  # [s] before a run begins by itself, in which it can be held


class Advance(QObject):
    """Counts down to the next run after one that went well. `due`: it may begin; `ticked`: a second
    of the countdown has gone by.
    """

    due = pyqtSignal()
    ticked = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.wanted = False  # the newest run went well, and its next has not begun
        self.left = 0  # [s]
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(self._tick)

    def after(self, run: Run) -> None:
        """A run was kept."""
        self.wanted = run.ended in ("top", "stalled") and not run.broke

    def count(self) -> None:
        """The next could begin now: counts down, unless it does already."""
        if self.wanted and not self._timer.isActive():
            self.left = _PAUSE
            self._timer.start()

    def hold(self) -> None:
        """Nothing begins by itself until another run went well."""
        self.wanted, self.left = False, 0
        self._timer.stop()

    def _tick(self) -> None:
        self.left -= 1
        if self.left > 0:
            self.ticked.emit()
            return
        self.hold()
        self.due.emit()
