"""The order in which Tab goes, that in which the eye does; Space where a page has a use for it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLayout,
    QListWidget,
    QScrollArea,
    QStackedWidget,
    QTabWidget,
    QWidget,
)


def in_order(root: QWidget) -> None:
    """Sets the tab order of all that takes the keyboard under `root`, as it is laid out. To be
    called again after something has been made or moved there.
    """
    for before, after in pairwise(list(_focusable(root))):
        QWidget.setTabOrder(before, after)


def press(page: QWidget) -> bool:
    """Does what Space does to the part of a page that has the keyboard, where the page has a use of
    its own for that key; whether there is such a part.
    """
    part = QApplication.focusWidget()
    if part is None or not page.isAncestorOf(part):
        return False
    if isinstance(part, QAbstractButton):
        part.click()
    elif isinstance(part, QComboBox):
        part.showPopup()
    elif isinstance(part, QListWidget) and (item := part.currentItem()) is not None:
        if item.flags() & Qt.ItemFlag.ItemIsUserCheckable:
            on = item.checkState() == Qt.CheckState.Checked
            item.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)
    else:
        return False
    return True


def _focusable(widget: QWidget) -> Iterator[QWidget]:
    if widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.focusProxy() is None:
        yield widget
        return
    if isinstance(widget, QScrollArea):
        inner = widget.widget()
        yield from _focusable(inner) if inner is not None else ()
    elif isinstance(widget, QTabWidget | QStackedWidget):
        for i in range(widget.count()):
            page = widget.widget(i)
            yield from _focusable(page) if page is not None else ()
    elif (layout := widget.layout()) is not None:
        yield from _in_layout(layout)


def _in_layout(layout: QLayout) -> Iterator[QWidget]:
    for i in range(layout.count()):
        item = layout.itemAt(i)
        if item is None:
            continue
        if (inner := item.layout()) is not None:
            yield from _in_layout(inner)
        elif (widget := item.widget()) is not None:
            yield from _focusable(widget)
