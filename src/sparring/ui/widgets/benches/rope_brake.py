"""A rope over a drum between a scale and a hung weight."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen

from sparring.core.rig import Rig
from sparring.ui.theme import theme
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, floor, ink, mass, shaft, taut


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    r = min(0.19 * h, 0.17 * w)
    axis, ground = QPointF(b.x() + 0.46 * w, b.y() + 0.36 * h), b.bottom() - 8
    floor(p, b.x() + 0.05 * w, b.x() + 0.95 * w, ground)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(axis, r, r)
    shaft(p, axis, r * 0.25)
    tight, slack = axis.x() - r - 3, axis.x() + r + 3
    p.setPen(QPen(theme.colour("force"), 2.2))
    p.drawArc(QRectF(tight, axis.y() - r - 3, 2 * r + 6, 2 * r + 6), 0, 16 * 180)
    hangs = axis.y() + 0.26 * h
    low = ground - 34
    taut(p, QPointF(tight, axis.y()), QPointF(tight, low))
    taut(p, QPointF(slack, axis.y()), QPointF(slack, hangs))
    cell(p, tight, (low + ground) / 2, 26, ground - low)
    mass(p, slack, hangs, 40, 0.13 * h)
    return {
        "drum_diameter": QPointF(axis.x() + r * 0.6, axis.y() - r * 0.6),
        "rope_diameter": QPointF(slack, axis.y() + 0.1 * h),
        "grows": QPointF(slack + 12, hangs + 0.08 * h),
        "heat_capacity": QPointF(axis.x() - r * 0.5, axis.y() - r * 0.5),
        "hottest": QPointF(axis.x() - r * 0.2, axis.y() + r * 0.8),
        "cell": QPointF(tight - 13, ground - 16),
        "speed": QPointF(axis.x(), axis.y() - r - 8),
    }
