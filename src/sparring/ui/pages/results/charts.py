"""The charts of Results: efficiency and speed over output torque, measured over predicted, and the
stall. A click on a point chooses it.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QVBoxLayout

from sparring.core import predict, quantity
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import Uncertain, nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen

_SERIES = (
    ("gearbox", "gearbox", "o", Qt.PenStyle.SolidLine, True),
    ("wire_to_shaft", "wire to shaft", "s", Qt.PenStyle.DashLine, False),
)
_REACH = 14  # [px] from a point at which a click is meant for it
_APART = 0.004  # between the lifts of a step, of the chart's width


class Charts(QFrame):
    """Draws a result. `picked(step, lift)` when a point is clicked."""

    picked = pyqtSignal(int, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self._items: list[tuple[Chart, Any]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 6, 6)
        column.setSpacing(6)
        self.efficiency = Chart("", "efficiency, %", name="Efficiency over output torque")
        self.speed = Chart("output torque", "speed", name="Output speed over output torque")
        self.speed.box.setXLink(self.efficiency.box)
        for chart in (self.efficiency, self.speed):
            chart.axes["left"].setWidth(52)
            chart.clicked.connect(lambda x, y, c=chart: self._clicked(c, x, y))
        bottom = self.efficiency.axes["bottom"]
        bottom.setHeight(6)
        bottom.setStyle(showValues=False)
        self.efficiency.setMinimumHeight(150)
        self.speed.setMinimumHeight(110)
        column.addWidget(self.efficiency, 3)
        column.addWidget(self.speed, 2)
        self.efficiency.rows = self.speed.rows = self._rows

    def clear(self) -> None:
        for chart, item in self._items:
            chart.remove(item)
        self._items.clear()

    def _add(self, chart: Chart, item: Any) -> Any:
        chart.add(item)
        self._items.append((chart, item))
        return item

    @property
    def _scales(self) -> tuple[float, float]:
        """One of the chosen units of torque and speed, SI."""
        units = self.desk.units
        return (
            quantity.factor(units["torque"], "torque"),
            quantity.factor(units["speed"], "speed"),
        )

    def put(self, result: TestResult) -> None:
        """Draws a result in place of the one before."""
        self.clear()
        units, (kt, ks) = self.desk.units, self._scales
        torque_unit, speed_unit = units["torque"], units["speed"]
        self.efficiency.set_labels("", "efficiency, %")
        self.speed.set_labels(f"output torque, {torque_unit}", f"speed, {speed_unit}")
        self.efficiency.readout = lambda px, py: f"{px:.3g} {torque_unit}  {py:.1f} %"
        self.speed.readout = lambda px, py: f"{px:.3g} {torque_unit}  {py:.3g} {speed_unit}"
        most = max(nominal(s.torque) for s in result.steps) / kt
        right, fastest = (
            1.15 * most,
            max((nominal(s.speed) / ks for s in result.running), default=0),
        )
        for level in result.levels:
            part = result.at(level)
            curve = predict.curve(result.build, level.voltage)
            self._predicted(curve, f"{level.voltage:.3g} V" if len(result.levels) > 1 else "")
            self._measured(part, label=level is result.main)
            self._stall(part, kt, ks)
            by_line = level.stall.by_line
            stall = nominal(by_line) / kt if by_line is not None else most
            right = max(right, min(stall, curve.stall / kt) * 1.06)
            fastest = max(fastest, float(curve.speed[0]) / ks)
        right = min(right, 2.2 * most)
        self.efficiency.box.setRange(xRange=(0, right), yRange=(0, 105), padding=0)
        self.speed.box.setYRange(0, (fastest or 1.0) * 1.08, padding=0)

    def _predicted(self, curve: predict.Curve, named: str) -> None:
        """Curves with their bands, in grey beneath what was measured; named: at its beginning."""
        kt, ks = self._scales
        x = curve.torque / kt
        for name, _label, _symbol, style, _filled in _SERIES:
            if name in curve.band:
                self._band(self.efficiency, x, curve.band[name], 0.01)
            line = pg.PlotDataItem(x, 100 * getattr(curve, name), pen=pen("ink-3", 1.3, style))
            self._add(self.efficiency, line)
        self._band(self.speed, x, curve.band["speed"], ks)
        self._add(self.speed, pg.PlotDataItem(x, curve.speed / ks, pen=pen("ink-3", 1.3)))
        if named:
            text = pg.TextItem(named, color=theme.colour("ink-2"), anchor=(0, 1))
            text.setFont(font(11))
            text.setPos(0, float(curve.speed[0]) / ks)
            self._add(self.speed, text)

    def _band(
        self, chart: Chart, x: np.ndarray, band: tuple[np.ndarray, np.ndarray], one: float
    ) -> None:
        """x in the chosen unit, band SI, shape (n,); one: of the unit shown."""
        low, high = band
        good = np.isfinite(low) & np.isfinite(high)
        edges = [pg.PlotCurveItem(x[good], v[good] / one) for v in (low, high)]
        brush = pg.mkBrush(theme.colour("ink-3", 60))
        self._add(chart, pg.FillBetweenItem(*edges, brush=brush))

    def _measured(self, result: TestResult, *, label: bool) -> None:
        """label: the series are named at their ends."""
        kt, ks = self._scales
        for name, named, symbol, _style, filled in _SERIES:
            points = [
                (
                    s.torque / kt,
                    100 * getattr(s, name),
                    [100 * nominal(v) for p in s.points if (v := getattr(p, name)) is not None],
                )
                for s in result.running
                if getattr(s, name) is not None
            ]
            colour = "reseda" if filled else "ink-2"
            end = named if label else ""
            self._points(self.efficiency, points, colour, symbol, filled=filled, label=end)
        speeds = [
            (s.torque / kt, s.speed / ks, [nominal(p.speed) / ks for p in s.points])
            for s in result.running
        ]
        self._points(self.speed, speeds, "speed", "d", filled=True)

    def _points(
        self,
        chart: Chart,
        rows: list[tuple[Uncertain, Uncertain, list[float]]],
        colour: str,
        symbol: str,
        *,
        filled: bool,
        label: str = "",
    ) -> None:
        if not rows:
            return
        x = np.array([nominal(r[0]) for r in rows])
        y = np.array([nominal(r[1]) for r in rows])
        bars = pg.ErrorBarItem(
            x=x,
            y=y,
            height=4 * np.array([std(r[1]) for r in rows]),
            width=4 * np.array([std(r[0]) for r in rows]),
            beam=0,
            pen=pen("ink", 1.5),
        )
        each_x = np.concatenate([np.full(len(r[2]), nominal(r[0])) for r in rows])
        each_y = np.concatenate([np.array(r[2]) for r in rows])
        offset = (
            np.concatenate([(np.arange(len(r[2])) - (len(r[2]) - 1) / 2) for r in rows])
            * 0.004
            * (x.max() or 1)
        )
        self._add(
            chart,
            pg.ScatterPlotItem(
                each_x + offset,
                each_y,
                size=4,
                pen=None,
                brush=pg.mkBrush(theme.colour(colour, 150)),
            ),
        )
        self._add(chart, bars)
        self._add(
            chart,
            pg.ScatterPlotItem(
                x,
                y,
                symbol=symbol,
                size=11,
                pen=pen(colour, 2),
                brush=pg.mkBrush(theme.colour(colour if filled else "sheet")),
            ),
        )
        if label:
            text = pg.TextItem(
                label,
                color=theme.colour(colour),
                anchor=(0, 0.5),
                fill=pg.mkBrush(theme.colour("sheet", 225)),
            )
            text.setFont(font(12, bold=True))
            text.setPos(x[-1] + 0.025 * (x.max() or 1), y[-1])
            self._add(chart, text)

    def _stall(self, result: TestResult, kt: float, ks: float) -> None:
        stall = result.stall
        if stall.not_lifted is not None and stall.lifted is not None:
            region = pg.LinearRegionItem(
                (nominal(stall.lifted) / kt, nominal(stall.not_lifted) / kt),
                movable=False,
                brush=pg.mkBrush(theme.colour("vermilion", 26)),
                pen=pen("vermilion", 1, Qt.PenStyle.DotLine),
            )
            self._add(self.speed, region)
        if stall.by_line is not None and std(stall.by_line) < 0.5 * nominal(stall.by_line):
            x, u = nominal(stall.by_line) / kt, std(stall.by_line) / kt
            self._add(
                self.speed,
                pg.ErrorBarItem(
                    x=np.array([x]),
                    y=np.array([0.0]),
                    width=np.array([4 * u]),
                    beam=0,
                    pen=pen("vermilion", 4),
                ),
            )
            self._add(
                self.speed,
                pg.ScatterPlotItem(
                    [x],
                    [0.0],
                    symbol="t",
                    size=12,
                    pen=pen("vermilion", 1),
                    brush=pg.mkBrush(theme.colour("vermilion")),
                ),
            )
            if result.line is not None:
                xs = np.array([0.0, x])
                self._add(
                    self.speed,
                    pg.PlotDataItem(
                        xs,
                        np.array([nominal(result.line.a), 0.0]) / ks,
                        pen=pen("speed", 1.2, Qt.PenStyle.DashLine),
                    ),
                )

    def _rows(self) -> tuple[list[str], list[list[float]]]:
        result = self.desk.result
        head = ["torque N·m", "u", "speed rad/s", "u", "wire to shaft", "u", "gearbox", "u"]
        rows = [
            [f(v) for v in (s.torque, s.speed, s.wire_to_shaft, s.gearbox) for f in (_n, _u)]
            for s in (result.running if result else [])
        ]
        return head, rows

    def _clicked(self, chart: Chart, x: float, y: float) -> None:
        """Picks the nearest point within reach; a lift's own dot picks that lift."""
        result = self.desk.result
        if result is None or not result.running:
            return
        px, py = chart.box.viewPixelSize()
        kt, ks = self._scales
        one_apart = _APART * max(nominal(s.torque) for s in result.running) / kt
        names = {"speed": ks} if chart is self.speed else {"gearbox": 0.01, "wire_to_shaft": 0.01}
        near: list[tuple[float, int, int]] = []
        for s in result.running:
            at = nominal(s.torque) / kt
            shown = [(at, s, 0)] + [
                (at + (n - (len(s.points) - 1) / 2) * one_apart, p, n)
                for n, p in enumerate(s.points)
            ]
            for across, source, n in shown:
                for name, one in names.items():
                    if (value := getattr(source, name)) is not None:
                        away = np.hypot((across - x) / px, (nominal(value) / one - y) / py)
                        near.append((float(away), s.index, n))
        away, step, lift = min(near, default=(np.inf, 0, 0))
        if away < _REACH:
            self.picked.emit(step, lift)

    def places(self) -> dict[str, QPoint]:
        """Where the points are on this widget: `gearbox 2` is the third step's."""
        found, result = {}, self.desk.result
        kt, ks = self._scales
        for s in result.running if result else []:
            for chart, name, one in ((self.efficiency, "gearbox", 0.01), (self.speed, "speed", ks)):
                if (value := getattr(s, name)) is not None:
                    at = QPointF(nominal(s.torque) / kt, nominal(value) / one)
                    on = chart.box.mapViewToScene(at)
                    found[f"{name} {s.index}"] = chart.mapTo(self, chart.mapFromScene(on))
        return found


def _n(x: Any) -> float:
    return float("nan") if x is None else nominal(x)


def _u(x: Any) -> float:
    return float("nan") if x is None else std(x)
