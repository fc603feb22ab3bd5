"""A drawbar: driven wheels that pull a sled by a load cell."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from sparring.core.rig import Rig
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, drive, floor, ink, mass, shaft, taut


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    ground = b.y() + 0.78 * h
    floor(p, b.x(), b.right(), ground)
    r = min(0.11 * h, 0.1 * w)
    wheel = QPointF(b.x() + 0.8 * w, ground - r)
    drive(p, QRectF(b.x() + 0.6 * w, ground - 2.6 * r - 20, 0.36 * w, 1.4 * r + 14))
    for x in (wheel.x(), b.x() + 0.66 * w):
        ink(p, 1.6, "brass", 200) if x == wheel.x() else ink(p, 1.6, "bench")
        p.drawEllipse(QPointF(x, ground - r), r, r)
    shaft(p, wheel, r * 0.25)
    sled = QRectF(b.x() + 0.02 * w, ground - 0.1 * h, 0.26 * w, 0.1 * h - 1)
    rope = sled.center().y()
    taut(p, QPointF(sled.right(), rope), QPointF(b.x() + 0.6 * w, rope))
    cell(p, b.x() + 0.44 * w, rope)
    ink(p, 1.6, "pale")
    p.drawRect(sled)
    mass(p, sled.center().x(), sled.top() - 0.12 * h, 0.16 * w, 0.12 * h)
    return {
        "wheel_diameter": QPointF(wheel.x() + r * 0.7, wheel.y() - r * 0.7),
        "on_wheels": QPointF(wheel.x(), ground - 2.6 * r - 12),
        "rolls": QPointF(b.x() + 0.66 * w, ground - r * 0.4),
        "sled_mass": QPointF(sled.right() - 8, sled.top() + 5),
        "sled_friction": QPointF(sled.right() - 12, ground),
        "traction": QPointF(wheel.x(), ground),
        "cell": QPointF(b.x() + 0.44 * w, rope - 26),
        "speed": QPointF(wheel.x(), ground + 18),
    }
