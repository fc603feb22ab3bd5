"""The ladder on the predicted curves: speed over torque at each voltage, each step on its line,
what must not be reached shaded.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core import predict, quantity
from sparring.core.outlook.drive import Drive, Load
from sparring.core.outlook.foresee import BY_HAND, Foreseen
from sparring.core.uncertainty import nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen

_REACH = 14  # [px] from a point at which a click is meant for it
_POINTS = 80
_MOST_LINES = 12


class Danger(NamedTuple):
    """From which torque [N·m] on what is reached."""

    torque: float
    what: str


class PlanChart(QWidget):
    """Draws the desk's plan. `picked(id)` when a step's point is clicked."""

    picked = pyqtSignal(int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._items: list[Any] = []
        self.chart = Chart("output torque", "speed", name="Steps on the predicted speed")
        self.chart.axes["left"].setWidth(48)
        self.chart.clicked.connect(self._clicked)
        self.chart.rows = self._rows
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.chart)
        self.next_step: int | None = None
        self.chosen: int | None = None

    def _add(self, item: Any) -> None:
        self.chart.add(item)
        self._items.append(item)

    @property
    def _scales(self) -> tuple[float, float]:
        units = self.desk.units
        return (
            quantity.factor(units["torque"], "torque"),
            quantity.factor(units["speed"], "speed"),
        )

    def put(self, next_step: int | None, chosen: int | None) -> None:
        """Draws it anew; next_step, chosen: ids of the steps that are marked."""
        self.next_step, self.chosen = next_step, chosen
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        d, (kt, ks) = self.desk, self._scales
        units = d.units
        self.chart.set_labels(f"output torque, {units['torque']}", f"speed, {units['speed']}")
        self.chart.readout = lambda x, y: f"{x:.3g} {units['torque']}  {y:.3g} {units['speed']}"
        rows = [r for r in d.outlook().rows.values() if r.step.counted]
        drive = d.drive()
        prior = Drive.of(d.build)
        learnt = bool(np.any(drive.mean))
        volts = sorted({float(f"{r.voltage:.4g}") for r in rows if r.voltage})[:_MOST_LINES]
        right = 0.0
        for v in volts:
            if learnt:
                self._line(prior, v, before=True)
            right = max(right, self._line(drive, v))
        most = max([r.torque for r in rows], default=right) / kt
        right = min(max(1.08 * right / kt, 1.05 * most), 2.0 * max(right / kt, 1e-6))
        self._danger(drive, max(volts, default=d.build.motor.voltage.value), right)
        self._steps(rows)
        top = max((float(drive.state(Load.of(0.0, v)).speed[0]) for v in volts), default=1.0)
        head = 1.17 if d.build.has_motor else 1.3  # a level line is named above itself
        self.chart.box.setRange(
            xRange=(0, right), yRange=(-0.04 * top / ks, head * top / ks), padding=0
        )

    def _line(self, drive: Drive, volts: float, *, before: bool = False) -> float:
        """One voltage's curve with its band; the torque at which it stalls [N·m]."""
        kt, ks = self._scales
        stall, own = self._stall(drive, volts), drive.build.has_motor
        torque = np.linspace(0.0, (1.03 if own else 1.0) * stall, _POINTS)
        told = drive.foretell(Load.of(torque, volts))
        x, y, u = torque / kt, told.state.speed / ks, told.u.speed / ks
        if not own:
            u = BY_HAND * y
        if before:
            style = Qt.PenStyle.DashLine
            self._add(pg.PlotDataItem(x, y, pen=pen("ink-3", 1, style)))
            return stall
        edges = [pg.PlotCurveItem(x, np.maximum(y + k * u, 0.0)) for k in (-2, 2)]
        self._add(pg.FillBetweenItem(*edges, brush=pg.mkBrush(theme.colour("speed", 50))))
        self._add(pg.PlotDataItem(x, y, pen=pen("speed", 1.3)))
        told_as = (
            f"{volts:.3g} V" if own else f"turned at {self.desk.show(volts, 'speed', decimals=0)}"
        )
        self._text(told_as, x[0], y[0] + (0.0 if own else 2 * u[0]), "speed", (0, 1))
        return stall

    @staticmethod
    def _stall(drive: Drive, volts: float) -> float:
        """Torque at which it stalls [N·m], or what the parts carry of one without a motor."""
        if not drive.build.has_motor:
            return predict.stall_torque(drive.build, volts)
        return float(drive.state(Load.of(np.inf, volts)).torque[0])

    def _text(
        self, text: str, x: float, y: float, colour: str, anchor: tuple[float, float]
    ) -> None:
        item = pg.TextItem(text, color=theme.colour(colour), anchor=anchor)
        item.setFont(font(11, bold=True))
        item.setPos(x, y)
        self._add(item)

    def _danger(self, drive: Drive, volts: float, right: float) -> None:
        """Shades from where the first limit is reached, at the highest voltage."""
        kt, ks = self._scales
        reached = [x for x in self._dangers(drive, volts) if x.torque / kt < right]
        if not reached:
            return
        first = min(reached, key=lambda x: x.torque)
        region = pg.LinearRegionItem(
            (first.torque / kt, 10 * right),
            movable=False,
            brush=pg.mkBrush(theme.colour("vermilion", 22)),
            pen=pen("vermilion", 1, Qt.PenStyle.DotLine),
        )
        region.setZValue(-10)
        self._add(region)
        top = float(drive.state(Load.of(0.0, volts)).speed[0]) / ks
        self._text(
            first.what,
            right,
            1.13 * top if drive.build.has_motor else 1.28 * top,
            "vermilion-text",
            (1, 0),
        )

    def _dangers(self, drive: Drive, volts: float) -> Iterator[Danger]:
        d = self.desk
        torque = np.linspace(0.0, self._stall(drive, volts), _POINTS)
        current = drive.state(Load.of(torque, volts)).current
        if not d.build.has_motor:
            current = np.zeros(0)
        if (over := np.flatnonzero(current > d.rig.limits.current)).size:
            yield Danger(torque[over[0]], f"over {d.show(d.rig.limits.current, 'current')}")
        if d.build.limits:
            weakest = d.build.limits[0]
            yield Danger(weakest.output, f"{weakest.name} may fail")
        limit = d.build.winding_limit
        rows = [r for r in d.outlook().rows.values() if r.winding > limit]
        if rows:
            words = f"winding over {d.show(limit, 'temperature', decimals=0)}"
            yield Danger(min(r.torque for r in rows), words)

    def _steps(self, rows: list[Foreseen]) -> None:
        d, (kt, ks) = self.desk, self._scales
        done = {x.step for x in d.done_lifts()}
        found = self._measured()
        for kind, symbol, colour, some in (
            ("to do", "o", "reseda", [r for r in rows if r.stalls <= 0.5]),
            ("stalls", "x", "vermilion", [r for r in rows if r.stalls > 0.5]),
        ):
            if not some:
                continue
            filled = [r.step.id in done and r.step.id not in found for r in some]
            self._add(
                pg.ScatterPlotItem(
                    [r.torque / kt for r in some],
                    [r.speed / ks if kind == "to do" else 0.0 for r in some],
                    symbol=symbol,
                    size=10,
                    pen=pen(colour, 1.8),
                    brush=[pg.mkBrush(theme.colour(colour if f else "sheet")) for f in filled],
                )
            )
        measured = [(nominal(t), nominal(w), 2 * std(w)) for t, w in found.values()]
        if measured:
            x, y, u = np.array(measured).T
            self._add(
                pg.ErrorBarItem(x=x / kt, y=y / ks, height=2 * u / ks, beam=0, pen=pen("ink", 1.5))
            )
            brush = pg.mkBrush(theme.colour("deep"))
            self._add(
                pg.ScatterPlotItem(
                    x / kt, y / ks, symbol="o", size=10, pen=pen("deep", 1.5), brush=brush
                )
            )
        for id, colour, size in ((self.chosen, "deep", 20), (self.next_step, "brass", 18)):
            row = d.outlook().rows.get(id) if id is not None else None
            if row is not None and row.step.counted:
                self._add(
                    pg.ScatterPlotItem(
                        [row.torque / kt],
                        [row.speed / ks],
                        symbol="o",
                        size=size,
                        pen=pen(colour, 2.2),
                        brush=None,
                    )
                )

    def _measured(self) -> dict[int, tuple[Any, Any]]:
        """(torque, speed) of the steps that were measured, by id."""
        result = self.desk.result
        return {
            s.points[0].run.step: (s.torque, s.speed) for s in (result.running if result else [])
        }

    def _rows(self) -> tuple[list[str], list[list[float]]]:
        own = self.desk.build.has_motor
        drive, takes = ("voltage V", "current A") if own else ("input rad/s", "input torque N·m")
        head = [drive, "torque N·m", "speed rad/s", "u", takes, "u", "chance of stall"]
        return head, [
            [r.voltage, r.torque, r.speed, r.u_speed, r.current, r.u_current, r.stalls]
            for r in self.desk.outlook().rows.values()
            if r.step.counted
        ]

    def _clicked(self, x: float, y: float) -> None:
        kt, ks = self._scales
        (px, py) = self.chart.box.viewPixelSize()
        near = [
            (float(np.hypot((x - r.torque / kt) / px, (y - r.speed / ks) / py)), i)
            for i, r in self.desk.outlook().rows.items()
            if r.step.counted
        ]
        away, id = min(near, default=(np.inf, 0))
        if away < _REACH:
            self.picked.emit(id)

    def places(self) -> dict[str, QPoint]:
        """Where the steps' points are on this widget: `step 2` is the second of the plan."""
        kt, ks = self._scales
        found = {}
        for i, r in enumerate(self.desk.outlook().rows.values(), start=1):
            if r.step.counted:
                on = self.chart.box.mapViewToScene(QPointF(r.torque / kt, r.speed / ks))
                found[f"step {i}"] = self.chart.mapTo(self, self.chart.mapFromScene(on))
        return found
