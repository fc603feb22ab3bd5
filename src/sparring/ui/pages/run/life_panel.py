"""A life test on Run: how far it is, what it was like at first and is now, and what comes next."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.endurance import stops
from sparring.core.events import DETECTORS
from sparring.ui.model.living import LifeTest
from sparring.ui.pages.run.big_figure import BigFigure
from sparring.ui.widgets.chart import Chart, pen, thinned
from sparring.ui.widgets.parts import note, sheet

STATES = {
    "begun": "beginning",
    "running": "running",
    "paused": "paused",
    "inspection": "waiting for an inspection",
    "ended": "ended",
    "failed": "cannot go on",
}
_SHOWN = 2000  # points of a curve


def _ink(curve: pg.PlotDataItem, colour: str) -> None:
    curve.setPen(pen(colour, 1.6))


class LifePanel(QWidget):
    """Four large figures, efficiency and temperature over the hours of driving, and words."""

    def __init__(self, life: LifeTest) -> None:
        super().__init__()
        self.life = life
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        self.figures = {
            "cycles": BigFigure("Cycles", "speed"),
            "hours": BigFigure("Driven", "current"),
            "turns": BigFigure("Turns of the output", "torque"),
            "now": BigFigure("Efficiency, newest cycles", "force"),
        }
        for figure in self.figures.values():
            row.addWidget(figure, 1)
        column.addLayout(row)
        self.about = note("")
        column.addWidget(self.about)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(8)
        whole.addWidget(frame)
        self.charts: dict[str, Chart] = {}
        self.curves: dict[str, pg.PlotDataItem] = {}
        for key, label, colour in (
            ("efficiency", "efficiency, %", "torque"),
            ("hottest", "motor, °C", "amber"),
        ):
            last = key == "hottest"
            name = f"{label} over the hours driven"
            chart = Chart("driven, h" if last else "", label, name=name)
            chart.axes["left"].setWidth(58)
            chart.box.setMouseEnabled(x=True, y=False)
            if self.charts:
                chart.box.setXLink(next(iter(self.charts.values())).box)
            bottom = chart.axes["bottom"]
            bottom.setHeight(34 if last else 8)
            bottom.setStyle(showValues=last)
            curve = pg.PlotDataItem(pen=pen(colour, 1.6))
            chart.add(curve)
            chart.styled(partial(_ink, curve, colour))
            self.charts[key], self.curves[key] = chart, curve
            whole.addWidget(chart, 1)
        self._drawn = -1
        life.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Brings it in step with what has been written."""
        life = self.life
        if life.journal is None or life.tested is None or not self.isVisible():
            return
        journal, total = life.journal, life.journal.totals
        self.figures["cycles"].put(f"{total.cycles}", "")
        self.figures["hours"].put(*_lasted(total.driven))
        self.figures["turns"].put(f"{total.turns:.0f}", "")
        newest = float(np.mean(total.newest)) if total.newest else math.nan
        shown = f"{100 * newest:.1f}" if math.isfinite(newest) else "–"
        self.figures["now"].put(shown, "%")
        self.about.setText(self._in_words())
        if len(journal.cycles) != self._drawn:
            self._drawn = len(journal.cycles)
            self._draw()

    def _draw(self) -> None:
        assert self.life.journal is not None
        cycles = self.life.journal.cycles
        hours = np.cumsum([c.driven for c in cycles]) / 3600
        series = {
            "efficiency": np.array([100 * c.efficiency for c in cycles]),
            "hottest": np.array([c.hottest - 273.15 for c in cycles]),
        }
        for key, y in series.items():
            chart, good = self.charts[key], np.isfinite(y)
            if not good.any():
                self.curves[key].setData([], [])
                continue
            self.curves[key].setData(*thinned(hours[good], y[good], _SHOWN))
            low, high = float(y[good].min()), float(y[good].max())
            room = max(0.1 * (high - low), 0.02 * abs(high), 0.05)
            chart.box.setYRange(low - room, high + room, padding=0)
            chart.rows = lambda key=key, y=y: (
                ["driven h", key],
                np.column_stack([hours, y]).tolist(),
            )
        if len(hours):
            first = next(iter(self.charts.values()))
            first.box.setXRange(0.0, max(float(hours[-1]), 1e-4), padding=0.01)

    def _in_words(self) -> str:
        life = self.life
        assert life.journal is not None
        assert life.tested is not None
        journal, plan, total = life.journal, life.tested.plan, life.journal.totals
        now = journal.now
        state = STATES[now.state]
        if not life.alive and now.state not in ("ended", "failed", "paused", "inspection"):
            state = "not running: its process is gone"
        words = [f"{plan.name}: {state}" + (f" ({now.why})" if now.why else "") + "."]
        if life.alive and now.state == "running":
            phase = plan.duty[min(now.phase, len(plan.duty) - 1)]
            does = f"{phase.voltage:g} V" if phase.driven else "off"
            words.append(f"Cycle {now.cycle.n}, {does}: {now.elapsed:.0f} of {phase.time:.0f} s.")
        pace = max(total.cycles, 1)
        coming = stops(plan, total.turns / pace, total.work / pace)
        stop = next((s for s in coming if s.cycle > total.cycles), None)
        if stop is not None and life.alive:
            at = datetime.now().astimezone() + timedelta(
                seconds=(stop.cycle - total.cycles) * plan.lasts
            )
            what = "Next inspection" if stop.what == "inspection" else "It ends"
            words.append(f"{what} after cycle {stop.cycle}, about {at:%a %H:%M}.")
        if math.isfinite(total.lost) and len(journal.cycles) >= 2 * total.FIRST:
            change = -100 * total.lost
            words.append(f"Efficiency {change:+.1f} % of what it was in the first cycles.")
        if math.isfinite(total.play):
            play = quantity.show(total.play, "angle", life.desk.units["angle"])
            words.append(f"Play at the newest reversal {play}.")
        kept = sum(len(c.kept) for c in journal.cycles)
        if kept:
            words.append(f"{kept} recording{'s' if kept > 1 else ''} kept.")
        events = [e for c in journal.cycles for e in c.events]
        if events:
            n = f"{len(events)} event{'s' if len(events) > 1 else ''}"
            words.append(f"{n}, newest: {DETECTORS[events[-1]].title.lower()}.")
        return " ".join(words)


def _lasted(seconds: float) -> tuple[str, str]:
    """A time as it is read from across the room, and its unit."""
    if seconds < 600:
        return f"{seconds / 60:.1f}", "min"
    hours = seconds / 3600
    return (f"{hours:.2f}" if hours < 100 else f"{hours:.0f}"), "h"
