"""A lever between its stops, a mass hung on it."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from sparring.core.methods import Lever
from sparring.core.rig import Rig
from sparring.ui.theme import theme
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import drive, ink, mass, shaft, taut


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    m = rig.method
    assert isinstance(m, Lever)
    w, h = b.width(), b.height()
    axis, reach = QPointF(b.x() + 0.16 * w, b.y() + 0.42 * h), 0.66 * w
    drive(p, QRectF(axis.x() - 26, axis.y() - 34, 52, 68), "")

    def at(angle: float, part: float) -> QPointF:
        return QPointF(
            axis.x() + reach * part * math.cos(angle), axis.y() - reach * part * math.sin(angle)
        )

    p.setPen(QPen(theme.colour("ink-3"), 1, Qt.PenStyle.DashLine))
    p.drawLine(axis, at(0.0, 1.12))
    for angle in (m.start.value, m.top.value):
        p.drawLine(at(angle, 0.5), at(angle, 1.1))
        ink(p, 1.4, "ink-2", 120)
        tip, down = at(angle, 0.9), 1 if angle == m.start.value else -1
        p.drawPolygon(
            QPolygonF(
                [
                    tip,
                    QPointF(tip.x() - 7, tip.y() + 14 * down),
                    QPointF(tip.x() + 7, tip.y() + 14 * down),
                ]
            )
        )
        p.setPen(QPen(theme.colour("ink-3"), 1, Qt.PenStyle.DashLine))
    p.save()
    p.translate(axis)
    p.rotate(-math.degrees(m.start.value))
    ink(p, 1.6, "brass", 200)
    p.drawRect(QRectF(-8, -5, reach + 16, 10))
    p.restore()
    shaft(p, axis, 8)
    end = at(m.start.value, 1.0)
    hook = QPointF(end.x(), end.y() + 0.16 * h)
    taut(p, end, hook)
    mass(p, hook.x(), hook.y(), 46, 0.17 * h)
    centre = at(m.start.value, min(max(m.arm_centre.value / m.arm.value, 0.0), 1.0))
    ink(p, 1.2, "sheet")
    p.drawEllipse(centre, 5, 5)
    return {
        "arm": at(m.start.value, 0.72),
        "arm_mass": at(m.start.value, 0.28),
        "arm_centre": centre,
        "hook_mass": QPointF(hook.x(), hook.y() - 6),
        "start": at(m.start.value, 0.9),
        "top": at(m.top.value, 0.9),
        "speed": QPointF(axis.x(), axis.y() - 48),
    }
