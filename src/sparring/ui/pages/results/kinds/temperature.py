"""What the drive carries for how long: the torque at which winding, magnets or teeth become too
warm, with ±, over the time from cold.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from sparring.core.performance.continuous import Carries, limits_of
from sparring.core.performance.whole import Whole
from sparring.core.uncertainty import nominal
from sparring.ui.model.desk import Desk
from sparring.ui.pages.results.kinds.base import Kind, nearest
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen
from sparring.ui.widgets.seconds_axis import places, write


class TemperatureKind(Kind):
    """Torque over time, on a scale of tenfolds."""

    ID, NAME = "temperature", "Temperature"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.carried = self.chart("time from cold", "output torque", "Torque carried for how long")
        self.carried.rows = self._rows
        self.carried.readout = self._read

    def put(self, found: Whole) -> None:
        self._found = found
        if not found.carried:
            self.nothing(
                "Only of a drive with a motor, whose current was measured, is told what it carries."
            )
            return
        self.something()
        unit, kt = self.unit("torque")
        self.carried.set_labels("time from cold", f"output torque, {unit}")
        x, torque, u = self._series(found.carried)
        self.band(self.carried, x, (torque - 2 * u) / kt, (torque + 2 * u) / kt, "temperature")
        self.curve(self.carried, x, torque / kt, "temperature", width=2)
        brush = pg.mkBrush(theme.colour("temperature"))
        mark = {"symbol": "o", "size": 8, "pen": pen("temperature", 1), "brush": brush}
        self.add(self.carried, pg.ScatterPlotItem(x, torque / kt, **mark))
        self._limits(found.carried, x, torque / kt)
        self._duties(found, kt)
        write(self.carried, float(x[-1]))
        highest = float((torque + 2 * u).max() / kt)
        self.carried.box.setRange(
            xRange=(0.9, float(x[-1]) + 0.25), yRange=(0, 1.25 * highest), padding=0
        )
        self.tell(self._in_words(found))

    @staticmethod
    def _series(carried: tuple[Carries, ...]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(place on the axis, torque, u)."""
        seconds, torque, u = np.array([(c.seconds, c.torque, c.u) for c in carried]).T
        return places(seconds), torque, u

    def _limits(self, carried: tuple[Carries, ...], x: np.ndarray, y: np.ndarray) -> None:
        """What ends it, written where it begins to."""
        last = ""
        for n, c in enumerate(carried):
            if c.limit != last:
                self.text(self.carried, c.limit, float(x[n]), float(y[n]), "ink", (0, 1.2))
                last = c.limit

    def _duties(self, found: Whole, kt: float) -> None:
        """The steps of the test, as levels, to see which of them it could carry for ever."""
        for s in found.result.well_running:
            faint = pen("ink-3", 1, Qt.PenStyle.DotLine)
            self.add(self.carried, pg.InfiniteLine(nominal(s.torque) / kt, angle=0, pen=faint))
        if steps := found.result.well_running:
            least = nominal(steps[0].torque) / kt
            self.text(self.carried, "dotted: this test's loads", 0.95, least, anchor=(0, 1))

    def _in_words(self, found: Whole) -> str:
        heat, motor = found.heat, found.result.build.motor
        told = sum(heat.told) if heat is not None else 0
        kelvin = heat.kelvin if heat is not None else 0.0
        source = (
            f"thermal figures: {told} of 4 from these runs (the case warmed by {kelvin:.1f} K)"
            if told
            else "thermal figures as entered on Build: no run warmed the case enough to tell them"
        )
        limits = limits_of(found.result.build)
        winding = self.desk.show(limits.winding, "temperature", decimals=0)
        magnets = self.desk.show(limits.magnets or 0.0, "temperature", decimals=0)
        kind = f"{motor.magnets} magnets" if motor.magnets != "not known" else "unknown magnets"
        source = source[:1].upper() + source[1:]
        return f"Limits: winding {winding}, {kind} {magnets}, plastic teeth. {source}."

    def _read(self, px: float, _py: float) -> str:
        if self._found is None or not self._found.carried:
            return ""
        x, _, _ = self._series(self._found.carried)
        c = self._found.carried[nearest(x, px)]
        return f"{self._span(c)}: {self.shows(c.torque, c.u, 'torque')}, limited by {c.limit}"

    def _span(self, c: Carries) -> str:
        if math.isinf(c.seconds):
            return "for ever"
        if c.seconds < 60:
            return f"{c.seconds:.0f} s"
        return f"{c.seconds / 60:.0f} min" if c.seconds < 3600 else f"{c.seconds / 3600:.0f} h"

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        head = ["carried for", "torque N·m", "u", "current A", "limited by"]
        rows: list[list[Any]] = [
            [self._span(c), c.torque, c.u, c.current, c.limit]
            for c in (self._found.carried if self._found else ())
        ]
        return head, rows
