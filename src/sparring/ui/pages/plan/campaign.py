"""The campaign: its matrix with what is done, its reference over the blocks, what is next."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sparring.core.outlook.campaign import (
    Campaign,
    Cell,
    Control,
    done,
    factors,
    reference_of,
    trials,
)
from sparring.core.reduce.results import TestResult
from sparring.exchange.deriving import derive
from sparring.ui.model import background
from sparring.ui.page import Context
from sparring.ui.pages.plan.line_field import LineField
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form, narrow
from sparring.ui.widgets.parts import Column, Table, heading, note, sheet

_BESIDE = 236
_EMPTY = (
    "A campaign compares builds: each at each voltage, in blocks whose order is shuffled, so that "
    "warming, wear and days do not look like a difference. Rows are builds of this logbook, "
    "columns are the voltages of the plan."
)


_HEAD = ("build", "ratio", "material", "lubricant")


class CampaignPanel(QWidget):
    """Shows and edits the campaign in hand."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context, self.desk = context, context.desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.either = QStackedWidget()
        column.addWidget(self.either)
        self.either.addWidget(self._nothing())
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        left = QVBoxLayout()
        left.setSpacing(8)
        row.addLayout(left, 1)
        left.addWidget(self._head())
        left.addWidget(self._matrix(), 3)
        left.addWidget(self._reference(), 2)
        self._beside_at = row
        self.beside: QWidget | None = None
        self.form: Form | None = None
        self.either.addWidget(whole)
        self._known: tuple[Any, ...] = ()
        self.chart_of: Control | None = None

    def _nothing(self) -> QWidget:
        frame, column = sheet("No campaign yet", margins=24)
        column.addWidget(note(_EMPTY))
        row = QHBoxLayout()
        begin = QPushButton("New campaign from this plan")
        begin.setObjectName("act")
        begin.clicked.connect(self.begin)
        row.addWidget(begin)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        return frame

    def _head(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        self.which = narrow(Choice())
        self.which.setAccessibleName("Campaign")
        self.which.activated.connect(lambda n: self.desk.lay_campaign(int(self.which.itemData(n))))
        row.addWidget(self.which, 1)
        self.told = note("")
        self.told.setWordWrap(False)
        row.addWidget(self.told)
        new = QPushButton("New from this plan")
        new.clicked.connect(self.begin)
        row.addWidget(new)
        column.addLayout(row)
        self.line = LineField(self.desk, "campaign")
        column.addWidget(self.line)
        return frame

    def _matrix(self) -> QWidget:
        frame, column = sheet("Trials done", margins=8)
        self.table = Table(
            list(_HEAD), "Trials done of each build at each voltage", 1, left=(1, 2, 3)
        )
        column.addWidget(self.table, 1)
        self.order = note("")
        column.addWidget(self.order)
        return frame

    def _reference(self) -> QWidget:
        frame, column = sheet(margins=6)
        self.drift = heading("Reference")
        column.addWidget(self.drift)
        self.chart = Chart("block", "points", name="Efficiency of the reference over the blocks")
        self.chart.axes["left"].setWidth(48)
        self.chart.rows = self._rows
        self._items: list[Any] = []
        column.addWidget(self.chart, 1)
        return frame

    def _make_beside(self) -> None:
        """The fields, made with the first campaign: a form needs a record."""
        frame, column = sheet(margins=8)
        frame.setFixedWidth(_BESIDE)
        inner = QWidget()
        inner.setObjectName("plain")
        parts = QVBoxLayout(inner)
        parts.setContentsMargins(0, 0, 4, 0)
        parts.addWidget(heading("Builds"))
        self.builds = QListWidget()
        self.builds.setAccessibleName("Builds of the campaign")
        self.builds.itemChanged.connect(self._builds_ticked)
        parts.addWidget(self.builds, 1)
        parts.addWidget(heading("Set-up"))
        self.form = Form(
            self.desk,
            "campaign",
            [
                ("Name", ("name",)),
                ("Blocks", ("blocks",)),
                ("Order", ("order",)),
                ("Seed", ("seed",)),
            ],
        )
        parts.addWidget(self.form)
        self.reference = narrow(Choice())
        self.reference.setAccessibleName("Reference build")
        self.reference.activated.connect(self._reference_chosen)
        parts.addWidget(note("Reference, tried once more in each block:"))
        parts.addWidget(self.reference)
        area = Column()
        area.setWidget(inner)
        column.addWidget(area, 1)
        self.go = QPushButton()
        self.go.setObjectName("act")
        self.go.setMinimumHeight(56)
        self.go.clicked.connect(self.start)
        column.addWidget(self.go)
        self.beside = frame
        self._beside_at.addWidget(frame)

    # --- what is shown ----------------------------------------------------------------------------

    def refresh(self) -> None:
        """Brings it in step with the desk."""
        d = self.desk
        self.either.setCurrentIndex(1 if d.campaign is not None else 0)
        if d.campaign is None or d.book is None:
            return
        if self.beside is None:
            self._make_beside()
        c, made = d.campaign, d.made()
        self.which.clear()
        for key, other in d.book.campaigns():
            self.which.addItem(other.name, key)
        self.which.setCurrentIndex(self.which.findData(d.campaign_id))
        trial = d.trial()
        columns = c.columns
        if self.table.columnCount() != len(_HEAD) + len(columns):
            self.table.setColumnCount(len(_HEAD) + len(columns))
        self.table.head([*_HEAD, *columns])
        known = {b.name: factors(b) for _, b in d.book.builds()}
        gone = ("not in the logbook", "", "")
        self.table.fill(
            [
                [b, *known.get(b, gone), *(self._cell(c, (b, v), made, trial) for v in columns)]
                for b in c.builds
            ]
        )
        for row, build in enumerate(c.builds):
            for n, column in enumerate(columns, start=len(_HEAD)):
                whole_cell = done(c, (build, column), made) >= c.needed((build, column))
                here = trial is not None and trial.cell == (build, column)
                item = self.table.item(row, n)
                if item is not None:
                    tone = "brass" if here else "reseda"
                    item.setBackground(theme.colour(tone, 90 if here else 50 if whole_cell else 0))
        order = trials(c)
        whole = {cell: done(c, cell, made) for cell in dict.fromkeys(t.cell for t in order)}
        ready = sum(t.number <= whole[t.cell] for t in order)
        self.told.setText(f"{ready} of {len(order)} trials")
        block = f"Block {trial.block} of {c.blocks}" if trial is not None else "All blocks done"
        ahead = [t for t in order if t.number > whole[t.cell]][:4]
        names = [f"{t.cell[0]} {t.cell[1]}" + (" (reference)" * t.reference) for t in ahead]
        self.order.setText(f"{block}, {c.order} (seed {c.seed}). Next: {'; '.join(names) or '–'}.")
        self.go.setText(
            f"Next: {trial.cell[0]}\n{trial.cell[1]} (Space)" if trial is not None else "All done"
        )
        self.go.setEnabled(trial is not None)
        self._fill_builds(c)
        self._follow_reference(c)

    def _cell(self, c: Campaign, cell: Cell, made: Any, trial: Any) -> str:
        n, needed = done(c, cell, made), c.needed(cell)
        if trial is not None and trial.cell == cell:
            return f"▸ {n}/{needed}"
        return "✓" if n >= needed else f"{n}/{needed}" if n else "–"

    def _fill_builds(self, c: Campaign) -> None:
        d = self.desk
        assert d.book is not None
        self.builds.blockSignals(True)
        self.builds.clear()
        held = {t.build for t in c.tests}
        for _, build in d.book.builds():
            item = QListWidgetItem(build.name)
            item.setToolTip(f"{build.title}, {build.lubricant}")
            ticked = build.name in c.builds
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            if build.name in held:  # its runs stay with the campaign
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsUserCheckable)
            self.builds.addItem(item)
        self.builds.blockSignals(False)
        self.reference.clear()
        self.reference.addItem("none", "")
        for name in c.builds:
            self.reference.addItem(name, name)
        self.reference.setCurrentIndex(max(0, self.reference.findData(c.reference)))

    # --- the reference ----------------------------------------------------------------------------

    def _follow_reference(self, c: Campaign) -> None:
        """Derives the reference's test off the window's thread, when its runs have changed."""
        d = self.desk
        test = c.test_of(c.reference) if c.reference else None
        runs = sum(d.made().get(c.reference, {}).values())
        wanted = (d.book, d.campaign_id, test, runs, c.blocks, c.reference)
        if wanted == self._known:
            return
        self._known = wanted
        if test is None or d.book is None:
            self._draw(None, "No reference" if not c.reference else "No reference trial yet")
            return
        book = d.book

        def found(result: TestResult) -> None:
            if wanted == self._known:
                self._draw(reference_of(c, result), "Reference")

        background.run(lambda: derive(book, test), found, lambda err: self._draw(None, str(err)))

    def _draw(self, chart: Control | None, title: str) -> None:
        self.chart_of = chart
        for item in self._items:
            self.chart.remove(item)
        self._items.clear()
        self.chart.setVisible(chart is not None)
        if chart is None:
            self.drift.setText(f"{title}: three of them show whether it drifts.")
            return
        self.drift.setText(f"Reference: {_in_words(chart)}")
        x = np.arange(1, len(chart.values) + 1)
        y, limit = 100 * chart.values, 100 * chart.limit
        for level, style in (
            (0.0, Qt.PenStyle.SolidLine),
            (limit, Qt.PenStyle.DashLine),
            (-limit, Qt.PenStyle.DashLine),
        ):
            line = pg.InfiniteLine(level, angle=0, movable=False, pen=pen("ink-2", 1, style))
            self.chart.add(line)
            self._items.append(line)
        out = [n in chart.outside for n in range(len(x))]
        points = pg.ScatterPlotItem(
            x,
            y,
            symbol=["x" if o else "o" for o in out],
            size=10,
            pen=pen("deep", 1.5),
            brush=[pg.mkBrush(theme.colour("vermilion" if o else "deep")) for o in out],
        )
        self.chart.add(points)
        self._items.append(points)
        room = 1.3 * max(limit, float(np.abs(y).max()), 1e-3)
        self.chart.axes["bottom"].setTicks([[(float(n), f"{n}") for n in x]])
        self.chart.box.setRange(xRange=(0.5, len(x) + 0.5), yRange=(-room, room), padding=0)

    def _rows(self) -> tuple[list[str], list[list[float]]]:
        c = self.chart_of
        values = [] if c is None else [[n + 1.0, 100 * float(v)] for n, v in enumerate(c.values)]
        return ["block", "points from the mean"], values

    # --- what is asked ----------------------------------------------------------------------------

    def begin(self) -> None:
        """A new campaign: the build in hand and its family, and the plan of this test."""
        d = self.desk
        if d.book is None:
            d.said.emit("The logbook is still opening.")
            return
        family = [b.name for _, b in d.book.builds() if b.family == d.build.family]
        taken = {c.name for _, c in d.book.campaigns()}
        name = next(n for k in range(1, 1000) if (n := f"Campaign {k}") not in taken)
        steps = tuple(s.model_copy(update={"repeats": 1}) for s in d.plan.steps if s.counted)
        plan = d.plan.model_copy(update={"steps": steps, "question": "", "reasons": ()})
        if not steps:
            d.said.emit("The plan measures nothing; lay out steps with a voltage first.")
            return
        d.begin_campaign(
            Campaign(name=name, builds=tuple(family), plan=plan, reference=d.build.name)
        )

    def _builds_ticked(self) -> None:
        names = [
            item.text()
            for n in range(self.builds.count())
            if (item := self.builds.item(n)) is not None
            and item.checkState() == Qt.CheckState.Checked
        ]
        c = self.desk.campaign
        assert c is not None
        reference = c.reference if c.reference in names else ""
        changed = c.model_copy(update={"builds": tuple(names), "reference": reference})
        self._edit((), changed, "builds of the campaign")

    def _reference_chosen(self, n: int) -> None:
        self._edit(("reference",), str(self.reference.itemData(n)), "reference of the campaign")

    def _edit(self, path: tuple[str, ...], value: Any, text: str) -> None:
        if reason := self.desk.edit("campaign", path, value, text):
            self.desk.said.emit(reason.removeprefix("the whole record: "))
            self.refresh()

    def start(self) -> None:
        """Space: lays the next trial on the desk, and goes to Run."""
        trial = self.desk.trial()
        if trial is None:
            self.desk.said.emit("All trials of this campaign are done.")
            return
        self.desk.lay_trial(trial)
        self.context.show("run")


def _in_words(chart: Control) -> str:
    """`no drift (0.3 ± 0.5 points a day)`."""
    outside = f"{len(chart.outside)} outside the limits; " if chart.outside else ""
    if chart.drift is None:
        told = "too few days for a drift" if not chart.outside else "look at what changed"
        return outside + told
    slope, u = (100 * v for v in chart.drift)
    word = "drift" if abs(slope) > 2 * u else "no drift"
    return f"{outside}{word} ({slope:.1f} ± {2 * u:.1f} points a day)"
