"""The sensors of a rig: the load cell's calibration, and meters held against better ones; each with
its residuals and a verdict.
"""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sparring.core.instruments import meters
from sparring.core.instruments.meters import METERS, Comparison
from sparring.core.quantity import from_si, show
from sparring.core.records import RecordError, annotation
from sparring.core.uncertainty import nominal, std
from sparring.exchange.export import Compared
from sparring.exchange.exports import export
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.pages.rig.calibration import CalibrationPanel, Residuals
from sparring.ui.theme import theme
from sparring.ui.widgets.chart import pen
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form
from sparring.ui.widgets.form import Path as FieldPath
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

_DECIMALS = {"voltage": 3, "current": 3, "speed": 1}


class SensorsPanel(QWidget):
    """Which sensor, and its panel, made when it is first looked at: each has a chart."""

    NAMES = ("calibration", "second_calibration", *METERS)
    """The panels in the order of the choice, by the field of their record."""

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.choice = Choice()
        self.choice.setAccessibleName("Sensor")
        self.choice.addItems(
            ["Load cell", "Second load cell", *(name.capitalize() for name in METERS)]
        )
        column.addWidget(self.choice)
        self.shown = QVBoxLayout()
        column.addLayout(self.shown, 1)
        self._made: dict[str, CalibrationPanel | MeterPanel] = {}
        self._left_cell = False  # a method without one was chosen while it was shown
        self.choice.currentIndexChanged.connect(self._turn)
        desk.rig_changed.connect(self._offer)
        self._offer()

    def panel(self, name: str) -> CalibrationPanel | MeterPanel:
        """The panel of a sensor, by the field of its record."""
        if name not in self._made:
            if name in METERS:
                made: CalibrationPanel | MeterPanel = MeterPanel(self.desk, self.session, name)
            elif name == "calibration":
                made = CalibrationPanel(self.desk, self.session)
            else:
                made = CalibrationPanel(self.desk, self.session, ("sensors", name), "cell_2")
            made.setVisible(False)
            self.shown.addWidget(made)
            self._made[name] = made
        return self._made[name]

    def _turn(self) -> None:
        if self.isVisible():
            wanted = self.panel(self.NAMES[self.choice.currentIndex()])
            for panel in self._made.values():
                panel.setVisible(panel is wanted)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._turn()

    def _offer(self) -> None:
        """A method without a load cell offers none, and a second one only where it counts."""
        rig, view = self.desk.rig, self.choice.view()
        assert isinstance(view, QListView)
        one = bool(rig.method.CELL)
        offered = (one, one and rig.sensors.second_cell != "not used")
        for row, shown in enumerate(offered):
            view.setRowHidden(row, not shown)
        at = self.choice.currentIndex()
        if at < len(offered) and not offered[at]:
            self._left_cell = True
            self.choice.setCurrentIndex(0 if one else len(offered))
        elif one and self._left_cell:
            self._left_cell = False
            self.choice.setCurrentIndex(0)

    def choose(self, sensor: str) -> QWidget | None:
        """Shows a sensor by the field of its record; the field to begin at, None where it is none
        of these, or not offered.
        """
        view = self.choice.view()
        assert isinstance(view, QListView)
        if sensor not in self.NAMES or view.isRowHidden(self.NAMES.index(sensor)):
            return None
        self.choice.setCurrentIndex(self.NAMES.index(sensor))
        panel = self.panel(sensor)
        return panel.reference if isinstance(panel, MeterPanel) else panel.known


