"""Plan: a line, the ladder on the predicted curves, the steps, what to hang and to have ready."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from sparring.core import predict
from sparring.core.outlook.questions import QUESTIONS, Ask, ask
from sparring.core.records import in_words
from sparring.ui.page import Context, ShownFlow, View
from sparring.ui.pages.plan.before import BeforePower
from sparring.ui.pages.plan.campaign import CampaignPanel
from sparring.ui.pages.plan.chart import PlanChart
from sparring.ui.pages.plan.figures import Figures
from sparring.ui.pages.plan.line_field import LineField
from sparring.ui.pages.plan.repeats import Repeats
from sparring.ui.pages.plan.steps import Steps, buttons
from sparring.ui.pages.plan.weights import Weights
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.focus import press
from sparring.ui.widgets.form import Form, narrow
from sparring.ui.widgets.parts import Column, heading, note, sheet

_ORDERS = ("as listed", "shuffled", "bisection")
_BESIDE = 216  # [px] of the column at the right


class PlanPage(View):
    """Lays out the desk's plan."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        d = self.desk
        self._seen: tuple[tuple[Any, ...], tuple[Any, ...]] = ((None,), ())
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        self.kinds = QTabBar()
        self.kinds.setUsesScrollButtons(False)
        self.kinds.setDrawBase(False)
        self.kinds.setExpanding(False)
        self.kinds.setAccessibleName("Plan of")
        for name in ("This test", "Campaign"):
            self.kinds.addTab(name)
        whole.addWidget(self.kinds)
        self.either = QStackedWidget()
        whole.addWidget(self.either, 1)
        self.kinds.currentChanged.connect(self._kind)
        of_test = QWidget()
        self.either.addWidget(of_test)
        self.campaign = CampaignPanel(context)
        self.either.addWidget(self.campaign)
        page = QHBoxLayout(of_test)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        left = QVBoxLayout()
        left.setSpacing(8)
        page.addLayout(left, 1)
        left.addWidget(self._head())
        chart, column = sheet(margins=6)
        self.chart = PlanChart(d)
        self.chart.picked.connect(self._picked)
        column.addWidget(self.chart)
        left.addWidget(chart, 1)
        left.addWidget(self._below(), 1)
        page.addWidget(self._beside())
        for signal in (
            d.plan_changed,
            d.build_changed,
            d.rig_changed,
            d.result_changed,
            d.lists_changed,
            d.campaign_changed,
            d.units_changed,
            theme.changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    # --- parts ------------------------------------------------------------------------------------

    def _head(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        self.question = narrow(Choice())
        self.question.setMinimumContentsLength(26)
        self.question.setAccessibleName("Question")
        self.question.addItem("Your own plan, or a question …", "")
        for q in QUESTIONS.values():
            self.question.addItem(q.words, q.id)
        self.question.activated.connect(self._ask)
        row.addWidget(self.question, 1)
        self.order = Choice()
        self.order.setAccessibleName("Order of the steps")
        self.order.addItems([in_words(o) for o in _ORDERS])
        self.order.activated.connect(self._order)
        row.addWidget(self.order)
        self.time = note("")
        self.time.setWordWrap(False)
        row.addWidget(self.time)
        column.addLayout(row)
        self.line = LineField(self.desk)
        self.line.laid.connect(self._laid)
        column.addWidget(self.line)
        return frame

    def _below(self) -> QWidget:
        frame, column = sheet(margins=6)
        row = QHBoxLayout()
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Below the chart")
        row.addWidget(self.tabs)
        row.addStretch(1)
        column.addLayout(row)
        self.panes = QStackedWidget()
        self.steps, self.figures = Steps(self.desk), Figures(self.desk)
        self.steps.chosen.connect(self._chosen)
        row.addLayout(buttons(self.steps))
        self.reasons = note("")
        self.times = Form(
            self.desk,
            "plan",
            [
                ("Settling time", ("settle",)),
                ("Measuring time, at least", ("measure",)),
                ("Runs advance", ("advance",)),
            ],
        )
        why = QWidget()
        lines = QVBoxLayout(why)
        lines.setContentsMargins(4, 4, 4, 4)
        lines.addWidget(self.reasons)
        lines.addWidget(self.times)
        lines.addStretch(1)
        for name, pane in (("Steps", self.steps), ("Drive", self.figures), ("Reasons, times", why)):
            self.tabs.addTab(name)
            self.panes.addWidget(pane)
        self.tabs.currentChanged.connect(self.panes.setCurrentIndex)
        column.addWidget(self.panes, 1)
        return frame

    def _beside(self) -> QWidget:
        frame, column = sheet(margins=8)
        frame.setMinimumWidth(_BESIDE)
        frame.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        inner = QWidget()
        inner.setObjectName("plain")
        parts = QVBoxLayout(inner)
        parts.setContentsMargins(0, 0, 4, 0)
        self.weights = Weights(self.context)
        self.weights_title = heading("Weights from the shelf")
        self.before, self.repeats = BeforePower(self.desk), Repeats(self.desk)
        for title, part in (
            (self.weights_title, self.weights),
            (heading("Before power"), self.before),
            (heading("Enough repeats?"), self.repeats),
        ):
            parts.addWidget(title)
            parts.addWidget(part)
            parts.addSpacing(6)
        parts.addStretch(1)
        area = Column()
        area.setWidget(inner)
        column.addWidget(area, 1)
        self.go = QPushButton("Start: Run (Space)")
        self.go.setObjectName("act")
        self.go.setMinimumHeight(40)
        self.go.clicked.connect(lambda: self.context.show("run"))
        column.addWidget(self.go)
        return frame

    # --- what is shown ----------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.refresh()

    def refresh(self) -> None:
        """Brings everything in step with the desk; while it can be seen."""
        if not self.isVisible():
            return
        d = self.desk
        if self.kinds.currentIndex() == 1:
            self.campaign.refresh()
            return
        # one edit is told by several signals
        seen = (d.todo, d.outlook(), d.result, d.rig, self.steps.step, self.weights.hung)
        more = (tuple(d.units.items()), theme.dark)
        if self._seen[1] == more and all(a is b for a, b in zip(self._seen[0], seen, strict=False)):
            return
        self._seen = seen, more
        plan, out = d.plan, d.outlook()
        next_step = out.due[0].lift.step if out.due else None
        self.steps.refresh(next_step)
        self.chart.put(next_step, self.steps.step)
        self.weights.refresh(self.steps.step)
        self.weights_title.setVisible(self.weights.isVisibleTo(self))
        self.before.refresh()
        self.repeats.refresh()
        self.figures.refresh()
        self.order.setCurrentIndex(_ORDERS.index(plan.order))
        self.question.setCurrentIndex(max(0, self.question.findData(plan.question)))
        self.reasons.setText(
            "\n".join(plan.reasons)
            or "This plan was laid out by hand. A question gives one with the reasons for it."
        )
        runs = len(out.due)
        cools = f", {out.cooling / 60:.0f} cooling" if out.cooling >= 60 else ""
        self.time.setText(
            f"{runs} run{'s' * (runs != 1)} left, {max(out.seconds / 60, 1):.0f} min{cools}"
            if runs
            else "all runs are made"
        )
        self.flow_changed.emit()

    def _picked(self, id: int) -> None:
        """A step was clicked in the chart: keys are for it now."""
        self.steps.choose(id)
        self.steps.table.setFocus()

    def _chosen(self, id: int) -> None:
        out = self.desk.outlook()
        self.chart.put(out.due[0].lift.step if out.due else None, id)
        self.weights.refresh(id)
        self.flow_changed.emit()

    def flow(self) -> ShownFlow | None:
        d = self.desk
        row = d.outlook().rows.get(self.steps.step) if self.steps.step is not None else None
        if row is None or not row.voltage:
            return None
        flow = predict.power_flow(d.build, row.torque, row.voltage)
        wire = d.show(flow.wire_to_shaft, "ratio", decimals=1)
        gearbox = f"gearbox {d.show(flow.gearbox, 'ratio', decimals=1)}"
        return ShownFlow(
            flow, "predicted", (d.step_name(row.step), d.dimension()), (wire, "", gearbox)
        )

    # --- what is asked ----------------------------------------------------------------------------

    def _ask(self, n: int) -> None:
        id = self.question.itemData(n)
        d = self.desk
        if not id:
            self.line.setFocus()
            return
        about = Ask(d.build, d.rig, spread=self.repeats.measured(), seed=d.plan.seed or 1)
        try:
            made = ask(id, about)
        except ValueError as err:
            d.said.emit(str(err))
            self.refresh()
            return
        fields = {"order": made.order, "seed": made.seed}
        reason = d.lay_steps(
            made.steps, "plan", question=made.question, reasons=made.reasons, **fields
        )
        if reason:
            d.said.emit(reason)
        self.tabs.setCurrentIndex(0)
        self._laid()

    def _laid(self) -> None:
        """A plan was laid out anew: its first step is looked at."""
        self.steps.step = None
        self._seen = ((None,), ())
        self.refresh()

    def _order(self, n: int) -> None:
        if reason := self.desk.edit("plan", ("order",), _ORDERS[n], "order"):
            self.desk.said.emit(reason)
            self.refresh()

    def _kind(self, n: int) -> None:
        self.either.setCurrentIndex(n)
        self.refresh()

    def show_campaign(self) -> None:
        """Ctrl+K: the campaign, or this test's plan again."""
        self.kinds.setCurrentIndex(1 - self.kinds.currentIndex())

    def start(self) -> None:
        """Space: goes to Run, where the next step waits; of a campaign, with its next trial. A part
        that has the keyboard and takes a Space goes first.
        """
        if press(self):
            return
        if self.kinds.currentIndex() == 1:
            self.campaign.start()
            return
        self.context.show("run")

    def show_place(self, path: Sequence[str]) -> None:
        """`steps`, `weights`, `settle`, `measure`, `advance`, `order`, `line`."""
        name = path[0] if path else "line"
        self.kinds.setCurrentIndex(1 if name == "campaign" else 0)
        if name in ("settle", "measure", "advance"):
            self.tabs.setCurrentIndex(2)
            self.times.fields[name,].setFocus()
        elif name == "steps":
            self.tabs.setCurrentIndex(0)
            self.steps.table.setFocus()
        elif name == "weights":
            self.weights.take.setFocus()
        elif name == "order":
            self.order.setFocus()
        else:
            self.line.setFocus()
