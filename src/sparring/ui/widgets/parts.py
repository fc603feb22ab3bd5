"""Small pieces that several pages use: sheets, headings, care notes, tables, quantity texts."""

from __future__ import annotations

import re

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core.quantity import KINDS


def sheet(title: str = "", margins: int = 12) -> tuple[QFrame, QVBoxLayout]:
    """A panel with a heading."""
    frame = QFrame()
    frame.setObjectName("sheet")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(margins, margins - 2, margins, margins)
    layout.setSpacing(6)
    if title:
        layout.addWidget(heading(title))
    return frame, layout


class Column(QScrollArea):
    """An area that scrolls up and down only, and is as wide as what is in it needs."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)

    def minimumSizeHint(self) -> QSize:
        inner, bar = self.widget(), self.verticalScrollBar()
        needed = inner.minimumSizeHint().width() if inner is not None else 0
        return QSize(needed + (bar.sizeHint().width() if bar is not None else 0) + 2 * self.frameWidth(), 60)

    def reveal(self, widget: QWidget) -> None:
        """Scrolls until a widget in it is seen."""
        self.ensureWidgetVisible(widget, 0, 40)


def heading(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("title")
    return label


_UNITS = "|".join(re.escape(u) for u in sorted({u for k in KINDS.values() for u in k.units if u} | {"%"}, key=len, reverse=True))
_FIGURE = re.compile(rf"(?<=\d) (?=(?:{_UNITS})(?:[\s,.;:)\]]|$))| ± ")


def unbroken(text: str) -> str:
    """The text with figure, ± and unit held together, so that no line ends between them."""
    return _FIGURE.sub(lambda found: found[0].replace(" ", "\N{NO-BREAK SPACE}"), text)


def note(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("note")
    label.setWordWrap(True)
    return label


def care(text: str) -> QLabel:
    """A care note: plain words, dark on amber."""
    label = QLabel(text)
    label.setObjectName("care")
    label.setWordWrap(True)
    return label


class Table(QTableWidget):
    """A read-only table of figures, right-aligned; the first column, and those in `left`, hold words and stand left."""

    def __init__(
        self, head: list[str], name: str, narrow_columns: int = 1, parent: QWidget | None = None, *, left: tuple[int, ...] = ()
    ) -> None:
        super().__init__(0, len(head), parent)
        self._left = (0, *left)
        self.setAccessibleName(name)
        self.head(head)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.setTabKeyNavigation(False)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        if vertical is not None:
            vertical.hide()
            vertical.setDefaultSectionSize(22)
        if horizontal is not None:
            horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            horizontal.setMinimumSectionSize(40)
            for narrow in {*range(narrow_columns), *left[:-1]}:
                horizontal.setSectionResizeMode(narrow, QHeaderView.ResizeMode.ResizeToContents)
            horizontal.setHighlightSections(False)

    def head(self, texts: list[str]) -> None:
        self.setHorizontalHeaderLabels(texts)
        for c in range(len(texts)):
            item = self.horizontalHeaderItem(c)
            if item is not None:
                item.setTextAlignment(
                    int((Qt.AlignmentFlag.AlignLeft if c in self._left else Qt.AlignmentFlag.AlignRight) | Qt.AlignmentFlag.AlignVCenter)
                )

    def fill(self, rows: list[list[str]]) -> None:
        self.setRowCount(len(rows))
        for r, row in enumerate(rows):
            for c, text in enumerate(row):
                item = self.item(r, c)
                if item is None:
                    item = QTableWidgetItem()
                    side = Qt.AlignmentFlag.AlignLeft if c in self._left else Qt.AlignmentFlag.AlignRight
                    item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                    self.setItem(r, c, item)
                if item.text() != text:
                    item.setText(text)
                    item.setToolTip(text if len(text) > 16 else "")
