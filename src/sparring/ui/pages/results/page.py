"""Results: efficiency and speed over output torque, measured over predicted; stall; budget; a click
opens the recording.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from sparring.core import predict
from sparring.core.recording import Recording
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import budget, nominal
from sparring.ui.model import background
from sparring.ui.page import Context, ShownFlow, View
from sparring.ui.pages.results.budget_view import BudgetView
from sparring.ui.pages.results.charts import Charts
from sparring.ui.pages.results.recording_view import RecordingView
from sparring.ui.pages.results.sheet_table import SheetTable
from sparring.ui.theme import theme
from sparring.ui.widgets.leave_out import ask_why
from sparring.ui.widgets.parts import Table, note, sheet

_COLUMNS = (
    ("torque", "torque", "torque"),
    ("speed", "speed", "speed"),
    ("power in", "power_in", "power"),
    ("power out", "power_out", "power"),
    ("wire to shaft", "wire_to_shaft", "ratio"),
    ("gearbox", "gearbox", "ratio"),
)
"""Of the table of points: heading, figure of a step, its kind."""


class ResultsPage(View):
    """Shows the desk's result; chooses steps and lifts."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk = context.desk
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        self.either = QStackedWidget()
        page.addWidget(self.either)
        full = QWidget()
        column = QVBoxLayout(full)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.charts = Charts(desk)
        self.charts.picked.connect(self._picked)
        column.addWidget(self.charts, 1)
        column.addWidget(self._below())
        self.either.addWidget(full)
        self.either.addWidget(self._nothing())
        for signal in (desk.result_changed, desk.units_changed, theme.changed):
            signal.connect(self.refresh)
        desk.selection_changed.connect(self._select)
        self.refresh()

    def _below(self) -> QWidget:
        """Points, recording, uncertainty and corrections, one at a time."""
        frame, below = sheet(margins=6)
        row = QHBoxLayout()
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)  # they take room from the texts
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Below the charts")
        row.addWidget(self.tabs)
        row.addStretch(1)
        self.broke = QPushButton("Part broke in this run …")
        self.strike = QPushButton("Exclude this run …")
        self.broke.clicked.connect(self._broke)
        self.strike.clicked.connect(self._strike)
        row.addWidget(self.broke)
        row.addWidget(self.strike)
        below.addLayout(row)
        self.table = Table(["weight", "runs", *(head for head, _, _ in _COLUMNS)], "Points", 8)
        self.table.itemSelectionChanged.connect(self._row_chosen)
        self.recording, self.budget = RecordingView(self.desk), BudgetView()
        was = ["when", "of", "what", "was", "is"]
        self.corrected = Table(was, "Corrected after the runs", 5, left=(1, 2, 3, 4))
        self.sheet = SheetTable(self.desk)
        self.panes = QStackedWidget()
        for name, pane in (
            ("Points", self.table),
            ("Recording", self.recording),
            ("Uncertainty", self.budget),
            ("Corrections", self.corrected),
            ("Data sheet", self.sheet),
        ):
            self.tabs.addTab(name)
            self.panes.addWidget(pane)
        self.tabs.currentChanged.connect(self.panes.setCurrentIndex)
        below.addWidget(self.panes, 1)
        self.summary = note("")
        below.addWidget(self.summary)
        frame.setFixedHeight(234)
        return frame

    def _nothing(self) -> QWidget:
        """What stands here before there is a result."""
        nothing, column = sheet("No results yet", margins=24)
        column.addWidget(
            note(
                "This page shows efficiency and speed over output torque with their "
                "uncertainty, the stall torque and the findings, from runs on the bench or "
                "from the log of another logger."
            )
        )
        row = QHBoxLayout()
        run, bring = QPushButton("Go to Run"), QPushButton("Import a log …")
        run.setObjectName("act")
        run.clicked.connect(lambda: self.context.show("run"))
        bring.clicked.connect(lambda: self.context.do("logbook.import"))
        row.addWidget(run)
        row.addWidget(bring)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        return nothing

    def refresh(self) -> None:
        result = self.desk.result
        self.either.setCurrentIndex(0 if result is not None and result.steps else 1)
        if result is None or not result.steps:
            self.charts.clear()
            return
        self.charts.put(result)
        self._table()
        self.tabs.setTabVisible(4, self.sheet.refresh())
        self.tabs.setMinimumWidth(self.tabs.sizeHint().width())  # a tab that came needs its room
        self._select()

    def _picked(self, step: int, lift: int) -> None:
        self.tabs.setCurrentIndex(1)
        self.desk.select(step, lift)

    # --- table, recording, budget -----------------------------------------------------------------

    def _table(self) -> None:
        d, result = self.desk, self.desk.result
        assert result is not None
        heads = [f"{head}, {d.units[kind]}" for head, _, kind in _COLUMNS]
        step = (d.rig.method.STEP or ("" if d.rig.method.HELD else "part")).split(" on ")[0]
        self.table.head([step, "runs", *heads])
        rows = []
        for s in result.steps:
            lifts = [str(len(s.points))] * bool(s.points)
            lifts += [f"{len(s.stalls)} stalled"] * bool(s.stalls)
            figures = [d.show(getattr(s, n), kind, with_unit=False) for _, n, kind in _COLUMNS]
            rows.append([self._weight((*s.points, *s.stalls)[0]), " + ".join(lifts), *figures])
        self.table.blockSignals(True)
        self.table.fill(rows)
        self.table.blockSignals(False)
        text = "; ".join([*self._corrections(), *self._in_words(result)])
        self.summary.setText(f"{text}. All ± are 95 % half-widths (k = 2). Grey: predicted.")

    def _in_words(self, result: TestResult) -> Iterator[str]:
        """Stall, losses, and what was left out; of several voltages the main one's stall."""
        show, stall = self.desk.show, result.stall
        if len(result.levels) > 1:
            yield f"At {result.voltage:.3g} V"
        if stall.held is not None:
            yield f"Stall torque, measured, {show(stall.held, 'torque')}"
        if stall.by_line is not None:
            yield f"Stall from the speed line {show(stall.by_line, 'torque')}"
        if stall.lifted is not None and stall.not_lifted is not None:
            between = [show(nominal(t), "torque") for t in (stall.lifted, stall.not_lifted)]
            yield f"from loads between {' and '.join(between)}"
        predicted = predict.stall_torque(result.build, result.voltage)
        yield f"predicted {show(predicted, 'torque')}"
        if result.losses is not None:
            constant = show(result.losses.constant, "torque")
            part = show(result.losses.proportional, "ratio")
            alone = result.losses.viscous is not None
            told = "constant" if alone else "constant or speed-dependent"
            yield f"gearbox loss {constant} {told} + {part} of the load"
        if result.skipped:
            yield f"{len(result.skipped)} runs not reduced: {result.skipped[0][1]}"

    def _corrections(self) -> list[str]:
        """Lists what was put right after the runs; for the line below, how much that is."""
        made = self.desk.corrections()
        self.tabs.setTabVisible(3, bool(made))
        self.corrected.fill(
            [[f"{c.at.astimezone():%d %b %H:%M}", c.name, c.field, c.before, c.after] for c in made]
        )
        return [f"{len(made)} correction{'s' * (len(made) > 1)} since the runs"] if made else []

    def _weight(self, point: Point) -> str:
        return self.desk.run_name(point.run)

    def _row_chosen(self) -> None:
        rows = self.table.selectedItems()
        if rows:
            self.desk.select(rows[0].row(), None)

    def chosen_point(self) -> Point | None:
        result, step = self.desk.result, self.desk.step
        if result is None or step is None or step >= len(result.steps):
            return None
        lifts = (*result.steps[step].points, *result.steps[step].stalls)
        n = self.desk.point or 0
        return lifts[n] if n < len(lifts) else None

    def _select(self) -> None:
        result, step = self.desk.result, self.desk.step
        point = self.chosen_point()
        self.strike.setEnabled(point is not None)
        self.broke.setEnabled(point is not None)
        if result is None or step is None or point is None:
            best = result.best if result else None
            if best is not None:
                self._budget(best)
            return
        self.table.blockSignals(True)
        self.table.selectRow(step)
        self.table.blockSignals(False)
        self._budget(result.steps[step])
        book = self.desk.book
        stored = self._stored(point)
        if book is None or stored is None:
            return
        if not stored.recording:
            self.recording.put_read(point, self._weight(point))
            return
        background.run(
            lambda: book.recording(stored.recording),
            lambda rec: self._opened(rec, point),
            lambda err: self.recording.about.setText(str(err)),
        )

    def _opened(self, rec: Recording, point: Point) -> None:
        if point is self.chosen_point():
            self.recording.put(rec, point, self._weight(point))

    def _stored(self, point: Point) -> Any:
        kept = point.source or point.run
        return next((r for r in self.desk.runs if r.run == kept), None)

    def _budget(self, step: Any) -> None:
        value, name = (
            (step.gearbox, "Gearbox efficiency")
            if step.gearbox is not None
            else (step.wire_to_shaft, "Wire-to-shaft efficiency")
        )
        value, name, kind = (
            (value, name, "ratio") if value is not None else (step.torque, "Torque", "torque")
        )
        self.budget.put(f"{name} {self.desk.show(value, kind)}.", budget(value))

    def _strike(self) -> None:
        point = self.chosen_point()
        stored = self._stored(point) if point else None
        if stored is not None:
            self.asked = ask_why(self.desk, stored, self)

    def _broke(self) -> None:
        from sparring.ui.widgets.break_dialog import ask_break

        point = self.chosen_point()
        stored = self._stored(point) if point else None
        if stored is not None:
            self.asked = ask_break(self.desk, lambda: stored, self)

    def show_place(self, path: Sequence[str]) -> None:
        """`step.2`: chooses the third step."""
        if path[:1] == ("step",) or path[:1] == ["step"]:
            self.desk.select(int(path[1]), 0)
            self.tabs.setCurrentIndex(0)

    def flow(self) -> ShownFlow | None:
        d, result = self.desk, self.desk.result
        if result is None:
            return None
        chosen = d.step is not None and d.step < len(result.steps)
        step = result.steps[d.step] if chosen and d.step is not None else result.best
        if step is None or not step.lifted or step.power_in is None or step.voltage is None:
            return None
        flow = predict.measured_flow(
            d.build,
            nominal(step.voltage),
            nominal(step.current),
            power_in=nominal(step.power_in),
            output_speed=nominal(step.speed),
            load=nominal(step.torque),
        )
        head, _, tail = d.show(step.wire_to_shaft, "ratio", decimals=None).partition(" ± ")
        wire = (
            f"{head} %" if tail else head,
            f"± {tail}, k = 2" if tail else "",
            f"gearbox {d.show(step.gearbox, 'ratio')}",
        )
        lines = (d.run_name(step.points[0].run), d.dimension())
        return ShownFlow(flow, "measured", lines, wire)
