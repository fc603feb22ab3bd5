"""A stage drawn: the outlines of its bodies as paths, turned and filled."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from sparring.core.build import Build
from sparring.core.train.stage import Body, Loops
from sparring.ui.theme import theme

Turned = Callable[[str], float]


def path_of(loops: Loops, step: float = 0.0) -> QPainterPath:
    """Closed outlines [m] as one path in millimetres, y up, filled odd-even; points closer than
    `step` [mm] are left out.
    """
    path = QPainterPath()
    for loop in loops:
        points = loop * (1e3, -1e3)
        if step > 0:
            along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
            keep = np.diff(np.floor(along / step), prepend=-1.0) > 0
            keep[-1] = True
            points = points[keep]
        path.addPolygon(_polygon(points))
        path.closeSubpath()
    return path


def _polygon(points: np.ndarray) -> QPolygonF:
    """The polygon of points (n, 2), written into its memory at once: point by point takes several
    times as long.
    """
    polygon = QPolygonF()
    polygon.resize(len(points))
    memory = polygon.data()
    if memory is not None:
        memory.setsize(points.size * 8)
        flat = np.frombuffer(memory, np.float64)  # type: ignore[call-overload]
        flat.reshape(points.shape)[:] = points
    return polygon


@dataclass
class Drawn:
    """One body with its path, made once when it is rigid."""

    stage: int
    body: Body
    paths: dict[int, QPainterPath] = field(default_factory=dict)  # by coarseness

    def pose(self, turned: Turned, scale: float) -> tuple[QPainterPath, float, float, float]:
        """(path, x [mm], y [mm], angle [rad]) in the stage's frame; scale: pixels a millimetre, for
        as many points as can be seen.
        """
        b = self.body
        x, y = b.centre(turned)
        coarse = math.floor(math.log2(max(scale, 1e-6)))
        step = 0.7 / 2.0 ** (coarse + 1)  # two thirds of a pixel or less
        angle = b.angle(turned)
        if callable(b.loops):
            return path_of(b.outline(turned), step), x * 1e3, y * 1e3, angle
        if coarse not in self.paths:
            self.paths[coarse] = path_of(b.loops, step)
        return self.paths[coarse], x * 1e3, y * 1e3, angle


def drawn_stage(build: Build, n: int) -> list[Drawn]:
    """The bodies of stage n, back to front."""
    shafts = build.shafts()
    bodies = build.stages[n].bodies(shafts[n], shafts[n + 1], build.stage_names()[n])
    return [Drawn(n, b) for b in bodies]


def _slanted_lines(p: QPainter, box: QRectF, slant: float) -> None:
    """Three thin lines for the run of helical teeth."""
    rise = min(box.width() * math.tan(abs(slant)), box.height() / 4) * (1 if slant > 0 else -1)
    p.save()
    p.setPen(QPen(theme.colour("ink-2"), 1))
    for n in (-1, 0, 1):
        middle = box.center().y() + n * min(7.0, box.height() / 8)
        p.drawLine(QPointF(box.left(), middle + rise / 2), QPointF(box.right(), middle - rise / 2))
    p.restore()


def fill_of(body: Body, chosen: bool, first: bool) -> QColor:
    """The colour a body is filled with."""
    if chosen and body.look not in ("north", "south"):
        return theme.colour("reseda", 225)
    if first:
        return theme.colour("brass", 235)
    names = {
        "arm": ("rule", 150),
        "pin": ("ink-3", 210),
        "north": ("ink-2", 255),
        "south": ("sheet", 255),
        "band": ("ink-2", 120),
    }
    name, alpha = names.get(body.look, ("pale", 225))
    return theme.colour(name, alpha)


def paint_stage(
    p: QPainter,
    drawn: list[Drawn],
    turned: Turned,
    *,
    chosen: str = "",
    width: float = 1.0,
    first_shaft: str = "",
) -> None:
    """Paints bodies in the stage's frame; the painter is scaled to millimetres."""
    scale = math.sqrt(abs(p.worldTransform().determinant()))
    for d in drawn:
        path, x, y, angle = d.pose(turned, scale)
        p.save()
        p.translate(x, -y)
        p.rotate(-math.degrees(angle))
        is_chosen = bool(chosen) and d.body.field == chosen
        pen = QPen(theme.colour("brass" if is_chosen else "ink"), width * (2 if is_chosen else 1))
        pen.setCosmetic(True)
        p.setPen(pen)
        p.setBrush(
            fill_of(
                d.body,
                is_chosen,
                bool(first_shaft) and d.body.shaft == first_shaft and d.body.look == "gear",
            )
        )
        p.drawPath(path)
        p.restore()
