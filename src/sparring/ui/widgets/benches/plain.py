"""A bench that has no drawing of its own: a drive, and something behind its shaft."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from sparring.core.rig import Rig
from sparring.ui.theme import font
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import drive, ink


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    """Its dimensions have no place in it; the fields stand beside it all the same."""
    w, h = b.width(), b.height()
    y = b.y() + 0.5 * h
    drive(p, QRectF(b.x() + 0.06 * w, y - 0.16 * h, 0.3 * w, 0.32 * h))
    ink(p, 4)
    p.drawLine(QPointF(b.x() + 0.36 * w, y), QPointF(b.x() + 0.56 * w, y))
    load = QRectF(b.x() + 0.56 * w, y - 0.2 * h, 0.34 * w, 0.4 * h)
    ink(p, 1.6, "sheet")
    p.drawRect(load)
    p.setFont(font(13))
    p.drawText(load, Qt.AlignmentFlag.AlignCenter, rig.method.TITLE)
    return {"speed": QPointF(b.x() + 0.46 * w, y - 22)}
