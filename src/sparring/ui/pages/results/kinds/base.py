"""What every kind of chart of Results is made of."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.performance.whole import Whole
from sparring.core.quantity import Measured
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.plain import Label

_WIDEST = 180  # [px] of a choice: the page is not to push its neighbours aside


class Kind(QFrame):
    """A way to look at a test: charts in a column, one sentence above them, another where there is
    nothing to draw; controls: its choices, for the row of kinds. `picked(step, run)` when a point
    is clicked.
    """

    ID = ""
    NAME = ""
    AT_ONCE = False  # it draws the points alone, before the rest is worked out
    picked = pyqtSignal(int, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self._items: list[tuple[Chart, Any]] = []
        self._found: Whole | None = None  # what is drawn
        whole = QStackedLayout(self)
        drawn, empty = QWidget(), QWidget()
        self.column = QVBoxLayout(drawn)
        self.column.setContentsMargins(6, 4, 6, 6)
        self.column.setSpacing(4)
        self.controls = QWidget()
        self._choices = QHBoxLayout(self.controls)
        self._choices.setContentsMargins(0, 0, 0, 0)
        self._choices.setSpacing(8)
        self._choices.addStretch(1)
        self.told = note("")
        self.told.hide()
        self.column.addWidget(self.told)
        self._why = note("")
        QVBoxLayout(empty).addWidget(self._why, 1, Qt.AlignmentFlag.AlignTop)
        whole.addWidget(drawn)
        whole.addWidget(empty)
        self._whole = whole

    def put(self, found: Whole) -> None:
        """Draws a result in place of the one before."""
        raise NotImplementedError

    def again(self) -> None:
        """Draws it anew: something was chosen."""
        if self._found is not None:
            self.put(self._found)

    def select(self) -> None:
        """Another step or run was selected on the desk."""

    def tell(self, text: str) -> None:
        """The sentence above the charts."""
        self.told.setText(text)
        self.told.setVisible(bool(text))

    def clear(self) -> None:
        for chart, item in self._items:
            chart.remove(item)
        self._items.clear()

    def nothing(self, why: str) -> None:
        """There is nothing to draw, and why."""
        self.clear()
        self._why.setText(why)
        self._whole.setCurrentIndex(1)

    def something(self) -> None:
        self.clear()
        self._whole.setCurrentIndex(0)

    def chart(self, x: str, y: str, name: str, part: int = 1) -> Chart:
        """A chart of its own below the others."""
        made = Chart(x, y, name=name)
        made.axes["left"].setWidth(52)
        self.column.addWidget(made, part)
        return made

    def choice(self, name: str, entries: list[str]) -> Choice:
        """A choice beside the row of kinds."""
        box = Choice()
        box.setAccessibleName(name)
        box.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        box.setMaximumWidth(_WIDEST)
        box.addItems(entries)
        self._choices.addWidget(Label(name))
        self._choices.addWidget(box)
        return box

    def add(self, chart: Chart, item: Any) -> Any:
        chart.add(item)
        self._items.append((chart, item))
        return item

    def unit(self, kind: str) -> tuple[str, float]:
        """(the chosen unit of a kind, one of it in SI)."""
        unit = self.desk.units[kind]
        return unit, quantity.factor(unit, kind)

    def shows(self, value: float, u: float, kind: str) -> str:
        """A figure with its ± in the chosen unit."""
        return self.desk.show(Measured(value, u) if u > 0 else value, kind)

    def curve(
        self,
        chart: Chart,
        x: np.ndarray,
        y: np.ndarray,
        colour: str,
        style: Qt.PenStyle = Qt.PenStyle.SolidLine,
        width: float = 1.3,
    ) -> None:
        made = pg.PlotCurveItem(x, y, pen=pen(colour, width, style), connect="finite")
        self.add(chart, made)

    def band(
        self, chart: Chart, x: np.ndarray, low: np.ndarray, high: np.ndarray, colour: str
    ) -> None:
        """Between two curves, shape (n,), in the units shown."""
        good = np.isfinite(low) & np.isfinite(high)
        edges = [pg.PlotCurveItem(x[good], v[good]) for v in (low, high)]
        brush = pg.mkBrush(theme.colour(colour, 55))
        self.add(chart, pg.FillBetweenItem(*edges, brush=brush))

    def text(
        self,
        chart: Chart,
        words: str,
        x: float,
        y: float,
        colour: str = "ink-2",
        anchor: tuple[float, float] = (0, 0.5),
        *,
        bold: bool = False,
    ) -> None:
        fill = pg.mkBrush(theme.colour("sheet", 225))
        made = pg.TextItem(words, color=theme.colour(colour), anchor=anchor, fill=fill)
        made.setFont(font(12 if bold else 11, bold=bold))
        made.setPos(x, y)
        self.add(chart, made)


def nearest(xs: np.ndarray, x: float) -> int:
    """Place of the value nearest to x."""
    return int(np.nanargmin(np.abs(xs - x)))
