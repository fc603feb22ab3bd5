"""Choices and counts that a turn of the wheel over them leaves alone: who scrolls a form past them
means the form.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QComboBox, QSpinBox, QWidget


def _scrolls_past(widget: QWidget, event: QWheelEvent | None) -> bool:
    """Whether the wheel is not for this widget, which has not the keyboard; what scrolls behind it
    takes it then.
    """
    if event is None or widget.hasFocus():
        return False
    event.ignore()
    return True


class Choice(QComboBox):
    """One of several. Its list and its line, where one can type, have its name."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # a turn of the wheel does not give it

    def setAccessibleName(self, name: str | None) -> None:
        super().setAccessibleName(name)
        for part in (self.view(), self.lineEdit()):
            if part is not None:
                part.setAccessibleName(name)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if not _scrolls_past(self, event):
            super().wheelEvent(event)


class Count(QSpinBox):
    """A whole number."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if not _scrolls_past(self, event):
            super().wheelEvent(event)
