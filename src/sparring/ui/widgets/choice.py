"""Choices and counts that a turn of the wheel over them leaves alone: who scrolls a form past them
means the form.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QComboBox, QSpinBox


class Choice(QComboBox):
    """One of several; the wheel turns it only while it has the keyboard."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and not self.hasFocus():
            event.ignore()
        else:
            super().wheelEvent(event)


class Count(QSpinBox):
    """A whole number; the wheel turns it only while it has the keyboard."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and not self.hasFocus():
            event.ignore()
        else:
            super().wheelEvent(event)
