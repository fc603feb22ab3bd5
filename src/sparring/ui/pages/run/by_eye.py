"""Reading by eye: what to set and what to read, one figure after the other, and all that was read
so far.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QShowEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from sparring.core.by_eye import REACTION, ByEye
from sparring.core.quantity import Measured
from sparring.core.records import Q, RecordError, problems
from sparring.ui.model.desk import Desk
from sparring.ui.theme import theme
from sparring.ui.widgets.parts import Table, note
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredRun

_WORDS = {name: words for words, name in ByEye.FIELDS}
# figures that tell the speed, by how a tester says it
_WAYS = {
    "angle and time": ("turned", "time"),
    "way and time": ("travel", "time"),
    "tachometer": ("speed",),
}
_SPEED = {name for names in _WAYS.values() for name in names}
# half-widths (95 %) [SI] at first: of a pointer over a printed scale, a hand on a clock, the last
# digits of usual displays (common practice, no source)
_USUAL = {
    "turned": math.radians(5),
    "travel": 2e-3,
    "time": 2 * REACTION,
    "speed": 0.1,
    "voltage": 0.05,
    "current": 0.01,
    "force": 0.1,
    "load_voltage": 0.05,
    "load_current": 0.01,
}
_KEY = "eye"  # of what is remembered


class _Figure(NamedTuple):
    """A figure's field, and the ± it has when none is typed with it."""

    name: str
    label: Label
    field: QuantityField
    doubt: QuantityField
    within: QWidget  # the ± and its sign


