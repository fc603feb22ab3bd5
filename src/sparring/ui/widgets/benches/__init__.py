"""The bench drawn for its method: a module a method, which gives where its fields' lines end. One
without a module here is drawn plainly.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from sparring.core.rig import Rig
from sparring.ui.widgets.benches import (
    brake,
    drawbar,
    generator,
    haul,
    hoist,
    lever,
    plain,
    rope_brake,
    run_up,
    scale,
    tackle,
)
from sparring.ui.widgets.benches.places import Places

PAINTERS: dict[str, Callable[[QPainter, QRectF, Rig], Places]] = {
    "hoist": hoist.paint,
    "lever": lever.paint,
    "brake": brake.paint,
    "drawbar": drawbar.paint,
    "run-up": run_up.paint,
    "generator": generator.paint,
    "rope-brake": rope_brake.paint,
    "scale": scale.paint,
    "tackle": tackle.paint,
    "haul": haul.paint,
}


def paint_bench(p: QPainter, box: QRectF, rig: Rig) -> Places:
    """Draws a rig's bench into a box."""
    return PAINTERS.get(rig.method.kind, plain.paint)(p, box, rig)
