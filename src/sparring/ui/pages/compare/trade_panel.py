"""Two figures against each other: the builds that no other beats in both."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.compare.figures import BY_ID, FIGURES, Figure
from sparring.core.compare.known import Known
from sparring.core.compare.tradeoff import Standing, standing
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.looks import look
from sparring.ui.pages.compare.shown import unit_of
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import narrow
from sparring.ui.widgets.parts import Table, heading, note, sheet
from sparring.ui.widgets.plain import Label

_NONE = "alike"
_SMALL, _LARGE = 8.0, 26.0


class TradePanel(QWidget):
    """The builds that are ticked."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._items: list[Any] = []
        self._ticket = 0
        self._places: list[int] = []
        self._standing: Standing | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        frame, column = sheet(margins=8)
        head = QHBoxLayout()
        head.addWidget(heading("Trade-off"))
        head.addStretch(1)
        self.across, self.up, self.third = (narrow(Choice()) for _ in range(3))
        for words, choice in (("across", self.across), ("up", self.up), ("size", self.third)):
            label = Label(words)
            label.setBuddy(choice)
            choice.setAccessibleName(f"Figure {words}" if words != "size" else "Figure by size")
            if words == "size":
                choice.addItem(_NONE, "")
            for f in FIGURES:
                if f.better or words == "size":
                    choice.addItem(f.words, f.id)
            choice.activated.connect(self._take)
            head.addWidget(label)
            head.addWidget(choice)
        column.addLayout(head)
        self.chart = Chart("", "", name="Trade-off of two figures")
        self.chart.axes["left"].setWidth(52)
        self.chart.rows = self._rows
        column.addWidget(self.chart, 1)
        row.addWidget(frame, 5)
        beside, column = sheet("Undominated", margins=8)
        beside.setMinimumWidth(216)
        self.table = Table(
            ["build", "is", "chance"], "Builds that no other beats in both", 1, left=(1,)
        )
        column.addWidget(self.table, 1)
        self.told = note("")
        column.addWidget(self.told)
        row.addWidget(beside, 3)
        theme.changed.connect(self._draw)

    def _take(self, _n: int) -> None:
        self.desk.comparing.want(across=self.across.currentData(), up=self.up.currentData())
        self.refresh()

    def _figures(self) -> tuple[Figure, Figure]:
        wanted = self.desk.comparing.wanted
        return BY_ID[wanted.across], BY_ID[wanted.up]

    def _cells(self, figure: Figure) -> tuple[Known | None, ...]:
        found = self.desk.comparing.found
        if found is None:
            return ()
        return next(r for r in found.comparison.rows if r.figure.id == figure.id).cells

    def refresh(self) -> None:
        if not self.isVisible():
            return
        wanted = self.desk.comparing.wanted
        self.across.setCurrentIndex(self.across.findData(wanted.across))
        self.up.setCurrentIndex(self.up.findData(wanted.up))
        x, y = self._figures()
        across, up = self._cells(x), self._cells(y)
        self._ticket += 1
        ticket = self._ticket
        places = [
            n for n, (a, b) in enumerate(zip(across, up, strict=True)) if _told(a) and _told(b)
        ]
        some = [(a, b) for n in places if (a := across[n]) and (b := up[n])]

        def work() -> Standing | None:
            if not some:
                return None
            return standing([a for a, _ in some], [b for _, b in some], (x.better, y.better))

        def done(found: Standing | None) -> None:
            if ticket == self._ticket:
                self._places, self._standing = places, found
                self._fill()
                self._draw()

        background.run(work, done, lambda err: self.told.setText(str(err)))

    def _fill(self) -> None:
        found = self.desk.comparing.found
        if found is None or self._standing is None:
            self.table.fill([])
            self.told.setText("Tick builds that have both figures.")
            return
        s = self._standing
        order = np.argsort(-s.chance, kind="stable")
        self.table.fill(
            [
                [
                    found.comparison.subjects[self._places[k]].name,
                    self._told_of(k, "best" if s.undominated[k] else "beaten"),
                    f"{100 * s.chance[k]:.0f} %",
                ]
                for k in order
            ]
        )
        x, y = self._figures()
        ways = {1: "more", -1: "less"}
        left = len(found.comparison.subjects) - len(self._places)
        more = f" {left} of those ticked lack one of the figures." if left else ""
        self.told.setText(
            f"Better is {ways[x.better]} {x.words} and {ways[y.better]} {y.words}. The chance "
            f"takes in what is not known of both; in brackets: one is predicted.{more}"
        )

    def _told_of(self, k: int, words: str) -> str:
        """In brackets where one of its figures is only predicted."""
        cells = [self._cells(f)[self._places[k]] for f in self._figures()]
        return f"({words})" if any(c and c.how == "predicted" for c in cells) else words

    def _draw(self) -> None:
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        found, s = self.desk.comparing.found, self._standing
        x, y = self._figures()
        self.chart.set_labels(
            *(
                f"{f.words}{', ' if unit_of(self.desk, f) else ''}{unit_of(self.desk, f)}"
                for f in (x, y)
            )
        )
        if found is None or s is None:
            return
        points = self._points()
        edge = sorted([p[:2] for k, p in enumerate(points) if s.undominated[k]], key=lambda p: p[0])
        if len(edge) > 1:
            ex, ey = np.array(edge).T
            self._add(pg.PlotCurveItem(ex, ey, pen=pen("ink-2", 1)))
        sizes = self._sizes()
        for k, (a, b, ua, ub) in enumerate(points):
            how = look(self._places[k])
            self._add(
                pg.ErrorBarItem(
                    x=np.array([a]),
                    y=np.array([b]),
                    width=4 * ua,
                    height=4 * ub,
                    beam=0,
                    pen=pen(how.colour, 1.2),
                )
            )
            brush = pg.mkBrush(theme.colour(how.colour if s.undominated[k] else "sheet"))
            self._add(
                pg.ScatterPlotItem(
                    [a],
                    [b],
                    symbol=how.marker,
                    size=sizes[k],
                    pen=pen(how.colour, 1.6),
                    brush=brush,
                )
            )
            name = found.comparison.subjects[self._places[k]].name
            label = pg.TextItem(name, color=theme.colour(how.colour), anchor=(-0.08, 1.1))
            label.setFont(font(11, bold=bool(s.undominated[k])))
            label.setPos(a, b)
            self._add(label)
        a, b, ua, ub = np.array(points).T
        ends = [(v - 2 * u).min() for v, u in ((a, ua), (b, ub))]
        tops = [(v + 2 * u).max() for v, u in ((a, ua), (b, ub))]
        wide, tall = (top - low or abs(top) or 1.0 for low, top in zip(ends, tops, strict=True))
        self.chart.box.setRange(
            xRange=(ends[0] - 0.1 * wide, tops[0] + 0.3 * wide),
            yRange=(ends[1] - 0.08 * tall, tops[1] + 0.12 * tall),
            padding=0,
        )

    def _points(self) -> list[tuple[float, float, float, float]]:
        """(across, up, their standard uncertainties) of each, in the units shown."""
        x, y = self._figures()
        out = []
        for n in self._places:
            a, b = self._cells(x)[n], self._cells(y)[n]
            if a is not None and b is not None:
                one, two = self._one(x), self._one(y)
                out.append((a.value / one, b.value / two, a.u / one, b.u / two))
        return out

    def _one(self, f: Figure) -> float:
        if f.kind == "count" or f.per == ":1":
            return 1.0
        return quantity.factor(f.unit or self.desk.units[f.kind], f.kind)

    def _sizes(self) -> list[float]:
        id = self.third.currentData()
        if not id:
            return [10.0] * len(self._places)
        cells = self._cells(BY_ID[id])
        values = np.array(
            [c.value if (c := cells[n]) is not None else math.nan for n in self._places]
        )
        if not np.isfinite(values).any():
            return [10.0] * len(self._places)
        low, high = np.nanmin(values), np.nanmax(values)
        part = (values - low) / (high - low) if high > low else np.zeros(len(values))
        return [_SMALL if math.isnan(v) else _SMALL + (_LARGE - _SMALL) * float(v) for v in part]

    def _add(self, item: Any) -> None:
        self.chart.add(item)
        self._items.append(item)

    def _rows(self) -> tuple[list[str], list[list[Any]]]:
        found = self.desk.comparing.found
        x, y = self._figures()
        head = ["build", x.words, "±", y.words, "±"]
        if found is None:
            return head, []
        return head, [
            [found.comparison.subjects[n].name, a, 2 * ua, b, 2 * ub]
            for n, (a, b, ua, ub) in zip(self._places, self._points(), strict=True)
        ]


def _told(k: Known | None) -> bool:
    return k is not None and math.isfinite(k.value)
