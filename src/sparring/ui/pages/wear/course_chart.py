"""A figure of the drive over its turns: what was read, how it goes on, where it ends."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.wear.result import FlankWear, Trend
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading

_SI_UNITS = {"length": ("µm", 1e-6)}  # thinning is told so whatever sizes are told in
_REACH = 12  # [px]


class CourseChart(QWidget):
    """`picked` with the number of an inspection that was clicked."""

    picked = pyqtSignal(int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        row = QHBoxLayout()
        self.title = heading("Over its life")
        row.addWidget(self.title)
        row.addStretch(1)
        self.figure = Choice()
        self.figure.setAccessibleName("Figure over its life")
        self.figure.setMinimumContentsLength(12)
        self.figure.setSizeAdjustPolicy(
            Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.figure.activated.connect(lambda _n: self.refresh())
        row.addWidget(self.figure)
        column.addLayout(row)
        self.chart = Chart("output turns, thousands", "", name="A figure over the drive's life")
        self.chart.axes["left"].setWidth(52)
        self.chart.rows = self._rows
        self.chart.clicked.connect(self._clicked)
        column.addWidget(self.chart, 1)
        self._items: list[Any] = []
        self._points = np.empty((0, 3))

    def _offered(self) -> list[tuple[str, Trend | FlankWear]]:
        wear = self.desk.wear
        if wear is None:
            return []
        return [
            *((t.name, t) for t in wear.trends),
            *((f"thinning, {f.flank.body}, {f.flank.side}", f) for f in wear.flanks),
        ]

    def refresh(self) -> None:
        offered = self._offered()
        names = [name for name, _ in offered]
        kept = self.figure.currentText()
        if [self.figure.itemText(n) for n in range(self.figure.count())] != names:
            self.figure.clear()
            self.figure.addItems(names)
            if kept in names:
                self.figure.setCurrentText(kept)
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        self._points = np.empty((0, 3))
        if not offered:
            return
        shown = dict(offered)[self.figure.currentText() or names[0]]
        self._draw(shown)

    def _draw(self, shown: Trend | FlankWear) -> None:
        wear = self.desk.wear
        assert wear is not None
        if isinstance(shown, Trend):
            kind = shown.kind
            self._points = np.column_stack([shown.turns, shown.value, shown.u])
            band, limit = shown.ahead, self._limit(shown)
        else:
            kind = "length"
            self._points, band, limit = shown.points, shown.band, shown.allowed
        unit, one = _SI_UNITS.get(kind) or (
            self.desk.units[kind],
            quantity.factor(self.desk.units[kind], kind),
        )
        self.chart.set_labels("output turns, thousands", unit)
        colour = "speed" if kind == "angle" else "reseda"
        for turns in wear.looks.turns:
            self._add(pg.InfiniteLine(turns / 1e3, pen=pen("brass", 1, Qt.PenStyle.DotLine)))
        if len(band):
            x, y = band[:, 0] / 1e3, band[:, 1:] / one
            edges = [pg.PlotCurveItem(x, y[:, n]) for n in (0, 2)]
            brush = pg.mkBrush(theme.colour(colour, 50))
            self._add(pg.FillBetweenItem(*edges, brush=brush))
            dashed = pen(colour, 1.4, Qt.PenStyle.DashLine)
            self._add(pg.PlotCurveItem(x, y[:, 1], pen=dashed))
        x, y, u = self._points[:, 0] / 1e3, self._points[:, 1] / one, self._points[:, 2] / one
        bars = pg.ErrorBarItem(x=x, y=y, height=4 * u, beam=0, pen=pen(colour, 1.2))
        self._add(bars)
        self._add(
            pg.ScatterPlotItem(
                x, y, size=9, pen=pen(colour, 2), brush=pg.mkBrush(theme.colour("sheet"))
            )
        )
        far = max(float(x.max(initial=0.0)), 1e-3)
        if limit is not None:
            line = pg.InfiniteLine(limit / one, angle=0, pen=pen("vermilion", 1.4))
            self._add(line)
            self._text("allowed", 0.0, limit / one, "vermilion-text", (0, 1))
        if wear.next_look is not None and wear.next_look < 1.5e3 * far:
            at = wear.next_look / 1e3
            self._add(pg.InfiniteLine(at, pen=pen("amber", 1.4, Qt.PenStyle.DashLine)))
            far = max(far, at)
        tops = [float(np.nanmax(y + 2 * u))] if len(y) else []
        lows = [float(np.nanmin(y - 2 * u))] if len(y) else []
        if limit is not None:
            (tops if not tops or limit / one > lows[0] else lows).append(limit / one)
        if tops and lows:
            high, low = max(tops), min(min(lows), max(tops))
            room = 0.12 * (high - low) or 0.1 * abs(high) or 1.0
            self.chart.box.setRange(
                xRange=(-0.03 * far, 1.3 * far), yRange=(low - room, high + room), padding=0
            )
            if wear.next_look is not None and wear.next_look <= 1e3 * far:
                self._text("look next", wear.next_look / 1e3, high + room, "ink-2", (0, 0))

    def _limit(self, shown: Trend) -> float | None:
        allowed = self.desk.build.allowed
        return {"angle": allowed.play, "ratio": allowed.efficiency}.get(
            shown.kind if shown.name != "ripple of the mesh" else ""
        )

    def _add(self, item: Any) -> None:
        self.chart.add(item)
        self._items.append(item)

    def _text(
        self, words: str, x: float, y: float, colour: str, anchor: tuple[float, float]
    ) -> None:
        made = pg.TextItem(words, color=theme.colour(colour), anchor=anchor)
        made.setFont(font(11))
        made.setPos(x, y)
        self._add(made)

    def _clicked(self, x: float, _y: float) -> None:
        wear, looks = self.desk.wear, self.desk.looks
        if wear is None or not looks:
            return
        turns = np.array([i.turns.value + i.elsewhere_turns.value for _, i in looks]) / 1e3
        px, _ = self.chart.box.viewPixelSize()
        n = int(np.argmin(np.abs(turns - x)))
        if abs(turns[n] - x) / px < _REACH:
            self.picked.emit(looks[n][0])

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["turns", self.figure.currentText() or "value", "±"]
        return head, [
            [float(t), float(v), 2 * float(u)] for t, v, u in self._points if math.isfinite(v)
        ]
