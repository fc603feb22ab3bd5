"""A hoist over pulleys: a drum, lead sheaves, a block with its parts of line."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from sparring.core.methods import Tackle
from sparring.core.rig import Rig
from sparring.ui.widgets.benches.places import Places
from sparring.ui.widgets.sketch import cell, floor, ink, mass, shaft, taut

_MOST = 6  # parts of line that are drawn


def paint(p: QPainter, b: QRectF, rig: Rig) -> Places:
    w, h = b.width(), b.height()
    method = rig.method
    parts = min(method.parts, _MOST) if isinstance(method, Tackle) else 2
    beam, ground = b.y() + 0.06 * h, b.bottom() - 8
    ink(p, 3)
    p.drawLine(QPointF(b.x() + 0.1 * w, beam), QPointF(b.x() + 0.9 * w, beam))
    floor(p, b.x() + 0.05 * w, b.x() + 0.95 * w, ground)
    r = min(0.11 * h, 0.13 * w)
    drum = QPointF(b.x() + 0.2 * w, b.y() + 0.62 * h)
    ink(p, 1.6, "brass", 200)
    p.drawEllipse(drum, r, r)
    shaft(p, drum, r * 0.22)
    s = 0.05 * w
    top, low = b.y() + 0.2 * h, b.y() + 0.56 * h
    first = b.x() + 0.46 * w
    xs = [first + n * 2 * s for n in range(parts)]
    up = QPointF(drum.x() + r, drum.y())
    lead = QPointF(first - s, top)
    taut(p, up, QPointF(drum.x() + r, top - s), QPointF(lead.x(), top - s))
    for x in xs:
        taut(p, QPointF(x, top), QPointF(x, low))
    for n in range((parts + 1) // 2 + 1):
        ink(p, 1.6, "bench")
        p.drawEllipse(QPointF(lead.x() + 4 * s * n, top), s, s)
    for n in range((parts + 1) // 2):
        ink(p, 1.6, "bench")
        p.drawEllipse(QPointF(xs[0] + s + 4 * s * n, low), s, s)
    middle = (xs[0] + xs[-1]) / 2
    mass(p, middle, low + 1.6 * s, 46, 0.13 * h)
    at = QPointF(drum.x() + r, b.y() + 0.4 * h)
    cell(p, at.x(), at.y())
    return {
        "drum_diameter": QPointF(drum.x() - r * 0.7, drum.y() - r * 0.7),
        "cord_diameter": QPointF(drum.x() + r, b.y() + 0.52 * h),
        "parts": QPointF(xs[-1], (top + low) / 2),
        "lead": QPointF(lead.x() + s * 0.7, top - s * 0.7),
        "sheave": QPointF(xs[0] + s, low),
        "block_mass": QPointF(middle + 20, low + 1.6 * s + 4),
        "travel": QPointF(middle, ground - 4),
        "cell": at,
        "speed": QPointF(drum.x() - r - 8, drum.y()),
    }
