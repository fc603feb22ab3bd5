"""The grid into which readings are typed: a row a figure, a column a repeat."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import QTableWidget, QTableWidgetItem, QWidget

from sparring.core import quantity
from sparring.core.characterise.base import Reading
from sparring.core.quantity import QuantityError
from sparring.core.records import annotation
from sparring.ui.theme import theme
from sparring.ui.widgets.plain import tip


class ReadingGrid(QTableWidget):
    """A row a figure, a column a repeat. Enter goes on: down, then to the top of the next column,
    which is made.
    """

    changed = pyqtSignal()

    def __init__(self, kind: type[Reading], parent: QWidget | None = None) -> None:
        super().__init__(len(kind.FIELDS), 0, parent)
        self.kind = kind
        self.setVerticalHeaderLabels([label for label, _ in kind.FIELDS])
        self.setAccessibleName(
            "Readings, one column per repeat. Enter moves to the next value, Delete clears a cell."
        )
        horizontal = self.horizontalHeader()
        if horizontal is not None:
            horizontal.setDefaultSectionSize(122)
        self.faults: dict[tuple[int, int], str] = {}
        # row of the time of day, which fills itself in; -1: there is none
        self._clock = next((r for r, (_, x) in enumerate(kind.FIELDS) if x == kind.CLOCK), -1)
        self._filling = False
        self.itemChanged.connect(self._typed)

    def set_texts(self, columns: list[list[str]]) -> None:
        """Fills the grid; a column of texts each."""
        self._filling = True
        self.setColumnCount(len(columns) + 1)  # one to go on in
        self.setHorizontalHeaderLabels([str(n + 1) for n in range(self.columnCount())])
        for c, texts in enumerate([*columns, [""] * self.rowCount()]):
            for r, text in enumerate(texts):
                self._cell(r, c).setText(text)
        self._filling = False
        self.resizeColumnsToContents()
        for c in range(self.columnCount()):
            self.setColumnWidth(c, max(122, self.columnWidth(c) + 8))
        self._check()

    def add(self, readings: Sequence[Reading]) -> None:
        """Puts readings behind those that are there."""
        columns = []
        for reading in readings:
            texts = []
            for _, name in self.kind.FIELDS:
                value, info = getattr(reading, name), annotation(reading, (name,))[1]
                if value is None:
                    texts.append("")
                elif info is None:
                    texts.append(str(value))
                else:
                    texts.append(
                        quantity.show(
                            value.value,
                            info.kind,
                            info.file_unit,
                            u=value.u or None,
                            decimals=None if value.u else 3,
                        )
                    )
            columns.append(texts)
        self.set_texts([*self.texts(), *columns])

    def texts(self) -> list[list[str]]:
        """What is typed, column by column, empty columns left out."""
        found = [
            [self._cell(r, c).text().strip() for r in range(self.rowCount())]
            for c in range(self.columnCount())
        ]
        return [column for column in found if any(column)]

    def _cell(self, r: int, c: int) -> QTableWidgetItem:
        item = self.item(r, c)
        if item is None:
            item = QTableWidgetItem()
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.setItem(r, c, item)
        return item

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        self._note_the_time(item)
        self._check()

    def _note_the_time(self, typed: QTableWidgetItem) -> None:
        """Of a reading that is one figure with its clock: when it was typed."""
        at = self._clock
        if at < 0 or typed.row() == at or not typed.text().strip():
            return
        clock = self._cell(at, typed.column())
        if not clock.text().strip():
            self._filling = True
            clock.setText(f"{datetime.now():%H:%M:%S}")
            self._filling = False

    def _check(self) -> None:
        """Marks what cannot be read, in place; nothing typed is lost."""
        self._filling = True
        self.faults.clear()
        for c in range(self.columnCount()):
            for r, (_, name) in enumerate(self.kind.FIELDS):
                item = self._cell(r, c)
                text = item.text().strip()
                reason = ""
                if text:
                    try:
                        self.kind.understand(name, text)
                    except (QuantityError, ValueError) as err:
                        reason = str(err)
                        self.faults[r, c] = reason
                item.setForeground(
                    theme.colour("vermilion-text") if reason else QColor(theme.hex("ink"))
                )
                item.setToolTip(tip(reason))
        self._filling = False
        self.changed.emit()

    def next_cell(self) -> None:
        """Goes on as a tester reads: down the column, then to the next repeat."""
        r, c = self.currentRow(), self.currentColumn()
        if r + 1 == self._clock and self._cell(r + 1, c).text():
            r += 1  # it is filled in by itself
        if r + 1 < self.rowCount():
            self.setCurrentCell(r + 1, c)
            return
        if c + 1 == self.columnCount():
            self._filling = True
            self.setColumnCount(c + 2)
            self.setHorizontalHeaderLabels([str(n + 1) for n in range(c + 2)])
            for row in range(self.rowCount()):
                self._cell(row, c + 1)
            self._filling = False
        self.setCurrentCell(0, c + 1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.next_cell()
        elif event is not None and event.key() == Qt.Key.Key_Delete:
            self._cell(max(self.currentRow(), 0), max(self.currentColumn(), 0)).setText("")
        else:
            super().keyPressEvent(event)
