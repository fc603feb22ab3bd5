"""Over the ratio, for one motor: fast against strong, time, energy and heat; gears that make it."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.duty.meets import LIMITS
from sparring.core.duty.ratio import AIMS, Best, OverRatio, best
from sparring.core.duty.tasks import Vehicle
from sparring.core.duty.teeth import GearAtHand, Proposal, proposals
from sparring.core.quantity import QuantityError
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import narrow
from sparring.ui.widgets.parts import Table, heading, note, sheet
from sparring.ui.widgets.plain import Label

_DISTANCE = 10.0
Curve = tuple[str, str, Callable[[OverRatio], np.ndarray], str]
_CHARTS: tuple[Curve, ...] = (
    ("top speed", "speed", lambda o: o.top_speed, "speed"),
    ("stall torque", "torque", lambda o: o.stall, "torque"),
    ("least margin", "", lambda o: np.minimum(o.margin, 1e3), "reseda"),
    ("driven time", "time", lambda o: o.time, "brass"),
    ("energy", "energy", lambda o: o.energy, "heat"),
    ("winding", "temperature", lambda o: o.winding, "temperature"),
)


class RatioPanel(QWidget):
    """The duty on the desk over the ratio, with the motor and the losses of a build."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.over: OverRatio | None = None
        self.best: list[Best] = []
        self.gears: list[Proposal] = []
        self._ticket, self._of = 0, object()
        self._items: list[tuple[Chart, Any]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._charts(), 5)
        column.addWidget(self._below(), 3)
        desk.duty_changed.connect(self.refresh)
        desk.lists_changed.connect(self.refresh)
        theme.changed.connect(self._draw)

    def _charts(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Over the ratio"))
        row.addStretch(1)
        self.build = narrow(Choice())
        self.build.setAccessibleName("Motor and losses of")
        self.build.activated.connect(lambda _n: self.refresh())
        label = Label("motor and losses of")
        label.setBuddy(self.build)
        row.addWidget(label)
        row.addWidget(self.build)
        self.aim = Choice()
        self.aim.setAccessibleName("Best by")
        for aim, words in AIMS.items():
            self.aim.addItem(words, aim)
        self.aim.activated.connect(lambda _n: self._aimed())
        row.addWidget(self.aim)
        column.addLayout(row)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.charts = []
        for n, (words, _, _, _) in enumerate(_CHARTS):
            chart = Chart("ratio", words, name=f"{words} over the ratio".capitalize())
            chart.axes["left"].setWidth(44)
            chart.rows = lambda n=n: self._rows(n)
            chart.setMinimumHeight(110)
            grid.addWidget(chart, n // 3, n % 3)
            self.charts.append(chart)
        column.addLayout(grid, 1)
        return frame

    def _below(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Gears that make it"))
        row.addStretch(1)
        self.modules, self.owned = QLineEdit("1 mm"), QLineEdit()
        for field, words, width, tool in (
            (self.modules, "modules", 110, "Of stage 1, of stage 2 …: 0.8 mm, 1 mm"),
            (self.owned, "gears at hand", 190, "Teeth × module, and how many: 12×1 mm ×2, 60×1 mm"),
        ):
            field.setAccessibleName(words)
            field.setToolTip(tool)
            field.setFixedWidth(width)
            field.editingFinished.connect(self._geared)
            label = Label(words)
            label.setBuddy(field)
            row.addWidget(label)
            row.addWidget(field)
        self.make = QPushButton("As a new build")
        self.make.setToolTip("A build with these pairs and the motor of the chosen one")
        self.make.clicked.connect(self.begin)
        row.addWidget(self.make)
        column.addLayout(row)
        self.told = note("")
        column.addWidget(self.told)
        self.table = Table(
            ["pairs", "ratio", "off by", "centre distances", "size", "hunting"],
            "Trains of gears for the ratio",
            1,
        )
        column.addWidget(self.table, 1)
        return frame

    # --- showing ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        if not self.isVisible() or self.desk.book is None:
            return
        builds = [(i, b) for i, b in self.desk.book.builds() if b.has_motor]
        kept = self.build.currentData() or self.desk.build_id
        self.build.clear()
        for key, build in builds:
            self.build.addItem(build.name, key)
        at = self.build.findData(kept)
        self.build.setCurrentIndex(max(at, 0))
        key = self.build.currentData()
        of = (key, self.desk.duty)
        if key is None or of == self._of:
            return
        self._of = of
        self._ticket += 1
        ticket = self._ticket
        self.told.setText("It is being worked out.")

        def done(found: OverRatio | Exception) -> None:
            if ticket != self._ticket:
                return
            if isinstance(found, Exception):
                self.over = None
                self._clear()
                self.table.fill([])
                self.told.setText(str(found))
                return
            self.over = found
            duty = self.desk.duty
            self.best = [best(found, duty, aim) for aim in AIMS]
            self._aimed()

        self.desk.comparing.over_ratio(key, _DISTANCE, done)

    def _chosen(self) -> Best | None:
        return next((b for b in self.best if b.aim == self.aim.currentData()), None)

    def _aimed(self) -> None:
        self._draw()
        self._geared()

    def _clear(self) -> None:
        for chart, item in self._items:
            chart.remove(item)
        self._items.clear()

    def _draw(self) -> None:
        self._clear()
        over, chosen = self.over, self._chosen()
        if over is None or chosen is None:
            return
        x = np.log10(over.ratio)
        ticks = [
            (math.log10(v), f"{v:g}")
            for k in range(-2, 6)
            for v in (10.0**k, 2 * 10.0**k, 5 * 10.0**k)
            if over.ratio[0] <= v <= over.ratio[-1]
        ]
        vehicle = isinstance(self.desk.duty.task, Vehicle)
        for chart, (words, kind, of, colour) in zip(self.charts, _CHARTS, strict=True):
            y, label = of(over), words
            if vehicle and words == "stall torque":
                y, kind, label = over.pull, "force", "pull at the rim"
            if vehicle and words == "driven time":
                y, label = over.to_distance, f"time to {_DISTANCE:g} m"
            unit = self.desk.units[kind] if kind else ""
            shown = np.array([quantity.from_si(float(v), unit, kind) if kind else v for v in y])
            if words == "least margin":
                shown = np.minimum(shown, 12.0)
            lower = words in {x[0] for x in _CHARTS[3:]}
            chart.set_labels("ratio" if lower else "", f"{label}, {unit}" if unit else label)
            chart.axes["bottom"].setTicks([ticks])
            low, high = math.log10(chosen.low), math.log10(chosen.high)
            band = pg.LinearRegionItem(
                (low, max(high, low + 0.004)),
                movable=False,
                brush=pg.mkBrush(theme.colour("pale")),
                pen=pen("rule", 0.5),
            )
            band.setZValue(-10)
            self._add(chart, band)
            known = np.isfinite(shown)
            self._add(chart, pg.PlotCurveItem(x[known], shown[known], pen=pen(colour, 1.6)))
            line = pg.InfiniteLine(
                math.log10(chosen.ratio), pen=pen("brass", 1.4, Qt.PenStyle.DashLine)
            )
            self._add(chart, line)
            if label == "least margin":
                self._add(chart, pg.InfiniteLine(1.0, angle=0, pen=pen("vermilion", 1.2)))
            if label.startswith("pull") and chosen.grip is not None:
                self._grip(chart, chosen.grip[1], unit, float(x[0]))
            if known.any():
                top, low_y = float(shown[known].max()), float(min(shown[known].min(), 0.0))
                room = 0.06 * (top - low_y) or 1.0
                chart.box.setRange(
                    xRange=(float(x[0]), float(x[-1])), yRange=(low_y, top + room), padding=0.01
                )

    def _grip(self, chart: Chart, force: float, unit: str, x: float) -> None:
        level = quantity.from_si(force, unit, "force")
        self._add(chart, pg.InfiniteLine(level, angle=0, pen=pen("vermilion", 1.2)))
        text = pg.TextItem("wheels slip", color=theme.colour("vermilion-text"), anchor=(0, 1))
        text.setFont(font(11))
        text.setPos(x, level)
        self._add(chart, text)

    def _add(self, chart: Chart, item: Any) -> None:
        chart.add(item)
        self._items.append((chart, item))

    def _rows(self, n: int) -> tuple[list[str], list[list[Any]]]:
        words, _, of, _ = _CHARTS[n]
        if self.over is None:
            return ["ratio", words], []
        return ["ratio", f"{words}, SI"], [
            [float(a), float(b)] for a, b in zip(self.over.ratio, of(self.over), strict=True)
        ]

    def _in_words(self, chosen: Best) -> str:
        text = (
            f"Best by {AIMS[chosen.aim]}: {chosen.ratio:.3g}:1; within 2 % of it from "
            f"{chosen.low:.3g}:1 to {chosen.high:.3g}:1."
        )
        if not chosen.meets:
            why = LIMITS.get(chosen.limit, "")
            text += f" No ratio does this duty with this motor: it {why}." if why else ""
        if chosen.grip is not None:
            needed, slips = (self.desk.three(x, "force") for x in chosen.grip)
            text += f" The pull needed is {needed}; the wheels slip at {slips} at every ratio."
        return text

    # --- gears ------------------------------------------------------------------------------------

    def _geared(self) -> None:
        chosen = self._chosen()
        if chosen is None or self.over is None:
            return
        self.told.setText(self._in_words(chosen))
        try:
            modules = _lengths(self.modules.text()) or [1e-3]
            owned = _at_hand(self.owned.text())
        except QuantityError as err:
            self.desk.said.emit(str(err))
            return
        if not chosen.ratio > 1:
            self.gears = []
            self.table.fill([])
            return
        ticket = self._ticket

        def done(found: list[Proposal]) -> None:
            if ticket == self._ticket:
                self.gears = found
                self.table.fill([self._gear_row(p) for p in found])
                self.table.setCurrentCell(0, 0)
                self.make.setEnabled(bool(found))
                if not found:
                    self.told.setText(
                        self._in_words(chosen) + " No train of up to three pairs of these gears is "
                        "within 2 %."
                    )

        background.run(
            lambda: proposals(chosen.ratio, owned=owned, modules=modules),
            done,
            lambda err: self.desk.said.emit(str(err)),
        )

    def _gear_row(self, p: Proposal) -> list[str]:
        pairs = " · ".join(f"{q.pinion}/{q.wheel}" for q in p.pairs)
        unit = "mm" if self.desk.units["length"] in ("mm", "cm", "m", "µm") else "in"
        size, *centres = (
            f"{quantity.from_si(x, unit, 'length'):.4g}"
            for x in (p.size, *(q.centre for q in p.pairs))
        )
        return [
            pairs,
            f"{p.ratio:.5g}",
            f"{100 * p.off:+.2f} %".replace("-", "−"),
            f"{', '.join(centres)} {unit}",
            f"{size} {unit}",
            "yes" if p.hunting else "no",
        ]

    def begin(self) -> None:
        """A build of the chosen gears, kept as the first of a family of its own."""
        n = self.table.currentRow()
        book = self.desk.book
        if book is None or not 0 <= n < len(self.gears):
            return
        self.desk.begin_geared(self.build.currentData(), self.gears[n])


def _lengths(text: str) -> list[float]:
    return [quantity.parse(x.strip(), "length", "mm").value for x in text.split(",") if x.strip()]


def _at_hand(text: str) -> list[GearAtHand]:
    """`12×1 mm ×2, 60×1 mm`. Raises QuantityError."""
    found = []
    for part in (x.strip() for x in text.replace("x", "×").split(",")):
        if not part:
            continue
        teeth, _, rest = part.partition("×")
        module, _, pieces = rest.partition("×")
        if (
            not teeth.strip().isdigit()
            or not module.strip()
            or not (pieces or "1").strip().isdigit()
        ):
            raise QuantityError(
                f"“{part}” is no gear; write teeth × module: 12×1 mm, or 12×1 mm ×2"
            )
        size = quantity.parse(module.strip(), "length", "mm").value
        found.append(GearAtHand(int(teeth), size, int(pieces or 1)))
    return found
