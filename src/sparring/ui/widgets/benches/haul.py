"""A crate hauled up a slope, or along a floor."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPolygonF

from sparring.core.methods import Haul
from sparring.core.rig import Rig
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, floor, ink, shaft, taut

_STEEPEST = math.radians(32)  # that is drawn


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    slope = rig.method.slope.value if isinstance(rig.method, Haul) else 0.0
    a = min(slope, _STEEPEST)
    foot = QPointF(b.x() + 0.06 * w, b.y() + 0.86 * h)
    floor(p, b.x() + 0.02 * w, b.right() - 0.02 * w, foot.y())
    long = 0.66 * w

    def up(along: float, off: float = 0.0) -> QPointF:
        """A point so far up the slope, and off it."""
        return QPointF(
            foot.x() + along * math.cos(a) - off * math.sin(a),
            foot.y() - along * math.sin(a) - off * math.cos(a),
        )

    if a > 0:
        ink(p, 2)
        p.drawLine(foot, up(long))
    high, wide = 0.11 * h, 0.2 * w
    at = 0.12 * w
    ink(p, 1.6, "pale")
    p.drawPolygon(QPolygonF([up(at), up(at + wide), up(at + wide, high), up(at, high)]))
    ink(p, 1.6, "ink-2", 120)
    load = [up(at + 0.25 * wide, high), up(at + 0.75 * wide, high)]
    p.drawPolygon(
        QPolygonF([*load, up(at + 0.75 * wide, 1.8 * high), up(at + 0.25 * wide, 1.8 * high)])
    )
    r = min(0.1 * h, 0.1 * w)
    drum = up(long + r, high / 2)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(drum, r, r)
    shaft(p, drum, r * 0.22)
    middle = up(at + wide, high / 2)
    taut(p, middle, QPointF(drum.x() - r * math.cos(a), drum.y() + r * math.sin(a)))
    on = up((at + wide + long) / 2, high / 2)
    cell(p, on.x(), on.y())
    return {
        "drum_diameter": QPointF(drum.x() + r * 0.7, drum.y() - r * 0.7),
        "cord_diameter": up(at + wide + 0.06 * w, high / 2),
        "crate_mass": up(at + 6, high - 4),
        "slope": up(0.05 * w, 0.0),
        "friction": up(at + wide / 2, 0.0),
        "cell": on,
        "speed": QPointF(drum.x(), drum.y() + r + 8),
    }
