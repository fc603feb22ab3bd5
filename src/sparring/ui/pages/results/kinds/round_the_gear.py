"""The average of a signal over a shaft's turn, drawn round the gear that it is of."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from sparring.core.orders.average import Average
from sparring.core.orders.lines import Orders
from sparring.core.orders.tones import gears_on
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import pen


class RoundTheGear(QWidget):
    """The average over a shaft's turn, drawn tooth by tooth round the gear it is of: outside its
    rim where the signal is above its mean.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumWidth(160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._average: Average | None = None
        self._teeth: list[int] = []
        self._words = ""
        self._at: float | None = None
        theme.changed.connect(self.update)

    def put(self, average: Average | None, found: Orders, desk: Desk) -> None:
        self._average, self._at, self._words = average, None, ""
        if average is not None:
            gears = gears_on(desk.build).get(average.shaft, [])
            tooth = next((t for t in found.teeth if t.shaft == average.shaft), None)
            most = tooth.gears[0] if tooth else max(gears, default=None)
            self._teeth = [most.teeth] if most is not None else []
            self._at = tooth.at if tooth else None
            whole = abs(average.whole) or 1.0
            swing = 100 * float(np.ptp(average.mean)) / whole / 2
            u = 200 * float(np.sqrt((average.u**2).mean())) / whole
            gear = f", {self._teeth[0]} teeth" if self._teeth else ""
            self._words = (
                f"{average.shaft}{gear}: ± {swing:.2g} % over {average.turns} turns, each place "
                f"± {u:.1g} %"
            )
        self.setAccessibleName(self._words or "No average: too few turns or samples")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(11))
        average = self._average
        p.setPen(theme.colour("ink-2"))
        if average is None:
            words = "Too few turns, or too few samples per turn, for an average."
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            p.drawText(QRectF(self.rect()), flags, words)
            return
        foot = QRectF(2, self.height() - 34, self.width() - 4, 34)
        flags = int(Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap)
        p.drawText(foot, flags, self._words)
        size = min(self.width(), self.height() - 36) / 2 - 4
        middle = QPointF(self.width() / 2, (self.height() - 36) / 2)
        rim = 0.66 * size
        self._gear(p, middle, rim)
        away = average.mean - average.whole
        least = 0.01 * abs(average.whole)  # noise is not blown up
        highest = max(float(np.abs(away).max()), 3 * float(average.u.max()), least, 1e-12)
        gain = 0.32 * size / highest
        for sign, colour, alpha in ((2, "speed", 60), (0, "speed", 255)):
            if sign:
                path = QPainterPath()
                for edge in (away + sign * average.u, away - sign * average.u):
                    path.addPolygon(_ring(middle, rim + gain * edge, average.angle))
                path.setFillRule(Qt.FillRule.OddEvenFill)
                p.fillPath(path, theme.colour(colour, alpha))
            else:
                p.setPen(pen(colour, 1.6))
                p.drawPolygon(_ring(middle, rim + gain * away, average.angle))
        if self._at is not None:
            end = QPointF(math.sin(self._at), -math.cos(self._at)) * (0.98 * size)
            p.setPen(pen("vermilion", 2))
            p.drawLine(middle + end * (rim / size), middle + end)

    def _gear(self, p: QPainter, middle: QPointF, rim: float) -> None:
        """The gear's rim with its teeth, faint."""
        teeth = self._teeth[0] if self._teeth else 0
        if teeth:
            steps = np.arange(4 * teeth)
            radius = rim * (1 - 0.10 * np.isin(steps % 4, (2, 3)))
            outline = _ring(middle, radius, steps * (math.pi / 2 / teeth))
        else:
            outline = _ring(middle, np.full(90, rim), np.linspace(0, 2 * math.pi, 90))
        p.setPen(pen("rule", 1))
        p.setBrush(theme.colour("pale"))
        p.drawPolygon(outline)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(middle, 0.12 * rim, 0.12 * rim)


def _ring(middle: QPointF, radius: np.ndarray, angle: np.ndarray) -> QPolygonF:
    """A closed outline, from the top on clockwise."""
    xs, ys = middle.x() + radius * np.sin(angle), middle.y() - radius * np.cos(angle)
    return QPolygonF([QPointF(float(x), float(y)) for x, y in zip(xs, ys, strict=True)])
