"""A hoist: a weight on a cord over a drum."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from sparring.core.rig import Rig
from sparring.ui.theme import theme
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, floor, ink, mass, shaft, taut


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    drum, r = QPointF(b.x() + 0.45 * w, b.y() + 0.24 * h), min(0.14 * h, 0.2 * w)
    ink(p, 3)
    p.drawLine(QPointF(b.x() + 0.2 * w, b.y() + 3), QPointF(b.x() + 0.8 * w, b.y() + 3))
    ink(p, 1.6, "bench")
    p.drawRect(QRectF(drum.x() - 5, b.y() + 3, 10, drum.y() - b.y()))
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(drum, r, r)
    shaft(p, drum, r * 0.22)
    x = drum.x() + r + 1.5
    p.setPen(QPen(theme.colour("force"), 2.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawArc(QRectF(drum.x() - r - 1.5, drum.y() - r - 1.5, 2 * r + 3, 2 * r + 3), 0, 16 * 200)
    cell_y = b.y() + 0.58 * h
    taut(p, QPointF(x, drum.y()), QPointF(x, b.y() + 0.74 * h))
    cell(p, x, cell_y)
    mass(p, x, b.y() + 0.74 * h, 46, 0.13 * h)
    ground = b.bottom() - 8
    floor(p, b.x() + 0.12 * w, b.x() + 0.95 * w, ground)
    tx = drum.x() - r - 18
    p.setPen(QPen(theme.colour("ink-2"), 1))
    p.drawLine(QPointF(tx, drum.y()), QPointF(tx, ground))
    for y in (drum.y(), ground):
        p.drawLine(QPointF(tx - 5, y), QPointF(tx + 5, y))
    return {
        "drum_diameter": QPointF(drum.x() + r * 0.7, drum.y() - r * 0.7),
        "drum_radius": QPointF(drum.x() + r * 0.55, drum.y()),
        "cord_diameter": QPointF(x, b.y() + 0.44 * h),
        "layers": QPointF(drum.x() + r * 0.92, drum.y() + r * 0.45),
        "hook_mass": QPointF(x + 13, cell_y + 4),
        "cord_mass": QPointF(x, b.y() + 0.69 * h),
        "bearing": QPointF(drum.x() + r * 0.15, drum.y() + r * 0.15),
        "travel": QPointF(tx, b.y() + 0.85 * h),
        "cell": QPointF((tx + x - 13) / 2, cell_y),
        "speed": QPointF(drum.x() - r - 10, drum.y() - r - 10),
    }
