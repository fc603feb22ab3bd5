"""What each factor does: means with their intervals, effects in a table, and whether the model's
residuals are as they should be.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from sparring.core import quantity
from sparring.core.compare.effects import Effects, Mean
from sparring.core.plan import Factor
from sparring.ui.model.desk import Desk
from sparring.ui.pages.compare.looks import look
from sparring.ui.pages.compare.shown import apart_factor, apart_unit
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import Table, heading, note, sheet
from sparring.ui.widgets.text_table import TextTable
from sparring.ui.widgets.ticked_menu import TickedMenu

_SIGN = " × "
_OWN = ("specimen", "operator")


class EffectsPanel(QWidget):
    """The mixed model of the builds that are ticked."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._items: list[tuple[Chart, Any]] = []
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        above, below = QSplitter(), QSplitter()
        for splitter, parts in (
            (above, (self._means_part(), self._effects_part())),
            (below, (self._residuals_part(), self._tests_part())),
        ):
            splitter.setChildrenCollapsible(False)
            for part in parts:
                splitter.addWidget(part)
            splitter.setSizes([4500, 5500])
        whole.addWidget(above, 5)
        whole.addWidget(below, 4)
        theme.changed.connect(self.refresh)

    # --- parts ------------------------------------------------------------------------------------

    def _means_part(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Means"))
        row.addStretch(1)
        self.plotted = Choice()
        self.plotted.setAccessibleName("Factor that is plotted")
        self.plotted.activated.connect(lambda _n: self._draw_means())
        row.addWidget(self.plotted)
        column.addLayout(row)
        self.means = Chart("", "", name="Means at the levels of a factor")
        self.means.axes["left"].setWidth(46)
        self.means.rows = self._mean_rows
        column.addWidget(self.means, 1)
        return frame

    def _effects_part(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Effects"))
        row.addStretch(1)
        self.factors = TickedMenu([], [], self)
        self.factors.changed.connect(self._take_factors)
        self.interactions = TickedMenu([], [], self)
        self.interactions.changed.connect(self._take_interactions)
        for words, menu in (("Factors", self.factors), ("Interactions", self.interactions)):
            button = QPushButton(words)
            button.setAccessibleName(f"{words} in the model")
            button.setMenu(menu)
            row.addWidget(button)
        column.addLayout(row)
        self.table = Table(
            ["factor", "difference", "effect ±", "p (Holm)", "is"],
            "Effects of the factors",
            2,
            left=(1, 4),
            wraps=True,
        )
        self.table.itemSelectionChanged.connect(self._chosen)
        column.addWidget(self.table, 1)
        self.told = note("")
        column.addWidget(self.told)
        return frame

    def _residuals_part(self) -> QWidget:
        frame, column = sheet("Residuals", margins=8)
        row = QHBoxLayout()
        self.fitted = Chart("fitted", "residual", name="Residuals over the fitted values")
        self.normal = Chart("normal quantile", "residual", name="Residuals over normal quantiles")
        for chart in (self.fitted, self.normal):
            chart.axes["left"].setWidth(40)
            row.addWidget(chart)
        self.fitted.rows = lambda: self._residual_rows("fitted")
        self.normal.rows = lambda: self._residual_rows("expected")
        column.addLayout(row, 1)
        return frame

    def _tests_part(self) -> QWidget:
        frame, column = sheet("Specimen, operator and your own factors of each test", margins=8)
        self.own = TextTable(["test", *_OWN, "own factors"], "Factors of each test")
        self.own.setToolTip("Own factors as factor = level, parted by commas: oil = thin")
        self.own.typed.connect(self._take_own)
        column.addWidget(self.own, 1)
        return frame

    # --- showing ----------------------------------------------------------------------------------

    def _effects(self) -> Effects | None:
        found = self.desk.comparing.found
        return None if found is None else found.effects

    def refresh(self) -> None:
        if not self.isVisible():
            return
        found, effects = self.desk.comparing.found, self._effects()
        wanted = self.desk.comparing.wanted
        offered = [] if effects is None else [*effects.offered]
        self.factors.fill([(f, f) for f in offered], [] if effects is None else effects.factors)
        model = [] if effects is None else [*effects.factors]
        pairs = [(f"{a}{_SIGN}{b}", f"{a}{_SIGN}{b}") for a, b in combinations(model, 2)]
        asked = [f"{a}{_SIGN}{b}" for a, b in wanted.interactions]
        self.interactions.fill(pairs, asked)
        self._fill_effects(effects)
        names = [
            *model,
            *([] if effects is None else [_SIGN.join(x) for x in effects.interactions]),
        ]
        kept = self.plotted.currentText()
        self.plotted.clear()
        self.plotted.addItems(names)
        self.plotted.setVisible(bool(names))
        for chart in (self.means, self.fitted, self.normal):
            chart.blank(effects is None)
        if kept in names:
            self.plotted.setCurrentText(kept)
        self._clear()
        self._draw_means()
        self._draw_residuals()
        self._fill_own()
        self.told.setText(self._in_words(effects, "" if found is None else found.why_not))

    def _fill_effects(self, effects: Effects | None) -> None:
        rows = []
        for e in [] if effects is None else effects.effects:
            kind = effects.figure.kind  # type: ignore[union-attr]
            unit = apart_unit(self.desk, kind)
            half = (e.high - e.low) / 2
            shown = quantity.show(
                e.value, "points" if kind == "ratio" else kind, unit, u=half / 2 or None
            )
            words = {1: "higher", -1: "lower", 0: "not distinguishable"}[e.verdict]
            apart = f"{e.level} − {e.against}"
            rows.append([e.factor, apart, shown, f"{e.adjusted:.2g}", words])
        self.table.fill(rows)

    def _in_words(self, effects: Effects | None, why_not: str) -> str:
        if effects is None:
            return why_not or "Tick two builds or more that differ in something."
        kind = effects.figure.kind
        unit, one = apart_unit(self.desk, kind), apart_factor(self.desk, kind)
        parts = [
            f"{name} {sd / one:.2g}" for name, sd in effects.random.items() if name != "residual"
        ]
        text = (
            f"Mixed model of {effects.observations} observations on {effects.specimens} specimens; "
            f"standard deviations, {unit}: {', '.join([*parts, ''])}"
            f"residual {effects.random['residual'] / one:.2g}."
        )
        if "specimen" in effects.alone:
            text += " Specimens cannot be told from the factors: the effects hold for these alone."
        if effects.left_out:
            text += f" Not told apart from those: {', '.join(effects.left_out)}."
        return text

    # --- drawing ----------------------------------------------------------------------------------

    def _clear(self) -> None:
        for chart, item in self._items:
            chart.remove(item)
        self._items.clear()

    def _add(self, chart: Chart, item: Any) -> None:
        chart.add(item)
        self._items.append((chart, item))

    def _shown_means(self) -> list[Mean]:
        effects = self._effects()
        names = self.plotted.currentText().split(_SIGN)
        if effects is None:
            return []
        return [m for m in effects.means if list(m.levels) == names]

    def _draw_means(self) -> None:
        for chart, item in [x for x in self._items if x[0] is self.means]:
            chart.remove(item)
        self._items = [x for x in self._items if x[0] is not self.means]
        means, effects = self._shown_means(), self._effects()
        if effects is None or not means:
            return
        kind = effects.figure.kind
        one = quantity.factor(self.desk.units[kind], kind)
        names = list(means[0].levels)
        levels = list(dict.fromkeys(m.levels[names[0]] for m in means))
        lines = list(dict.fromkeys(m.levels[names[-1]] for m in means)) if len(names) > 1 else [""]
        self.means.set_labels(names[0], f"{effects.figure.words}, {self.desk.units[kind]}")
        self.means.axes["bottom"].setTicks([list(enumerate(levels))])
        for k, line in enumerate(lines):
            own = [m for m in means if len(names) == 1 or m.levels[names[-1]] == line]
            shift = 0.06 * (k - (len(lines) - 1) / 2)
            x = np.array([levels.index(m.levels[names[0]]) + shift for m in own])
            y, low, high = (
                np.array([getattr(m, name) for m in own]) / one for name in ("value", "low", "high")
            )
            how = look(k)
            self._add(
                self.means,
                pg.ErrorBarItem(
                    x=x, y=y, top=high - y, bottom=y - low, beam=0, pen=pen(how.colour, 1.6)
                ),
            )
            self._add(self.means, pg.PlotCurveItem(x, y, pen=pen(how.colour, 1.2, how.dash)))
            brush = pg.mkBrush(theme.colour("sheet"))
            self._add(
                self.means,
                pg.ScatterPlotItem(
                    x, y, symbol=how.marker, size=9, pen=pen(how.colour, 1.6), brush=brush
                ),
            )
            if line:
                label = pg.TextItem(line, color=theme.colour(how.colour), anchor=(0, 0.5))
                label.setFont(font(11, bold=True))
                label.setPos(float(x[-1]) + 0.08, float(y[-1]))
                self._add(self.means, label)
        ends = np.array([(m.low, m.high) for m in means]) / one
        room = 0.08 * float(np.ptp(ends)) or 1.0
        self.means.box.setRange(
            xRange=(-0.4, len(levels) - 0.6 + 0.5),
            yRange=(float(ends.min()) - room, float(ends.max()) + room),
            padding=0,
        )

    def _mean_rows(self) -> tuple[list[str], list[list[Any]]]:
        means = self._shown_means()
        head = ["level", "mean", "from", "to"]
        return head, [[", ".join(m.levels.values()), m.value, m.low, m.high] for m in means]

    def _draw_residuals(self) -> None:
        effects = self._effects()
        if effects is None:
            return
        kind = effects.figure.kind
        one = quantity.factor(self.desk.units[kind], kind)
        apart = apart_factor(self.desk, kind)
        unit = apart_unit(self.desk, kind)
        self.fitted.set_labels(f"fitted, {self.desk.units[kind]}", f"residual, {unit}")
        self.normal.set_labels("normal quantile", f"residual, {unit}")
        for chart, across in (
            (self.fitted, [r.fitted / one for r in effects.residuals]),
            (self.normal, [r.expected for r in effects.residuals]),
        ):
            self._add(chart, pg.InfiniteLine(0.0, angle=0, pen=pen("rule", 1)))
            for n in sorted({r.subject for r in effects.residuals}):
                own = [k for k, r in enumerate(effects.residuals) if r.subject == n]
                how = look(n)
                self._add(
                    chart,
                    pg.ScatterPlotItem(
                        [across[k] for k in own],
                        [effects.residuals[k].left / apart for k in own],
                        symbol=how.marker,
                        size=7,
                        pen=pen(how.colour, 1.4),
                        brush=None,
                    ),
                )
            chart.box.autoRange(padding=0.08)
        spread = effects.random["residual"] / apart
        line = pg.PlotCurveItem([-2.5, 2.5], [-2.5 * spread, 2.5 * spread])
        line.setPen(pen("ink-2", 1, Qt.PenStyle.DotLine))
        self._add(self.normal, line)

    def _residual_rows(self, across: str) -> tuple[list[str], list[list[Any]]]:
        effects, found = self._effects(), self.desk.comparing.found
        if effects is None or found is None:
            return ["build"], []
        names = [s.name for s in found.comparison.subjects]
        return ["build", "round", across, "residual"], [
            [names[r.subject], r.round, float(getattr(r, across)), r.left]
            for r in effects.residuals
        ]

    # --- what is chosen ---------------------------------------------------------------------------

    def _take_factors(self) -> None:
        ticked = self.factors.ticked()
        self.desk.comparing.want(factors=tuple(ticked) or None)

    def _take_interactions(self) -> None:
        pairs = []
        for text in self.interactions.ticked():
            a, _, b = text.partition(_SIGN)
            pairs.append((a, b))
        self.desk.comparing.want(interactions=tuple(pairs))

    def _chosen(self) -> None:
        effects = self._effects()
        n = self.table.currentRow()
        if effects is not None and 0 <= n < len(effects.effects):
            name = effects.effects[n].factor
            if self.plotted.findText(name) >= 0 and self.plotted.currentText() != name:
                self.plotted.setCurrentText(name)
                self._draw_means()

    # --- the tester's own factors -----------------------------------------------------------------

    def _fill_own(self) -> None:
        found = self.desk.comparing.found
        rows = []
        for s in [] if found is None else found.comparison.subjects:
            said = dict(s.said)
            first = [said.pop(name, "") for name in _OWN]
            rows.append([s.name, *first, ", ".join(f"{k} = {v}" for k, v in said.items())])
        typing = self.own.state() == QAbstractItemView.State.EditingState
        if not typing and (not self.own.hasFocus() or self.own.rows() != rows):
            self.own.blockSignals(True)
            self.own.fill(rows)
            self.own.setRowCount(len(rows))
            for r in range(len(rows)):
                item = self.own.item(r, 0)
                if item is not None:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.own.blockSignals(False)

    def _take_own(self) -> None:
        found = self.desk.comparing.found
        if found is None:
            return
        for s, row in zip(found.comparison.subjects, self.own.rows(), strict=False):
            try:
                said = _said(row)
            except ValueError as err:
                self.desk.said.emit(str(err))
                self._fill_own()
                return
            if s.test and said != dict(s.said):
                self.desk.say_factors(s.test, [Factor(name=k, level=v) for k, v in said.items()])


def _said(row: Sequence[str]) -> dict[str, str]:
    """What a row says of a test. Raises ValueError, in words."""
    found = {name: text for name, text in zip(_OWN, row[1:3], strict=True) if text}
    for part in filter(None, (x.strip() for x in row[3].split(","))):
        name, sign, level = (x.strip() for x in part.partition("="))
        if not sign or not name or not level:
            raise ValueError(
                f"“{part}” is not understood; write a factor and its level: oil = thin"
            )
        found[name] = level
    return found
