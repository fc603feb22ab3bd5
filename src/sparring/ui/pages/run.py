"""Run: four large figures, three strips, the ladder of weights; one key does the next obvious thing, Esc stops."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QLabel, QPushButton, QVBoxLayout, QWidget

from sparring.core import predict, quantity
from sparring.core.plan import Lift, next_lift
from sparring.core.recording import CHANNELS
from sparring.core.rig import calibration
from sparring.core.run import Run
from sparring.core.uncertainty import nominal
from sparring.ui import background
from sparring.ui.desk import Desk
from sparring.ui.live import BenchSession
from sparring.ui.theme import CHANNEL_COLOURS, font, theme
from sparring.ui.widgets.chart import Chart, pen, thinned
from sparring.ui.widgets.parts import heading, note, sheet

_SPAN = 30.0  # [s] shown in the strips
_AVERAGE = 0.5  # [s] over which a live figure is averaged
_STRIPS = (("force", "Load cell"), ("speed", "Output speed"), ("current", "Current"))
MARKS = ("click heard", "grinding", "smell", "tooth skipped", "touched it")

if TYPE_CHECKING:
    from sparring.logbook.store import StoredRun


class BigFigure(QWidget):
    """A live figure, readable from two metres."""

    def __init__(self, name: str, colour: str) -> None:
        super().__init__()
        self.name, self.colour, self.value, self.unit = name, colour, "–", ""
        self.setMinimumHeight(78)
        self.setMinimumWidth(120)
        theme.changed.connect(self.update)

    def rename(self, name: str) -> None:
        if name != self.name:
            self.name = name
            self.update()

    def put(self, value: str, unit: str) -> None:
        if (value, unit) != (self.value, self.unit):
            self.value, self.unit = value, unit
            self.setAccessibleName(f"{self.name} {value} {unit}")
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        h = self.height()
        p.fillRect(QRectF(0, 8, 4, h - 16), theme.colour(self.colour))
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(13))
        p.drawText(QRectF(14, 4, self.width() - 14, 18), Qt.AlignmentFlag.AlignVCenter, self.name)
        size = 46
        f = font(size, bold=True)
        p.setFont(f)
        while p.fontMetrics().horizontalAdvance(self.value) > self.width() - 66 and size > 24:
            size -= 2
            p.setFont(font(size, bold=True))
        p.setPen(theme.colour("ink"))
        p.drawText(QRectF(14, 22, self.width() - 14, h - 24), Qt.AlignmentFlag.AlignVCenter, self.value)
        x = 14 + p.fontMetrics().horizontalAdvance(self.value) + 8
        p.setFont(font(15))
        p.setPen(theme.colour("ink-2"))
        p.drawText(QRectF(x, 22, 60, h - 14), Qt.AlignmentFlag.AlignVCenter, self.unit)


class LadderRow(QWidget):
    """One weight: its figure, lifts done, efficiency found or expected."""

    chosen = pyqtSignal(int)

    def __init__(self, index: int) -> None:
        super().__init__()
        self.index = index
        self.texts = ("", "", "")
        self.done = self.total = 0
        self.stalled = self.current = False
        self.setFixedHeight(38)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def put(self, texts: tuple[str, str, str], done: int, total: int, *, stalled: bool, current: bool) -> None:
        state = (texts, done, total, stalled, current)
        if state != (self.texts, self.done, self.total, self.stalled, self.current):
            self.texts, self.done, self.total, self.stalled, self.current = state
            self.setAccessibleName(f"{texts[0]}, {texts[1]} lifted, {texts[2]}")
            self.update()

    def mousePressEvent(self, event: Any) -> None:
        self.chosen.emit(self.index)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        if self.current:
            p.fillRect(self.rect(), theme.colour("pale"))
            p.fillRect(0, 0, 4, self.height(), theme.colour("deep"))
        weight, count, found = self.texts
        p.setFont(font(15, bold=self.current))
        p.setPen(theme.colour("ink"))
        p.drawText(QRectF(12, 0, 86, 30), Qt.AlignmentFlag.AlignVCenter, weight)
        p.setFont(font(12))
        p.setPen(theme.colour("ink-2"))
        p.drawText(QRectF(88, 0, 34, 28), Qt.AlignmentFlag.AlignVCenter, count)
        for i in range(self.total):
            p.fillRect(
                QRectF(88 + i * min(7, 40 / max(self.total, 1)), 28, min(5, 30 / max(self.total, 1)), 4),
                theme.colour("reseda" if i < self.done else "rule"),
            )
        p.setPen(theme.colour("vermilion" if self.stalled else "torque" if self.done else "ink-2"))
        p.setFont(font(13, bold=self.current))
        p.drawText(QRectF(114, 0, self.width() - 122, 30), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, found)


class Ladder(QFrame):
    """The load ladder with its two buttons. Stands above the findings while Run is shown."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.setSpacing(2)
        row = QHBoxLayout()
        row.addWidget(heading("Load ladder"))
        row.addStretch(1)
        self.where = QLabel()
        row.addWidget(self.where)
        column.addLayout(row)
        self.rows_box = QVBoxLayout()
        self.rows_box.setSpacing(1)
        column.addLayout(self.rows_box)
        self.rows: list[LadderRow] = []
        self.say = note("")
        column.addWidget(self.say)
        buttons = QHBoxLayout()
        self.go = QPushButton("Connect\nSpace")
        self.go.setObjectName("act")
        self.go.setMinimumHeight(54)
        self.stop = QPushButton("STOP\nEsc")
        self.stop.setObjectName("stop")
        self.stop.setMinimumHeight(54)
        self.stop.setToolTip("Asks the bench to stop. This is not an emergency stop.")
        for button in (self.go, self.stop):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        buttons.addWidget(self.go, 5)
        buttons.addWidget(self.stop, 3)
        column.addLayout(buttons)
        column.addWidget(note("STOP asks the bench to stop; it is no emergency stop."))


