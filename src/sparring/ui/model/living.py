"""The life test of the test on the desk: found again whenever its process goes on."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from sparring.core.endurance import Endurance
from sparring.core.instruments.devices import DeviceSet
from sparring.endurance import process
from sparring.endurance.journal import Journal, JournalError, UnderTest, journals
from sparring.logbook import LogbookError
from sparring.logbook.recovery import take_in
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession

_EVERY = 1000  # [ms] between two looks


class LifeTest(QObject):
    """`changed`: another, or it has gone on. It is watched through what its process writes, and
    seen live through what that lets others see.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        self.journal: Journal | None = None
        self.tested: UnderTest | None = None
        self._of: tuple[str, int] | None = None
        self._taken = 0  # cycles whose recordings have been taken in
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(self.look)
        desk.lists_changed.connect(self._another)
        desk.plan_changed.connect(self._another)
        self._another()

    @property
    def alive(self) -> bool:
        """Whether its process goes on."""
        return self.journal is not None and self.journal.now.alive

    def _another(self) -> None:
        """Another test may be on the desk."""
        d = self.desk
        of = (str(d.book.folder), d.test_id) if d.book is not None and d.test_id else None
        if of == self._of:
            return
        self._of, self.journal, self.tested, self._taken = of, None, None, 0
        self._timer.stop()
        if self.session.shared:  # it was that of the test before, and goes on
            self.session.disconnect_bench()
        if of is not None and d.book is not None:
            folder = journals(d.book.folder).get(d.test_id)
            if folder is not None:
                background.run(lambda: _read(folder), self._found, self._failed)
        self.changed.emit()

    def _found(self, read: tuple[Journal, UnderTest]) -> None:
        if self._of is None or read[1].test != self._of[1]:
            return  # another test is on the desk by now
        self.journal, self.tested = read
        self._timer.start()
        self.look()

    def _failed(self, err: Exception) -> None:
        self.desk.said.emit(str(err))

    def look(self) -> None:
        """Reads what is new of it; connects to what its process lets others see."""
        if self.journal is None:
            return
        try:
            self.journal.refresh()
        except JournalError as err:
            self._timer.stop()
            self.desk.said.emit(str(err))
            return
        now, s = self.journal.now, self.session
        if now.alive and now.socket and s.state == "off":
            s.connect_port(now.socket)
        elif not now.alive and s.port and s.port == now.socket and s.state != "off":
            s.disconnect_bench()
        self._take_in()
        self.changed.emit()

    def _take_in(self) -> None:
        """Cycles that were kept whole become runs of the test."""
        d, journal = self.desk, self.journal
        if journal is None or d.book is None or len(journal.cycles) == self._taken:
            return
        kept = any(c.kept for c in journal.cycles[self._taken :])
        self._taken = len(journal.cycles)
        if kept and (made := take_in(d.book)):
            d.runs_changed(made)

    # --- what a tester asks for -------------------------------------------------------------------

    def begin(self, plan: Endurance, devices: DeviceSet) -> bool:
        """A new test, whose process goes on when this window is gone; whether it was begun."""
        d = self.desk
        if d.book is None:
            return False
        self.session.disconnect_bench()
        try:
            made = process.begin(d.book, (d.build_id, d.rig_id), d.build, d.rig, plan, devices)
            process.detach(made.folder)
        except (LogbookError, JournalError, OSError) as err:
            d.said.emit(str(err))
            return False
        d.choose_test(made.tested().test)
        self._another()
        return True

    def tell(self, word: str) -> None:
        """`pause`, `resume`, `end`, `stop`; off this thread."""
        if (journal := self.journal) is not None:
            background.run(
                lambda: process.tell(journal, word), lambda _none: self.look(), self._failed
            )

    def go_on(self) -> None:
        """Has a process do it again, from where it was."""
        if self.journal is not None and not self.alive:
            process.detach(self.journal.folder)
            self.desk.said.emit("It goes on where it was, in a process of its own.")


def _read(folder: object) -> tuple[Journal, UnderTest]:
    from pathlib import Path

    journal = Journal.of(Path(str(folder)))
    return journal, journal.tested()
