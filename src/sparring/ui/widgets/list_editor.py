"""A list of records as a table to type in: one row a record, a cell a field, an empty last row to
add one.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from sparring.core import quantity
from sparring.core.quantity import Measured, QuantityError
from sparring.core.records import Record, RecordError, annotation, changed
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.form import Path, value_at


class ListEditor(QTableWidget):
    """Rows of `template`'s kind at `path` of the desk's build (or rig). Delete removes the chosen
    row; all of it can be undone.
    """

    def __init__(
        self,
        desk: Desk,
        path: Path,
        template: Record,
        columns: Sequence[tuple[str, Path]],
        name: str,
        parent: QWidget | None = None,
        *,
        what: str = "build",
    ) -> None:
        super().__init__(0, len(columns), parent)
        self.desk, self.what, self.path, self.template, self.columns = (
            desk,
            what,
            path,
            template,
            columns,
        )
        self.setAccessibleName(name)
        self.setAccessibleDescription("Type in the last row to add one; Delete removes a row")
        self.setTabKeyNavigation(False)  # Tab leads out again, arrows from cell to cell
        self.setHorizontalHeaderLabels([label for label, _ in columns])
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        if vertical is not None:
            vertical.hide()
            vertical.setDefaultSectionSize(26)
        if horizontal is not None:
            horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            horizontal.setMinimumSectionSize(24)
        self._filling = False
        self.itemChanged.connect(self._typed)
        {"build": desk.build_changed, "rig": desk.rig_changed, "duty": desk.duty_changed}[
            what
        ].connect(self.refresh)
        self.refresh()

    def records(self) -> tuple[Record, ...]:
        found: tuple[Record, ...] = value_at(self.desk.in_hand(self.what), self.path)
        return found

    def refresh(self) -> None:
        records = self.records()
        self._filling = True
        self.setRowCount(len(records) + 1)
        for r in range(len(records) + 1):
            for c, (_, at) in enumerate(self.columns):
                text = self._text(records[r], at) if r < len(records) else ""
                item = self.item(r, c)
                if item is None:
                    item = QTableWidgetItem()
                    item.setTextAlignment(
                        (Qt.AlignmentFlag.AlignLeft if c == 0 else Qt.AlignmentFlag.AlignRight)
                        | Qt.AlignmentFlag.AlignVCenter
                    )
                    self.setItem(r, c, item)
                item.setText(text)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, text or "empty")
        self._filling = False
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Every column has the room its texts need, and an equal part of what is left over."""
        head, port = self.horizontalHeader(), self.viewport()
        if head is None or port is None:
            return
        width, many = port.width(), self.columnCount()
        need = [max(self.sizeHintForColumn(c), head.sectionSizeHint(c)) for c in range(many)]
        spare = max(width - sum(need), 0)
        ends = np.cumsum([n + spare / many for n in need]) * width / (sum(need) + spare)
        for c, wide in enumerate(np.diff(np.round(ends), prepend=0)):
            self.setColumnWidth(c, int(wide))

    def _text(self, record: Record, at: Path) -> str:
        value = value_at(record, at)
        _, info, _ = annotation(record, at)
        if info is not None and value is not None:
            return quantity.measured_text(
                value if isinstance(value, Measured) else Measured(value), info.kind, info.file_unit
            )
        return (
            {True: "yes", False: "no", None: ""}.get(
                value, f"{value:g}" if isinstance(value, float) else str(value)
            )
            if not isinstance(value, str)
            else value
        )

    def _typed(self, item: QTableWidgetItem) -> None:
        text = item.text().strip()
        records = self.records()
        r, (label, at) = item.row(), self.columns[item.column()]
        if self._filling or (not text and r >= len(records)):
            return
        record = records[r] if r < len(records) else self.template
        try:
            record = changed(record, at, self._value(record, at, text))
        except (RecordError, QuantityError, ValueError) as err:
            self.desk.said.emit(f"{label}: {str(err).split(': ', 1)[-1]}")
            self.refresh()
            return
        reason = self.desk.edit(
            self.what,
            self.path,
            (*records[:r], record, *records[r + 1 :]),
            f"{label} of row {r + 1}",
        )
        if reason:
            self.desk.said.emit(reason)
        self.refresh()

    def _value(self, record: Record, at: Path, text: str) -> Any:
        bare, info, optional = annotation(record, at)
        if optional and not text:
            return None
        if info is not None:
            value = quantity.parse(text, info.kind, info.file_unit)
            return value if bare is Measured else value.value
        if bare is bool:
            return text.casefold() in ("yes", "y", "1", "true")
        if bare is int:
            return int(text)
        if bare is float:
            return float(text)
        return text

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if (
            event is not None
            and event.key() == Qt.Key.Key_Delete
            and self.state() != QTableWidget.State.EditingState
        ):
            records = self.records()
            r = self.currentRow()
            if 0 <= r < len(records):
                self.desk.edit(
                    self.what, self.path, records[:r] + records[r + 1 :], f"removing row {r + 1}"
                )
                self.refresh()
            return
        super().keyPressEvent(event)
