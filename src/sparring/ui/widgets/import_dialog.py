"""What the columns of another logger's file are, and in which units."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from sparring.core import quantity
from sparring.core.recording import CHANNELS
from sparring.files import log_look
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading, note
from sparring.ui.widgets.plain import Label

if TYPE_CHECKING:
    pass


class ImportDialog(QDialog):
    """Preview, what each column is, its unit; what was chosen is remembered for the next file of
    the same logger.
    """

    CHAPTER = "results"  # of the guide

    def __init__(
        self,
        desk: Desk,
        log: log_look.LogLook,
        parent: QWidget | None = None,
        *,
        needs: tuple[str, ...] = ("speed",),
        act: str = "Import as a new test",
        into: str = "",
    ) -> None:
        """needs: channels that a column must be given to; act: what the button says; into: what
        becomes of it.
        """
        super().__init__(parent)
        self.desk, self.log, self.needs = desk, log, needs
        self.setWindowTitle(f"Import {log.path.name}")
        self.resize(860, min(620, 230 + 32 * len(log.columns)))
        column = QVBoxLayout(self)
        separator = {"\t": "tab", ";": "semicolon", ",": "comma", " ": "space"}[log.delimiter]
        column.addWidget(heading("Contents of the columns"))
        column.addWidget(
            note(
                f"{log.path.name}: {len(log.columns)} columns separated by {separator}, decimal "
                f"{'comma' if log.decimal == ',' else 'point'}"
                f"{'' if log.has_header else ', without a header'}. "
                "Assigned from names and units; correct them where needed."
            )
        )
        self.said = Label()
        self.said.setObjectName("wrong")
        self.said.setWordWrap(True)
        self.choices: list[tuple[QComboBox, QComboBox]] = []
        self.go: QPushButton | None = None
        column.addWidget(self._columns(), 1)
        column.addWidget(self.said)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.go = self.buttons.addButton(act, QDialogButtonBox.ButtonRole.AcceptRole)
        if self.go:
            self.go.setObjectName("act")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        test = f"The runs found in the log become a test of {desk.build.name} on {desk.rig.name}."
        column.addWidget(note(into or test))
        column.addWidget(self.buttons)
        self._check()

    def _columns(self) -> QWidget:
        """A line a column: its header, what it is, its unit, its first figures."""
        area = QScrollArea()
        area.setWidgetResizable(True)
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setHorizontalSpacing(12)
        for c, text in enumerate(("column", "is", "in", "first values")):
            label = Label(text)
            label.setObjectName("note")
            grid.addWidget(label, 0, c)
        log, book = self.log, self.desk.book
        kept = (book.setting(f"import {log.key()}") if book else None) or []
        for i, guess in enumerate(log.columns):
            chosen = kept[i] if i < len(kept) else (guess.channel, guess.unit)
            first = "   ".join(row[i] for row in log.preview[:4] if i < len(row))
            what, unit = self._choice(i, *chosen)
            for c, widget in enumerate((Label(guess.header), what, unit, note(first))):
                grid.addWidget(widget, i + 1, c)
        grid.setColumnStretch(3, 1)
        grid.setRowStretch(len(log.columns) + 1, 1)
        area.setWidget(inner)
        return area

    def _choice(self, i: int, channel: str, unit_text: str) -> tuple[QComboBox, QComboBox]:
        """What column i is, and in which unit."""
        header = self.log.columns[i].header
        what, unit = Choice(), Choice()
        what.setAccessibleName(f"{header} is")
        unit.setAccessibleName(f"unit of {header}")
        what.addItem("not used", "")
        what.addItem("Time", "t")
        for known in CHANNELS.values():
            what.addItem(known.label, known.key)
        unit.setEditable(True)
        unit.setMinimumWidth(90)
        what.setCurrentIndex(max(0, what.findData(channel)))
        self.choices.append((what, unit))
        self._units(i, unit_text)
        what.currentIndexChanged.connect(lambda _n: self._units(i, ""))
        unit.currentTextChanged.connect(lambda _t: self._check())
        return what, unit

    def _units(self, i: int, wanted: str) -> None:
        what, unit = self.choices[i]
        key = what.currentData()
        unit.blockSignals(True)
        unit.clear()
        unit.setEnabled(bool(key))
        if key:
            offered = list(quantity.kind_of(log_look.kind_of_channel(key)).units)
            unit.addItems(offered)
            guess = self.log.columns[i].unit if self.log.columns[i].channel == key else ""
            text = wanted or guess
            if text and text not in offered:
                unit.addItem(text)
            unit.setCurrentText(
                text or ("" if len(offered) > 1 and key != "t" and not wanted else offered[0])
            )
        unit.blockSignals(False)
        self._check()

    def mapping(self) -> dict[int, tuple[str, str]]:
        """Column position -> (channel, unit)."""
        return {
            i: (what.currentData(), unit.currentText().strip())
            for i, (what, unit) in enumerate(self.choices)
            if what.currentData()
        }

    def _told_by(self, chosen: Sequence[str]) -> tuple[str, ...]:
        """What follows from the columns: of a drive without a motor its input tells the speed."""
        by_input = not self.desk.build.has_motor and "motor_speed" in chosen
        return ("speed",) if by_input else ()

    def _check(self) -> None:
        chosen = [c for c, _ in self.mapping().values()]
        problem = ""
        twice = {c for c in chosen if chosen.count(c) > 1}
        if twice:
            name = "Time" if "t" in twice else CHANNELS[next(iter(twice))].label
            problem = f"{name} is assigned to two columns."
        elif "t" not in chosen:
            problem = "Choose which column is the time."
        elif missing := [c for c in self.needs if c not in (*chosen, *self._told_by(chosen))]:
            label = CHANNELS[missing[0]].label
            problem = f"Choose which column is the {label[0].lower() + label[1:]}."
        else:
            for i, (channel, unit) in self.mapping().items():
                kind = log_look.kind_of_channel(channel)
                try:
                    (
                        quantity.to_si(0.0, unit, kind)
                        if unit or "" in quantity.kind_of(kind).units
                        else quantity.parse("1", kind)
                    )
                except quantity.QuantityError as err:
                    problem = f"{self.log.columns[i].header}: " + (
                        str(err) if unit else "choose its unit."
                    )
                    break
        self.said.setText(problem)
        if self.go is not None:
            self.go.setEnabled(not problem)

    def remember(self) -> None:
        if self.desk.book:
            chosen = self.mapping()
            self.desk.book.set_setting(
                f"import {self.log.key()}",
                [chosen.get(i, ("", "")) for i in range(len(self.log.columns))],
            )
