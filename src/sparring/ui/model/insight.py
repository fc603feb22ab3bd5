"""What the desk's test tells beside its points, worked out off the window's thread: first from the
points, then with the thermal figures that its recordings tell.
"""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from sparring.core.performance.heat import Heat
from sparring.core.performance.whole import Whole, whole
from sparring.exchange.deriving import heat_of
from sparring.ui.model import background
from sparring.ui.model.desk import Desk


class Insight(QObject):
    """`changed` when `found` is of another result, worked out or still without; failed: why it
    could not be.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.found: Whole | None = None
        self.failed = ""
        self._heat: tuple[object, Heat | None] = (None, None)

    def refresh(self) -> None:
        """Follows the desk's result."""
        result = self.desk.result
        if result is None or not result.steps:
            self.found = None
            self.changed.emit()
            return
        if self.found is not None and self.found.result is result and self.found.complete:
            self.changed.emit()
            return
        book, test, runs = self.desk.book, self.desk.test_id, len(self.desk.runs)
        about = (book, test, runs, result.build)
        known = self._heat[1] if self._heat[0] == about else None

        self.found, self.failed = Whole(result), ""  # its points are there at once
        self.changed.emit()

        def work() -> Whole:
            return whole(result, known)

        def done(found: Whole) -> None:
            if self.desk.result is not result:
                return
            self.found = found
            self.changed.emit()
            if known is None and book is not None and test and result.build.has_motor:
                background.run(
                    lambda: heat_of(book, test), lambda heat: self._told(about, heat), self._failed
                )

        background.run(work, done, self._failed)

    def _told(self, about: tuple[object, ...], heat: Heat) -> None:
        """The recordings have told how the motor warms."""
        self._heat = about, heat
        found, result = self.found, self.desk.result
        if not any(heat.told) or found is None or found.result is not result:
            return

        def done(again: Whole) -> None:
            if self.desk.result is again.result:
                self.found = again
                self.changed.emit()

        background.run(lambda: whole(found.result, heat), done, self._failed)

    def _failed(self, err: Exception) -> None:
        self.failed = str(err)
        self.desk.said.emit(self.failed)
        self.changed.emit()
