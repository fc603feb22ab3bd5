"""An arm that presses on a scale."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from sparring.core.rig import Rig
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, drive, floor, ink, shaft


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    axis = QPointF(b.x() + 0.2 * w, b.y() + 0.36 * h)
    ground, contact = b.bottom() - 8, axis.x() + 0.58 * w
    floor(p, b.x() + 0.03 * w, b.x() + 0.98 * w, ground)
    drive(p, QRectF(axis.x() - 30, axis.y() - 38, 60, 76), "")
    ink(p, 1.4, "pale")
    p.drawRect(QRectF(axis.x() - 22, axis.y() + 38, 44, ground - axis.y() - 38))
    ink(p, 1.6, "brass", 200)
    p.drawRect(QRectF(axis.x() - 8, axis.y() - 5, contact - axis.x() + 20, 10))
    shaft(p, axis, 8)
    foot = axis.y() + 5
    ink(p, 1.6, "ink-2", 120)
    p.drawRect(QRectF(contact - 4, foot, 8, 0.16 * h))
    top = foot + 0.16 * h
    ink(p, 1.6, "ink")
    p.drawRect(QRectF(contact - 42, top, 84, 6))
    cell(p, contact, (top + 6 + ground) / 2, 60, ground - top - 6)
    return {
        "arm": QPointF(axis.x() + 0.3 * w, axis.y()),
        "angle": QPointF(contact, foot + 4),
        "cell": QPointF(contact - 30, ground - 14),
        "speed": QPointF(axis.x(), axis.y() - 44),
    }
