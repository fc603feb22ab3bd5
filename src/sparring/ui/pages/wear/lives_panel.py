"""Lives of several specimens of the build: typed, fitted by Weibull's line, drawn on its paper."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.care import Life
from sparring.core.lives import few, loads, weibull
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.wear.rates import rough
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.parts import note

_FAILED = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 0.8, 0.95, 0.99)
_DRAWN = 40  # points of the line

Found = weibull.Fit | loads.LoadLife | few.SuccessRun | str


def _paper(part: Any) -> Any:
    """Where a failed part lies on Weibull's paper: ln(−ln(1 − F))."""
    return np.log(-np.log1p(-np.asarray(part)))


class LivesPanel(QWidget):
    """The table is the build's own; the line follows it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._of: tuple[Life, ...] | None = None
        self._ticket, self._items = 0, list[Any]()
        self._found: Found | None = None
        self._used = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        columns = [
            ("Turns", ("turns",)),
            ("Ended", ("ended",)),
            ("Load", ("load",)),
            ("Note", ("note",)),
        ]
        self.table = ListEditor(desk, ("lives",), Life.ours(turns=1e5), columns, "Lives")
        column.addWidget(self.table, 2)
        self.chart = Chart("output turns", "failed, %", name="Weibull plot of the lives")
        self.chart.axes["left"].setWidth(44)
        self.chart.rows = self._rows
        column.addWidget(self.chart, 3)
        self.told = note("")
        column.addWidget(self.told)
        theme.changed.connect(self._draw)

    def refresh(self) -> None:
        lives = self.desk.build.lives
        if lives == self._of:
            return
        self._of, self._found, self._used = lives, None, ""
        self._ticket += 1
        ticket = self._ticket
        if not lives:
            self._draw()
            return

        def done(found: Found) -> None:
            if ticket == self._ticket:
                self._found = found
                self._draw()
                self._use(found)

        def failed(err: Exception) -> None:
            done(str(err))

        background.run(lambda: _fitted(lives), done, failed)

    def _draw(self) -> None:
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        found, lives = self._found, self._of or ()
        self.chart.setVisible(isinstance(found, weibull.Fit | loads.LoadLife))
        self.told.setText(_in_words(found, len(lives)) + self._used)
        if isinstance(found, loads.LoadLife):
            self._draw_loads(found, lives)
        elif isinstance(found, weibull.Fit):
            self._draw_weibull(found, lives)

    def _draw_weibull(self, found: weibull.Fit, lives: tuple[Life, ...]) -> None:
        self.chart.set_labels("output turns", "failed, %")
        self.chart.axes["left"].setTicks([[(float(_paper(p)), f"{100 * p:g}") for p in _FAILED]])
        ranks = np.array(found.ranks)
        x, y = np.log10(ranks[:, 0]), _paper(ranks[:, 1])
        part = np.linspace(0.01, 0.99, 2)
        line = np.log10([found.life(float(p)) for p in part])
        self._add(pg.PlotCurveItem(line, _paper(part), pen=pen("reseda", 1.6)))
        for at, bound in ((0.1, found.b10), (0.5, found.b50)):
            if bound.low > 0 and math.isfinite(bound.high):
                ends = np.log10([bound.low, bound.high])
                level = np.full(2, float(_paper(at)))
                self._add(pg.PlotCurveItem(ends, level, pen=pen("speed", 2.2)))
        brush = pg.mkBrush(theme.colour("vermilion"))
        self._add(pg.ScatterPlotItem(x, y, size=8, pen=pen("vermilion", 1), brush=brush))
        running = [math.log10(v.turns) for v in lives if v.ended != "failed"]
        if running:
            low = np.full(len(running), float(_paper(0.012)))
            hollow = pen("ink-2", 1.5)
            self._add(pg.ScatterPlotItem(running, low, symbol="t1", size=9, pen=hollow, brush=None))
        reach = [float(x.min()), float(x.max()), *running]
        if found.b10.low > 0:
            reach.append(math.log10(found.b10.low))
        if math.isfinite(found.b50.high):
            reach.append(math.log10(found.b50.high))
        self.chart.axes["bottom"].setTicks([_decades(min(reach), max(reach))])
        self.chart.box.setRange(
            xRange=(min(reach) - 0.08, max(reach) + 0.12),
            yRange=(float(_paper(0.009)), float(_paper(0.992))),
            padding=0,
        )

    def _draw_loads(self, found: loads.LoadLife, lives: tuple[Life, ...]) -> None:
        """Loads over lives, both in logarithms: half failed, and a tenth."""
        unit = self.desk.units["torque"]
        self.chart.set_labels("output turns", f"load, {unit}")
        low, high = found.loads
        at = np.geomspace(0.9 * low, 1.1 * high, _DRAWN)
        for part, colour in ((0.5, "reseda"), (0.1, "speed")):
            line = np.log10([found.life(float(x), part)[0] for x in at])
            self._add(pg.PlotCurveItem(line, np.log10(at), pen=pen(colour, 1.6)))
        reach = [float(line.min()), float(line.max())]
        for ended, symbol in (("failed", "o"), ("still running", "t1")):
            some = [v for v in lives if v.ended == ended and v.load is not None]
            if some:
                x = np.log10([v.turns for v in some])
                y = np.log10([v.load or 1.0 for v in some])
                ink = pen("vermilion" if ended == "failed" else "ink-2", 1.5)
                self._add(pg.ScatterPlotItem(x, y, symbol=symbol, size=8, pen=ink, brush=None))
                reach += [float(x.min()), float(x.max())]
        marks = sorted({v.load for v in lives if v.load is not None})
        ticks = [(math.log10(x), f"{x / quantity.factor(unit, 'torque'):.3g}") for x in marks]
        self.chart.axes["left"].setTicks([ticks])
        self.chart.axes["bottom"].setTicks([_decades(min(reach), max(reach))])
        self.chart.box.setRange(
            xRange=(min(reach) - 0.1, max(reach) + 0.1),
            yRange=(math.log10(0.85 * low), math.log10(1.18 * high)),
            padding=0,
        )

    def _use(self, found: Found) -> None:
        """How much of a life the test on the desk has used, by Miner's sum on the line."""
        book, test = self.desk.book, self.desk.test_id
        if not isinstance(found, loads.LoadLife) or book is None or not test:
            return
        ticket = self._ticket

        def work() -> loads.Damage | None:
            from sparring.exchange.working import cycles_of_test

            counted = cycles_of_test(book, test)
            return None if counted is None else loads.miner(counted, found)

        def done(used: loads.Damage | None) -> None:
            if ticket == self._ticket and used is not None:
                low, high = (1 / x for x in used.repeats[:0:-1])
                self._used = (
                    f" By its load cycles the test on the desk used {100 * used.sum:.2g} % of a "
                    f"life ({100 * low:.1g} to {100 * high:.1g} %; Miner's sum)."
                )
                self._draw()

        background.run(work, done, lambda err: self.desk.said.emit(str(err)))

    def _add(self, item: Any) -> None:
        self.chart.add(item)
        self._items.append(item)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        ranks = self._found.ranks if isinstance(self._found, weibull.Fit) else ()
        return ["turns", "failed (median rank)"], [[x, p] for x, p in ranks]


