"""A figure to be read from across the room."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from sparring.ui.theme import font, theme


class BigFigure(QWidget):
    """A live figure, readable from two metres."""

    def __init__(self, name: str, colour: str) -> None:
        super().__init__()
        self.name, self.colour, self.value, self.unit = name, colour, "–", ""
        self.setMinimumHeight(78)
        self.setMinimumWidth(120)
        theme.changed.connect(self.update)

    def rename(self, name: str) -> None:
        if name != self.name:
            self.name = name
            self.update()

    def put(self, value: str, unit: str) -> None:
        if (value, unit) != (self.value, self.unit):
            self.value, self.unit = value, unit
            self.setAccessibleName(f"{self.name} {value} {unit}")
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        h = self.height()
        p.fillRect(QRectF(0, 8, 4, h - 16), theme.colour(self.colour))
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(13))
        p.drawText(QRectF(14, 4, self.width() - 14, 18), Qt.AlignmentFlag.AlignVCenter, self.name)
        size = 46
        f = font(size, bold=True)
        p.setFont(f)
        while p.fontMetrics().horizontalAdvance(self.value) > self.width() - 66 and size > 24:
            size -= 2
            p.setFont(font(size, bold=True))
        p.setPen(theme.colour("ink"))
        p.drawText(
            QRectF(14, 22, self.width() - 14, h - 24), Qt.AlignmentFlag.AlignVCenter, self.value
        )
        x = 14 + p.fontMetrics().horizontalAdvance(self.value) + 8
        p.setFont(font(15))
        p.setPen(theme.colour("ink-2"))
        p.drawText(QRectF(x, 22, 60, h - 14), Qt.AlignmentFlag.AlignVCenter, self.unit)