class MeterPanel(QWidget):
    """A meter held against a better one: both readings typed, or the meter's own taken from the
    live bench.
    """

    def __init__(self, desk: Desk, session: BenchSession, name: str) -> None:
        super().__init__()
        self.desk, self.session, self.name = desk, session, name
        self.kind, self.point, _, self.channels = METERS[name]
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.live = Label()
        self.live.setObjectName("title")
        column.addWidget(self.live)
        self.chart = Residuals("", "residual, %", name=f"Residuals of the {name}'s comparison")
        self.dots, self.zero = pg.ScatterPlotItem(size=9), pg.InfiniteLine(angle=0, pos=0)
        for item in (self.zero, self.dots):
            self.chart.add(item)
        self.chart.styled(self._style)
        column.addWidget(self.chart, 1)
        self.verdict = note("")
        column.addWidget(self.verdict)
        self.form: Form | None = None  # made with the first comparison
        grid = QGridLayout()
        self.reference, self.shown = (
            self._entry(what, optional)
            for what, optional in (("Reference reads", False), ("Meter reads", True))
        )
        self.shown.setPlaceholderText("present reading")
        for n, (label, field) in enumerate(
            (("Reference reads", self.reference), ("Meter reads", self.shown))
        ):
            text = Label(label)
            text.setBuddy(field)
            grid.addWidget(text, n, 0)
            grid.addWidget(field, n, 1)
            field.returnPressed.connect(self.take_reading)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        row = QHBoxLayout()
        self.take = QPushButton("Take")
        self.take.setToolTip(
            tip(
                "Adds both readings; the first starts a new comparison, which takes effect "
                "from the third on (Enter)"
            )
        )
        self.take.clicked.connect(self.take_reading)
        self.drop = QPushButton("Drop")
        self.drop.setToolTip(tip("Removes the last reading"))
        self.drop.clicked.connect(self._drop)
        self.forget = QPushButton("Use data sheet")
        self.forget.setToolTip(
            tip("Discards the comparison: the meter's data-sheet accuracy applies")
        )
        self.forget.clicked.connect(self._forget)
        self.sheet = QPushButton("Sheet …")
        self.sheet.setToolTip(tip("Writes the comparison as a printable sheet"))
        self.sheet.clicked.connect(self._ask_sheet)
        for button in (self.take, self.drop):
            row.addWidget(button)
        column.addLayout(row)
        row = QHBoxLayout()
        for button in (self.forget, self.sheet):
            row.addWidget(button)
        column.addLayout(row)
        self._column = QVBoxLayout()  # for the form
        column.addLayout(self._column)
        column.addStretch(0)
        self.fresh: list[Any] = []
        self._rig_key = desk.rig_key
        for signal in (desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        session.arrived.connect(self.watch)
        session.state_changed.connect(self.watch)
        self.refresh()

    def _entry(self, label: str, optional: bool) -> QuantityField:
        _, info, _ = annotation(self.point(), ("reference",))
        assert info is not None
        return QuantityField(
            info, info.file_unit, lambda _v: None, optional=optional, measured=False, name=label
        )

    def _style(self) -> None:
        self.zero.setPen(pen("ink-2", 1))
        self.dots.setBrush(
            pg.mkBrush(theme.colour(self.kind.KIND if self.kind.KIND != "speed" else "brass"))
        )
        self.dots.setPen(pg.mkPen(theme.colour("sheet")))

    @property
    def comparison(self) -> Comparison | None:
        found: Comparison | None = getattr(self.desk.rig.sensors, self.name)
        return found

    # --- what is known ----------------------------------------------------------------------------

    def refresh(self) -> None:
        d, kind = self.desk, self.kind.KIND
        if d.rig_key != self._rig_key:  # readings taken for one rig are none of another's
            self._rig_key, self.fresh = d.rig_key, []
        unit, comparison = d.units[kind], self.comparison
        for field in (self.reference, self.shown):
            field.unit = unit
        self.chart.x_label = f"{self.name}'s reference, {unit}"
        self.chart.restyle()
        self.drop.setEnabled(bool(self.fresh))
        for button in (self.forget, self.sheet):
            button.setEnabled(comparison is not None)
        if comparison is not None and self.form is None:
            rows: list[tuple[str, FieldPath]] = [
                ("Instrument", ("sensors", self.name, "instrument")),
                ("Compared with", ("sensors", self.name, "reference")),
                ("Reference accuracy ±", ("sensors", self.name, "reference_accuracy")),
            ]
            self.form = Form(d, "rig", rows)
            self._column.addWidget(self.form)
        if self.form is not None:
            self.form.setVisible(comparison is not None)
        self.chart.setVisible(comparison is not None)
        kept = getattr(comparison, "points", ())
        waiting = self.fresh and tuple(self.fresh) != kept
        taken = f" New readings: {len(self.fresh)} of at least 3." if waiting else ""
        if comparison is None:
            self.dots.setData([], [])
            gain, offset = meters.by_data_sheet(d.rig.sensors, self.name)
            promised = meters.as_data_sheet(gain, offset, kind, unit)
            self.verdict.setText(
                (
                    f"Data-sheet accuracy: ± {promised} (Rig ▸ Plan). Compare it with a better "
                    "meter, three readings or more over the range, and its readings are "
                    "corrected."
                )
                + taken
            )
            return
        try:
            line = meters.fit(comparison)
        except ValueError as err:
            self.dots.setData([], [])
            self.verdict.setText(f"The comparison gives no straight line: {err}.{taken}")
            return
        true, shown = comparison.pairs()
        off = 100 * line.residuals / float(np.ptp(shown))
        x = np.array([from_si(v, unit, kind) for v in true])
        self.dots.setData(x, off)
        self.chart.rows = lambda: (
            [f"reference {unit}", "residual %"],
            np.column_stack([x, off]).tolist(),
        )
        zero = show(nominal(line.intercept), kind, unit, u=std(line.intercept) or None)
        slope = 100 * (nominal(line.slope) - 1)
        self.verdict.setText(
            (
                f"{comparison.date}, {len(true)} readings: gain {abs(slope):.2f} ± "
                f"{200 * std(line.slope):.2f} % too {'high' if slope > 0 else 'low'}, zero "
                f"offset {zero}, non-linearity {np.abs(off).max():.2f} % of the range. It "
                "corrects live figures and runs from now on."
            )
            + taken
        )

    def watch(self) -> None:
        """The live value."""
        if not self.isVisible():
            return
        now = self._now()
        kind = self.kind.KIND
        if now is None:
            self.live.setText(
                "No bench connected"
                if self.session.live is None
                else f"This bench sends no {self.channels[0]}"
            )
        else:
            self.live.setText(
                f"{self.name.capitalize()} {self.desk.show(now, kind, decimals=_DECIMALS[kind])}"
            )

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.watch()

    def _now(self) -> float | None:
        """What the meter shows: the mean of the last second."""
        ring = self.session.live
        if ring is None or self.channels[0] not in ring.channels or ring.count < 10:
            return None
        values = ring.values(self.channels[0])[ring.since(ring.t[-1] - 1.0)]
        return None if np.isnan(values).all() else float(np.nanmean(values))

    # --- taking readings --------------------------------------------------------------------------

    def take_reading(self) -> None:
        d = self.desk
        try:
            reference, shown = self.reference.read(), self.shown.read()
        except ValueError as err:
            d.said.emit(str(err))
            return
        assert reference is not None
        reads = shown.value if shown is not None else self._now()
        if reads is None:
            d.said.emit(
                f"Type the {self.name}'s reading too, or connect a bench first (Bench menu)."
            )
            return
        self.fresh.append(self.point.model_validate({"reference": reference.value, "shown": reads}))
        self._keep()
        for field in (self.reference, self.shown):
            field.clear()
            field.setModified(False)
        self.reference.setFocus()

    def _keep(self) -> None:
        """From the third different reading on, the fresh ones are the comparison in force."""
        if len({p.reference for p in self.fresh}) >= 3:
            old = self.comparison
            facts = (
                {
                    name: getattr(old, name)
                    for name in ("instrument", "reference", "reference_accuracy")
                }
                if old
                else {}
            )
            try:
                made = self.kind.model_validate(
                    {**facts, "date": date.today().isoformat(), "points": tuple(self.fresh)}
                )
            except (RecordError, ValueError) as err:
                self.desk.said.emit(str(err))
                return
            if reason := self.desk.edit(
                "rig", ("sensors", self.name), made, f"comparison of the {self.name}"
            ):
                self.desk.said.emit(reason)
        self.refresh()

    def _drop(self) -> None:
        if self.fresh:
            self.fresh.pop()
            self._keep()

    def _forget(self) -> None:
        self.fresh = []
        if reason := self.desk.edit(
            "rig", ("sensors", self.name), None, f"{self.name} by data sheet"
        ):
            self.desk.said.emit(reason)
        self.refresh()

    def _ask_sheet(self) -> None:
        comparison = self.comparison
        assert comparison is not None
        dialog = QFileDialog(self, "Sheet", f"{self.name} {comparison.date}.html", "Sheet (*.html)")
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.fileSelected.connect(lambda name: self.write_sheet(Path(name)))
        dialog.setModal(False)
        dialog.show()
        self._dialog = dialog

    def write_sheet(self, path: Path) -> None:
        """The sheet of the comparison in force."""
        comparison = self.comparison
        assert comparison is not None
        source = Compared(self.name, comparison, self.desk.units)
        try:
            export("comparison-sheet").save(source, path)
        except ValueError as err:
            self.desk.said.emit(str(err))
            return
        self.desk.said.emit(f"Written: {path.name}")
