"""How the runs scatter: each beside the others of its step, in the order they were made, with the
limits of a control chart.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from sparring.core.performance.scatter import Scatter
from sparring.core.performance.whole import Whole
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind, nearest
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen

_WORDS = {
    "gearbox": "gearbox efficiency",
    "wire_to_shaft": "wire-to-shaft efficiency",
    "speed": "output speed",
    "current": "current",
    "input_to_load": "efficiency to the load",
}
_REACH = 14  # [px]
_DAY = 86400.0


class RepeatsKind(Kind):
    """Deviation of each run over its number."""

    ID, NAME = "repeats", "Repeats"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.figure = self.choice("Figure", [])
        self.figure.currentIndexChanged.connect(lambda _n: self.again())
        self.runs = self.chart("run, in the order made", "deviation, %", "Scatter of the runs")
        self.runs.rows = self._rows
        self.runs.readout = self._read
        self.runs.clicked.connect(self._clicked)
        self._shown: Scatter | None = None

    def put(self, found: Whole) -> None:
        self._found = found
        if not found.scatters:
            self.nothing(
                "Nothing was repeated. With three runs or more of a step, this chart shows how "
                "they scatter and drift."
            )
            return
        self._figures(found)
        name = self.figure.currentData()
        self._shown = shown = next(
            (x for x in found.scatters if x.figure == name), found.scatters[0]
        )
        self.something()
        x = np.array([r.number for r in shown.runs], float)
        y = 100 * np.array([r.value for r in shown.runs])
        limit = 100 * shown.limit
        for at in (-limit, limit):
            line = pg.InfiniteLine(at, angle=0, pen=pen("amber", 1.2, Qt.PenStyle.DashLine))
            self.add(self.runs, line)
        self.add(self.runs, pg.InfiniteLine(0.0, angle=0, pen=pen("ink-3", 1)))
        self._days(shown, x)
        if shown.by_order is not None and shown.by_order.significant:
            half = 50 * shown.by_order.change
            ends, sides = np.array([x[0], x[-1]]), np.array([-half, half])
            self.curve(self.runs, ends, sides, "vermilion", Qt.PenStyle.DashLine, 1.5)
        for outlying in (False, True):
            some = np.array([r.outlying is outlying for r in shown.runs])
            if some.any():
                colour = "vermilion" if outlying else "reseda"
                mark: dict[str, Any] = {"symbol": "x" if outlying else "o", "size": 9}
                brush = pg.mkBrush(theme.colour(colour))
                self.add(
                    self.runs,
                    pg.ScatterPlotItem(x[some], y[some], pen=pen(colour, 2), brush=brush, **mark),
                )
        highest = 1.15 * max(float(np.abs(y).max()), limit, 0.1)
        self.runs.box.setRange(xRange=(0.3, len(x) + 0.7), yRange=(-highest, highest), padding=0)
        self.tell(self._in_words(shown))

    def _figures(self, found: Whole) -> None:
        """What was repeated, to choose from."""
        known = [x.figure for x in found.scatters]
        if [self.figure.itemData(n) for n in range(self.figure.count())] != known:
            self.figure.blockSignals(True)
            self.figure.clear()
            for name in known:
                self.figure.addItem(_WORDS[name], name)
            self.figure.blockSignals(False)

    def _days(self, shown: Scatter, x: np.ndarray) -> None:
        """A line wherever another day begins."""
        days = [math.floor(r.seconds / _DAY) if math.isfinite(r.seconds) else 0 for r in shown.runs]
        for n in range(1, len(days)):
            if days[n] != days[n - 1]:
                at = float(x[n]) - 0.5
                self.add(self.runs, pg.InfiniteLine(at, angle=90, pen=pen("rule", 1)))
                top = 100 * shown.limit
                self.text(self.runs, f"day {days[n] + 1}", at, top, "ink-2", (0, 1))

    def _in_words(self, shown: Scatter) -> str:
        show = self.desk.show
        parts = [f"Within steps {show(shown.within, 'ratio', decimals=2)} (standard deviation)"]
        if math.isfinite(shown.between_days):
            parts.append(f"between days {show(shown.between_days, 'ratio', decimals=2)}")
        if shown.by_order is not None:
            trend = shown.by_order
            change = self.shows(trend.change, trend.u, "ratio")
            if trend.significant:
                why = ", as the motor warms" if shown.warming else ""
                parts.append(f"drifts by {change} from first to last{why}")
            else:
                parts.append(f"no drift ({change})")
        flagged = sum(r.outlying for r in shown.runs)
        if flagged:
            parts.append(f"{flagged} flagged beyond 3.5 scaled median deviations, none dropped")
        return ", ".join(parts) + "."

    def _read(self, px: float, _py: float) -> str:
        if self._shown is None:
            return ""
        r = self._shown.runs[nearest(np.array([r.number for r in self._shown.runs]), px)]
        result = self._found.result if self._found else None
        name = self.desk.run_name(result.steps[r.step].points[0].run) if result else ""
        value = self.shows(r.value, self._shown.within, "ratio")
        return f"run {r.number}, {name}: {value} from its step's mean"

    def _clicked(self, x: float, y: float) -> None:
        if self._shown is None:
            return
        px, py = self.runs.box.viewPixelSize()
        near = [
            (float(np.hypot((r.number - x) / px, (100 * r.value - y) / py)), r.step, r.lift)
            for r in self._shown.runs
        ]
        away, step, lift = min(near)
        if away < _REACH:
            self.picked.emit(step, lift)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["run", "step", "repeat", "seconds", "deviation", "flagged"]
        rows: list[list[Any]] = [
            [r.number, r.step + 1, r.lift + 1, r.seconds, r.value, "yes" if r.outlying else ""]
            for r in (self._shown.runs if self._shown else ())
        ]
        return head, rows
