"""The curves of all builds in one chart, with what was measured, and where they are compared."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.compare.comparison import Comparison
from sparring.core.compare.subject import Subject
from sparring.core.performance.model import Curves
from sparring.core.uncertainty import nominal, std
from sparring.exchange.overlaid import Lines, Overlaid
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.curve_kinds import KINDS, Kind, Recorded
from sparring.ui.pages.compare.looks import Look, look
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading
from sparring.ui.widgets.seconds_axis import places, write

_MOST_LABELS = 12
_MOST_CURVES = 24
"""Builds that are drawn, the first of those chosen: more cover one another."""
_NAMED = 3  # lines of each whose part is written beside them
_NAMES = 0.5  # of the chart's width, at most, for the names at its right
_ABOVE = 1.12  # room for what is written there
_FAINT = 110  # of 255: how a spectrum's noise is drawn
_Drawn = tuple[np.ndarray, np.ndarray, float, float]
"""(across, up, least and most of it) of one curve."""


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
        # of recordings: what was worked out, and what is being
        self._told: tuple[Comparison, Recorded, list[Overlaid | None]] | None = None
        self._asked: tuple[Comparison, Recorded] | None = None
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
        if isinstance(chosen, Recorded):
            unit = f"{unit} {chosen.up}".strip()
        self._torque = quantity.factor(self.desk.units["torque"], "torque")
        self.chart.axes["bottom"].setTicks(None)
        self.chart.set_labels(self._across(chosen), f"{chosen.words}, {unit}")
        if found is None:
            return
        side = found.comparison
        many = len(side.subjects)
        first = f"Curves of the first {_MOST_CURVES} of {many}"
        self.title.setText(first if many > _MOST_CURVES else "Curves")
        if isinstance(chosen, Kind):
            self._over_torque(side, chosen)
        else:
            self._over_another(side, chosen)

    def _across(self, chosen: Kind | Recorded) -> str:
        if isinstance(chosen, Recorded):
            return chosen.across
        return f"output torque, {self.desk.units['torque']}"

    def _over_torque(self, side: Comparison, chosen: Kind) -> None:
        drawn = [
            (n, x)
            for n, s in enumerate(side.subjects[:_MOST_CURVES])
            if (x := self._draw(s, n, chosen, side.at.voltage)) is not None
        ]
        self._fit(side, drawn)
        if drawn and side.at.share is None and side.at.torque > 0:
            line = pg.InfiniteLine(
                side.at.torque / self._torque, pen=pen("brass", 1.4, Qt.PenStyle.DashLine)
            )
            self._add(line)

    def _fit(self, side: Comparison, drawn: Sequence[tuple[int, _Drawn]], start: float = 0) -> None:
        """Makes room for what was drawn and for the names at its right."""
        if not drawn:
            return
        low = min(least for _, (_, _, least, _) in drawn)
        high = max(most for _, (_, _, _, most) in drawn)
        far = max(float(x.max()) for _, (x, _, _, _) in drawn)
        room = 0.06 * (high - low) or 0.1 * abs(high) or 1.0
        span = low - room, high + room
        wide = far - start
        names = [side.subjects[n].name for n, _ in drawn] if len(drawn) <= _MOST_LABELS else []
        metrics = QFontMetricsF(font(11, bold=True))
        widest = max((metrics.horizontalAdvance(name) for name in names), default=0.0)
        part = min((widest + 12) / max(self.chart.box.width(), 60.0), _NAMES)
        right = start + 1.02 * wide / (1 - part)
        self.chart.box.setRange(xRange=(start, right), yRange=span, padding=0)
        ends = [(float(x[-1]), float(y[-1]), n) for n, (x, y, _, _) in drawn]
        self._label(ends, side.subjects, start + 1.02 * wide, span)

    # --- what the recordings tell -----------------------------------------------------------------

    def _over_another(self, side: Comparison, chosen: Recorded) -> None:
        """Worked out off the window's thread, then drawn if it is still wanted."""
        book, told, asked = self.desk.book, self._told, self._asked
        if told is None or told[0] is not side or told[1] is not chosen:
            if book is None or (asked and asked[0] is side and asked[1] is chosen):
                return
            self._asked = side, chosen
            self.title.setText(f"Curves: working out {chosen.words} …")
            some = side.subjects[:_MOST_CURVES]

            def made() -> list[Overlaid | None]:
                def one(s: Subject) -> Overlaid | None:
                    return s.once((chosen.of, side.at), lambda: chosen.of(book, s, side.at))

                return [one(s) for s in some]

            def done(found: list[Overlaid | None]) -> None:
                self._told, self._asked = (side, chosen, found), None
                self.refresh()

            def failed(err: Exception) -> None:
                self._told, self._asked = (side, chosen, []), None
                self.desk.said.emit(str(err))
                self.refresh()

            background.run(made, done, failed)
            return
        curves = [(n, x) for n, x in enumerate(told[2]) if x is not None]
        if not curves:
            self.title.setText(f"Curves: {chosen.words} is known of none")
            return
        drawn = [(n, self._draw_recorded(side.subjects[n], x, n, chosen)) for n, x in curves]
        start = 0.0
        if chosen.spans:
            start = 0.9
            write(self.chart, max(float(x.max()) for _, (x, _, _, _) in drawn))
        self._fit(side, drawn, start)
        if all(x.lines is not None and not len(x.lines.x) for _, x in curves):
            self.title.setText("Curves: no line stands out of the noise")
        of = (side.subjects[n].result for n, _ in curves)
        volts = {round(x.voltage, 1) for x in of if x is not None}
        if chosen.spans and len(volts) > 1:
            self.title.setText("Curves: each at the voltage of its test")

    def _draw_recorded(self, s: Subject, found: Overlaid, n: int, kind: Recorded) -> _Drawn:
        how, x, y = look(n), found.x, found.y / self._one
        shown = places(x) if kind.spans else x
        u = np.zeros(len(y)) if found.u is None else found.u / self._one
        self._table += [
            [s.name, float(a), float(b), float(2 * c) if found.u is not None else None]
            for a, b, c in zip(x, y, u, strict=True)
        ]
        if found.u is not None:
            edges = [pg.PlotCurveItem(shown, y + k * u) for k in (-2, 2)]
            self._add(pg.FillBetweenItem(*edges, brush=pg.mkBrush(theme.colour(how.colour, 34))))
        high = float((y + 2 * u).max())
        if found.lines is None:
            self._add(pg.PlotCurveItem(shown, y, pen=pen(how.colour, 1.4, how.dash)))
        else:
            faint = pg.mkPen(theme.colour(how.colour, _FAINT), width=1)
            self._add(pg.PlotCurveItem(shown, y, pen=faint))
            high = _ABOVE * max(high, self._put_lines(found.lines, how))
        return shown, y, min(float((y - 2 * u).min()), 0.0), high

    def _put_lines(self, lines: Lines, how: Look) -> float:
        """What stands out of the noise, with the parts of the highest; how high that is."""
        y, u = lines.y / self._one, lines.u / self._one
        self._dots(lines.x, y, u, how)
        for n in np.argsort(-y)[:_NAMED]:
            words = f"{lines.x[n]:.3g} {lines.parts[n].partition(' (')[0]}"
            label = pg.TextItem(words, color=theme.colour(how.colour), anchor=(0, 1))
            label.setFont(font(11))
            label.setPos(float(lines.x[n]), float(y[n]))
            self._add(label)
        return float(y.max(initial=0.0))

    # --- over the torque --------------------------------------------------------------------------

    def _draw(self, s: Subject, n: int, kind: Kind, voltage: float) -> _Drawn | None:
        """A build's points and curve."""
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
        self._dots(x, y, u, how)
        return x, y, min([float((y - 2 * u).min()), *ends]), max([float((y + 2 * u).max()), *ends])

    def _dots(self, x: np.ndarray, y: np.ndarray, u: np.ndarray, how: Look) -> None:
        self._add(pg.ErrorBarItem(x=x, y=y, height=4 * u, beam=0, pen=pen(how.colour, 1.2)))
        mark = {"symbol": how.marker, "size": 8, "pen": pen(how.colour, 1.4)}
        self._add(pg.ScatterPlotItem(x, y, brush=pg.mkBrush(theme.colour("sheet")), **mark))

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
        if x > 0 and isinstance(KINDS[self.kind.currentIndex()], Kind):
            self.picked.emit(x * self._torque)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        chosen = KINDS[self.kind.currentIndex()]
        units = self.desk.units
        up = f"{chosen.words}, {units[chosen.kind]}"
        across = "seconds" if isinstance(chosen, Recorded) and chosen.spans else "order"
        if isinstance(chosen, Kind):
            across = f"torque, {units['torque']}"
        head = ["build", across, up, "±"]
        return head, self._table