class RunPage(QWidget):
    """The live bench. `next_wanted` is what Space does, and is written on the button."""

    live_flow = pyqtSignal(object)
    finished = pyqtSignal()

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        self.ladder = Ladder(desk)
        self.lift: Lift | None = None
        self.forced: int | None = None
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        figures, column = sheet(margins=8)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.figures = {
            "torque": BigFigure("Output torque", "torque"),
            "speed": BigFigure("Output speed", "speed"),
            "current": BigFigure("Current", "current"),
            "force": BigFigure("Load cell", "force"),
        }
        for figure in self.figures.values():
            row.addWidget(figure, 1)
        column.addLayout(row)
        page.addWidget(figures)
        self.charts: dict[str, Chart] = {}
        self.curves: dict[str, pg.PlotDataItem] = {}
        self.marks: dict[str, list[pg.InfiniteLine]] = {}
        first: Chart | None = None
        for key, label in _STRIPS:
            chart = Chart("s", label, name=f"{label} over time")
            chart.getPlotItem().getAxis("left").setWidth(58)
            chart.getPlotItem().setMouseEnabled(x=True, y=False)
            if first is None:
                first = chart
            else:
                chart.setXLink(first)
            curve = pg.PlotDataItem()
            chart.addItem(curve)
            chart.styled(partial(self._ink, curve, key))
            bottom = chart.getPlotItem().getAxis("bottom")
            bottom.setHeight(8 if key != "current" else 34)
            bottom.setStyle(showValues=key == "current")
            self.charts[key], self.curves[key] = chart, curve
            page.addWidget(chart, 1)
        self.empty = note("")
        page.addWidget(self.empty)
        self.ladder.go.clicked.connect(self.do_next)
        self.ladder.stop.clicked.connect(session.stop)
        session.arrived.connect(self._paint_live)
        session.state_changed.connect(self.refresh)
        session.happened.connect(lambda _t: self.refresh())
        session.captured.connect(self._captured)
        for signal in (desk.plan_changed, desk.result_changed, desk.lists_changed, desk.build_changed, desk.rig_changed):
            signal.connect(self.refresh)
        desk.units_changed.connect(self._relabel)
        self._kept: list[Run] = []  # lifts of this session, whose windows are shaded in the strips
        self._windows: dict[str, list[pg.LinearRegionItem]] = {}
        desk.result_changed.connect(self._shade)
        self._cell_line: Any = None
        desk.rig_changed.connect(self._fit_cell)
        self._fit_cell()
        self._relabel()
        self.refresh()

    @staticmethod
    def _ink(curve: Any, key: str) -> None:
        curve.setPen(pen(CHANNEL_COLOURS[key], 1))

    # --- what to do next --------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Brings ladder and button in step with desk and bench."""
        d, s = self.desk, self.session
        plan, method = d.todo, d.rig.method
        do, doing, stopping = method.DOES
        self.figures["speed"].rename("Speed of the mass" if method.BODY_SPEED else "Output speed")
        done = self.desk.done_lifts()
        # a weight that stalled twice is not lifted again unasked
        stalls: dict[int, int] = {}
        for r in d.runs:
            if not r.struck and r.run.ended == "stalled":
                stalls[r.run.step] = stalls.get(r.run.step, 0) + 1
        skip = {step for step, n in stalls.items() if n >= 2}
        if self.forced is not None and s.state != "lifting":
            self.lift = Lift(self.forced, 1 + max((x.repeat for x in done if x.step == self.forced), default=0))
        elif s.state != "lifting":
            self.lift = next_lift(plan, done, skip, stalls)
        self._rows(done, stalls)
        text, on, say = "", True, ""
        weight = d.step_name(self.lift.step) if self.lift and method.STEP else ""
        tared = s.tare is not None or not method.CELL
        if s.state in ("off",):
            text, say = "Connect the simulated bench", "No bench yet. The Bench menu connects a board on a serial port instead."
        elif s.state in ("connecting", "lost"):
            text, on, say = "Waiting for the bench", False, s.why
        elif s.state == "lifting":
            text, on = (f"{doing} …", False) if s.obeys else (f"End this {do.lower()}", True)
        elif s.state == "lowering":
            text, on = f"{stopping} …", False
        elif self._other_bench():
            text, say = f"Set up the simulated {method.kind}", f"The simulated bench is still a {s.simulates}."
        elif s.obeys and not tared:
            text, say = "Tare, with nothing pulling", f"The reading of the cell {method.CELL} becomes its zero."
        elif self.lift is None:
            text, say = "See the results", "All of the plan is done."
        elif not method.STEP or (s.hung is not None and abs(s.hung - d.steps()[self.lift.step]) < 1e-6):
            again = any(x.step == self.lift.step for x in done)
            text = f"{do} {weight}".strip() + (" again" if again else "")
        elif s.obeys:
            text = f"{'Hang' if method.weighed() else 'Set'} {weight}, then {do.lower()}"
            say = (
                f"The simulated bench sets the {method.STEP} by itself."
                if s.simulated
                else f"Put the {method.STEP} on while the bench is at rest."
            )
        else:
            text = f"Record a {do.lower()} {f'of {weight}' if weight else ''}".strip()
            say = f"This bench takes no commands: press, {do.lower()} by hand, press again at the end."
        self.ladder.go.setText(f"{text}\nSpace")
        self.ladder.go.setEnabled(on)
        self.ladder.say.setText(say)
        self.ladder.stop.setEnabled(s.state not in ("off",))
        total = d.todo_count()
        self.ladder.where.setText(
            f"{len(done)} of {total}"
            if not self.lift or plan.order == "bisection"
            else f"{do.lower()} {self.lift.repeat} of {plan.repeats}"
        )
        self.empty.setVisible(s.ring is None)
        self.empty.setText(
            "The strips show load cell, speed and current as soon as a bench is connected. Press Space to try the simulated one."
        )
        if s.ring is None and s.state == "off":
            self._blank()

    def _rows(self, done: list[Lift], stalls: dict[int, int]) -> None:
        d = self.desk
        plan = d.todo
        while len(self.ladder.rows) < len(plan.loads):
            row = LadderRow(len(self.ladder.rows))
            row.chosen.connect(self._force)
            self.ladder.rows.append(row)
            self.ladder.rows_box.addWidget(row)
        while len(self.ladder.rows) > len(plan.loads):
            gone = self.ladder.rows.pop()
            self.ladder.rows_box.removeWidget(gone)
            gone.deleteLater()
        found = {s.points[0].run.step: s for s in d.result.lifted} if d.result else {}
        for i, (row, mass) in enumerate(zip(self.ladder.rows, plan.loads, strict=True)):
            n = sum(1 for x in done if x.step == i)
            if i in stalls and i not in found:
                text = "stalled"
            elif i in found and (found[i].gearbox is not None or found[i].wire_to_shaft is not None):
                text = d.show(found[i].gearbox if found[i].gearbox is not None else found[i].wire_to_shaft, "ratio", decimals=1)
            else:
                chance = predict.stall_likelihood(d.build, d.rig, mass.value, plan.voltage)
                asked = predict.load_torque(d.rig, mass.value)
                eta = predict.power_flow(d.build, asked, plan.voltage).gearbox
                text = f"stall likely {100 * chance:.0f} %" if chance > 0.05 else f"{100 * eta:.0f} % expected"
                if asked <= 0 or (chance <= 0.05 and d.rig.method.STANDS):
                    text = ""
                if n and i not in stalls and d.rig.method.STANDS:
                    text = "lifted"
            row.put(
                (d.step_name(i) if d.rig.method.STEP else d.rig.method.DOES[0].lower(), f"{n}/{plan.repeats}", text),
                n,
                plan.repeats,
                stalled=i in stalls or "stall" in text,
                current=self.lift is not None and self.lift.step == i,
            )

    def _other_bench(self) -> bool:
        """Whether the simulated bench is set up for another method than the rig's."""
        return self.session.simulated and self.session.simulates != self.desk.rig.method.kind

    def _force(self, step: int) -> None:
        self.forced = None if self.forced == step else step
        self.refresh()

    def do_next(self) -> None:
        """What Space does."""
        s, d = self.session, self.desk
        if d.book is None:
            d.said.emit("The logbook is still opening.")
            return
        if s.state == "off":
            s.simulate(d.build, d.rig)
        elif s.state == "lifting" and not s.obeys:
            s.finish()
        elif s.state != "ready":
            return
        elif self._other_bench():
            s.simulate(d.build, d.rig)
        elif s.obeys and s.tare is None and d.rig.method.CELL:
            s.send("hang 0")
            s.hung = None
            s.send("tare")
        elif self.lift is None:
            self.finished.emit()
        else:
            method, setting = d.rig.method, d.steps()[self.lift.step]
            if s.obeys and method.STEP and (s.hung is None or abs(s.hung - setting) > 1e-9):
                s.send(f"{method.SET_BY[0]} {setting:.6g}")
                s.hung = setting
            s.limit_current, s.limit_speed = d.rig.limits.current, d.rig.method.top_speed(d.rig.limits.speed)
            run = Run(
                step=self.lift.step,
                repeat=self.lift.repeat,
                load=d.plan.loads[self.lift.step] if method.weighed() else None,
                voltage=d.plan.voltage,
                calibration=d.rig.calibration if method.CELL else None,
                sensors=d.rig.sensors,
                source="simulated" if s.simulated else "bench",
            )
            s.lift(run, d.ensure_test(), d.book.capture_path())
        self.refresh()

    def broke(self) -> None:
        """B: stops, and asks which part gave way in this run."""
        from sparring.ui.dialogs import ask_break

        s, desk = self.session, self.desk
        lifting, before = s.state == "lifting", {r.id for r in desk.runs}
        s.stop()
        if not lifting and not desk.runs:
            desk.said.emit("Nothing has been run yet that could have broken.")
            return

        def run() -> StoredRun | None:
            new = [r for r in desk.runs if r.id not in before] if lifting else desk.runs
            return new[-1] if new else None

        self._mark_dialog = ask_break(desk, run, self)

    def mark(self) -> None:
        """M: marks this moment with a word; the run goes on."""
        if self.session.ring is None:
            return
        at = float(self.session.ring.t[-1])
        dialog = QInputDialog(self)
        dialog.setWindowTitle("Mark")
        dialog.setLabelText("Heard or seen:")
        dialog.setComboBoxItems(list(MARKS))
        dialog.setComboBoxEditable(True)
        dialog.textValueSelected.connect(lambda text: self.session.mark(text, at))
        dialog.setModal(False)
        dialog.show()
        self._mark_dialog = dialog

    def _captured(self, path: Path) -> None:
        d = self.desk
        if d.book is None:
            return
        book = d.book

        def kept(_run_id: int) -> None:
            self.forced = None
            d.runs_changed()
            if d.runs:
                self._kept.append(d.runs[-1].run)

        # every reason is for the tester to read; the stream stays where it is
        background.run(lambda: book.adopt(path), kept, lambda err: d.said.emit(f"The lift could not be kept: {err} ({path.name})."))

    # --- live pictures --------------------------------------------------------------------------------------------

    def _fit_cell(self) -> None:
        cal = self.desk.rig.calibration
        try:
            self._cell_line = calibration.fit(cal, self.desk.rig.gravity.value) if cal else None
        except ValueError:
            self._cell_line = None

    def force_of(self, counts: Any) -> Any:
        """Cord force [N] from the cell's counts, with the tare in force."""
        line = self._cell_line
        if line is None:
            return np.full_like(counts, np.nan)
        tare = self.session.tare
        zero = nominal(line.intercept) if tare is None else tare.value
        return (counts - zero) / nominal(line.slope)

    def _series(self, key: str) -> np.ndarray | None:
        ring = self.session.ring
        if ring is None:
            return None
        if key == "force" and "force" not in ring.channels:
            return self.force_of(ring.values("cell")) if "cell" in ring.channels else None
        return ring.values(key) if key in ring.channels else None

    def _relabel(self) -> None:
        for key, label in _STRIPS:
            kind = CHANNELS[key].kind
            chart = self.charts[key]
            chart.set_labels("s" if key == "current" else "", f"{label}, {self.desk.units[kind]}")

    def _blank(self) -> None:
        for figure, (kind, _d) in zip(self.figures.values(), (("torque", 3), ("speed", 1), ("current", 2), ("force", 2)), strict=True):
            figure.put("–", self.desk.units[kind])
        for curve in self.curves.values():
            curve.setData([], [])

    def _paint_live(self) -> None:
        ring = self.session.ring
        if ring is None or ring.count < 4:
            return
        t = ring.t
        now = float(t[-1])
        recent = ring.since(now - _AVERAGE)
        d = self.desk
        mean: dict[str, float] = {}
        for key in ("speed", "current", "voltage"):
            if key in ring.channels:
                mean[key] = float(np.nanmean(ring.values(key)[recent]))
        force = None
        if "force" in ring.channels:
            force = float(np.nanmean(ring.values("force")[recent]))
        elif "cell" in ring.channels:
            force = float(self.force_of(np.nanmean(ring.values("cell")[recent])))
        method = d.rig.method
        readings: dict[str, float | None] = {"force": force}
        for key in method.CHANNELS:
            readings[key] = float(np.nanmean(ring.values(key)[recent])) if key in ring.channels else None
        torque = method.measured(method.figures(), readings.get)
        if self.isVisible():
            self._figures(torque, mean, force)
            self._strips(ring.since(now - _SPAN), t, now)
        if {"voltage", "current", "speed"} <= mean.keys() and torque is not None:
            moving = mean["speed"] > 0.05
            power_in = max(0.0, float(np.nanmean((ring.values("voltage") * ring.values("current"))[recent])))
            flow = predict.measured_flow(
                d.build,
                max(mean["voltage"], 0.0),
                max(mean["current"], 0.0),
                power_in,
                mean["speed"] if moving else 0.0,
                max(torque, 0.0) if moving else 0.0,
            )
            self.live_flow.emit(flow)

    def _figures(self, torque: float | None, mean: dict[str, float], force: float | None) -> None:
        d = self.desk
        for key, value, kind, size in (
            ("torque", torque, "torque", 3),
            ("speed", mean.get("speed"), "speed", 1),
            ("current", mean.get("current"), "current", 2),
            ("force", force, "force", 2),
        ):
            unit = d.units[kind]
            if value is None or not np.isfinite(value):
                self.figures[key].put("–", unit)
                continue
            shown = quantity.from_si(value, unit, kind)
            places = max(0, size - (1 if abs(shown) >= 100 else 0))
            text = f"{shown:.{places}f}"
            self.figures[key].put("0." + "0" * places if places and float(text) == 0 else text, unit)

    def _strips(self, part: slice, t: np.ndarray, now: float) -> None:
        for key, _label in _STRIPS:
            y = self._series(key)
            if y is None:
                continue
            kind = CHANNELS[key].kind
            unit = self.desk.units[kind]
            x, v = thinned(t[part], y[part], 900)
            shown = v / quantity.factor(unit, kind)
            self.curves[key].setData(x, shown)
            box = self.charts[key].getPlotItem().getViewBox()
            box.setXRange(max(now - _SPAN, float(t[0])), max(now, float(t[0]) + _SPAN), padding=0)
            if len(shown):
                high, low = float(np.nanmax(shown)), float(np.nanmin(shown))
                self._scale(key, box, low, high)
        self._mark_lines(now)

    def _scale(self, key: str, box: Any, low: float, high: float) -> None:
        """A steady scale: it grows at once, and shrinks only when what is shown needs less than half of it."""
        (_, _), (y0, y1) = box.viewRange()
        top = _round_up(max(high, 1e-9) * 1.08)
        bottom = 0.0 if low > -0.06 * top else -_round_up(-low * 1.08)
        if high > y1 or top < 0.5 * y1 or bottom < y0 - 1e-12 or bottom > 0.5 * y0:
            box.setYRange(bottom, top, padding=0)

    def _shade(self) -> None:
        """Shades what was taken as steady in the lifts of this session."""
        result = self.desk.result
        points = [p for s in (result.steps if result else ()) for p in s.points if p.run in self._kept]
        for key, chart in self.charts.items():
            regions = self._windows.setdefault(key, [])
            while len(regions) < len(points):
                region = pg.LinearRegionItem(movable=False)
                region.setZValue(-10)
                chart.addItem(region, ignoreBounds=True)
                regions.append(region)
            for i, region in enumerate(regions):
                region.setVisible(i < len(points))
                if i < len(points):
                    region.setRegion((points[i].window.start, points[i].window.stop))
                    region.setBrush(pg.mkBrush(theme.colour("reseda", 30)))
                    for line in region.lines:
                        line.setPen(pg.mkPen(None))

    def _mark_lines(self, now: float) -> None:
        marks = [m for m in self.session.marks if m[0] > now - _SPAN]
        for key in self.charts:
            lines = self.marks.setdefault(key, [])
            while len(lines) < len(marks):
                flag = {"position": 0.9, "color": theme.colour("on-amber"), "fill": theme.colour("amber"), "movable": False}
                line = pg.InfiniteLine(angle=90, label="mark" if key == "force" else None, labelOpts=flag)
                line.setPen(pen("amber", 1.4, Qt.PenStyle.DashLine))
                self.charts[key].addItem(line)
                lines.append(line)
            for i, line in enumerate(lines):
                line.setVisible(i < len(marks))
                if i < len(marks):
                    line.setPos(marks[i][0])
                    if key == "force":
                        line.label.setFormat(marks[i][1])


def _round_up(x: float) -> float:
    """The next of 1, 1.5, 2, 3, 5, 8 times a power of ten."""
    if x <= 0:
        return 0.0
    base = 10.0 ** np.floor(np.log10(x))
    return float(next(m * base for m in (1, 1.5, 2, 3, 5, 8, 10) if m * base >= x * (1 - 1e-9)))
