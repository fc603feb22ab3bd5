"""Results: efficiency and speed over output torque, measured over predicted; stall; budget; a click
opens the recording.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from sparring.core import predict
from sparring.core.characterise.base import Part
from sparring.core.methods import Generator
from sparring.core.recording import Recording
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, budget, nominal
from sparring.ui.model import background
from sparring.ui.model.insight import Insight
from sparring.ui.page import Context, ShownFlow, View
from sparring.ui.pages.results.budget_view import BudgetView
from sparring.ui.pages.results.figure_table import FigureTable
from sparring.ui.pages.results.kinds import KINDS
from sparring.ui.pages.results.kinds.base import Kind
from sparring.ui.pages.results.recording_view import RecordingView
from sparring.ui.pages.results.sheet_table import SheetTable
from sparring.ui.theme import theme
from sparring.ui.widgets.leave_out import ask_why
from sparring.ui.widgets.measured import MeasuredList
from sparring.ui.widgets.parts import Table, note, sheet

_COLUMNS = (
    ("torque", "torque", "torque"),
    ("speed", "speed", "speed"),
    ("power in", "power_in", "power"),
    ("power out", "power_out", "power"),
    ("wire to shaft", "wire_to_shaft", "ratio"),
    ("gearbox", "gearbox", "ratio"),
    ("load", "load_voltage", "voltage"),
    ("predicted", "", "voltage"),
    ("at the load", "load_power", "power"),
    ("to the load", "input_to_load", "ratio"),
    ("motors' shares", "shares", "ratio"),
)
"""Of the table of points: heading, figure of a step ("": the volts that a generator's constant
predicts), its kind."""
_SHARES = len(_COLUMNS) - 1  # a figure for each motor
# columns of the power at the output and the wires' efficiency; from which on a generator's are
_OUT, _WIRE, _AT_LOAD = 5, 6, 8


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
        column.addWidget(self._kinds(), 1)
        column.addWidget(self._below())
        self.either.addWidget(full)
        self.either.addWidget(self._nothing())
        self.insight = Insight(desk)
        self.insight.changed.connect(self._draw)
        for signal in (desk.result_changed, desk.units_changed, theme.changed):
            signal.connect(self.refresh)
        desk.selection_changed.connect(self._select)
        self._behind = True
        self.refresh()

    def _kinds(self) -> QWidget:
        """One large chart, and the row of its kinds; each is made when it is first wanted."""
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.row = QTabBar()
        self.row.setDrawBase(False)
        self.row.setExpanding(False)
        self.row.setUsesScrollButtons(False)
        self.row.setAccessibleName("Chart")
        self.charts = QStackedWidget()
        self._made: dict[str, Kind] = {}
        for kind in KINDS:
            self.row.addTab(kind.NAME)
            self.charts.addWidget(QWidget())
        self.row.currentChanged.connect(lambda _n: self._draw())
        self.controls = QStackedWidget()  # the choices of the kind that is shown
        line = QHBoxLayout()
        line.addWidget(self.row)
        line.addWidget(self.controls, 1)
        column.addLayout(line)
        column.addWidget(self.charts, 1)
        return whole

    def kind(self, id: str = "") -> Kind:
        """A kind of chart by its id; the one that is shown."""
        n = next((n for n, k in enumerate(KINDS) if id == k.ID), self.row.currentIndex())
        made = self._made.get(KINDS[n].ID)
        if made is None:
            made = self._made[KINDS[n].ID] = KINDS[n](self.desk)
            made.picked.connect(self._picked)
            self.controls.addWidget(made.controls)
            old = self.charts.widget(n)
            self.charts.insertWidget(n, made)
            if old is not None:
                self.charts.removeWidget(old)
                old.deleteLater()
        return made

    def turn(self, by: int) -> None:
        """Shows the next kind of chart, or the one before."""
        self.row.setCurrentIndex((self.row.currentIndex() + by) % self.row.count())

    def show_kind(self, id: str) -> None:
        self.row.setCurrentIndex(next(n for n, k in enumerate(KINDS) if id == k.ID))

    def _draw(self) -> None:
        """Draws what is worked out in the chart that is shown."""
        shown = self.kind()
        self.charts.setCurrentWidget(shown)
        self.controls.setCurrentWidget(shown.controls)
        found = self.insight.found
        if found is None or found.result is not self.desk.result:
            return
        if found.complete:
            self.figures.put(found)
            self._offer(5, found.model is not None)
        if found.complete or shown.AT_ONCE:
            shown.put(found)
        else:
            shown.nothing(self.insight.failed or "It is being worked out.")

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
        heads = [head for head, _, _ in _COLUMNS]
        self.table = Table(["weight", "runs", *heads], "Points", 2)
        self.table.itemSelectionChanged.connect(self._row_chosen)
        self.recording, self.budget = RecordingView(self.desk), BudgetView()
        was = ["when", "of", "what", "was", "is"]
        self.corrected = Table(was, "Corrected after the runs", 5, left=(1, 2, 3, 4))
        self.sheet = SheetTable(self.desk)
        self.figures = FigureTable(self.desk)
        parts: tuple[Part, ...] = ("build",)
        self.measured = MeasuredList(self.desk, parts, self.context.measure)
        self.panes = QStackedWidget()
        for name, pane in (
            ("Points", self.table),
            ("Recording", self.recording),
            ("Uncertainty", self.budget),
            ("Corrections", self.corrected),
            ("Data sheet", self.sheet),
            ("Key figures", self.figures),
            ("Measured", self.measured),
        ):
            self.tabs.addTab(name)
            self.panes.addWidget(pane)
        for n in (3, 4, 5):  # until there is something in them: their room is the neighbours'
            self.tabs.setTabVisible(n, False)
        self.tabs.currentChanged.connect(self.panes.setCurrentIndex)
        below.addWidget(self.panes, 1)
        self.summary = note("")
        below.addWidget(self.summary)
        frame.setFixedHeight(206)
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

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._behind:
            self.refresh()

    def refresh(self) -> None:
        """Brings everything in step with the desk; while it can be seen."""
        result = self.desk.result
        self.either.setCurrentIndex(0 if result is not None and result.steps else 1)
        self._behind = not self.isVisible()
        if self._behind:
            return
        if result is None or not result.steps:
            for kind in self._made.values():
                kind.clear()
            self.insight.refresh()
            return
        self.insight.refresh()
        self._table()
        self._offer(4, self.sheet.refresh())
        self._select()

    def _offer(self, tab: int, there: bool) -> None:
        """Shows or hides a tab below the chart; one that comes needs its room."""
        self.tabs.setTabVisible(tab, there)
        self.tabs.setMinimumWidth(self.tabs.sizeHint().width())

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
            figures = [
                d.show(getattr(s, n) if n else self._predicted(s), kind, with_unit=False)
                for _, n, kind in _COLUMNS[:_SHARES]
            ]
            figures.append(" / ".join(d.show(x, "ratio", with_unit=False) for x in s.shares))
            rows.append([self._weight((*s.points, *s.stalls)[0]), " + ".join(lifts), *figures])
        self.table.blockSignals(True)
        generates = isinstance(d.rig.method, Generator)
        self.table.setColumnHidden(_OUT, generates)  # what arrives at the load stands for it
        self.table.setColumnHidden(_WIRE, not d.build.has_motor)
        for column in range(_AT_LOAD, 2 + _SHARES):
            self.table.setColumnHidden(column, not generates)
        self.table.setColumnHidden(2 + _SHARES, not any(s.shares for s in result.steps))
        self.table.fill(rows)
        self.table.blockSignals(False)
        text = "; ".join([*self._corrections(), *self._in_words(result)])
        text = text[:1].upper() + text[1:]
        self.summary.setText(f"{text}. All ± are 95 % half-widths (k = 2). Grey: predicted.")

    def _predicted(self, step: Step) -> Uncertain:
        """Volts at the load by the generator's constant and the speed as measured."""
        run = (*step.points, *step.stalls)[0].run
        method, plan = self.desk.rig.method, self.desk.todo.step(run.step)
        if not isinstance(method, Generator) or step.speed is None or plan is None:
            return None
        return method.load_voltage(nominal(step.speed), plan.resistor)

    def _in_words(self, result: TestResult) -> Iterator[str]:
        """Stall, losses, and what was left out; of several voltages the main one's stall."""
        show, stall = self.desk.show, result.stall
        of = f"At {result.voltage:.3g} V: stall" if len(result.levels) > 1 else "Stall"
        if stall.held is not None:
            yield f"{of} torque, measured, {show(stall.held, 'torque')}"
        if stall.by_line is not None:
            yield f"{of} from the speed line {show(stall.by_line, 'torque')}"
        if stall.lifted is not None and stall.not_lifted is not None:
            between = [show(nominal(t), "torque") for t in (stall.lifted, stall.not_lifted)]
            yield f"from loads between {' and '.join(between)}"
        if result.build.has_motor:
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
        self._offer(3, bool(made))
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
        if not self.isVisible():
            self._behind = True
            return
        result, step = self.desk.result, self.desk.step
        self.kind().select()
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
        """`step.2`: chooses the third step; `orders`: the kind of chart of that name."""
        if path and path[0] in {k.ID for k in KINDS}:
            self.show_kind(path[0])
            return
        if path[:1] == ("step",) or path[:1] == ["step"]:
            self.desk.select(int(path[1]), 0)
            self.tabs.setCurrentIndex(0)

    def flow(self) -> ShownFlow | None:
        d, result = self.desk, self.desk.result
        if result is None:
            return None
        chosen = d.step is not None and d.step < len(result.steps)
        step = result.steps[d.step] if chosen and d.step is not None else result.best
        if step is None or not step.lifted or step.power_in is None:
            return None
        source = (step.voltage, step.current)
        if not d.build.has_motor:
            source = (step.motor_power / step.motor_torque, step.motor_torque)
        if None in source:
            return None
        flow = predict.measured_flow(
            d.build,
            nominal(source[0]),
            nominal(source[1]),
            power_in=nominal(step.power_in),
            output_speed=nominal(step.speed),
            load=nominal(step.torque),
        )
        whole = step.wire_to_shaft if d.build.has_motor else step.gearbox
        head, _, tail = d.show(whole, "ratio", decimals=None).partition(" ± ")
        wire = (
            f"{head} %" if tail else head,
            f"± {tail}, k = 2" if tail else "",
            f"gearbox {d.show(step.gearbox, 'ratio')}",
        )
        lines = (d.run_name(step.points[0].run), d.dimension())
        return ShownFlow(flow, "measured", lines, wire)
