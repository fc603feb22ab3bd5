"""Rig: the hoist as the bench looks, dimensions on the drawing as fields; calibration with its residuals; limits; plan."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from sparring.core.quantity import Measured, from_si, parse
from sparring.core.records import Q
from sparring.core.rig import Rig, calibration
from sparring.core.uncertainty import nominal, std
from sparring.ui.desk import Desk
from sparring.ui.live import BenchSession
from sparring.ui.theme import font, theme
from sparring.ui.widgets.chart import Chart, pen
from sparring.ui.widgets.form import Form, Path, annotation
from sparring.ui.widgets.parts import care, heading, note, sheet
from sparring.ui.widgets.quantity_field import QuantityField


class HoistPicture(QWidget):
    """The hoist, with its dimensions as fields where they are measured."""

    _FIELDS = (
        ("drum_diameter", "Drum ⌀", 0.60, 0.10),
        ("drum_radius", "Drum radius (check)", 0.60, 0.31),
        ("cord_diameter", "Cord ⌀", 0.60, 0.52),
        ("hook_mass", "Hook and cell", 0.60, 0.73),
        ("travel", "Travel", 0.03, 0.62),
    )

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setMinimumSize(340, 196)
        self.fields: dict[str, tuple[QLabel, QuantityField, float, float]] = {}
        hoist = type(desk.rig.method)
        for name, label, x, y in self._FIELDS:
            info = annotation(hoist(), (name,))[1]
            assert info is not None
            text = QLabel(label, self)
            text.setObjectName("note")
            field = QuantityField(
                info,
                info.file_unit,
                self._commit(name, label),
                optional=name == "drum_radius",
                measured=name != "travel",
                name=label,
                parent=self,
            )
            text.setBuddy(field)
            self.fields[name] = (text, field, x, y)
        for signal in (desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        theme.changed.connect(self.update)
        self.refresh()

    def _commit(self, name: str, label: str) -> Any:
        return lambda value: self.desk.edit("rig", ("method", name), value, f"{label} changed")

    def refresh(self) -> None:
        for name, (_text, field, _x, _y) in self.fields.items():
            chosen = self.desk.units[field.info.kind]
            metric = chosen in ("mm", "kg")
            field.set_value(getattr(self.desk.rig.method, name), field.info.file_unit if metric else chosen)
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        for text, field, x, y in self.fields.values():
            text.move(int(x * self.width()), int(y * self.height()) - 15)
            text.adjustSize()
            field.setGeometry(int(x * self.width()), int(y * self.height()), int(0.395 * self.width()) if x > 0.5 else 90, 26)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = self.width(), self.height()
        ink, thin = QPen(theme.colour("ink"), 1.6), QPen(theme.colour("ink-2"), 1)
        drum = QPointF(0.34 * w, 0.22 * h)
        r = 0.13 * h
        p.setPen(QPen(theme.colour("ink"), 3))
        p.drawLine(QPointF(0.16 * w, 0.04 * h), QPointF(0.5 * w, 0.04 * h))  # bracket
        p.setPen(ink)
        p.setBrush(theme.colour("bench"))
        p.drawRect(QRectF(drum.x() - 5, 0.04 * h, 10, drum.y() - 0.04 * h))
        p.setBrush(theme.colour("brass", 200))
        p.drawEllipse(drum, r, r)
        p.setBrush(theme.colour("sheet"))
        p.drawEllipse(drum, r * 0.16, r * 0.16)
        x = drum.x() + r + 1.5
        p.setPen(QPen(theme.colour("force"), 2.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawArc(QRectF(drum.x() - r - 1.5, drum.y() - r - 1.5, 2 * r + 3, 2 * r + 3), 0, 16 * 200)
        p.drawLine(QPointF(x, drum.y()), QPointF(x, 0.60 * h))
        p.setPen(ink)  # the cell
        p.setBrush(theme.colour("pale"))
        p.drawRect(QRectF(x - 13, 0.60 * h, 26, 0.10 * h))
        p.drawLine(QPointF(x - 13, 0.65 * h), QPointF(x + 6, 0.65 * h))
        p.setPen(QPen(theme.colour("force"), 2.2))
        p.drawLine(QPointF(x, 0.70 * h), QPointF(x, 0.765 * h))
        p.setPen(ink)
        p.setBrush(theme.colour("ink-2", 120))
        p.drawRect(QRectF(x - 22, 0.765 * h, 44, 0.13 * h))  # the weight
        p.setPen(QPen(theme.colour("ink"), 2))
        p.drawLine(QPointF(0.16 * w, 0.955 * h), QPointF(0.62 * w, 0.955 * h))  # the floor
        p.setPen(thin)
        for name, to in (
            ("drum_diameter", QPointF(drum.x() + r * 0.7, drum.y() - r * 0.7)),
            ("drum_radius", QPointF(drum.x() + r * 0.3, drum.y())),
            ("cord_diameter", QPointF(x, 0.53 * h)),
            ("hook_mass", QPointF(x + 13, 0.66 * h)),
        ):
            _text, field, *_ = self.fields[name]
            start = QPointF(field.x() - 4, field.y() + field.height() / 2)
            p.drawLine(start, to)
            p.setBrush(theme.colour("ink-2"))
            p.drawEllipse(to, 2, 2)
        travel_x = 0.31 * w - r * 0.5
        p.drawLine(QPointF(travel_x, 0.42 * h), QPointF(travel_x, 0.955 * h))
        for y in (0.42 * h, 0.955 * h):
            p.drawLine(QPointF(travel_x - 5, y), QPointF(travel_x + 5, y))
        p.setFont(font(11))
        p.setPen(theme.colour("ink-2"))


class RigPage(QWidget):
    """Edits the rig and the plan in hand; calibrates the cell on the live bench."""

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        page.addWidget(
            care("Care: guard and eye protection before anything turns; clear of the taut cord and the weight; first power at low voltage.")
        )
        upper, lower = QHBoxLayout(), QHBoxLayout()
        upper.setSpacing(10)
        lower.setSpacing(10)
        page.addLayout(upper, 1)
        page.addLayout(lower)

        left, column = sheet(margins=10)
        row = QHBoxLayout()
        row.addWidget(heading("Hoist"))
        row.addStretch(1)
        self.rigs = QComboBox()
        self.rigs.setAccessibleName("Rig")
        self.rigs.activated.connect(lambda i: desk.choose_rig(self.rigs.itemData(i)))
        row.addWidget(self.rigs)
        copy = QPushButton("New rig")
        copy.setToolTip("Begin a rig as a copy of this one")
        copy.clicked.connect(self._copy)
        row.addWidget(copy)
        column.addLayout(row)
        self.picture = HoistPicture(desk)
        column.addWidget(self.picture, 1)
        upper.addWidget(left, 11)

        right, column = sheet(margins=10)
        row = QHBoxLayout()
        row.addWidget(heading("Load cell calibration"))
        row.addStretch(1)
        self.live = QLabel()
        row.addWidget(self.live)
        column.addLayout(row)
        self.chart = Chart("force, N", "residual, mN", name="Residuals of the calibration")
        self.dots = pg.ScatterPlotItem(size=8)
        self.zero = pg.InfiniteLine(angle=0, pos=0)
        self.chart.addItem(self.zero)
        self.chart.addItem(self.dots)
        self.chart.styled(self._style)
        column.addWidget(self.chart, 1)
        self.verdict = note("")
        column.addWidget(self.verdict)
        row = QHBoxLayout()
        self.known = QuantityField(Q("mass", "kg", least=0.0), "kg", lambda _v: None, name="Known mass on the cell")
        self.known.set_value(Measured(0.5))
        row.addWidget(QLabel("Known mass"))
        row.addWidget(self.known, 1)
        self.take = QPushButton("Take reading")
        self.take.setToolTip(
            "Adds the mean of the last second as a calibration point; begins a new calibration when the old one is not from today"
        )
        self.take.clicked.connect(self._take)
        row.addWidget(self.take)
        self.drop = QPushButton("Drop last")
        self.drop.clicked.connect(self._drop)
        row.addWidget(self.drop)
        column.addLayout(row)
        upper.addWidget(right, 10)
        self._fresh: list[calibration.CalibrationPoint] = []

        groups: list[tuple[str, str, list[tuple[str, Path]]]] = [
            (
                "Rig",
                "rig",
                [
                    ("Name", ("name",)),
                    ("Torque from", ("torque_from",)),
                    ("Local gravity", ("gravity",)),
                    ("Voltmeter ±", ("sensors", "voltage_accuracy")),
                    ("Ammeter ±", ("sensors", "current_accuracy")),
                    ("Tachometer ±", ("sensors", "speed_accuracy")),
                ],
            ),
            (
                "Stops by itself at",
                "rig",
                [("Current", ("limits", "current")), ("Output speed", ("limits", "speed")), ("Stalled for", ("limits", "stalled_for"))],
            ),
            (
                "Plan",
                "plan",
                [
                    ("Repeats", ("repeats",)),
                    ("Voltage", ("voltage",)),
                    ("Settle", ("settle",)),
                    ("Measure at least", ("measure",)),
                    ("Order", ("order",)),
                ],
            ),
        ]
        for title, what, rows in groups:
            frame, column = sheet(title, margins=10)
            column.addWidget(Form(desk, what, rows, units={("limits", "speed"): "rpm"}))
            if title == "Plan":
                self.loads = LoadsField(desk)
                column.addWidget(self.loads)
            if title.startswith("Stops"):
                column.addWidget(note("The bench is asked to stop. Neither this nor STOP on the screen is an emergency stop."))
            column.addStretch(1)
            lower.addWidget(frame, {"Rig": 9, "Stops by itself at": 7, "Plan": 9}[title])
        for signal in (desk.rig_changed, desk.lists_changed, desk.units_changed):
            signal.connect(self.refresh)
        session.arrived.connect(self._live)
        session.state_changed.connect(self._live)
        self.refresh()

    def refresh(self) -> None:
        d = self.desk
        if d.book is not None:
            self.rigs.clear()
            for rig_id, rig in d.book.rigs():
                self.rigs.addItem(rig.name, rig_id)
            self.rigs.setCurrentIndex(max(0, self.rigs.findData(d.rig_id)))
        cal = d.rig.calibration
        self.drop.setEnabled(bool(self._fresh))
        if cal is None:
            self.dots.setData([], [])
            self.verdict.setText(
                "Not calibrated. Hang a known mass, wait until it hangs still, take the reading; three masses at least, up and down."
                + (f" Taken so far: {len(self._fresh)}." if self._fresh else "")
            )
            return
        try:
            line = calibration.fit(cal, d.rig.gravity.value)
        except ValueError as err:
            self.verdict.setText(f"The calibration gives no line: {err}.")
            return
        force = np.array([p.mass.value * d.rig.gravity.value for p in cal.points])
        residual = line.residuals / nominal(line.slope)
        self.dots.setData(force, 1e3 * residual)
        worst, span = float(np.abs(residual).max()), float(force.max())
        scatter = line.scatter / abs(nominal(line.slope))
        self.verdict.setText(
            f"{cal.cell}, {cal.date}, {len(cal.points)} points up to {d.show(span, 'force', decimals=1)}: {nominal(line.slope):.1f} ± {2 * std(line.slope):.1f} counts/N, "
            f"worst residual {d.show(worst, 'force', decimals=3)} ({100 * worst / span:.2f} % of span), scatter {d.show(scatter, 'force', decimals=3)}."
            + (f" New readings: {len(self._fresh)}." if self._fresh else "")
        )
        self.chart.rows = lambda: (["force N", "residual N"], np.column_stack([force, residual]).tolist())

    def _style(self) -> None:
        self.zero.setPen(pen("ink-2", 1))
        self.dots.setBrush(pg.mkBrush(theme.colour("force")))
        self.dots.setPen(pg.mkPen(theme.colour("sheet")))

    def _reading(self) -> tuple[float, float] | None:
        ring = self.session.ring
        if ring is None or "cell" not in ring.channels or ring.count < 10:
            return None
        last = ring.values("cell")[ring.since(ring.t[-1] - 1.0)]
        return float(np.nanmean(last)), float(np.nanstd(last))

    def _live(self) -> None:
        if not self.isVisible():
            return
        reading = self._reading()
        self.take.setEnabled(reading is not None)
        self.live.setText("no bench connected" if reading is None else f"cell {reading[0]:.0f} counts")

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._live()

    def _take(self) -> None:
        reading = self._reading()
        if reading is None:
            self.desk.said.emit("No load cell reading: connect the bench first (Bench menu).")
            return
        try:
            mass = self.known.read()
        except ValueError as err:
            self.desk.said.emit(str(err))
            return
        assert mass is not None
        self._fresh.append(calibration.CalibrationPoint(mass=mass, reading=round(reading[0], 1)))
        if len(self._fresh) >= 3:
            old = self.desk.rig.calibration
            made = calibration.Calibration(
                cell=old.cell if old else "load cell",
                date=date.today().isoformat(),
                capacity=old.capacity if old else 49.0,
                points=tuple(self._fresh),
            )
            reason = self.desk.edit("rig", ("calibration",), made, "load cell calibrated")
            if reason:
                self.desk.said.emit(reason)
        self.refresh()

    def _drop(self) -> None:
        if self._fresh:
            self._fresh.pop()
        self.refresh()

    def _copy(self) -> None:
        d = self.desk
        assert d.book is not None
        name = f"{d.rig.name} copy"[:60]
        rig: Rig = d.rig.model_copy(update={"name": name})
        d.choose_rig(d.book.save_rig(rig))


class LoadsField(QWidget):
    """The weights of the ladder, one field a weight; an emptied field takes its weight off."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(3)
        row = QHBoxLayout()
        row.addWidget(QLabel("Weights"))
        self.line = QuantityLine(self._commit)
        self.line.setAccessibleName("Weights to lift, separated by semicolons")
        self.line.setToolTip("Weights, separated by semicolons: 0.5 kg; 1 kg; 2*310 g + 47 g")
        row.addWidget(self.line, 1)
        self.column.addLayout(row)
        for signal in (desk.plan_changed, desk.units_changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.line.show_masses(self.desk.plan.loads, self.desk.units["mass"])

    def _commit(self, masses: tuple[Measured, ...]) -> str | None:
        return self.desk.edit("plan", ("loads",), masses, "weights changed")


class QuantityLine(QuantityField):
    """Several masses in one field, separated by semicolons."""

    def __init__(self, commit: Any) -> None:
        self._masses: tuple[Measured, ...] = ()
        super().__init__(Q("mass", "kg", above=0.0), "kg", commit, name="Weights")
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)

    def show_masses(self, masses: tuple[Measured, ...], unit: str) -> None:
        self._masses, self.unit = masses, unit
        if not self.isModified():
            self._show()

    def _show(self) -> None:
        self.setText(
            "; ".join(f"{from_si(m.value, self.unit, 'mass'):.6g}" for m in self._masses) + (f" {self.unit}" if self._masses else "")
        )
        self.setCursorPosition(0)
        self.setModified(False)
        self._mark("")

    def parsed(self) -> tuple[Measured, ...]:
        """All masses typed. Raises QuantityError."""
        parts = [t for t in self.text().split(";") if t.strip()]
        known = {round(m.value, 9): m for m in self._masses}
        values = []
        for part in parts:
            m = parse(part, "mass", self.unit)
            self.info.check(m.value)
            values.append(known.get(round(m.value, 9), m) if m.u == 0 else m)
        return tuple(sorted(values, key=lambda m: m.value))

    def accept(self) -> bool:
        if not self.isModified():
            return True
        try:
            masses = self.parsed()
        except ValueError as err:
            self._mark(str(err), bad=True)
            return False
        reason = self._commit(masses)
        if reason:
            self._mark(reason, bad=True)
            return False
        self._masses = masses
        self._show()
        return True

    def _typed(self) -> None:
        try:
            masses = self.parsed()
        except ValueError as err:
            self._mark(str(err))
            return
        self._mark(f"= {len(masses)} weights up to {max((m.value for m in masses), default=0):.3g} kg")
