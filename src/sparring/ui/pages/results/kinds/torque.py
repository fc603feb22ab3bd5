"""Efficiency and speed, current or power over output torque: measured with ±, the model through all
of it with its band, predicted beneath, the data sheet beside; and the stall.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer

from sparring.core import predict, quantity
from sparring.core.performance.model import Curves
from sparring.core.performance.whole import Whole
from sparring.core.records import Q
from sparring.core.reduce.results import Level, TestResult
from sparring.core.uncertainty import Uncertain, nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind, nearest
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.quantity_field import QuantityField


class Series(NamedTuple):
    """One efficiency: field of steps and curves, words, symbol, style, whether it is filled."""

    field: str
    words: str
    symbol: str
    style: Qt.PenStyle
    filled: bool


_SERIES = (
    Series("gearbox", "gearbox", "o", Qt.PenStyle.SolidLine, True),
    Series("wire_to_shaft", "wire to shaft", "s", Qt.PenStyle.DashLine, False),
)


class Below(NamedTuple):
    """What the lower chart may show: field, words, kind of quantity, colour; cold: the field of a
    step that is reduced to the motor as its readings found it.
    """

    field: str
    words: str
    kind: str
    colour: str


_BELOW = (
    Below("speed", "speed", "speed", "speed"),
    Below("current", "current", "current", "current"),
    Below("power_out", "power out", "power", "power"),
)
_LESS = ("speed, less the model", "current, less the model")
"""What is left of the model at each step, as two more choices below."""
_SHEET = {
    "speed": (("free_speed", 0.0), ("load_speed", None)),
    "current": (("free_current", 0.0), ("load_current", None)),
}
"""Figures of a data sheet, by what the lower chart shows, with their torque; None: the load's."""
_REACH = 14  # [px] from a point at which a click is meant for it
_APART = 0.004  # between the lifts of a step, of the chart's width


