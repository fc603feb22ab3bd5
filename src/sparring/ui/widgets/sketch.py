"""Parts of the bench's drawings: shafts, weights, cells, cords, the floor."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from sparring.ui.theme import font, theme


def ink(p: QPainter, width: float = 1.6, fill: str | None = None, alpha: int = 255) -> None:
    """The pen and the filling for what is drawn next."""
    p.setPen(QPen(theme.colour("ink"), width))
    p.setBrush(theme.colour(fill, alpha) if fill else Qt.BrushStyle.NoBrush)


def floor(p: QPainter, x0: float, x1: float, y: float) -> None:
    """The floor from x0 to x1."""
    ink(p, 2)
    p.drawLine(QPointF(x0, y), QPointF(x1, y))
    p.setPen(QPen(theme.colour("ink-3"), 1))
    x = x0 + 6
    while x < x1:
        p.drawLine(QPointF(x, y), QPointF(x - 6, y + 6))
        x += 12


def shaft(p: QPainter, at: QPointF, r: float) -> None:
    """The end of a shaft."""
    ink(p, 1.6, "sheet")
    p.drawEllipse(at, r, r)
    p.drawLine(QPointF(at.x() - r * 0.5, at.y()), QPointF(at.x() + r * 0.5, at.y()))
    p.drawLine(QPointF(at.x(), at.y() - r * 0.5), QPointF(at.x(), at.y() + r * 0.5))


def mass(p: QPainter, x: float, y: float, w: float, h: float) -> None:
    """A weight whose hook hangs at (x, y)."""
    ink(p, 1.6, "ink-2", 120)
    p.drawRect(QRectF(x - w / 2, y, w, h))


def drive(p: QPainter, box: QRectF, text: str = "drive") -> None:
    """A box with its name: the drive, or what stands in for it."""
    ink(p, 1.6, "pale")
    p.drawRect(box)
    p.setFont(font(11))
    p.setPen(theme.colour("ink-2"))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def cell(p: QPainter, x: float, y: float, w: float = 26, h: float = 22) -> None:
    """A load cell about (x, y)."""
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(x - w / 2, y - h / 2, w, h))
    p.drawLine(QPointF(x - w / 2, y), QPointF(x + w / 4, y))


def taut(p: QPainter, *points: QPointF) -> None:
    """A cord under load."""
    p.setPen(QPen(theme.colour("force"), 2.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPolyline(QPolygonF(list(points)))
