"""A picture of readings: one figure over another, each reading a point with its ± (k = 2)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg

from sparring.core import quantity
from sparring.core.characterise import Method
from sparring.core.characterise.base import Reading
from sparring.core.quantity import Measured
from sparring.core.records import annotation
from sparring.ui.model.desk import Desk
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen


class ReadingChart(Chart):
    """The two figures that the method's PICTURE names."""

    def __init__(self, desk: Desk, method: Method) -> None:
        self.fields, self.loop = method.PICTURE, method.LOOP
        kinds = [annotation(method.READING(), (name,))[1] for name in self.fields]
        self.kinds = [info.kind for info in kinds if info is not None]
        self.units = [desk.units[kind] for kind in self.kinds]
        labels = {name: label.split(",")[0] for label, name in method.READING.FIELDS}
        super().__init__(
            *(
                f"{labels[name]} [{unit}]"
                for name, unit in zip(self.fields, self.units, strict=True)
            ),
            name="Readings",
        )
        self.line, self.points = pg.PlotCurveItem(), pg.ScatterPlotItem(size=8)
        self.bars = pg.ErrorBarItem(beam=0)
        self.curve = pg.PlotCurveItem()
        self.edges = (pg.PlotCurveItem(), pg.PlotCurveItem())
        self.band = pg.FillBetweenItem(*self.edges)
        for item in (self.band, self.curve, self.line, self.bars, self.points):
            self.add(item)
        self.styled(self._colour)

    def _colour(self) -> None:
        self.curve.setPen(pen("speed"))
        self.band.setBrush(pg.mkBrush(theme.colour("speed", 50)))
        self.line.setPen(pen("ink-2"))
        self.points.setPen(pen("ink"))
        self.points.setBrush(pg.mkBrush(theme.colour("reseda")))
        self.bars.setData(pen=pen("ink-2"))

    def show_curve(self, curve: tuple[np.ndarray, np.ndarray, np.ndarray] | None) -> None:
        """Draws what came out as a line with its band (k = 2); None: nothing did."""
        x, y, u = curve or (np.empty(0),) * 3
        x, y = (
            np.array([quantity.from_si(v, unit, kind) for v in a])
            for a, unit, kind in zip((x, y), self.units, self.kinds, strict=True)
        )
        half = 2 * u / quantity.factor(self.units[1], self.kinds[1])
        self.curve.setData(x, y)
        for edge, at in zip(self.edges, (y - half, y + half), strict=True):
            edge.setData(x, at)

    def show_readings(self, readings: Sequence[Reading]) -> None:
        """Draws them; those that lack one of the two figures are left out."""
        pairs: list[list[Measured]] = [[getattr(r, name) for name in self.fields] for r in readings]
        pairs = [p for p in pairs if all(v is not None for v in p)]
        x, y = (
            np.array([quantity.from_si(p[k].value, self.units[k], self.kinds[k]) for p in pairs])
            for k in (0, 1)
        )
        half = np.array([2 * p[1].u / quantity.factor(self.units[1], self.kinds[1]) for p in pairs])
        closed = [*range(len(x)), 0] if self.loop and pairs else []
        self.line.setData(x[closed], y[closed])
        self.points.setData(x, y)
        self.points.setSize(5 if self.loop else 8)
        self.bars.setData(x=x, y=y, top=half, bottom=half)
        labels = [self.x_label, self.y_label]
        self.rows = lambda: (labels, [[float(a), float(b)] for a, b in zip(x, y, strict=True)])
