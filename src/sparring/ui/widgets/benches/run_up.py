"""A run-up: a mass behind the output."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from sparring.core.rig import Rig
from sparring.ui.theme import font, theme
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import ink, shaft


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    axis, r = QPointF(b.x() + 0.62 * w, b.y() + 0.46 * h), min(0.36 * h, 0.3 * w)
    p.setPen(QPen(theme.colour("amber"), 3, Qt.PenStyle.DashLine))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawEllipse(axis, r + 14, r + 14)
    ink(p, 1.6, "ink-2", 110)
    p.drawEllipse(axis, r, r)
    ink(p, 1.6, "sheet")
    (
        p.drawEllipse(axis, r * 0.55, r * 0.55)
        if getattr(rig.method, "shape", "disc") == "ring"
        else None
    )
    pinion = r * 0.22
    wheel_r = min(pinion * 2.6, 0.24 * w)
    wheel = QPointF(axis.x() - pinion - wheel_r, axis.y() + 0.0)
    ink(p, 1.6, "pale", 230)
    p.drawEllipse(wheel, wheel_r, wheel_r)
    ink(p, 1.6, "brass", 220)
    p.drawEllipse(axis, pinion, pinion)
    shaft(p, axis, pinion * 0.4)
    shaft(p, wheel, pinion * 0.4)
    p.setFont(font(11))
    p.setPen(theme.colour("ink-2"))
    p.drawText(
        QRectF(b.x(), b.bottom() - 18, w, 16),
        Qt.AlignmentFlag.AlignCenter,
        "guard closed on all sides",
    )
    return {
        "inertia": QPointF(axis.x() + r * 0.05, axis.y() - r * 0.9),
        "gearing": QPointF(axis.x(), axis.y() - pinion * 0.7),
        "coasts": QPointF(axis.x() + pinion * 0.7, axis.y()),
        "safe_speed": QPointF(axis.x() + r * 0.75, axis.y() - r * 0.4),
        "outer_radius": QPointF(axis.x() + r * 0.99, axis.y() + r * 0.1),
        "shape": QPointF(axis.x() + r * 0.62, axis.y() + r * 0.3),
        "density": QPointF(axis.x() + r * 0.5, axis.y() + r * 0.62),
        "strength": QPointF(axis.x() + r * 0.34, axis.y() + r * 0.94),
        "speed": QPointF(axis.x() - r - 20, axis.y() - r - 4),
    }
