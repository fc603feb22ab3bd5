"""A generator as the load, with a resistor."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from sparring.core.rig import Rig
from sparring.ui.theme import font, theme
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import drive, ink


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    y = b.y() + 0.4 * h
    drive(p, QRectF(b.x() + 0.02 * w, y - 0.14 * h, 0.26 * w, 0.28 * h))
    ink(p, 4)
    p.drawLine(QPointF(b.x() + 0.28 * w, y), QPointF(b.x() + 0.42 * w, y))
    g, r = QPointF(b.x() + 0.54 * w, y), min(0.15 * h, 0.13 * w)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(g, r, r)
    p.setFont(font(18, bold=True))
    p.drawText(QRectF(g.x() - r, g.y() - r, 2 * r, 2 * r), Qt.AlignmentFlag.AlignCenter, "G")
    x = b.x() + 0.86 * w
    top, bottom = y - 0.2 * h, y + 0.22 * h
    p.setPen(QPen(theme.colour("current"), 2))
    p.drawPolyline(
        QPolygonF(
            [
                QPointF(g.x() + r * 0.8, y - r * 0.6),
                QPointF(g.x() + r * 0.8, top),
                QPointF(x, top),
                QPointF(x, y - 0.1 * h),
            ]
        )
    )
    p.drawPolyline(
        QPolygonF(
            [
                QPointF(g.x() + r * 0.8, y + r * 0.6),
                QPointF(g.x() + r * 0.8, bottom),
                QPointF(x, bottom),
                QPointF(x, y + 0.1 * h),
            ]
        )
    )
    ink(p, 1.6, "sheet")
    p.drawRect(QRectF(x - 9, y - 0.1 * h, 18, 0.2 * h))
    return {
        "constant": QPointF(g.x() + r * 0.5, g.y() - r * 0.5),
        "own_drag": QPointF(b.x() + 0.36 * w, y),
        "winding": QPointF(g.x() + r * 0.4, g.y() + r * 0.6),
        "speed": QPointF(b.x() + 0.34 * w, y - 22),
    }
