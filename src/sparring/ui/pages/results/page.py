"""Results: efficiency and speed over output torque, measured over predicted; stall; budget; a click
opens the recording.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from sparring.core import predict, quantity
from sparring.core.recording import Recording
from sparring.core.reduce.points import Point
from sparring.core.uncertainty import budget, nominal, std
from sparring.ui.model import background
from sparring.ui.page import Context, ShownFlow, View
from sparring.ui.pages.results.budget_view import BudgetView
from sparring.ui.pages.results.recording_view import RecordingView
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.parts import Table, note, sheet

_SERIES = (
    ("gearbox", "gearbox", "o", Qt.PenStyle.SolidLine, True),
    ("wire_to_shaft", "wire to shaft", "s", Qt.PenStyle.DashLine, False),
)


class ResultsPage(View):
    """Shows the desk's result; chooses steps and lifts."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk = context.desk
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        self.either = QStackedWidget()
        page.addWidget(self.either)
        full = QWidget()
        column = QVBoxLayout(full)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        frame, charts = sheet(margins=6)
        self.efficiency = Chart("", "efficiency, %", name="Efficiency over output torque")
        self.speed = Chart("output torque", "speed", name="Output speed over output torque")
        self.speed.box.setXLink(self.efficiency.box)
        for chart in (self.efficiency, self.speed):
            chart.axes["left"].setWidth(52)
            chart.clicked.connect(lambda x, y, c=chart: self._clicked(c, x, y))
        bottom = self.efficiency.axes["bottom"]
        bottom.setHeight(6)
        bottom.setStyle(showValues=False)
        self.efficiency.setMinimumHeight(150)
        self.speed.setMinimumHeight(110)
        charts.addWidget(self.efficiency, 3)
        charts.addWidget(self.speed, 2)
        column.addWidget(frame, 1)

        frame, below = sheet(margins=6)
        row = QHBoxLayout()
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)  # they take room from the texts
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Below the charts")
        for name in ("Points", "Recording", "Uncertainty", "Corrections"):
            self.tabs.addTab(name)
        row.addWidget(self.tabs)
        row.addStretch(1)
        self.strike = QPushButton("Leave this run out")
        self.strike.clicked.connect(self._strike)
        self.broke = QPushButton("It broke here …")
        self.broke.clicked.connect(self._broke)
        row.addWidget(self.broke)
        row.addWidget(self.strike)
        below.addLayout(row)
        self.panes = QStackedWidget()
        self.table = Table(
            [
                "weight",
                "lifts",
                "torque",
                "speed",
                "power in",
                "power out",
                "wire to shaft",
                "gearbox",
            ],
            "Points",
            8,
        )
        self.table.itemSelectionChanged.connect(self._row_chosen)
        self.panes.addWidget(self.table)
        self.recording = RecordingView(desk)
        self.panes.addWidget(self.recording)
        self.budget = BudgetView()
        self.panes.addWidget(self.budget)
        self.corrected = Table(
            ["when", "of", "what", "was", "is"], "Corrected after the runs", 5, left=(1, 2, 3, 4)
        )
        self.panes.addWidget(self.corrected)
        self.tabs.currentChanged.connect(self.panes.setCurrentIndex)
        below.addWidget(self.panes, 1)
        self.summary = note("")
        below.addWidget(self.summary)
        frame.setFixedHeight(234)
        column.addWidget(frame)
        self.either.addWidget(full)

        nothing, column = sheet("No results yet", margins=24)
        column.addWidget(
            note(
                "Here come efficiency and speed over output torque with their uncertainty, the"
                " stall, and what the numbers mean: from lifts on the bench, or from a log of"
                " another logger."
            )
        )
        row = QHBoxLayout()
        run = QPushButton("Go to Run")
        run.setObjectName("act")
        run.clicked.connect(lambda: context.show("run"))
        bring = QPushButton("Import a log …")
        bring.clicked.connect(lambda: context.do("logbook.import"))
        row.addWidget(run)
        row.addWidget(bring)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        self.either.addWidget(nothing)
        self._items: list[tuple[Chart, Any]] = []
        for signal in (desk.result_changed, desk.units_changed, theme.changed):
            signal.connect(self.refresh)
        desk.selection_changed.connect(self._select)
        self.efficiency.rows = self.speed.rows = self._rows
        self.refresh()

    # --- charts -----------------------------------------------------------------------------------

    def _add(self, chart: Chart, item: Any) -> Any:
        chart.add(item)
        self._items.append((chart, item))
        return item

    def refresh(self) -> None:
        for chart, item in self._items:
            chart.remove(item)
        self._items.clear()
        d, result = self.desk, self.desk.result
        self.either.setCurrentIndex(0 if result is not None and result.steps else 1)
        if result is None or not result.steps:
            return
        torque_unit, speed_unit = d.units["torque"], d.units["speed"]
        kt, ks = quantity.factor(torque_unit, "torque"), quantity.factor(speed_unit, "speed")
        self.efficiency.set_labels("", "efficiency, %")
        self.speed.set_labels(f"output torque, {torque_unit}", f"speed, {speed_unit}")
        curve = predict.curve(result.build, result.plan.voltage)
        x = curve.torque / kt
        for name, _label, _symbol, style, _filled in _SERIES:
            low, high = curve.band.get(name, (None, None))
            if low is not None and high is not None:
                good = np.isfinite(low) & np.isfinite(high)
                edges = [pg.PlotCurveItem(x[good], 100 * v[good]) for v in (low, high)]
                self._add(
                    self.efficiency,
                    pg.FillBetweenItem(*edges, brush=pg.mkBrush(theme.colour("ink-3", 60))),
                )
            self._add(
                self.efficiency,
                pg.PlotDataItem(x, 100 * getattr(curve, name), pen=pen("ink-3", 1.3, style)),
            )
        low, high = curve.band["speed"]
        good = np.isfinite(low) & np.isfinite(high)
        self._add(
            self.speed,
            pg.FillBetweenItem(
                pg.PlotCurveItem(x[good], low[good] / ks),
                pg.PlotCurveItem(x[good], high[good] / ks),
                brush=pg.mkBrush(theme.colour("ink-3", 60)),
            ),
        )
        self._add(self.speed, pg.PlotDataItem(x, curve.speed / ks, pen=pen("ink-3", 1.3)))
        steps = result.running
        for name, label, symbol, _style, filled in _SERIES:
            self._points(
                self.efficiency,
                [
                    (
                        s.torque / kt,
                        100 * getattr(s, name),
                        [
                            100 * nominal(getattr(p, name))
                            for p in s.points
                            if getattr(p, name) is not None
                        ],
                    )
                    for s in steps
                    if getattr(s, name) is not None
                ],
                "reseda" if filled else "ink-2",
                symbol,
                filled,
                label,
            )
        self._points(
            self.speed,
            [
                (s.torque / kt, s.speed / ks, [nominal(p.speed) / ks for p in s.points])
                for s in steps
            ],
            "speed",
            "d",
            True,
            "",
        )
        self._stall(result, curve, kt)
        most = max(nominal(s.torque) for s in result.steps) / kt
        stall = nominal(result.stall.by_line) / kt if result.stall.by_line is not None else most
        right = min(max(most * 1.15, min(stall, curve.stall / kt) * 1.06), 2.2 * most)
        self.efficiency.box.setRange(xRange=(0, right), yRange=(0, 105), padding=0)
        fastest = max(
            [nominal(s.speed) / ks for s in steps] + [float(curve.speed[0]) / ks], default=1.0
        )
        self.speed.box.setYRange(0, fastest * 1.08, padding=0)
        self.efficiency.readout = lambda px, py: f"{px:.3g} {torque_unit}  {py:.1f} %"
        self.speed.readout = lambda px, py: f"{px:.3g} {torque_unit}  {py:.3g} {speed_unit}"
        self._table()
        self._select()

    def _points(
        self,
        chart: Chart,
        rows: list[tuple[Any, Any, list[float]]],
        colour: str,
        symbol: str,
        filled: bool,
        label: str,
    ) -> None:
        if not rows:
            return
        x = np.array([nominal(r[0]) for r in rows])
        y = np.array([nominal(r[1]) for r in rows])
        bars = pg.ErrorBarItem(
            x=x,
            y=y,
            height=4 * np.array([std(r[1]) for r in rows]),
            width=4 * np.array([std(r[0]) for r in rows]),
            beam=0,
            pen=pen("ink", 1.5),
        )
        each_x = np.concatenate([np.full(len(r[2]), nominal(r[0])) for r in rows])
        each_y = np.concatenate([np.array(r[2]) for r in rows])
        offset = (
            np.concatenate([(np.arange(len(r[2])) - (len(r[2]) - 1) / 2) for r in rows])
            * 0.004
            * (x.max() or 1)
        )
        self._add(
            chart,
            pg.ScatterPlotItem(
                each_x + offset,
                each_y,
                size=4,
                pen=None,
                brush=pg.mkBrush(theme.colour(colour, 150)),
            ),
        )
        self._add(chart, bars)
        self._add(
            chart,
            pg.ScatterPlotItem(
                x,
                y,
                symbol=symbol,
                size=11,
                pen=pen(colour, 2),
                brush=pg.mkBrush(theme.colour(colour if filled else "sheet")),
            ),
        )
        if label:
            text = pg.TextItem(
                label,
                color=theme.colour(colour),
                anchor=(0, 0.5),
                fill=pg.mkBrush(theme.colour("sheet", 225)),
            )
            text.setFont(font(12, bold=True))
            text.setPos(x[-1] + 0.025 * (x.max() or 1), y[-1])
            self._add(chart, text)

    def _stall(self, result: Any, curve: predict.Curve, kt: float) -> None:
        stall = result.stall
        if stall.not_lifted is not None and stall.lifted is not None:
            region = pg.LinearRegionItem(
                (nominal(stall.lifted) / kt, nominal(stall.not_lifted) / kt),
                movable=False,
                brush=pg.mkBrush(theme.colour("vermilion", 26)),
                pen=pen("vermilion", 1, Qt.PenStyle.DotLine),
            )
            self._add(self.speed, region)
        if stall.by_line is not None and std(stall.by_line) < 0.5 * nominal(stall.by_line):
            x, u = nominal(stall.by_line) / kt, std(stall.by_line) / kt
            self._add(
                self.speed,
                pg.ErrorBarItem(
                    x=np.array([x]),
                    y=np.array([0.0]),
                    width=np.array([4 * u]),
                    beam=0,
                    pen=pen("vermilion", 4),
                ),
            )
            self._add(
                self.speed,
                pg.ScatterPlotItem(
                    [x],
                    [0.0],
                    symbol="t",
                    size=12,
                    pen=pen("vermilion", 1),
                    brush=pg.mkBrush(theme.colour("vermilion")),
                ),
            )
            if result.line is not None:
                xs = np.array([0.0, x])
                self._add(
                    self.speed,
                    pg.PlotDataItem(
                        xs,
                        np.array([nominal(result.line.a), 0.0])
                        / quantity.factor(self.desk.units["speed"], "speed"),
                        pen=pen("speed", 1.2, Qt.PenStyle.DashLine),
                    ),
                )

    def _rows(self) -> tuple[list[str], list[list[float]]]:
        result = self.desk.result
        head = ["torque N·m", "u", "speed rad/s", "u", "wire to shaft", "u", "gearbox", "u"]
        rows = [
            [f(v) for v in (s.torque, s.speed, s.wire_to_shaft, s.gearbox) for f in (_n, _u)]
            for s in (result.running if result else [])
        ]
        return head, rows

    # --- table, recording, budget -----------------------------------------------------------------

    def _table(self) -> None:
        d, result = self.desk, self.desk.result
        assert result is not None
        units = [d.units[k] for k in ("torque", "speed", "power", "power", "ratio", "ratio")]
        self.table.head(
            [
                (d.rig.method.STEP or "part").removesuffix(" on the clamp"),
                "runs",
                *(
                    f"{n}, {u}"
                    for n, u in zip(
                        ("torque", "speed", "power in", "power out", "wire to shaft", "gearbox"),
                        units,
                        strict=True,
                    )
                ),
            ]
        )
        rows = []
        for s in result.steps:
            first = (*s.points, *s.stalls)[0]
            lifts = " + ".join(
                [str(len(s.points))] * bool(s.points)
                + [f"{len(s.stalls)} stalled"] * bool(s.stalls)
            )
            rows.append(
                [
                    self._weight(first),
                    lifts,
                    *(
                        d.show(getattr(s, n), k, with_unit=False)
                        for n, k in (
                            ("torque", "torque"),
                            ("speed", "speed"),
                            ("power_in", "power"),
                            ("power_out", "power"),
                            ("wire_to_shaft", "ratio"),
                            ("gearbox", "ratio"),
                        )
                    ),
                ]
            )
        self.table.blockSignals(True)
        self.table.fill(rows)
        self.table.blockSignals(False)
        text = self._corrections()
        if result.stall.by_line is not None:
            text.append(f"Stall by the speed line {d.show(result.stall.by_line, 'torque')}")
        if result.stall.lifted is not None and result.stall.not_lifted is not None:
            text.append(
                f"by weights between {d.show(nominal(result.stall.lifted), 'torque')} and"
                f" {d.show(nominal(result.stall.not_lifted), 'torque')}"
            )
        text.append(
            f"predicted {d.show(predict.stall_torque(result.build, result.plan.voltage), 'torque')}"
        )
        if result.losses is not None:
            text.append(
                f"gearbox loss {d.show(result.losses.constant, 'torque')} constant +"
                f" {d.show(result.losses.proportional, 'ratio')} of the load"
            )
        if result.skipped:
            text.append(f"{len(result.skipped)} lifts left out: {result.skipped[0][1]}")
        self.summary.setText(
            "; ".join(text) + ". All ± are 95 % half-widths (k = 2). Grey: predicted."
        )

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

    def _clicked(self, chart: Chart, x: float, y: float) -> None:
        """The nearest point within reach opens its recording; a lift's own dot opens that lift."""
        result, d = self.desk.result, self.desk
        if result is None:
            return
        box = chart.box
        px, py = box.viewPixelSize()
        kt, ks = (
            quantity.factor(d.units["torque"], "torque"),
            quantity.factor(d.units["speed"], "speed"),
        )
        best: tuple[float, int, int | None] | None = None
        for s in result.running:
            names = (
                [("speed", 1 / ks)]
                if chart is self.speed
                else [("gearbox", 100.0), ("wire_to_shaft", 100.0)]
            )
            for name, scale in names:
                for n, source in ((None, s), *enumerate(s.points)):
                    value = getattr(source, name)
                    if value is None:
                        continue
                    offset = (
                        0.0
                        if n is None
                        else (n - (len(s.points) - 1) / 2)
                        * 0.004
                        * max(nominal(q.torque) for q in result.running)
                        / kt
                    )
                    away = np.hypot(
                        (nominal(s.torque) / kt + offset - x) / px,
                        (nominal(value) * scale - y) / py,
                    )
                    if away < 14 and (best is None or away < best[0]):
                        best = (away, s.index, 0 if n is None else n)
        if best is not None:
            self.tabs.setCurrentIndex(1)
            d.select(best[1], best[2])

    def places(self) -> dict[str, QPoint]:
        """Where the points of the charts are on the page: `gearbox 2` is the third step's."""
        d, found = self.desk, {}
        kt, ks = (
            quantity.factor(d.units["torque"], "torque"),
            quantity.factor(d.units["speed"], "speed"),
        )
        for s in d.result.running if d.result else []:
            for chart, name, scale in (
                (self.efficiency, "gearbox", 100.0),
                (self.speed, "speed", 1 / ks),
            ):
                if (value := getattr(s, name)) is not None:
                    on = chart.box.mapViewToScene(
                        QPointF(nominal(s.torque) / kt, nominal(value) * scale)
                    )
                    found[f"{name} {s.index}"] = chart.mapTo(self, chart.mapFromScene(on))
        return found

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
            self.desk.strike([stored.id], True)
            self.desk.said.emit(
                f"Lift {stored.run.repeat} is left out of the results. Ctrl+Z brings it back."
            )

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
            nominal(step.power_in),
            nominal(step.speed),
            nominal(step.torque),
        )
        head, _, tail = d.show(step.wire_to_shaft, "ratio", decimals=None).partition(" ± ")
        wire = (
            f"{head} %" if tail else head,
            f"± {tail}, k = 2" if tail else "",
            f"gearbox {d.show(step.gearbox, 'ratio')}",
        )
        lines = (d.run_name(step.points[0].run), d.dimension())
        return ShownFlow(flow, "measured", lines, wire)


def _n(x: Any) -> float:
    return float("nan") if x is None else nominal(x)


def _u(x: Any) -> float:
    return float("nan") if x is None else std(x)
