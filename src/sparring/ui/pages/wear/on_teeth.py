"""A widget whose keys and clicks choose teeth and mark them."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from sparring.core.wear.inspection import Spot
from sparring.ui.pages.wear.cursor import Cursor
from sparring.ui.theme import theme


class OnTeeth(QWidget):
    """Click a spot of a tooth, drag over several; arrows go from tooth to tooth, a letter marks the
    mode, a digit its severity.
    """

    turned = pyqtSignal(int)  # to the next part, or the one before

    def __init__(self, caret: Cursor, name: str) -> None:
        super().__init__()
        self.caret = caret
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setAccessibleDescription(
            "Arrows choose a tooth and a spot, a letter marks a mode of damage, 0 to 5 its severity"
        )
        self._dragging = False
        caret.moved.connect(self.update)
        theme.changed.connect(self.update)

    def at(self, where: QPointF) -> tuple[int, Spot] | None:
        """The tooth and the spot under a point."""
        raise NotImplementedError

    def paint_focus(self, p: QPainter) -> None:
        """The frame of what has the keyboard."""
        if self.hasFocus():
            p.setPen(QPen(theme.colour("reseda"), 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        found = self.at(event.position())
        if found is not None:
            extend = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.caret.go(*found, extend=extend)
            self._dragging = True

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        found = self.at(event.position()) if event is not None and self._dragging else None
        if found is not None and found[0] not in self.caret.selected:
            self.caret.go(found[0], extend=True)

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        self._dragging = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.turned.emit(1 if event.key() == Qt.Key.Key_PageDown else -1)
        elif not self.caret.key(event):
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()