class TorqueKind(Kind):
    """Draws a result over its torque."""

    ID, NAME, AT_ONCE = "torque", "Torque", True

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.efficiency = self.chart("", "efficiency, %", "Efficiency over output torque", 3)
        self.second = self.chart("output torque", "speed", "Output speed over output torque", 2)
        self.second.box.setXLink(self.efficiency.box)
        for chart in (self.efficiency, self.second):
            chart.clicked.connect(lambda x, y, c=chart: self._clicked(c, x, y))
            chart.rows = self._rows
        bottom = self.efficiency.axes["bottom"]
        bottom.setHeight(6)
        bottom.setStyle(showValues=False)
        self.efficiency.setMinimumHeight(120)
        self.second.setMinimumHeight(90)
        self.below = self.choice("Below", [*(b.words for b in _BELOW), *_LESS])
        self.below.currentIndexChanged.connect(lambda _n: self.again())
        volts, kelvin = (
            Q("voltage", "V", above=0.0, most=1000.0),
            Q("temperature", "°C", above=200.0, most=600.0),
        )
        self.at = self._asked("Also at a voltage of", "other V", volts)
        self.winding = self._asked("with its winding at", "warm °C", kelvin)

    def _asked(self, name: str, short: str, info: Q) -> QuantityField:
        """A field for the curves that are reduced to another voltage or temperature."""

        def taken(_value: Any) -> str | None:
            QTimer.singleShot(0, self.again)  # once the field holds it
            return None

        field = QuantityField(info, info.file_unit, taken, optional=True, measured=False, name=name)
        field.setFixedWidth(84)
        field.setPlaceholderText(short)
        self._choices.addWidget(field)
        return field

    @property
    def _shown(self) -> Below:
        return _BELOW[max(self.below.currentIndex(), 0) % len(_BELOW)]

    @property
    def _less(self) -> bool:
        """Whether what is left of the model is shown."""
        return self.below.currentIndex() >= len(_BELOW)

    def put(self, found: Whole) -> None:
        self.something()
        self._found, result, below = found, found.result, self._shown
        torque_unit, kt = self.unit("torque")
        unit, one = self.unit(below.kind)
        self.efficiency.set_labels("", "efficiency, %")
        self.second.set_labels(f"output torque, {torque_unit}", f"{below.words}, {unit}")
        self.second.setAccessibleName(f"Output {below.words} over output torque")
        self.efficiency.readout = lambda px, py: self._read(px, py, efficiency=True)
        self.second.readout = lambda px, py: self._read(px, py, efficiency=False)
        most = max(nominal(s.torque) for s in result.steps) / kt
        right, highest = (
            1.15 * most,
            max((_value(s, below.field) / one for s in result.running), default=0.0),
        )
        for n, level in enumerate(result.levels):
            part = result.at(level)
            predicted = predict.curve(result.build, _set_to(result, level))
            self._predicted(predicted, f"{level.voltage:.3g} V" if len(result.levels) > 1 else "")
            if n < len(found.curves):
                self._model(found.curves[n])
            self._measured(part, label=level is result.main)
            if below.field == "speed" and not self._less:
                self._stall(part, kt, one)
            by_line = level.stall.by_line
            stall = nominal(by_line) / kt if by_line is not None else most
            right = max(right, min(stall, predicted.stall / kt) * 1.06)
            if below.field == "speed":
                highest = max(highest, float(predicted.speed[0]) / one)
        right = min(right, 2.2 * most)
        self._reduced(found)
        if self._less:
            self._left_of_model(right)
            return
        highest = max(highest, self._sheet(result, right))
        self.efficiency.box.setRange(xRange=(0, right), yRange=(0, 105), padding=0)
        self.second.box.setYRange(0, (highest or 1.0) * 1.08, padding=0)

    def _predicted(self, curve: predict.Curve, named: str) -> None:
        """Curves with their bands, in grey beneath what was measured; named: at its beginning."""
        kt = quantity.factor(self.desk.units["torque"], "torque")
        below, x = self._shown, curve.torque / kt
        _, one = self.unit(below.kind)
        for series in _SERIES:
            if series.field in curve.band:
                low, high = curve.band[series.field]
                self.band(self.efficiency, x, 100 * low, 100 * high, "ink-3")
            y = 100 * getattr(curve, series.field)
            self.curve(self.efficiency, x, y, "ink-3", series.style)
        if self._less:
            return
        if below.field in curve.band:
            low, high = curve.band[below.field]
            self.band(self.second, x, low / one, high / one, "ink-3")
        y = getattr(curve, below.field) / one
        self.curve(self.second, x, y, "ink-3")
        if named:
            # above its line, in its middle: the measured points begin at no load
            at = len(x) // 2
            self.text(self.second, named, float(x[at]), float(y[at]), anchor=(0, 1))

    def _reduced(self, found: Whole) -> None:
        """The model at the voltage, and with the winding as warm, as was asked for."""
        at, winding = self.at.value, self.winding.value
        if found.model is None or (at is None and winding is None):
            return
        reference = found.result.build.motor.winding_temperature
        volts = found.result.voltage if at is None else at.value
        warm = 0.0 if winding is None else winding.value - reference
        curves = found.model.curves(volts, winding=warm)
        (_, kt), below = self.unit("torque"), self._shown
        _, one = self.unit(below.kind)
        x = curves.torque / kt
        for series in _SERIES:
            y = 100 * getattr(curves, series.field).value
            self.curve(self.efficiency, x, y, "brass", series.style, 1.8)
        if self._less:
            return
        y = getattr(curves, below.field).value / one
        self.curve(self.second, x, y, "brass", width=1.8)
        words = f"{volts:.3g} V"
        if winding is not None:
            words += f", winding {self.desk.show(winding.value, 'temperature', decimals=0)}"
        n = len(x) // 4
        self.text(self.second, words, float(x[n]), float(y[n]), "ink", (0, 0))

    def _model(self, curves: Curves) -> None:
        """The one model through all steps, with ± (k = 2)."""
        _, kt = self.unit("torque")
        below, x = self._shown, curves.torque / kt
        _, one = self.unit(below.kind)
        for series in _SERIES:
            value, u = getattr(curves, series.field)
            colour = "reseda" if series.filled else "ink-2"
            self.band(self.efficiency, x, 100 * (value - 2 * u), 100 * (value + 2 * u), colour)
            self.curve(self.efficiency, x, 100 * value, colour, series.style)
        if self._less:
            return
        value, u = getattr(curves, below.field)
        self.band(self.second, x, (value - 2 * u) / one, (value + 2 * u) / one, below.colour)
        self.curve(self.second, x, value / one, below.colour)

    def _measured(self, result: TestResult, *, label: bool) -> None:
        """label: the series are named at their ends."""
        _, kt = self.unit("torque")
        below = self._shown
        _, one = self.unit(below.kind)
        for series in _SERIES:
            points = [
                (
                    s.torque / kt,
                    100 * getattr(s, series.field),
                    [
                        100 * nominal(v)
                        for p in s.points
                        if (v := getattr(p, series.field)) is not None
                    ],
                )
                for s in result.running
                if getattr(s, series.field) is not None
            ]
            colour = "reseda" if series.filled else "ink-2"
            words = series.words if label else ""
            self._points(
                self.efficiency, points, colour, series.symbol, filled=series.filled, label=words
            )
        if self._less:
            return
        values = [
            (
                s.torque / kt,
                getattr(s, below.field) / one,
                [nominal(v) / one for p in s.points if (v := getattr(p, below.field)) is not None],
            )
            for s in result.running
            if getattr(s, below.field) is not None
        ]
        self._points(self.second, values, below.colour, "d", filled=True)

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
        height, width = (4 * np.array([std(r[n]) for r in rows]) for n in (1, 0))
        bars = pg.ErrorBarItem(x=x, y=y, height=height, width=width, beam=0, pen=pen("ink", 1.5))
        each_x = np.concatenate([np.full(len(r[2]), nominal(r[0])) for r in rows])
        each_y = np.concatenate([np.array(r[2]) for r in rows])
        places = [(np.arange(len(r[2])) - (len(r[2]) - 1) / 2) for r in rows]
        offset = np.concatenate(places) * _APART * (x.max() or 1)
        faint = pg.mkBrush(theme.colour(colour, 150))
        self.add(chart, pg.ScatterPlotItem(each_x + offset, each_y, size=4, pen=None, brush=faint))
        self.add(chart, bars)
        brush = pg.mkBrush(theme.colour(colour if filled else "sheet"))
        self.add(
            chart, pg.ScatterPlotItem(x, y, symbol=symbol, size=11, pen=pen(colour, 2), brush=brush)
        )
        if label:
            self.text(chart, label, x[-1] + 0.025 * (x.max() or 1), y[-1], colour, bold=True)

    def _stall(self, result: TestResult, kt: float, ks: float) -> None:
        stall = result.stall
        if stall.not_lifted is not None and stall.lifted is not None:
            region = pg.LinearRegionItem(
                (nominal(stall.lifted) / kt, nominal(stall.not_lifted) / kt),
                movable=False,
                brush=pg.mkBrush(theme.colour("vermilion", 26)),
                pen=pen("vermilion", 1, Qt.PenStyle.DotLine),
            )
            self.add(self.second, region)
        if stall.by_line is None or std(stall.by_line) >= 0.5 * nominal(stall.by_line):
            return
        x, u = nominal(stall.by_line) / kt, std(stall.by_line) / kt
        at, nought, wide = np.array([x]), np.array([0.0]), np.array([4 * u])
        bar = pg.ErrorBarItem(x=at, y=nought, width=wide, beam=0, pen=pen("vermilion", 4))
        self.add(self.second, bar)
        brush = pg.mkBrush(theme.colour("vermilion"))
        mark = {"symbol": "t", "size": 12, "pen": pen("vermilion", 1), "brush": brush}
        self.add(self.second, pg.ScatterPlotItem(at, nought, **mark))
        if result.line is not None:
            xs, ys = np.array([0.0, x]), np.array([nominal(result.line.a), 0.0]) / ks
            self.curve(self.second, xs, ys, "speed", Qt.PenStyle.DashLine, 1.2)

    def _left_of_model(self, right: float) -> None:
        """Each step's speed, or current, less what the model has there, with its own ±."""
        below, (_, kt) = self._shown, self.unit("torque")
        unit, one = self.unit(below.kind)
        model = self._found.model if self._found is not None else None
        in_speed = below.field == "speed"
        self.second.set_labels(
            f"output torque, {self.unit('torque')[0]}",
            f"{below.words} left, {unit if in_speed else '%'}",
        )
        self.second.setAccessibleName(f"Output {below.words} less the model over output torque")
        self.efficiency.box.setRange(xRange=(0, right), yRange=(0, 105), padding=0)
        self.add(self.second, pg.InfiniteLine(0.0, angle=0, pen=pen("ink-3", 1)))
        if model is None or not model.residuals:
            return
        steps = model.result.steps
        x = np.array([nominal(steps[r.step].torque) / kt for r in model.residuals])
        scale = 1 / one if in_speed else 100.0
        name = "speed" if in_speed else "current"
        y, u = (
            scale * np.array([getattr(r, n) for r in model.residuals]) for n in (name, f"u_{name}")
        )
        none = np.zeros_like(x)
        bars = pg.ErrorBarItem(x=x, y=y, height=4 * u, width=none, beam=0, pen=pen("ink", 1.5))
        self.add(self.second, bars)
        brush = pg.mkBrush(theme.colour(below.colour))
        mark = {"symbol": "d", "size": 11, "pen": pen(below.colour, 2), "brush": brush}
        self.add(self.second, pg.ScatterPlotItem(x, y, **mark))
        highest = 1.15 * float(np.max(np.abs(y) + 2 * u))
        self.second.box.setYRange(-highest, highest, padding=0)

    def _sheet(self, result: TestResult, right: float) -> float:
        """Marks what a data sheet states, open; the highest of them."""
        below, (_, kt) = self._shown, self.unit("torque")
        _, one = self.unit(below.kind)
        places = []
        for line in result.build.data_sheet:
            for field, torque in _SHEET.get(below.field, ()):
                value, at = getattr(line, field), line.load if torque is None else torque
                if value is not None and at is not None and at / kt <= right:
                    places.append((at / kt, value / one))
        if not places:
            return 0.0
        x, y = np.array(places).T
        mark = {"symbol": "x", "size": 13, "pen": pen("brass", 2), "brush": None}
        self.add(self.second, pg.ScatterPlotItem(x, y, **mark))
        self.text(self.second, "data sheet", x[0], y[0], "ink-2", (-0.1, 1))
        return float(y.max())

    def _read(self, px: float, py: float, *, efficiency: bool) -> str:
        """At a torque: the nearest level's curves with ±, the step under the cross with its own."""
        (unit, kt), found = self.unit("torque"), self._found
        below = self._shown
        _, one = self.unit(below.kind)
        text = f"{px:.3g} {unit}"
        if found is None:
            return text
        names = [s.field for s in _SERIES] if efficiency else [below.field]
        scale = 0.01 if efficiency else one
        near = [
            (abs(float(band.value[n]) / scale - py), curves, n)
            for curves in found.curves
            for name in names
            if px * kt <= curves.torque[-1]
            for n in [nearest(curves.torque, px * kt)]
            for band in [getattr(curves, name)]
        ]
        if not near:
            shown = "%" if efficiency else self.unit(below.kind)[0]
            return f"{text}  {py:.3g} {shown}"
        _, curves, n = min(near, key=lambda x: x[0])
        kind = "ratio" if efficiency else below.kind
        words = {s.field: s.words for s in _SERIES} | {b.field: b.words for b in _BELOW}
        told = [
            f"{words[name]} {self.shows(float(band.value[n]), float(band.u[n]), kind)}"
            for name in names
            for band in [getattr(curves, name)]
        ]
        many = f", {curves.voltage:.3g} V" if len(found.curves) > 1 else ""
        return f"{text}{many}: {', '.join(told)}"

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        result = self.desk.result
        fields = ("torque", "speed", "current", "power_out", "wire_to_shaft", "gearbox")
        units = ("N·m", "rad/s", "A", "W", "-", "-")
        head = ["step"]
        for field, unit in zip(fields, units, strict=True):
            name = field.replace("_", " ")
            head += [f"{name} {unit}" if unit != "-" else name, "u"]
        rows: list[list[Any]] = [
            [self.desk.run_name(s.points[0].run)]
            + [f(v) for v in (getattr(s, n) for n in fields) for f in (_n, _u)]
            for s in (result.running if result else [])
        ]
        return head, rows

    def _clicked(self, chart: Chart, x: float, y: float) -> None:
        """Picks the nearest point within reach; a lift's own dot picks that lift."""
        result = self.desk.result
        if result is None or not result.running:
            return
        px, py = chart.box.viewPixelSize()
        _, kt = self.unit("torque")
        below = self._shown
        _, one = self.unit(below.kind)
        one_apart = _APART * max(nominal(s.torque) for s in result.running) / kt
        names = {"gearbox": 0.01, "wire_to_shaft": 0.01}
        names = {below.field: one} if chart is self.second else names
        near: list[tuple[float, int, int]] = []
        for s in result.running:
            at = nominal(s.torque) / kt
            shown = [(at, s, 0)] + [
                (at + (n - (len(s.points) - 1) / 2) * one_apart, p, n)
                for n, p in enumerate(s.points)
            ]
            for across, source, n in shown:
                for name, scale in names.items():
                    if (value := getattr(source, name)) is not None:
                        away = np.hypot((across - x) / px, (nominal(value) / scale - y) / py)
                        near.append((float(away), s.index, n))
        away, step, lift = min(near, default=(np.inf, 0, 0))
        if away < _REACH:
            self.picked.emit(step, lift)

    def places(self) -> dict[str, QPoint]:
        """Where the points are on this widget: `gearbox 2` is the third step's."""
        found, result = {}, self.desk.result
        (_, kt), (_, one) = self.unit("torque"), self.unit(self._shown.kind)
        shown = ((self.efficiency, "gearbox", 0.01), (self.second, self._shown.field, one))
        for s in result.running if result else []:
            for chart, name, scale in shown:
                if (value := getattr(s, name)) is not None:
                    at = QPointF(nominal(s.torque) / kt, nominal(value) / scale)
                    on = chart.box.mapViewToScene(at)
                    found[f"{name} {s.index}"] = chart.mapTo(self, chart.mapFromScene(on))
        return found


def _set_to(result: TestResult, level: Level) -> float:
    """As `predict.set_to`, of a level: of a drive without a motor its mean speed."""
    if result.build.has_motor:
        return level.voltage
    speeds = [nominal(s.speed) for s in result.at(level).running] or [0.0]
    return float(np.mean(speeds)) * abs(result.build.ratio())


def _value(step: Any, field: str) -> float:
    x = getattr(step, field)
    return 0.0 if x is None else nominal(x)


def _n(x: Any) -> float:
    return float("nan") if x is None else nominal(x)


def _u(x: Any) -> float:
    return float("nan") if x is None else std(x)
