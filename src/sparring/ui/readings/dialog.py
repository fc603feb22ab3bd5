"""Readings: the ways of measuring with figures typed in or recorded, repeats side by side, results
and what they rest on below.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sparring.core import motor as motors
from sparring.core import quantity
from sparring.core.care import DEFERS
from sparring.core.characterise import METHODS, Judged, Method
from sparring.core.characterise.drum import DrumFriction
from sparring.core.characterise.motor import BareMotor, MotorReading, compare
from sparring.core.finding import explain
from sparring.core.instruments import calibration, meters
from sparring.core.methods import Hoist
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import RecordError, annotation, changed
from sparring.core.reduce.inputs import inputs_of
from sparring.core.uncertainty import budget, nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.readings.grid import ReadingGrid
from sparring.ui.readings.picture import ReadingPicture
from sparring.ui.readings.recorder import ReadingRecorder
from sparring.ui.widgets.form import whole_number
from sparring.ui.widgets.gravity import ask_gravity
from sparring.ui.widgets.parts import Table, care, heading, note
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

if TYPE_CHECKING:
    from sparring.ui.readings.chart import ReadingChart


class ReadingsDialog(QDialog):
    """What is typed or recorded is kept with the build in hand, a page a way of measuring, and is
    there again next time.
    """

    def __init__(self, desk: Desk, session: BenchSession, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        # a closed one would go on hearing the bench
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.logs: list[str] = []
        self.judged: Judged | None = None
        self.method: Method = METHODS[0]()
        self.setWindowTitle(f"Readings, {desk.build.name}")
        self.resize(1000, 720)
        column = QVBoxLayout(self)
        head = QHBoxLayout()
        self.choice = QComboBox()
        self.choice.setAccessibleName("Way of measuring")
        self.choice.addItems([m.TITLE for m in METHODS])
        self.choice.currentIndexChanged.connect(self._choose)
        head.addWidget(self.choice)
        self.purpose = note("")
        head.addWidget(self.purpose, 1)
        column.addLayout(head)
        self.care = care("")
        column.addWidget(self.care)
        self.recorder = ReadingRecorder(desk, session, self.take)
        self.recorder.said.connect(lambda text: self.said.setText(text))
        column.addWidget(self.recorder)
        middle = QHBoxLayout()
        self.shared = QWidget()
        self.shared.setObjectName("plain")
        self.form = QFormLayout(self.shared)
        left = QVBoxLayout()
        left.addWidget(self.shared)
        self.picture = ReadingPicture()
        left.addWidget(self.picture, 1)
        middle.addLayout(left, 5)
        self.right = QVBoxLayout()
        middle.addLayout(self.right, 7)
        column.addLayout(middle, 4)
        column.addWidget(heading("What comes out"))
        self.results = Table(
            ["", "figure", "repeats scatter by", "rests mostly on"],
            "Results",
            3,
            left=(3,),
            wraps=True,
        )
        below = QHBoxLayout()
        below.addWidget(self.results, 3)
        self.chart: ReadingChart | None = None
        self.below = below
        column.addLayout(below, 5)
        self.said = Label()
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        row = QHBoxLayout()
        self.latitude = QPushButton("Gravity by latitude …")
        self.latitude.clicked.connect(self._ask_latitude)
        self.use = QPushButton()
        self.use.setObjectName("act")
        self.use.clicked.connect(self._use)
        self.compare = QPushButton("Compare with the other motors")
        self.compare.clicked.connect(self._compare_motors)
        done = QPushButton("Close")
        done.clicked.connect(self.accept)
        for button in (self.latitude, self.use, self.compare):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(done)
        for button in (self.latitude, self.use, self.compare, done):  # Enter belongs to the grid
            button.setAutoDefault(False)
        column.addLayout(row)
        self.grid = ReadingGrid(self.method.READING)
        self._choose(0)
        self.grid.setFocus()  # a tester begins to type figures

    # --- keeping ----------------------------------------------------------------------------------

    def _key(self, build_id: int = 0) -> str:
        return f"readings {build_id or self.desk.build_id} {self.method.ID}"

    def _keep(self) -> None:
        if self.desk.book is not None:
            kept = {
                "method": json.loads(self.method.to_json()),
                "readings": self.grid.texts(),
                "recordings": self.logs,
            }
            self.desk.book.set_setting(self._key(), kept)

    def _choose(self, index: int) -> None:
        self.recorder.end()
        kind = METHODS[index]
        self.method = kind()
        kept: dict[str, Any] = {}
        if self.desk.book is not None:
            kept = self.desk.book.setting(self._key()) or {}
            try:
                self.method = kind.from_json(json.dumps(kept.get("method", {})))
            except RecordError as err:
                # of another version: what was typed in the grid is still there
                self.said.setText(str(err))
        self.logs = list(kept.get("recordings", []))
        self.recorder.set_method(kind, self._key())
        self.picture.show_kind(kind.ID)
        self._set_chart()
        self.purpose.setText(kind.PURPOSE)
        self.care.setText(f"{kind.CARE} {DEFERS}")
        self._fill_form()
        self.right.removeWidget(self.grid)
        self.grid.hide()
        self.grid.deleteLater()
        self.grid = ReadingGrid(kind.READING)
        self.right.addWidget(self.grid)
        self.grid.set_texts(kept.get("readings", []))
        self.grid.changed.connect(self._work)
        self.grid.setCurrentCell(0, 0)
        self.latitude.setVisible("gravity" in kind.model_fields)
        self.use.setText(
            {
                BareMotor: "Use as this build's motor",
                DrumFriction: "Use as this rig's drum friction",
            }.get(kind, "")
        )
        self.use.setVisible(bool(self.use.text()))
        self.compare.setVisible(kind is BareMotor)
        self._work()
        for name in kept.get("recovered", []):
            self._take_recovered(name)

    def _fill_form(self) -> None:
        while self.form.rowCount():
            self.form.removeRow(0)
        for label, name in self.method.FIELDS:
            self.form.addRow(label, self._field(label, name))

    def _field(self, label: str, name: str) -> QWidget:
        bare, info, optional = annotation(self.method, (name,))

        def commit(value: Any) -> str | None:
            try:
                self.method = changed(self.method, (name,), value)
            except RecordError as err:
                return str(err)
            self._work()
            return None

        if info is None and bare is int:
            count = whole_number(label, self.method, name)
            count.setValue(getattr(self.method, name))
            count.editingFinished.connect(
                lambda: self.said.setText(commit(count.value()) or self.said.text())
            )
            return count
        if info is None:
            choice = QComboBox()
            choice.setAccessibleName(label)
            choice.addItems([str(v) for v in bare.__args__])
            choice.setCurrentText(str(getattr(self.method, name)))
            choice.activated.connect(lambda _i: commit(choice.currentText()))
            return choice
        field = QuantityField(
            info, info.file_unit, commit, optional=optional, measured=bare is Measured, name=label
        )
        field.set_value(getattr(self.method, name))
        return field

    # --- taking what was recorded -----------------------------------------------------------------

    def done(self, result: int) -> None:
        """Closing ends a recording and takes what it holds."""
        self.recorder.end()
        super().done(result)

    def take(self, recording: Recording, source: str) -> bool:
        """Keeps a recording in the logbook; the readings in it go into the grid. Whether it is
        kept.
        """
        if self.desk.book is not None:
            from sparring.logbook import LogbookError

            try:
                name = self.desk.book.keep_recording(
                    recording, {"readings": self.method.ID, "source": source}
                )
            except LogbookError as err:
                self.said.setText(str(err))
                return False
            self.logs.append(name)
        self._into_the_grid(recording, source)
        return True

    def _take_recovered(self, name: str) -> None:
        """A recording that a crash cut off, which the logbook found when it was opened."""
        from sparring.logbook.recordings import RecordingError

        assert self.desk.book is not None
        self.logs.append(name)
        try:
            self._into_the_grid(self.desk.book.recording(name), "the recording that was cut off")
        except RecordingError as err:
            self.said.setText(str(err))

    def _into_the_grid(self, recording: Recording, source: str) -> None:
        try:
            readings = self.method.from_log(self.recorder.as_true(recording))
        except ValueError as err:
            self.said.setText(f"{source}: {err}.")
            self._keep()
            return
        self._know_the_instruments(recording)
        self._fill_form()
        self.grid.add(readings)

    def _know_the_instruments(self, recording: Recording) -> None:
        """What the readings' form does not say yet of the instruments, as the rig knows them."""
        sensors, known = self.desk.rig.sensors, type(self.method).model_fields
        accuracies = {name: meters.accuracy(sensors, name) for name in meters.METERS}
        # its force is that calibration's
        if (cell := self.desk.rig.calibration) is not None and recording.has("cell"):
            line = calibration.fit(cell, self.desk.rig.gravity.value)
            accuracies["scale"] = accuracies["balances"] = (
                2 * std(line.slope) / abs(nominal(line.slope))
            )
        for name, accuracy in accuracies.items():
            if name in known and getattr(self.method, name) == 0:
                self.method = changed(self.method, (name,), float(f"{accuracy:.2g}"))
        if (
            isinstance(self.method, DrumFriction)
            and self.method.constant.value == 0
            and not recording.has("torque")
        ):
            try:
                self.method = self.method.with_motor(
                    inputs_of(self.desk.build, self.desk.rig).motor
                )
            except ValueError as err:
                # the build's motor contradicts itself: its constant is typed then
                self.said.setText(str(err))

    def _set_chart(self) -> None:
        """The picture of the readings, for the ways that have one."""
        if self.chart is not None:
            self.below.removeWidget(self.chart)
            self.chart.deleteLater()
            self.chart = None
        if self.method.PICTURE:
            from sparring.ui.readings.chart import ReadingChart

            self.chart = ReadingChart(self.desk, self.method)
            self.below.addWidget(self.chart, 2)

    # --- working out ------------------------------------------------------------------------------

    def _work(self) -> None:
        """Reduces what is typed, at each change."""
        self.judged = None
        try:
            readings = self.grid.readings()
            if self.chart is not None:
                self.chart.show_readings(readings)
            self.judged = self.method.reduce(readings)
            if self.chart is not None:
                self.chart.show_curve(self.method.curve(readings))
        except (ValueError, ZeroDivisionError) as err:
            self.results.fill([])
            if self.chart is not None:
                self.chart.show_curve(None)
                if not self.grid.texts():
                    self.chart.show_readings([])
            self.said.setText(str(err) if str(err) else "A figure is zero that may not be.")
            self._keep()
            return
        rows = []
        for r in self.judged.results:
            shares = budget(r.value)[:2]
            unit = self.desk.units[r.kind]
            small = r.kind == "inertia" and abs(nominal(r.value)) < 1e-3
            shown = quantity.show(
                nominal(r.value), r.kind, "g·cm²" if small else unit, u=std(r.value) or None
            )
            repeats = f"{100 * r.scatter:.2g} % of {r.repeats}" if r.scatter is not None else ""
            rows.append(
                [
                    r.label,
                    shown,
                    repeats,
                    ", ".join(f"{s.name} {100 * s.share:.0f} %" for s in shares),
                ]
            )
        self.results.fill(rows)
        self.results.setColumnHidden(2, not any(row[2] for row in rows))
        signs = {"wrong": "Cannot be: ", "caution": "Caution: ", "note": "", "good": ""}
        self.said.setText(
            "\n".join(
                f"{signs[f.severity]}{f.title}. {explain(f, self.desk.units)} {f.why}"
                for f in self.judged.findings
            )
            or "± is the 95 % half-width (k = 2)."
        )
        self._keep()

    def _ask_latitude(self) -> None:
        if (gravity := ask_gravity(self)) is not None:
            self.set_gravity(gravity)

    def set_gravity(self, gravity: Measured) -> None:
        self.method = changed(self.method, ("gravity",), gravity)
        for r, (_, name) in enumerate(self.method.FIELDS):
            if name == "gravity":
                item = self.form.itemAt(r, QFormLayout.ItemRole.FieldRole)
                field = item.widget() if item else None
                if isinstance(field, QuantityField):
                    field.set_value(self.method.gravity)  # type: ignore[attr-defined]
        self._work()

    def _use(self) -> None:
        """What came out becomes the build's motor, or the hoist's drum friction."""
        desk, method = self.desk, self.method
        try:
            readings: list[Any] = list(self.grid.readings())
            if isinstance(method, BareMotor):
                reason = desk.edit(
                    "build",
                    ("motor",),
                    method.as_readings(readings, desk.build.motor),
                    "measured motor",
                )
                what = f"{desk.build.name} has this motor now"
            elif isinstance(method, DrumFriction):
                if not isinstance(desk.rig.method, Hoist):
                    raise ValueError(f"{desk.rig.name} is no hoist; choose one on Rig first")
                reason = desk.edit(
                    "rig",
                    ("method", "bearing"),
                    method.as_friction(readings),
                    "measured drum friction",
                )
                what = f"{desk.rig.name} has this drum friction now"
            else:
                return
        except ValueError as err:
            self.said.setText(str(err))
            return
        self.said.setText(reason or f"{what}; Ctrl+Z takes it back.")

    def _compare_motors(self) -> None:
        """The motors measured for all builds, side by side, and whether they differ by more than
        their readings leave open.
        """
        book = self.desk.book
        if book is None:
            return
        measured: list[tuple[str, motors.Motor]] = []
        for build_id, build in book.builds():
            kept = book.setting(self._key(build_id)) or {}
            try:
                way = BareMotor.from_json(json.dumps(kept.get("method", {})))
                grid = ReadingGrid(MotorReading)
                grid.set_texts(kept.get("readings", []))
                line = way.line(grid.readings())[0]  # type: ignore[arg-type]
                measured.append((build.name, line))
            except (RecordError, ValueError):
                continue  # not measured, or not to be read
        self.said.setText(compare(measured, self.desk.units))
