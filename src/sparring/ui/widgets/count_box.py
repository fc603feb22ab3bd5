"""A small box for a count, typed over the thing it counts."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QSpinBox


class CountBox(QSpinBox):
    """A number of teeth typed over its gear. Enter takes it, Escape leaves it; neither key goes on
    to the drawing below.
    """

    taken = pyqtSignal()
    left = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.interpretText()
            self.taken.emit()
        elif event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.taken.emit()
