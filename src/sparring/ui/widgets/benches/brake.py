"""A brake: clamps on a disc, an arm on a load cell."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from sparring.core.rig import Rig
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, floor, ink, mass, shaft, taut


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    axis, r = QPointF(b.x() + 0.3 * w, b.y() + 0.42 * h), min(0.17 * h, 0.16 * w)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(axis, r, r)
    ink(p, 1.6, "ink-2", 150)
    for side in (-1, 1):
        p.drawChord(
            QRectF(axis.x() - r - 8, axis.y() - r - 8, 2 * r + 16, 2 * r + 16),
            16 * (50 if side < 0 else 230),
            16 * 80,
        )
    arm_y = axis.y() + r + 14
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(axis.x() - r - 12, arm_y - 5, 0.62 * w, 10))
    cell_x = axis.x() - r - 12 + 0.6 * w
    ground = b.bottom() - 8
    floor(p, b.x() + 0.05 * w, b.x() + 0.98 * w, ground)
    cell(p, cell_x, (arm_y + ground) / 2 + 2, 24, ground - arm_y - 12)
    shaft(p, axis, r * 0.25)
    clamp = QPointF(axis.x() + 0.34 * w, axis.y() - r - 14)
    roomy = w > 240
    ink(p, 1.6, "pale")
    p.drawRect(QRectF(axis.x() - r - 12, clamp.y() - 4, clamp.x() - axis.x() + r + 18, 8))
    taut(p, clamp, QPointF(clamp.x(), clamp.y() + 0.12 * h))
    mass(p, clamp.x(), clamp.y() + 0.12 * h, 32, 0.1 * h)
    return {
        "arm": QPointF(axis.x() + 0.26 * w, arm_y),
        "angle": QPointF(cell_x, arm_y + 6),
        "grips": QPointF(clamp.x(), clamp.y() + 0.17 * h),
        "heat_capacity": QPointF(axis.x() + r * 0.6, axis.y() - r * 0.5),
        "hottest": QPointF(axis.x() + r * 0.5, axis.y() + r * 0.98),
        "cell": QPointF(cell_x + 66, ground - 14) if roomy else QPointF(cell_x - 68, ground - 14),
        "speed": (
            QPointF(axis.x() - r - 46, axis.y())
            if roomy
            else QPointF(axis.x() - 6, axis.y() - r - 34)
        ),
    }
