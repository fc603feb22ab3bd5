"""What a tester says of a run while it goes on: a mark with a word, a part that broke, a photo. All
of it on the strip at the bottom; nothing covers the chart, and nothing waits for it.
"""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QFileDialog

from sparring.bench.states import MOVING
from sparring.core.events import answerable, seen_by_a_person, with_seen
from sparring.core.happening import Happening
from sparring.core.run import Run
from sparring.logbook import photos
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.pages.run.by_eye import EyePanel
from sparring.ui.pages.run.word_strip import KEYS, WordStrip

MARKS = ("click heard", "grinding", "smell", "tooth skipped", "touched")
PICTURES = (".jpg", ".jpeg", ".png", ".webp")


class Noted(QObject):
    """Asks on the strip, and keeps what is answered with the run. `changed()`: what is said of one
    that is being read.
    """

    changed = pyqtSignal()

    def __init__(self, desk: Desk, session: BenchSession, strip: WordStrip) -> None:
        super().__init__(strip)
        self.desk, self.session, self.strip = desk, session, strip
        self._waiting: list[Path] = []  # photos of a run that is not in the logbook yet
        self.events: list[Happening] = []  # seen in that run
        self.part = ""  # that broke in it
        self.by_eye = False  # a run is being read: what is said belongs to it

    def follow(self, eye: EyePanel) -> None:
        """Asks where the panel wants to know what happened, and tells it what was answered."""
        eye.asked.connect(self.happened)
        self.changed.connect(lambda: eye.say(self.events, self.part))
        self.strip.opened.connect(lambda on: eye.table.setHidden(on))

    @property
    def _going_on(self) -> bool:
        """A run is under way; one that is over may still be on its way into the logbook."""
        s = self.session
        return s.state in MOVING or s.recording or s.keeping

    def broke(self) -> None:
        """Stops, and asks which part gave way in this run."""
        desk, going_on = self.desk, self._going_on
        before = {r.id for r in desk.runs}
        self.session.stop()
        if not going_on and not self.by_eye and not desk.runs:
            desk.said.emit("There is no run yet in which a part could have broken.")
            return

        def answered(part: str) -> None:
            new = [r for r in desk.runs if r.id not in before] if going_on else desk.runs
            if self.by_eye or not new:  # the run is still to come
                self.part = part
                self.changed.emit()
            elif new[-1].run.broke != part:
                desk.note_break(new[-1], part)

        parts = dict.fromkeys(limit.name for limit in desk.build.limits)
        self.strip.ask("What broke?", list(parts)[:KEYS], answered, keyboard=self.by_eye)

    def happened(self) -> None:
        """Asks what was seen to happen, of all that a person can answer for."""
        desk, going_on = self.desk, self._going_on
        if not going_on and not self.by_eye and not desk.runs:
            desk.said.emit("There is no run yet in which something could have happened.")
            return
        ring = self.session.live
        at = float(ring.t[-1]) if going_on and ring is not None and ring.count else 0.0
        seen = {d.title: d.id for d in answerable(desk.build, desk.rig)}

        def answered(word: str) -> None:
            self._take(seen_by_a_person(seen[word], at), going_on)
            if seen[word] == "breakage":
                self.broke()

        words = list(seen)[:KEYS]
        self.strip.ask("What happened?", words, answered, only=True, keyboard=self.by_eye)

    def _take(self, event: Happening, going_on: bool) -> None:
        """Keeps an event with the run that is read or under way, else with the newest; said again
        of one that is being read, it is taken back.
        """
        if self.by_eye:
            before = [e for e in self.events if e.id != event.id]
            self.events = before if len(before) < len(self.events) else [*self.events, event]
            self.changed.emit()
        elif going_on:
            self.events.append(event)
            self.session.mark(event.title, event.at)
        else:
            self._keep_events([event])

    def _keep_events(self, events: list[Happening]) -> None:
        """With the newest run."""
        stored = self.desk.runs[-1]
        after = with_seen(stored.run, events)
        self.desk.edit_run(stored, after, "noting what happened")
        what = ", ".join(e.title.lower() for e in events)
        self.desk.said.emit(f"{what[:1].upper()}{what[1:]}: kept with run {stored.run.repeat}.")

    def of_the_run_read(self, run: Run) -> Run:
        """A run that was read, with all that was said of it."""
        events, part = self.events, self.part
        self.events, self.part = [], ""
        self.changed.emit()
        return with_seen(run, events).model_copy(update={"broke": part} if part else {})

    def mark(self) -> None:
        """Marks this moment with a word, which may come later; the run goes on."""
        ring = self.session.live
        if ring is None or not ring.count:
            self.desk.said.emit("There is nothing to mark: no bench is connected.")
            return
        at = float(ring.t[-1])

        def answered(word: str) -> None:
            self.session.mark(word, at)
            if word not in words:  # the newest of one's own come first
                self.desk.settings.setValue("run/words", [word, *words][:KEYS])

        kept = self.desk.settings.value("run/words", [])
        own = [kept] if isinstance(kept, str) else list(kept or [])
        words = list(dict.fromkeys([*own, *MARKS]))[:KEYS]
        self.strip.ask("Heard or seen:", words, answered)

    def photo(self, path: Path) -> None:
        """Keeps a picture with the run under way, else with the newest."""
        desk = self.desk
        if QPixmap(str(path)).isNull():
            desk.said.emit(f"{path.name} is not a readable picture; use a JPEG or PNG.")
        elif self._going_on:
            self._waiting.append(path)
            desk.said.emit(f"{path.name} is kept with this run when it is over.")
        elif not desk.runs:
            desk.said.emit("There is no run yet that a photo could belong to.")
        else:
            self._keep(path)

    def choose_photo(self) -> None:
        """Asks for a picture; not while something moves, when it can still be dropped."""
        if self.session.state in MOVING:
            self.desk.said.emit("Drop the photo on this page: no dialog opens while it moves.")
            return
        kinds = " ".join(f"*{suffix}" for suffix in PICTURES)
        name, _ = QFileDialog.getOpenFileName(
            self.strip, "Photo of the newest run", "", f"Pictures ({kinds})"
        )
        if name:
            self.photo(Path(name))

    def kept(self) -> None:
        """A run has come into the logbook: its photos follow."""
        waiting, self._waiting = self._waiting, []
        for path in waiting:
            self._keep(path)
        events, self.events = self.events, []
        if events and self.desk.runs:
            self._keep_events(events)
        part, self.part = self.part, ""
        if part and self.desk.runs:
            self.desk.note_break(self.desk.runs[-1], part)

    def _keep(self, path: Path) -> None:
        desk = self.desk
        if desk.book is None or not desk.runs:
            return
        stored = desk.runs[-1]
        try:
            name = photos.keep(desk.book.folder, path, f"{desk.build.name} run {stored.id}")
        except photos.PhotoError as err:
            desk.said.emit(str(err))
            return
        after = stored.run.model_copy(update={"photos": (*stored.run.photos, name)})
        desk.edit_run(stored, after, "adding a photo")
        desk.said.emit(f"{name} is kept with run {stored.run.repeat}.")
