"""Reading by eye: what to set and what to read, one figure after the other, and all runs so far."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout

from sparring.core.by_eye import ByEye
from sparring.core.events import BY_A_PERSON
from sparring.core.happening import Happening
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, problems
from sparring.ui.model.desk import Desk
from sparring.ui.pages.run.figures import KEY, WORDS, Figures
from sparring.ui.pages.run.timing import Timing
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.leave_out import ask_why
from sparring.ui.widgets.parts import Table, note
from sparring.ui.widgets.plain import Label, tip

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredRun

# figures that tell the speed, by how a tester says it
_WAYS = {
    "angle and time": ("turned", "time"),
    "travel and time": ("travel", "time"),
    "tachometer": ("speed",),
    "input turns and time": ("input_turned", "time"),
    "tachometer on the input": ("motor_speed",),
}
_OF_INPUT = ("input_turned", "motor_speed")  # of a drive without a motor
_SPEED = {name for names in _WAYS.values() for name in names}
_NOTICED_WORDS = ("hot to the touch", "smells", "bends", "unusual sound")
_ASKED = ("Hot to the tou&ch?", "S&mells?", "&Bends?", "&Odd sound?")
_ALARM = {
    "hot to the touch": ("let it cool before the next run; above 60 °C it is too hot to touch"),
    "smells": "something is burning; find the hot part before the next run",
    "bends": "keep clear; stiffen it before the next run",
    "unusual sound": "inspect the teeth and the bearings before the next run",
}


def _sentence(words: str) -> str:
    return f"{words[0].upper()}{words[1:]}." if words else ""


class EyePanel(QFrame):
    """`entered(readings, ended)`: a run was read to its end; `corrected(stored, run)`: one of those
    before was put right; `asked()`: something happened, and which event it was is to be asked.
    """

    entered = pyqtSignal(object, str)
    asked = pyqtSignal()
    corrected = pyqtSignal(object, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self._laid: tuple[str, ...] | None = None
        self._where = ""  # which run comes next; "": none
        self._why = ("", "")  # then
        self._correcting: StoredRun | None = None
        # the way and the figures of the next run, while another is put right
        self._put_aside: tuple[str, dict[str, str]] = ("", {})
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        top = QHBoxLayout()
        self.prompt = Label()
        self.prompt.setStyleSheet("font-size: 34px; font-weight: bold;")
        self.prompt.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        top.addWidget(self.prompt, 1)
        self.way = Choice()
        self.way.setAccessibleName("Speed by")
        self.way.setToolTip(tip("How the output speed is read."))
        self.way.currentTextChanged.connect(self._way_chosen)
        top.addWidget(self.way)
        column.addLayout(top)
        self.hint = note("")
        self.hint.setMinimumHeight(2 * self.hint.fontMetrics().lineSpacing())  # nothing moves
        column.addWidget(self.hint)
        self.figures = Figures(desk)
        self.figures.entered.connect(lambda: self.finish("top"))
        self.figures.typed.connect(self._prompt)
        column.addWidget(self.figures)
        self.timing = Timing(desk)
        self.timing.timed.connect(self._timed)
        self.timing.tapped.connect(self._tapped)
        column.addLayout(self._buttons())
        self.said = note("")
        column.addWidget(self.said)
        self._column = column
        self.table = self._table(())
        desk.units_changed.connect(self._units)
        theme.changed.connect(self.update)

    def _buttons(self) -> QVBoxLayout:
        self.keep, self.stalled = QPushButton("Save this run"), QPushButton("It &stalled")
        self.keep.clicked.connect(lambda: self.finish("top"))
        self.stalled.clicked.connect(lambda: self.finish("stalled"))
        self.stalled.setToolTip(tip("It did not move, or stopped on the way. Saved as a stall."))
        self.leave = QPushButton("Discard changes")
        self.leave.clicked.connect(self._leave)
        acts, asked = QHBoxLayout(), QHBoxLayout()
        for button in (self.keep, self.stalled, self.leave):
            acts.addWidget(button)
        acts.addStretch(1)
        acts.addWidget(self.timing)
        self.noticed: dict[str, QPushButton] = {}
        asked.addWidget(Label("Noticed:"))
        for what, words in zip(_NOTICED_WORDS, _ASKED, strict=True):
            button = QPushButton(words)
            button.setCheckable(True)
            button.setToolTip(tip(f"Saved with the run. Then {_ALARM[what]}."))
            button.toggled.connect(self._prompt)
            button.clicked.connect(self.begin)
            self.noticed[what] = button
            asked.addWidget(button)
        self.happened = QPushButton("&What happened? …")
        self.happened.setToolTip(tip("An event that was seen or heard: slip, skip, breakage …"))
        self.happened.clicked.connect(self.asked)
        asked.addWidget(self.happened)
        asked.addStretch(1)
        self.out = QPushButton("Exclude the selected run …")
        self.out.clicked.connect(self._leave_out)
        asked.addWidget(self.out)
        both = QVBoxLayout()
        both.addLayout(acts)
        both.addLayout(asked)
        return both

    # --- what is asked for ------------------------------------------------------------------------

    def ask(self, step: str, repeat: int, repeats: int) -> None:
        """The run that comes next. step: what is hung or set, as it is named."""
        where = f"run {repeat}" + (f" of {repeats}" if repeat <= repeats else "")
        rested, self._where = not self._where, f"{step}, {where}" if step else where
        self._lay()
        self.keep.setText("Save this run" if self._laid else "It reached the top")
        self._prompt()
        self._fill()
        if rested and self.isVisible():
            self.begin()

    def rest(self, why: str, hint: str) -> None:
        """Nothing is to be read now."""
        self._where, self._why = "", (why, hint)
        self._lay()
        self._prompt()
        self._fill()

    @property
    def _by_way(self) -> bool:
        """Whether one of several ways tells the speed."""
        method = self.desk.rig.method
        return not (method.STANDS or method.HELD or method.ACCELERATES)

    def _wanted(self) -> tuple[str, ...]:
        way = _WAYS[self.way.currentText()] if self._by_way else ()
        build, read = self.desk.build, self.desk.rig.method.BY_EYE
        if not build.has_motor:
            read = tuple(name for name in read if name not in ("voltage", "current"))
            read = (*(("input_force",) if build.input_arm is not None else ()), *read)
        return (*way, *read)

    def _ways(self) -> dict[str, tuple[str, ...]]:
        """Those that tell the speed with this method: the way of the load does with some."""
        method = self.desk.rig.method
        by_way = method.turned(method.figures(), 1.0) is not None
        own = self.desk.build.has_motor
        found = {
            way: names
            for way, names in _WAYS.items()
            if (by_way or "travel" not in names) and not (own and set(_OF_INPUT) & set(names))
        }
        # what turns it is in the hand: that is what is counted first
        return found if own else dict(sorted(found.items(), key=lambda w: w[1][0] not in _OF_INPUT))

    def _offer_ways(self) -> None:
        ways = list(self._ways())
        if ways == [self.way.itemText(i) for i in range(self.way.count())]:
            return
        chosen = str(self.desk.settings.value(f"{KEY}/way", ways[0]))
        self.way.blockSignals(True)
        self.way.clear()
        self.way.addItems(ways)
        self.way.setCurrentText(chosen if chosen in ways else ways[0])
        self.way.blockSignals(False)

    def _lay(self) -> None:
        """Fields for what this method asks, unless they are there already."""
        self._offer_ways()
        wanted, method = self._wanted(), self.desk.rig.method
        self.stalled.setVisible(not (method.HELD or method.ACCELERATES))
        if self._laid == wanted:
            return
        self._laid = wanted
        self.figures.lay(wanted, self.way)
        self.way.setVisible(self._by_way)
        self.timing.offer(
            timer=bool({"time", "coast_time"} & set(wanted)),
            taps=bool({"turned", "input_turned"} & set(wanted)),
        )
        self._column.removeWidget(self.table)
        self.table.deleteLater()
        self.table = self._table(wanted)

    def _table(self, wanted: tuple[str, ...]) -> Table:
        head = ["run", *(WORDS[name].lower() for name in wanted), "ended"]
        table = Table(head, "Runs", narrow_columns=0)
        table.setToolTip(tip("Double-click or Enter corrects a row. Del excludes it."))
        table.activated.connect(lambda at: self._correct(at.row()))
        table.itemSelectionChanged.connect(self._marked)
        self._column.addWidget(table, 1)
        return table

    def _way_chosen(self, way: str) -> None:
        self.desk.settings.setValue(f"{KEY}/way", way)
        self._lay()
        self._prompt()
        self._fill()
        self.begin()

    def _units(self) -> None:
        self._laid = None
        self._lay()
        self._fill()

    def _prompt(self) -> None:
        reads = bool(self._where) or self._correcting is not None
        widgets = (*self.figures.fields(), self.keep, self.stalled, self.timing)
        for widget in (*widgets, *self.noticed.values()):
            widget.setEnabled(reads)
        self.happened.setEnabled(bool(self._where) and self._correcting is None)
        self.leave.setVisible(self._correcting is not None)
        alarms = [what for what, button in self.noticed.items() if button.isChecked()]
        colour = theme.hex("vermilion-text") if alarms else theme.hex("ink")
        self.prompt.setStyleSheet(f"font-size: 34px; font-weight: bold; color: {colour};")
        if not reads:
            self.prompt.setText(self._why[0])
            self.hint.setText(self._why[1])
            return
        missing = self.figures.missing()
        asked = f": {WORDS[missing.name].lower()}" if missing is not None else ""
        where = self._where if self._correcting is None else f"Correct, {self._named()}"
        if alarms:
            self.prompt.setText("STOP. Cut the power.")
            said = "; ".join(f"{what}: {_ALARM[what]}" for what in alarms)
            self.hint.setText(f"{_sentence(said)} It is saved with the run.")
            return
        self.prompt.setText(f"{where}{asked}")
        self.hint.setText(
            (
                "Enter moves on, and saves the run after the last value. A value may be blank, "
                "have its own ± (12.1 ± 0.1) or be a range (between 12.0 and 12.2); a time may "
                "be video frames (312 frames at 240)."
            )
            if self._laid
            else "Watch whether it gets to the upper stop."
        )

    def say(self, events: Sequence[Happening], part: str) -> None:
        """What is said to have happened in the run that is read."""
        told = [e.title for e in events] + ([f"{part} broke"] if part else [])
        self.said.setText(f"{'; '.join(told)}: saved with this run." if told else "")
        self.begin()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter presses the button that has the keyboard, as it goes on in a field; Del leaves the
        marked run out.
        """
        button, key = self.focusWidget(), None if event is None else event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(button, QPushButton):
            button.click()
        elif key == Qt.Key.Key_Delete and button is self.table:
            self._leave_out()
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        QTimer.singleShot(0, self.begin)  # the page has taken the keyboard by then

    def begin(self) -> None:
        """The keyboard to where the next figure goes."""
        if not self.figures.begin():
            self.keep.setFocus()

    def _timed(self, time: Measured) -> None:
        """To the time that has the keyboard, else to the first that is missing."""
        times = [f for f in self.figures.shown if f.name in ("time", "coast_time")]
        empty = [f for f in times if f.field.value is None]
        place = next((f for f in times if f.field.hasFocus()), (empty or times)[0])
        self.figures.type(place.name, time)
        self.begin()

    def _tapped(self, turns: int, time: Measured) -> None:
        name = "turned" if "turned" in self.figures.names else "input_turned"
        self.figures.type(name, Measured(2 * math.pi * turns))
        self.figures.type("time", time)

    # --- what was read ----------------------------------------------------------------------------

    def finish(self, ended: str) -> None:
        """Hands on what was read, or says why it cannot be one run."""
        from pydantic import ValidationError

        typed = self.figures.read()
        if typed is None:
            return
        told = {**self._unseen(), **typed}
        if ended == "stalled":  # how far it got is no speed
            told = {k: v for k, v in told.items() if k not in _SPEED}
        if self.desk.rig.method.HELD:
            ended = "stalled"
        noticed = tuple(what for what, button in self.noticed.items() if button.isChecked())
        try:
            tells = {"turned", "travel", "speed", *_OF_INPUT} & told.keys()
            if ended == "top" and self._by_way and not tells and not self._recorded():
                raise RecordError("no reading gives the speed; enter one, or press It stalled")
            read = ByEye.model_validate({**told, "noticed": noticed})
        except ValidationError as err:
            self._refuse(problems(err, "").replace("the whole record: ", ""))
            return
        except RecordError as err:
            self._refuse(str(err))
            return
        recorded = self._recorded()
        self._clear()
        self.said.setText(_sentence("; ".join(f"{w}: {_ALARM[w]}" for w in noticed)))
        stored, self._correcting = self._correcting, None
        if stored is None:
            self.entered.emit(read, ended)
            return
        change: dict[str, object] = {"read": read if read != ByEye() else None}
        if not recorded:  # the bench knows how one that it recorded ended
            change = {"read": read, "ended": ended}
        self._lay_back()
        self.corrected.emit(stored, stored.run.model_copy(update=change))

    def _recorded(self) -> bool:
        """Whether the run that is put right has a recording, too."""
        return self._correcting is not None and bool(self._correcting.recording)

    def _unseen(self) -> dict[str, Measured]:
        """What the run that is put right holds beyond the fields; its speed is told by those."""
        read = None if self._correcting is None else self._correcting.run.read
        seen = _SPEED.union(self.figures.names)
        names = [] if read is None else [n for n in WORDS if n not in seen]
        return {n: value for n in names if (value := getattr(read, n)) is not None}

    def _clear(self) -> None:
        self.said.setText("")
        self.figures.put(None)
        self.timing.rest()
        for button in self.noticed.values():
            button.setChecked(False)

    def _leave(self) -> None:
        """Nothing is put right after all."""
        self._correcting = None
        self._clear()
        self._lay_back()
        self._prompt()
        self.begin()

    def _lay_back(self) -> None:
        """What was typed of the next run, by the way it was read."""
        way, texts = self._put_aside
        self.way.setCurrentText(way)
        self.figures.set_texts(texts)

    def _correct(self, row: int) -> None:
        """Lays what was read of a run into the fields, to be put right."""
        stored = self._listed()[row]
        if stored.struck:
            self.said.setText("It is excluded from the results; Del restores it.")
            return
        if self._correcting is None:
            self._put_aside = (self.way.currentText(), self.figures.texts())
        self._correcting, read = stored, stored.run.read
        by = (way for way, names in self._ways().items() if getattr(read, names[0], None))
        if (way := next(by, self.way.currentText())) != self.way.currentText():
            self.way.setCurrentText(way)
        self.figures.put(read)
        for what, button in self.noticed.items():
            button.setChecked(read is not None and what in read.noticed)
        self._prompt()
        if self.figures.shown:
            first = self.figures.shown[0].field
            first.setFocus()
            first.selectAll()

    # --- all runs ---------------------------------------------------------------------------------

    def _listed(self) -> list[StoredRun]:
        return list(reversed(self.desk.runs))

    def _marked(self) -> None:
        marked = self._marked_run()
        self.out.setEnabled(marked is not None)
        struck = marked is not None and marked.struck
        self.out.setText("Restore the selected run" if struck else "Exclude the selected run …")

    def _marked_run(self) -> StoredRun | None:
        row, listed = self.table.currentRow(), self._listed()
        return listed[row] if self.table.selectedItems() and row < len(listed) else None

    def _leave_out(self) -> None:
        """Leaves the marked run out of the results, with a reason, or takes it back."""
        stored = self._marked_run()
        if stored is None:
            self.said.setText("Select a run in the list first.")
            return
        if stored.struck:
            self.desk.strike([stored.id], False)
        else:
            self._asked = ask_why(self.desk, stored, self)

    def _named(self) -> str:
        """The run that is put right."""
        assert self._correcting is not None
        return self._name(self._correcting)

    def _name(self, stored: StoredRun) -> str:
        run, d = stored.run, self.desk
        step = d.run_name(run) if d.rig.method.STEP else ""
        return f"{step} · {run.repeat}".strip(" ·")

    def _refuse(self, why: str) -> None:
        self.said.setText(_sentence(why))
        self.begin()

    def _ended(self, stored: StoredRun) -> str:
        run = stored.run
        if stored.struck:
            return f"excluded: {run.left_out}" if run.left_out else "excluded"
        words = {"stalled": "stalled", "top": self.desk.rig.method.DONE}
        ended = words.get(run.ended, run.ended)
        noticed = () if run.read is None else run.read.noticed
        said = [e.title.lower() for e in run.events if e.seen == BY_A_PERSON]
        broke = [f"{run.broke} broke"] * bool(run.broke)
        return ", ".join([ended, *noticed, *said, *broke, *["recorded"] * bool(stored.recording)])

    def _fill(self) -> None:
        """All runs of the test, the newest first."""
        d, correcting = self.desk, self._correcting
        if correcting is not None and correcting.id not in {r.id for r in d.runs}:
            self._leave()  # another test is on the desk
        rows = []
        for stored in self._listed():
            row = [self._name(stored)]
            for name in self.figures.names:
                value, info = getattr(stored.run.read, name, None), ByEye.quantity(name)
                assert info is not None
                row.append("" if value is None else d.show(value, info.kind))
            rows.append([*row, self._ended(stored)])
        self.table.fill(rows)
        self._marked()
