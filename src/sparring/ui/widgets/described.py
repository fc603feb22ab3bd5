"""What a screen reader is told of a control beyond its name: its tool tip if it has one, else what
kind of thing it takes.
"""

from __future__ import annotations

import re
from html import unescape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QAbstractSlider,
    QCheckBox,
    QComboBox,
    QLineEdit,
    QSpinBox,
    QTabBar,
    QWidget,
)


def describe(widget: QWidget) -> None:
    """Gives a description to what takes the keyboard and has none. To be called again when its tool
    tip changes, which always goes before.
    """
    if widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
        return
    if widget.toolTip():
        widget.setAccessibleDescription(unescape(re.sub(r"<[^>]+>", "", widget.toolTip())))
    elif not widget.accessibleDescription() and (text := _of(widget)):
        widget.setAccessibleDescription(text)


def _of(widget: QWidget) -> str:
    if isinstance(widget, QComboBox):
        return "One of a list" + ("; other words can be typed" if widget.isEditable() else "")
    if isinstance(widget, QSpinBox):
        return "A whole number"
    if isinstance(widget, QLineEdit):
        return widget.placeholderText() or "Text"
    if isinstance(widget, QCheckBox):
        return "To be ticked"
    if isinstance(widget, QAbstractSlider):
        return "Arrow keys change it in small steps, Page Up and Page Down in large ones"
    if isinstance(widget, QTabBar):
        return "Arrow keys change between the tables"
    if isinstance(widget, QAbstractItemView):
        return "Arrow keys go from line to line"
    if isinstance(widget, QAbstractScrollArea):
        return "Arrow keys scroll it"
    if isinstance(widget, QAbstractButton):
        return _where(widget)
    return ""


def _where(widget: QWidget) -> str:
    """The named thing that a button is in."""
    inside = widget.parentWidget()
    while inside is not None:
        name = inside.accessibleName() or (inside.windowTitle() if inside.isWindow() else "")
        if name:
            return f"In {name.split(':')[0]}"  # what follows may change
        inside = inside.parentWidget()
    return "In the window"