class EyePanel(QFrame):
    """`entered(readings, ended)`: a run was read to its end; `corrected(stored, run)`: one of those
    before was put right.
    """

    entered = pyqtSignal(object, str)
    corrected = pyqtSignal(object, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self.figures: list[_Figure] = []
        self._laid: tuple[object, ...] = ()
        self._where = ""  # which run comes next; "": none
        self._why = ("", "")  # then
        self._correcting: StoredRun | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        top = QHBoxLayout()
        self.prompt = Label()
        self.prompt.setStyleSheet("font-size: 34px; font-weight: bold;")
        self.prompt.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        top.addWidget(self.prompt, 1)
        self.way = QComboBox()
        self.way.setAccessibleName("Speed by")
        self.way.setToolTip(tip("What tells how fast the output turned."))
        self.way.currentTextChanged.connect(self._way_chosen)
        top.addWidget(self.way)
        column.addLayout(top)
        self.hint = note("")
        column.addWidget(self.hint)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(12)
        self.grid.setVerticalSpacing(2)
        column.addLayout(self.grid)
        buttons = QHBoxLayout()
        self.keep, self.stalled = QPushButton("Keep this run"), QPushButton("It &stalled")
        self.keep.clicked.connect(lambda: self.finish("top"))
        self.stalled.clicked.connect(lambda: self.finish("stalled"))
        self.stalled.setToolTip(tip("It did not move, or stopped on its way. Kept as a stall."))
        self.leave = QPushButton("Leave as it was")
        self.leave.clicked.connect(self._leave)
        for button in (self.keep, self.stalled, self.leave):
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.said = note("")
        column.addWidget(self.said)
        self._column = column
        self.table = self._table(())
        desk.units_changed.connect(self._units)
        theme.changed.connect(self.update)

    # --- what is asked for ------------------------------------------------------------------------

    def ask(self, step: str, does: str, repeat: int, repeats: int) -> None:
        """The run that comes next. step: what is hung or set, as it is named."""
        where = f"{does.lower()} {repeat}" + (f" of {repeats}" if repeat <= repeats else "")
        rested, self._where = not self._where, f"{step}, {where}" if step else where
        self._lay()
        self.keep.setText(f"Keep this {does.lower()}" if self.figures else "It got to the top")
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

    def _wanted(self) -> tuple[str, ...]:
        method = self.desk.rig.method
        if not method.BY_EYE:
            return ()
        return (*_WAYS[self.way.currentText()], *method.BY_EYE)

    def _ways(self) -> dict[str, tuple[str, ...]]:
        """Those that tell the speed with this method: the way of the load does with some."""
        method = self.desk.rig.method
        by_way = method.turned(method.figures(), 1.0) is not None
        return {way: names for way, names in _WAYS.items() if by_way or "travel" not in names}

    def _offer_ways(self) -> None:
        ways = list(self._ways())
        if ways == [self.way.itemText(i) for i in range(self.way.count())]:
            return
        chosen = str(self.desk.settings.value(f"{_KEY}/way", ways[0]))
        self.way.blockSignals(True)
        self.way.clear()
        self.way.addItems(ways)
        self.way.setCurrentText(chosen if chosen in ways else ways[0])
        self.way.blockSignals(False)

    def _lay(self) -> None:
        """Fields for what this method asks, unless they are there already."""
        self._offer_ways()
        wanted = self._wanted()
        if self._laid == (wanted,):
            return
        self._laid = (wanted,)
        for figure in self.figures:
            for widget in (figure.label, figure.field, figure.within):
                self.grid.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        self.figures = [self._figure(n, name) for n, name in enumerate(wanted)]
        self.way.setVisible(bool(wanted))
        self._column.removeWidget(self.table)
        self.table.deleteLater()
        self.table = self._table(wanted)
        before: QWidget = self.way
        for field in [f.field for f in self.figures] + [f.doubt for f in self.figures]:
            QWidget.setTabOrder(before, field)
            before = field

    def _table(self, wanted: tuple[str, ...]) -> Table:
        head = ["run", *(_WORDS[name].lower() for name in wanted), "ended"]
        table = Table(head, "Runs read by eye", narrow_columns=0)
        table.setToolTip(tip("Double-click, or Enter, puts a line right."))
        table.activated.connect(lambda at: self._correct(at.row()))
        self._column.addWidget(table, 1)
        return table

    def _figure(self, column: int, name: str) -> _Figure:
        info = ByEye.quantity(name)
        assert info is not None
        words, unit = _WORDS[name], self._unit(name)
        label = Label(words)
        field = QuantityField(info, unit, lambda _v: None, optional=True, name=words)
        field.setPlaceholderText(unit)
        field.setStyleSheet("font-size: 20px;")
        field.setMinimumHeight(52)
        field.returnPressed.connect(lambda: self._entered(column))
        field.textEdited.connect(lambda _t: self._prompt())
        usual = self.desk.settings.value(f"{_KEY}/±{name}", _USUAL[name], type=float)

        def remember(value: Measured | None) -> None:
            self.desk.settings.setValue(f"{_KEY}/±{name}", value.value if value else 0.0)

        limits = Q(info.kind, info.unit, least=0.0)
        doubt = QuantityField(limits, unit, remember, name=f"{words}: ± of a reading")
        doubt.set_value(usual)
        doubt.setToolTip(tip("± of one reading (95 %), for figures typed without one."))
        within = QWidget()
        beside = QHBoxLayout(within)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(Label("±"))
        beside.addWidget(doubt, 1)
        for row, widget in enumerate((label, field, within)):
            self.grid.addWidget(widget, row, column)
        return _Figure(name, label, field, doubt, within)

    def _unit(self, name: str) -> str:
        info = ByEye.quantity(name)
        assert info is not None
        return str(self.desk.units.get(info.kind, info.file_unit))

    def _way_chosen(self, way: str) -> None:
        self.desk.settings.setValue(f"{_KEY}/way", way)
        self._lay()
        self._prompt()
        self._fill()
        self.begin()

    def _units(self) -> None:
        self._laid = ()
        self._lay()
        self._fill()

    def _prompt(self) -> None:
        for widget in (*self._fields(), self.keep, self.stalled):
            widget.setEnabled(bool(self._where) or self._correcting is not None)
        self.leave.setVisible(self._correcting is not None)
        if not self._where and self._correcting is None:
            self.prompt.setText(self._why[0])
            self.hint.setText(self._why[1])
            return
        missing = self._missing()
        asked = f": {_WORDS[missing.name].lower()}" if missing is not None else ""
        where = self._where if self._correcting is None else f"Put right, {self._named()}"
        self.prompt.setText(f"{where}{asked}")
        self.hint.setText(
            "Enter goes on, and keeps it after the last figure. A figure may be left out, and may"
            " have a ± of its own: 12.1 ± 0.1."
            if self.figures
            else "Watch whether it gets to the upper stop."
        )

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter presses the button that has the keyboard, as it goes on in a field."""
        button = self.focusWidget()
        enter = event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and isinstance(button, QPushButton):
            button.click()
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        QTimer.singleShot(0, self.begin)  # the page has taken the keyboard by then

    def _missing(self) -> _Figure | None:
        """The first figure that is not there, or cannot be read."""

        def there(figure: _Figure) -> bool:
            try:
                return figure.field.read() is not None
            except ValueError:
                return False

        return next((f for f in self.figures if not there(f)), None)

    def _fields(self) -> list[QuantityField]:
        return [w for f in self.figures for w in (f.field, f.doubt)]

    def begin(self) -> None:
        """The keyboard to where the next figure goes."""
        missing = self._missing()
        (missing.field if missing is not None else self.keep).setFocus()

    # --- what was read ----------------------------------------------------------------------------

    def _entered(self, column: int) -> None:
        """Enter in a field: on to the next, or all is read."""
        if not self.figures[column].field.accept():
            return
        if column + 1 < len(self.figures):
            self.figures[column + 1].field.setFocus()
        else:
            self.finish("top")

    def finish(self, ended: str) -> None:
        """Hands on what was read, or says why it cannot be one run."""
        from pydantic import ValidationError

        told = self._unseen()
        for f in self.figures:
            for field in (f.field, f.doubt):
                if not field.accept():
                    field.setFocus()
                    return
            value, half = f.field.value, f.doubt.value
            if value is not None:
                told[f.name] = (
                    value if value.u or half is None else Measured(value.value, half.value / 2)
                )
        if ended == "stalled":  # how far it got is no speed
            told = {k: v for k, v in told.items() if k not in _SPEED}
        try:
            if ended == "top" and self.figures and not {"turned", "travel", "speed"} & told.keys():
                raise RecordError(
                    "nothing tells how fast it turned; read that, or press It stalled"
                )
            read = ByEye.model_validate(told)
        except ValidationError as err:
            self._refuse(problems(err, "").replace("the whole record: ", ""))
            return
        except RecordError as err:
            self._refuse(str(err))
            return
        self._clear()
        stored, self._correcting = self._correcting, None
        if stored is None:
            self.entered.emit(read, ended)
        else:
            after = stored.run.model_copy(update={"read": read, "ended": ended})
            self.corrected.emit(stored, after)

    def _unseen(self) -> dict[str, Measured]:
        """What the run that is put right holds beyond the fields; its speed is told by those."""
        read = None if self._correcting is None else self._correcting.run.read
        seen = _SPEED | {f.name for f in self.figures}
        names = [] if read is None else [n for n in _WORDS if n not in seen]
        return {n: value for n in names if (value := getattr(read, n)) is not None}

    def _clear(self) -> None:
        self.said.setText("")
        for f in self.figures:
            f.field.setModified(False)
            f.field.set_value(None)

    def _leave(self) -> None:
        """Nothing is put right after all."""
        self._correcting = None
        self._clear()
        self._prompt()
        self.begin()

    def _correct(self, row: int) -> None:
        """Lays what was read of a run into the fields, to be put right."""
        stored = self._listed()[row]
        self._correcting = stored
        by = (way for way, names in self._ways().items() if getattr(stored.run.read, names[0]))
        if (way := next(by, self.way.currentText())) != self.way.currentText():
            self.way.setCurrentText(way)
        for f in self.figures:
            f.field.setModified(False)
            f.field.set_value(getattr(stored.run.read, f.name))
        for widget in (*self._fields(), self.keep, self.stalled):
            widget.setEnabled(True)
        self._prompt()
        if self.figures:
            self.figures[0].field.setFocus()
            self.figures[0].field.selectAll()

    def _listed(self) -> list[StoredRun]:
        runs = reversed(self.desk.runs)
        return [r for r in runs if r.run.read is not None and not r.struck]

    def _named(self) -> str:
        """The run that is put right."""
        assert self._correcting is not None
        run, d = self._correcting.run, self.desk
        step = d.step_name(run.step) if d.rig.method.STEP else ""
        return f"{step} · {run.repeat}".strip(" ·")

    def _refuse(self, why: str) -> None:
        self.said.setText(why[:1].upper() + why[1:] + ".")
        self.begin()

    def _fill(self) -> None:
        """All runs of the test that were read, the newest first."""
        d, correcting = self.desk, self._correcting
        if correcting is not None and correcting.id not in {r.id for r in d.runs}:
            self._leave()  # another test is on the desk
        rows = []
        for run in (r.run for r in self._listed()):
            step = d.step_name(run.step) if d.rig.method.STEP else ""
            row = [f"{step} · {run.repeat}".strip(" ·")]
            for f in self.figures:
                value, info = getattr(run.read, f.name), ByEye.quantity(f.name)
                assert info is not None
                row.append(d.show(value, info.kind))
            rows.append([*row, "stalled" if run.ended == "stalled" else "lifted"])
        self.table.fill(rows)
