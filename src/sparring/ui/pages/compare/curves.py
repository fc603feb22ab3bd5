"""The curves of all builds in one chart, with what was measured, and where they are compared."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.compare.subject import Subject
from sparring.core.performance.model import Band, Curves
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.looks import Look, look
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading


class Kind(NamedTuple):
    """words; kind: of quantity; of: it of a step; curve: its band of a model's curves."""

    words: str
    kind: str
    of: Callable[[Step], Uncertain]
    curve: Callable[[Curves], Band]


def _loss(s: Step) -> Uncertain:
    return None if s.motor_power is None or s.power_out is None else s.motor_power - s.power_out


def _motor(s: Step) -> Uncertain:
    return None if s.motor_power is None or s.power_in is None else s.motor_power / s.power_in


def _lost(c: Curves) -> Band:
    """Of the gearbox: its power out as known, its efficiency with its doubt."""
    box = np.maximum(c.gearbox.value, 1e-3)
    out = c.power_out.value
    return Band(out * (1 / box - 1), out / box**2 * c.gearbox.u)


KINDS: tuple[Kind, ...] = (
    Kind("gearbox efficiency", "ratio", lambda s: s.gearbox, lambda c: c.gearbox),
    Kind("wire to shaft", "ratio", lambda s: s.wire_to_shaft, lambda c: c.wire_to_shaft),
    Kind("motor efficiency", "ratio", _motor, lambda c: c.motor),
    Kind("speed", "speed", lambda s: s.speed, lambda c: c.speed),
    Kind("current", "current", lambda s: s.current, lambda c: c.current),
    Kind("power out", "power", lambda s: s.power_out, lambda c: c.power_out),
    Kind(
        "power in",
        "power",
        lambda s: s.power_in,
        lambda c: Band(c.voltage * c.current.value, c.voltage * c.current.u),
    ),
    Kind("gearbox loss", "power", _loss, _lost),
)
_MOST_LABELS = 12
_MOST_CURVES = 24
"""Builds that are drawn, the first of those chosen: more cover one another."""


