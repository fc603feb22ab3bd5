"""The strips of Run: load cell, speed and current over the last half minute, with marks and the
windows taken as steady.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.recording import CHANNELS
from sparring.core.run import Run
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.theme import CHANNEL_COLOURS, theme
from sparring.ui.widgets.chart import Chart, pen, thinned

_SPAN = 30.0  # [s] shown
_TURN = 5.0  # [s] by which the strips go on when their right edge is reached
_LEAST_SAMPLES = 4  # of which a line is drawn
_LEAST = 0.05  # of a scale, in whatever unit is shown: at rest nothing is magnified
STRIPS = (("force", "Load cell"), ("speed", "Output speed"), ("current", "Current"))


class Strips(QWidget):
    """series: what is known of a strip's quantity in a part of the ring, SI, as long as that of its
    clock; None where there is nothing.
    """

    def __init__(
        self, desk: Desk, session: BenchSession, series: Callable[[str, slice], np.ndarray | None]
    ) -> None:
        super().__init__()
        self.desk, self.session, self.series = desk, session, series
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.charts: dict[str, Chart] = {}
        self.curves: dict[str, pg.PlotDataItem] = {}
        self.marks: dict[str, list[pg.InfiniteLine]] = {}
        self.kept: list[Run] = []  # lifts of this session, whose windows are shaded
        self._windows: dict[str, list[pg.LinearRegionItem]] = {}
        self._column = column
        self._later = QTimer(self)
        self._later.timeout.connect(self._make_next)
        self._later.start(0)
        desk.units_changed.connect(self.relabel)
        desk.result_changed.connect(self._shade)

    def _make_next(self) -> None:
        """One strip in one turn of the loop: a chart takes its time."""
        key, label = STRIPS[len(self.charts)]
        chart = Chart("s", label, name=f"{label} over time")
        chart.axes["left"].setWidth(58)
        chart.box.setMouseEnabled(x=True, y=False)
        if self.charts:
            chart.box.setXLink(next(iter(self.charts.values())).box)
        curve = pg.PlotDataItem()
        chart.add(curve)
        chart.styled(partial(self._ink, curve, key))
        bottom = chart.axes["bottom"]
        bottom.setHeight(8 if key != "current" else 34)
        bottom.setStyle(showValues=key == "current")
        self.charts[key], self.curves[key] = chart, curve
        self._column.addWidget(chart, 1)
        if len(self.charts) == len(STRIPS):
            self._later.stop()
            self.relabel()
            self._shade()

    def finish(self) -> None:
        """Makes what is not made yet: somebody wants to see them."""
        while len(self.charts) < len(STRIPS):
            self._make_next()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.finish()

    @staticmethod
    def _ink(curve: Any, key: str) -> None:
        curve.setPen(pen(CHANNEL_COLOURS[key], 1))

    def relabel(self) -> None:
        for key, label in STRIPS[: len(self.charts)]:
            kind = CHANNELS[key].kind
            chart = self.charts[key]
            chart.set_labels("s" if key == "current" else "", f"{label}, {self.desk.units[kind]}")

    def rest(self) -> None:
        """Nothing sends: all that came before it was lost stays, to its last sample."""
        ring = self.session.ring
        if ring is None:
            for curve in self.curves.values():
                curve.setData([], [])
        elif ring.count >= _LEAST_SAMPLES and len(self.charts) == len(STRIPS):
            self.show_newest()

    def show_newest(self) -> None:
        """The last half minute of the ring."""
        ring = self.session.ring
        assert ring is not None
        t = ring.t
        now = float(t[-1])
        part = ring.since(now - _SPAN)  # the page is turned at its right edge, and not pulled along
        for key, _label in STRIPS:
            y = self.series(key, part)
            if y is None:
                continue
            kind = CHANNELS[key].kind
            unit = self.desk.units[kind]
            x, v = thinned(t[part], y, 900)
            shown = v / quantity.factor(unit, kind)
            for _, back in self.session.gaps:  # no line over what nobody saw
                if x[0] <= back <= x[-1]:
                    shown[np.searchsorted(x, back - 1e-9)] = np.nan
            self.curves[key].setData(x, shown, connect="finite")
            box = self.charts[key].box
            right = float(t[0]) + max(_SPAN, _TURN * np.ceil((now - float(t[0])) / _TURN))
            if box.viewRange()[0][1] != right:
                box.setXRange(right - _SPAN, right, padding=0)
            if np.isfinite(shown).any():  # a cell without a calibration has no force yet
                high, low = float(np.nanmax(shown)), float(np.nanmin(shown))
                self._scale(key, box, low, high)
        self._mark_lines(now)

    def _scale(self, key: str, box: Any, low: float, high: float) -> None:
        """A steady scale: it grows at once, and shrinks only when what is shown needs less than
        half of it.
        """
        (_, _), (y0, y1) = box.viewRange()
        top = _round_up(max(high, _LEAST) * 1.08)
        bottom = 0.0 if low > -0.06 * top else -_round_up(-low * 1.08)
        if high > y1 or top < 0.5 * y1 or bottom < y0 - 1e-12 or bottom > 0.5 * y0:
            box.setYRange(bottom, top, padding=0)

    def _shade(self) -> None:
        """Shades what was taken as steady in the lifts of this session."""
        result = self.desk.result
        points = [
            p for s in (result.steps if result else ()) for p in s.points if p.run in self.kept
        ]
        for key, chart in self.charts.items():
            regions = self._windows.setdefault(key, [])
            while len(regions) < len(points):
                region = pg.LinearRegionItem(movable=False)
                region.setZValue(-10)
                chart.add(region, ignoreBounds=True)
                regions.append(region)
            for i, region in enumerate(regions):
                region.setVisible(i < len(points))
                if i < len(points):
                    region.setRegion((points[i].window.start, points[i].window.stop))
                    region.setBrush(pg.mkBrush(theme.colour("reseda", 30)))
                    for line in region.lines:
                        line.setPen(pg.mkPen(None))

    def _mark_lines(self, now: float) -> None:
        marks = [m for m in self.session.marks if m[0] > now - _SPAN]
        for key in self.charts:
            lines = self.marks.setdefault(key, [])
            while len(lines) < len(marks):
                flag = {
                    "position": 0.9,
                    "color": theme.colour("on-amber"),
                    "fill": theme.colour("amber"),
                    "movable": False,
                }
                line = pg.InfiniteLine(
                    angle=90, label="mark" if key == "force" else None, labelOpts=flag
                )
                line.setPen(pen("amber", 1.4, Qt.PenStyle.DashLine))
                self.charts[key].add(line)
                lines.append(line)
            for i, line in enumerate(lines):
                line.setVisible(i < len(marks))
                if i < len(marks):
                    line.setPos(marks[i][0])
                    if key == "force":
                        line.label.setFormat(marks[i][1])


def _round_up(x: float) -> float:
    """The next of 1, 1.5, 2, 3, 5, 8 times a power of ten."""
    if x <= 0:
        return 0.0
    base = 10.0 ** np.floor(np.log10(x))
    return float(next(m * base for m in (1, 1.5, 2, 3, 5, 8, 10) if m * base >= x * (1 - 1e-9)))
