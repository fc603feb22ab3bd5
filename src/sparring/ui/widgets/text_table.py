"""A table of texts to type in, with an empty last row to add one."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem


class TextTable(QTableWidget):
    """Rows of texts. Delete removes the chosen row."""

    typed = pyqtSignal()

    def __init__(self, head: Sequence[str], name: str) -> None:
        super().__init__(0, len(head))
        self.setAccessibleName(name)
        self.setAccessibleDescription("Type in the last row to add one; Delete removes a row")
        self.setTabKeyNavigation(False)  # Tab leads out again, arrows from cell to cell
        self.setHorizontalHeaderLabels(list(head))
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        if vertical is not None:
            vertical.hide()
            vertical.setDefaultSectionSize(26)
        if horizontal is not None:
            horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self._filling = False
        self.itemChanged.connect(self._changed)

    def fill(self, rows: Sequence[Sequence[str]]) -> None:
        """Shows these rows, and an empty one."""
        self._filling = True
        self.setRowCount(len(rows) + 1)
        for r in range(len(rows) + 1):
            for c in range(self.columnCount()):
                text = rows[r][c] if r < len(rows) else ""
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, text or "empty")
                self.setItem(r, c, item)
        self._filling = False

    def rows(self) -> list[list[str]]:
        """What stands in them, empty rows left out."""
        found = []
        for r in range(self.rowCount()):
            cells = [self.item(r, c) for c in range(self.columnCount())]
            row = [cell.text().strip() if cell is not None else "" for cell in cells]
            if any(row):
                found.append(row)
        return found

    def _changed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        if item.row() == self.rowCount() - 1 and item.text().strip():
            self._filling = True
            self.setRowCount(self.rowCount() + 1)
            self._filling = False
        self.typed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        editing = self.state() == QTableWidget.State.EditingState
        if event is not None and event.key() == Qt.Key.Key_Delete and not editing:
            if 0 <= self.currentRow() < self.rowCount() - 1:
                self.removeRow(self.currentRow())
                self.typed.emit()
            return
        super().keyPressEvent(event)
