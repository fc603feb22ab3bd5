"""All figures of all builds in one table: what is best, where it surely is."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core.compare.changed import changed_since
from sparring.core.compare.comparison import Comparison, Row
from sparring.core.compare.figures import FIGURES
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.looks import look
from sparring.ui.pages.compare.shown import cell, unit_of
from sparring.ui.theme import font
from sparring.ui.widgets.parts import heading, note
from sparring.ui.widgets.plain import tip
from sparring.ui.widgets.ticked_menu import TickedMenu

_LEFT_OUT = {"volume", "power-per-volume", "power-per-price", "loss", "current", "making-time"}
"""Figures that are not shown until they are asked for."""
_SETTING = "compare/figures"
_MOST_CHANGES = 40  # builds, beyond which nobody reads what changed of each
_NONE: tuple[str, list[str]] = ("", [])


class FiguresTable(QWidget):
    """`picked` with the figure whose row was chosen; `sorted_by` with one by which the builds are
    to stand in order, best first.
    """

    picked = pyqtSignal(str)
    sorted_by = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._rows: list[Row] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        row = QHBoxLayout()
        row.addWidget(heading("Figures"))
        row.addSpacing(10)
        self.told = note("")
        row.addWidget(self.told, 1)
        kept = desk.settings.value(_SETTING)
        shown = str(kept).split(",") if kept else [f.id for f in FIGURES if f.id not in _LEFT_OUT]
        self.columns = QPushButton("Rows")
        self.columns.setAccessibleName("Figures that are shown")
        self.menu = TickedMenu([(f.id, f.words) for f in FIGURES], shown, self)
        self.menu.changed.connect(self._columns)
        self.columns.setMenu(self.menu)
        row.addWidget(self.columns)
        column.addLayout(row)
        self.table = _Table()
        self.table.itemSelectionChanged.connect(self._chosen)
        self.table.itemDoubleClicked.connect(lambda item: self._sort(item.row()))
        self.table.sort_wanted.connect(self._sort)
        column.addWidget(self.table, 1)

    def _columns(self) -> None:
        self.desk.settings.setValue(_SETTING, ",".join(self.menu.ticked()))
        self.refresh()

    def refresh(self) -> None:
        found = self.desk.comparing.found
        t = self.table
        t.blockSignals(True)
        kept = t.currentRow()
        if found is None:
            t.setRowCount(0)
            t.setColumnCount(0)
            self._rows = []
        else:
            self._fill(found.comparison)
            t.setCurrentCell(min(kept, t.rowCount() - 1), 0)
        t.blockSignals(False)

    def _fill(self, side: Comparison) -> None:
        t, wanted = self.table, self.menu.ticked()
        self._rows = [r for r in side.rows if r.figure.id in wanted and any(r.cells)]
        names = [s.name for s in side.subjects]
        looked = len(names) <= _MOST_CHANGES
        changes = [changed_since(side.subjects, n) if looked else _NONE for n in range(len(names))]
        first = any(before for before, _ in changes)
        t.setColumnCount(len(names) + 2)
        t.setRowCount(len(self._rows) + first)
        marked = [f"{look(n).glyph} {name}" for n, name in enumerate(names)]
        t.setHorizontalHeaderLabels(["", *marked, "best"])
        for n in range(len(names)):
            item = t.horizontalHeaderItem(n + 1)
            if item is not None:
                item.setTextAlignment(int(_RIGHT))
        last = t.horizontalHeaderItem(len(names) + 1)
        if last is not None:
            last.setTextAlignment(int(_RIGHT))
        if first:
            t.put(0, 0, "changed")
            for n, (before, what) in enumerate(changes):
                words = _short(what[0]) if what else ""
                if len(what) > 1:
                    words += f", +{len(what) - 1}"
                words = words or ("nothing" if before else "")
                t.put(0, n + 1, words)
                item = t.item(0, n + 1)
                if item is not None:
                    lines = [f"since {before}", *what[:12], *["…"] * (len(what) > 12)]
                    more = "\n".join(lines) if before else ""
                    item.setToolTip(tip(more))
            t.put(0, len(names) + 1, "")
        for r, row in enumerate(self._rows, start=int(first)):
            self._put(side, r, row)
        t.share_out()

    def _put(self, side: Comparison, r: int, row: Row) -> None:
        t, figure = self.table, row.figure
        unit = unit_of(self.desk, figure)
        t.put(r, 0, figure.words + (f", {unit}" if unit else ""))
        for n, known in enumerate(row.cells):
            t.put(r, n + 1, cell(self.desk, figure, known), bold=n in row.best)
            item = t.item(r, n + 1)
            if item is not None and known is not None:
                where = f"at {self.desk.three(known.torque, 'torque')}" if known.torque else ""
                item.setToolTip(tip(", ".join(x for x in (known.how, known.note, where) if x)))
        best = ", ".join(side.subjects[n].name for n in row.best)
        t.put(r, len(row.cells) + 1, best or ("no difference" if row.alike else ""), bold=False)

    def _at(self, row: int) -> Row | None:
        first = self.table.rowCount() - len(self._rows)
        return self._rows[row - first] if first <= row < self.table.rowCount() else None

    def _chosen(self) -> None:
        row = self._at(self.table.currentRow())
        if row is not None:
            self.picked.emit(row.figure.id)

    def _sort(self, row: int) -> None:
        found = self._at(row)
        if found is not None:
            self.sorted_by.emit(found.figure.id)


def _short(text: str) -> str:
    what, _, values = text.partition(": ")
    value = values.rpartition(" → ")[2]
    return value if what in ("lubricant", "material") else f"{what.rpartition(', ')[2]} {value}"


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class _Table(QTableWidget):
    """Read only; S sorts the builds by the chosen row."""

    sort_wanted = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Figures of the builds")
        self.setAccessibleDescription(
            "A row a figure; S sorts the builds by it, Enter compares them in it"
        )
        self.setToolTip(
            "± holds with 95 %. In brackets: predicted. Bold: surely best, after Holm's correction "
            "over the row. Double click or S: builds in the order of that figure"
        )
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        if vertical is not None:
            vertical.hide()
            vertical.setDefaultSectionSize(22)
        if horizontal is not None:
            horizontal.setHighlightSections(False)
            horizontal.setMinimumSectionSize(40)

    def put(self, r: int, c: int, text: str, *, bold: bool = False) -> None:
        """A text in a cell; the first column stands left."""
        item = self.item(r, c)
        if item is None:
            item = QTableWidgetItem()
            item.setTextAlignment(
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter if c == 0 else _RIGHT
            )
            self.setItem(r, c, item)
        if item.text() != text:
            item.setText(text)
        if item.font().bold() != bold or not item.data(_STYLED):
            item.setFont(font(12, bold=bold))
            item.setData(_STYLED, True)
        said = f"{text}, best" if bold else text
        item.setData(Qt.ItemDataRole.AccessibleTextRole, said or "empty")

    def share_out(self) -> None:
        """Every column has the room it needs, and what is left over is shared by the builds."""
        head, port = self.horizontalHeader(), self.viewport()
        if head is None or port is None or not self.columnCount():
            return
        columns = range(self.columnCount())
        need = [max(self.sizeHintForColumn(c), head.sectionSizeHint(c)) for c in columns]
        # also of rows that are out of sight
        texts = [item.text() for r in range(self.rowCount()) if (item := self.item(r, 0))]
        metrics = QFontMetrics(font(12))
        need[0] = max([need[0], *(metrics.horizontalAdvance(t) + 24 for t in texts)])
        spare = max(0, port.width() - sum(need))
        share = spare // max(len(need) - 1, 1)
        for c in columns:
            head.setSectionResizeMode(c, QHeaderView.ResizeMode.Fixed)
            self.setColumnWidth(c, need[c] + (share if c else spare - share * (len(need) - 1)))

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.share_out()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_S and self.currentRow() >= 0:
            self.sort_wanted.emit(self.currentRow())
        else:
            super().keyPressEvent(event)


_STYLED = Qt.ItemDataRole.UserRole + 2