def _decades(low: float, high: float) -> list[tuple[float, str]]:
    """Ticks at 1, 2 and 5 of each decade."""
    found = []
    for decade in range(math.floor(low) - 1, math.ceil(high) + 1):
        for step in (1, 2, 5):
            at = decade + math.log10(step)
            if low - 0.1 <= at <= high + 0.2:
                found.append((at, rough(step * 10.0**decade)))
    return found


def _fitted(lives: tuple[Life, ...]) -> Found:
    turns = [v.turns for v in lives]
    failed = [v.ended == "failed" for v in lives]
    torque = [v.load for v in lives]
    known = [t for t in torque if t is not None]
    if len(known) == len(lives) and len(set(known)) > 1:
        return loads.fit(turns, failed, known)
    if not any(failed):
        return few.success_run(len(lives), min(turns))
    return weibull.fit(turns, failed)


def _in_words(found: Found | None, count: int) -> str:
    if count == 0:
        return (
            "A row a specimen: the turns it ran, and whether it failed. Two failures make a line."
        )
    if found is None:
        return "It is being worked out."
    if isinstance(found, str):
        return f"{found[0].upper()}{found[1:]}."
    if isinstance(found, few.SuccessRun):
        return (
            f"None failed: with {100 * found.confidence:.0f} % confidence at least "
            f"{100 * found.reliability:.0f} % of all reach {rough(found.life)} turns. "
            f"{few.needed(0.9)} survivors would show 90 %."
        )
    if isinstance(found, loads.LoadLife):
        return (
            f"Life falls with load to the power of {found.slope:.2g} ± {2 * found.u_slope:.1g}, "
            f"shape {found.shape:.2g}."
        )
    b10, b50 = (
        f"{rough(b.value)} ({rough(b.low)} to {rough(b.high)})" for b in (found.b10, found.b50)
    )
    width = max(found.b10.value / max(found.b10.low, 1e-300), found.b10.high / found.b10.value)
    more = few.enough(width, found.failures)
    wanted = f" {more} more failures would bring B10 within a factor of two." if more else ""
    return (
        f"{found.failures} of {found.n} failed. Shape {found.shape.value:.2g} "
        f"({found.shape.low:.2g} to {found.shape.high:.2g}), B10 {b10} turns, B50 {b50}.{wanted}"
    )
