"""Small pieces that several pages use: sheets, headings, care notes, tables, quantity texts."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QBoxLayout,
    QFrame,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.ui.widgets.plain import Label


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


_WRAPPED = 120  # [px] the least that a column broken into lines is given


class Column(QScrollArea):
    """An area that scrolls up and down only, and is as wide as what is in it needs."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)

    def minimumSizeHint(self) -> QSize:
        inner, bar = self.widget(), self.verticalScrollBar()
        needed = inner.minimumSizeHint().width() if inner is not None else 0
        return QSize(
            needed + (bar.sizeHint().width() if bar is not None else 0) + 2 * self.frameWidth(), 60
        )

    def sizeHint(self) -> QSize:
        inner = self.widget()
        return QSize(
            self.minimumSizeHint().width(),
            inner.sizeHint().height() + 2 * self.frameWidth() if inner is not None else 60,
        )

    def reveal(self, widget: QWidget) -> None:
        """Scrolls until a widget in it is seen."""
        self.ensureWidgetVisible(widget, 0, 40)


def press(layout: QBoxLayout, *offered: tuple[str, Callable[[], None]]) -> None:
    """Adds buttons that none of the keys of a dialog press unasked: what is on each, and what it
    does.
    """
    for text, act in offered:
        button = QPushButton(text)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _on, act=act: act())
        layout.addWidget(button)


def heading(text: str) -> Label:
    label = Label(text)
    label.setObjectName("title")
    return label


def note(text: str) -> Label:
    label = Label(text)
    label.setObjectName("note")
    label.setWordWrap(True)
    return label


def care(text: str) -> Label:
    """A care note: plain words, dark on amber."""
    label = Label(text)
    label.setObjectName("care")
    label.setWordWrap(True)
    return label


class Table(QTableWidget):
    """A read-only table of figures, right-aligned; the first column, and those in `left`, hold
    words and stand left.

    Every column has the room its texts need, and what is left over is shared by those beyond
    `narrow_columns`. wraps: the last column is broken into lines instead.
    """

    def __init__(
        self,
        head: list[str],
        name: str,
        narrow_columns: int = 1,
        parent: QWidget | None = None,
        *,
        left: tuple[int, ...] = (),
        wraps: bool = False,
    ) -> None:
        super().__init__(0, len(head), parent)
        self._left = (0, *left)
        self._wide = [c for c in range(narrow_columns, len(head)) if c not in left[:-1]] or [
            len(head) - 1
        ]
        self._wraps = wraps
        self._tight, self._at_ease = False, 0  # in smaller type; width that the usual one needs
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setWordWrap(wraps)
        self.setMinimumHeight(90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.setTabKeyNavigation(False)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        if vertical is not None:
            vertical.hide()
            vertical.setDefaultSectionSize(22)
        if horizontal is not None:
            horizontal.setMinimumSectionSize(24)
            horizontal.setHighlightSections(False)
        self.head(head)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._fit()

    def _set_tight(self, on: bool) -> None:
        """Smaller type, before anything would be cut."""
        self._tight = on
        self.setProperty("tight", on)
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)
        self._fit()

    def _fit(self) -> None:
        """Shares out the width."""
        head, port = self.horizontalHeader(), self.viewport()
        if head is None or port is None or not self.columnCount():
            return
        columns = range(self.columnCount())
        need = [
            0 if self.isColumnHidden(c) else max(self.sizeHintForColumn(c), head.sectionSizeHint(c))
            for c in columns
        ]
        if self._wraps:
            least = self._longest_word() + 14 if self._tight else _WRAPPED
            need[-1] = min(need[-1], _WRAPPED, least)
        if not self._tight:
            self._at_ease = sum(need)
        if self._tight != (self._at_ease > port.width()):
            self._set_tight(not self._tight)  # comes here again
            return
        if self._wraps:
            need[-1] = max(need[-1], port.width() - sum(need[:-1]))
        spare = max(0, port.width() - sum(need))
        seen = [c for c in columns if not self.isColumnHidden(c)]
        wide = [c for c in self._wide if c in seen] or seen[-1:]
        for n, c in enumerate(wide):
            need[c] += spare // len(wide) + (spare % len(wide) if n == 0 else 0)
        for c in columns:
            if not self.isColumnHidden(c):
                self.setColumnWidth(c, need[c])
        if self._wraps:
            self._heighten()

    def _heighten(self) -> None:
        """Rows whose last text takes several lines have room for them."""
        head, last = self.verticalHeader(), self.columnCount() - 1
        for r in range(self.rowCount()):
            item = self.item(r, last)
            text = item.text() if item is not None else ""
            if self.fontMetrics().horizontalAdvance(text) + 14 > self.columnWidth(last):
                self.resizeRowToContents(r)
            elif head is not None:
                self.setRowHeight(r, head.defaultSectionSize())

    def _longest_word(self) -> int:
        """Width of the longest word of the last column [px]."""
        last = self.columnCount() - 1
        items = [self.horizontalHeaderItem(last)]
        items += [self.item(r, last) for r in range(self.rowCount())]
        words = {word for i in items if i is not None for word in i.text().split()}
        measure = self.fontMetrics().horizontalAdvance
        return max(map(measure, words), default=0)

    def head(self, texts: list[str]) -> None:
        self.setHorizontalHeaderLabels(texts)
        for c in range(len(texts)):
            item = self.horizontalHeaderItem(c)
            if item is not None:
                item.setTextAlignment(
                    int(
                        (
                            Qt.AlignmentFlag.AlignLeft
                            if c in self._left
                            else Qt.AlignmentFlag.AlignRight
                        )
                        | Qt.AlignmentFlag.AlignVCenter
                    )
                )
        self._fit()

    def fill(self, rows: list[list[str]]) -> None:
        self.setRowCount(len(rows))
        for r, row in enumerate(rows):
            for c, text in enumerate(row):
                item = self.item(r, c)
                if item is None:
                    item = QTableWidgetItem()
                    side = (
                        Qt.AlignmentFlag.AlignLeft
                        if c in self._left
                        else Qt.AlignmentFlag.AlignRight
                    )
                    item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                    self.setItem(r, c, item)
                if item.text() != text:
                    item.setText(text)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, text or "empty")
        self._fit()