class CurvesView(QWidget):
    """`picked` with the torque that was clicked [N·m]."""

    picked = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        row = QHBoxLayout()
        self.title = heading("Curves")
        row.addWidget(self.title)
        row.addStretch(1)
        self.kind = Choice()
        self.kind.setAccessibleName("Curves of")
        self.kind.addItems([k.words for k in KINDS])
        self.kind.activated.connect(lambda _n: self.refresh())
        row.addWidget(self.kind)
        column.addLayout(row)
        self.chart = Chart("", "", name="Curves of the builds compared")
        self.chart.axes["left"].setWidth(46)
        self.chart.rows = self._rows
        self.chart.clicked.connect(self._clicked)
        column.addWidget(self.chart, 1)
        self._items: list[Any] = []
        self._table: list[list[Any]] = []
        theme.changed.connect(self.refresh)

    def sizeHint(self) -> QSize:
        return QSize(420, 260)

    def refresh(self) -> None:
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        self._table = []
        found = self.desk.comparing.found
        chosen = KINDS[self.kind.currentIndex()]
        unit = self.desk.units[chosen.kind]
        self._one = quantity.factor(unit, chosen.kind)
        self._torque = quantity.factor(self.desk.units["torque"], "torque")
        self.chart.set_labels(
            f"output torque, {self.desk.units['torque']}", f"{chosen.words}, {unit}"
        )
        if found is None:
            return
        side = found.comparison
        many = len(side.subjects)
        first = f"Curves of the first {_MOST_CURVES} of {many}"
        self.title.setText(first if many > _MOST_CURVES else "Curves")
        ends: list[tuple[float, float, int]] = []
        low, high, far = np.inf, -np.inf, 0.0
        for n, s in enumerate(side.subjects[:_MOST_CURVES]):
            drawn = self._draw(s, n, chosen, side.at.voltage)
            if drawn is None:
                continue
            x, y, least, most = drawn
            ends.append((float(x[-1]), float(y[-1]), n))
            low, high, far = min(low, least), max(high, most), max(far, float(x.max()))
        if not ends:
            return
        if side.at.share is None and side.at.torque > 0:
            line = pg.InfiniteLine(
                side.at.torque / self._torque, pen=pen("brass", 1.4, Qt.PenStyle.DashLine)
            )
            self._add(line)
        room = 0.06 * (high - low) or 0.1 * abs(high) or 1.0
        self.chart.box.setRange(xRange=(0, 1.32 * far), yRange=(low - room, high + room), padding=0)
        self._label(ends, side.subjects, 1.02 * far, (low - room, high + room))

    def _draw(
        self, s: Subject, n: int, kind: Kind, voltage: float
    ) -> tuple[np.ndarray, np.ndarray, float, float] | None:
        """A build's points and curve; (across, up, least and most that is drawn)."""
        level = s.level(voltage)
        how = look(n)
        steps = []
        if s.result is not None and level is not None:
            steps = [
                x
                for x in s.result.steps[level.first : level.last]
                if x.lifted and kind.of(x) is not None
            ]
        if not steps:
            return None
        x = np.array([nominal(p.torque) for p in steps]) / self._torque
        y = np.array([nominal(kind.of(p)) for p in steps]) / self._one
        u = np.array([std(kind.of(p)) for p in steps]) / self._one
        self._table += [
            [s.name, float(a), float(b), float(2 * c)] for a, b, c in zip(x, y, u, strict=True)
        ]
        ends = self._band(s, kind, level.voltage if level else voltage, float(x.max()), how)
        if not ends:
            self._add(pg.PlotCurveItem(x, y, pen=pen(how.colour, 1.4, how.dash)))
        self._add(pg.ErrorBarItem(x=x, y=y, height=4 * u, beam=0, pen=pen(how.colour, 1.2)))
        self._add(
            pg.ScatterPlotItem(
                x,
                y,
                symbol=how.marker,
                size=8,
                pen=pen(how.colour, 1.4),
                brush=pg.mkBrush(theme.colour("sheet")),
            )
        )
        return x, y, min([float((y - 2 * u).min()), *ends]), max([float((y + 2 * u).max()), *ends])

    def _band(
        self, s: Subject, kind: Kind, voltage: float, far: float, how: Look
    ) -> tuple[float, ...]:
        """The model through the steps, as far as they go; the ends of what is drawn."""
        if s.model is None:
            return ()
        model = s.model
        curves: Curves = s.once(("curves", voltage), lambda: model.curves(voltage, points=60))
        band = kind.curve(curves)
        x = curves.torque / self._torque
        shown = (x <= 1.02 * far) & (x > 0.12 * far)
        if shown.sum() < 2:
            return ()
        x, y, u = x[shown], band.value[shown] / self._one, band.u[shown] / self._one
        edges = [pg.PlotCurveItem(x, y + k * u) for k in (-2, 2)]
        brush = pg.mkBrush(theme.colour(how.colour, 34))
        self._add(pg.FillBetweenItem(*edges, brush=brush))
        self._add(pg.PlotCurveItem(x, y, pen=pen(how.colour, 1.4, how.dash)))
        return float((y - 2 * u).min()), float((y + 2 * u).max())

    def _label(
        self,
        ends: list[tuple[float, float, int]],
        subjects: tuple[Subject, ...],
        x: float,
        span: tuple[float, float],
    ) -> None:
        """Names beside the lines' ends, in their order, none over another."""
        if len(ends) > _MOST_LABELS:
            return
        ordered = sorted(ends, key=lambda e: e[1])
        gap = 15 * (span[1] - span[0]) / max(self.chart.box.height(), 60.0)
        at = np.array([y for _, y, _ in ordered])
        for k in range(1, len(at)):
            at[k] = max(at[k], at[k - 1] + gap)
        beyond = at[-1] - (span[1] - 0.6 * gap)
        if beyond > 0:  # pushed down again from the top
            at[-1] -= beyond
            for k in range(len(at) - 2, -1, -1):
                at[k] = min(at[k], at[k + 1] - gap)
        for (_, _, n), y in zip(ordered, at, strict=True):
            label = pg.TextItem(
                subjects[n].name, color=theme.colour(look(n).colour), anchor=(0, 0.5)
            )
            label.setFont(font(11, bold=True))
            label.setPos(x, float(y))
            self._add(label)

    def _add(self, item: Any) -> None:
        self.chart.add(item)
        self._items.append(item)

    def _clicked(self, x: float, _y: float) -> None:
        if x > 0:
            self.picked.emit(x * self._torque)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        chosen = KINDS[self.kind.currentIndex()]
        units = self.desk.units
        head = ["build", f"torque, {units['torque']}", f"{chosen.words}, {units[chosen.kind]}", "±"]
        return head, self._table
