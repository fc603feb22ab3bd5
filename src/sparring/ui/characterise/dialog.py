"""What parts are: readings typed in or recorded, kept as dated records under the part they are of,
results and what they rest on below.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sparring.core.care import DEFERS
from sparring.core.characterise import METHODS, WAYS, Judged, Method, judged
from sparring.core.characterise.base import Part
from sparring.core.characterise.compare import Named
from sparring.core.characterise.drum import DrumFriction
from sparring.core.finding import explain
from sparring.core.instruments import calibration, meters
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import RecordError, annotation, changed
from sparring.core.reduce.inputs import inputs_of
from sparring.core.uncertainty import budget, nominal, std
from sparring.logbook.characterised import Characterisation
from sparring.ui.characterise.compared import Compared
from sparring.ui.characterise.grid import ReadingGrid
from sparring.ui.characterise.picture import ReadingPicture
from sparring.ui.characterise.recorder import ReadingRecorder
from sparring.ui.characterise.records import RecordList
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import whole_number
from sparring.ui.widgets.gravity import ask_gravity
from sparring.ui.widgets.measured import shown
from sparring.ui.widgets.parts import Table, care, heading, note
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

if TYPE_CHECKING:
    from sparring.ui.characterise.chart import ReadingChart


class CharacteriseDialog(QDialog):
    """Every record is there again next time. at: the one to begin with; 0: the newest of what is on
    the desk, else a bare motor.
    """

    CHAPTER = "parts"  # of the guide

    def __init__(
        self, desk: Desk, session: BenchSession, parent: QWidget | None = None, *, at: int = 0
    ) -> None:
        super().__init__(parent)
        self.desk = desk
        # a closed one would go on hearing the bench
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.judged: Judged | None = None
        self.method: Method = METHODS[0]()
        self.kept = self._new(METHODS[0].ID)
        self.setWindowTitle("Part measurements")
        self.resize(1160, 740)
        across = QHBoxLayout(self)
        self.records = RecordList()
        self.records.setFixedWidth(230)
        self.records.chosen.connect(self.open_record)
        self.records.wanted.connect(self.begin)
        self.records.left_out.connect(self._leave_out)
        across.addWidget(self.records)
        column = QVBoxLayout()
        across.addLayout(column, 1)
        head = QHBoxLayout()
        self.title = heading("")
        head.addWidget(self.title)
        self.name, self.remark = QLineEdit(), QLineEdit()
        for label, field in (("of", self.name), ("note", self.remark)):
            head.addWidget(Label(label))
            head.addWidget(field, 1)
            field.editingFinished.connect(self._keep)
        self.name.setAccessibleName("Name of the part")
        self.remark.setAccessibleName("Note")
        column.addLayout(head)
        self.purpose = note("")
        column.addWidget(self.purpose)
        self.care = care("")
        column.addWidget(self.care)
        self.recorder = ReadingRecorder(desk, session, self.take, self._kept_as)
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
        middle.addLayout(left, 6)
        self.right = QVBoxLayout()
        middle.addLayout(self.right, 6)
        column.addLayout(middle, 4)
        column.addWidget(heading("Results"))
        self.results = Table(
            ["", "figure", "repeatability", "uncertainty contributors"],
            "Results",
            3,
            left=(3,),
            wraps=True,
        )
        self.below = QHBoxLayout()
        self.below.addWidget(self.results, 3)
        self.chart: ReadingChart | None = None
        column.addLayout(self.below, 5)
        self.said = Label()
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        column.addLayout(self._buttons())
        self.grid = ReadingGrid(self.method.READING)
        first = at or next((c.id for c in self._of_the_desk()), 0)
        self.open_record(first) if first else self.begin(METHODS[0].ID)

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.latitude = QPushButton("Gravity by latitude …")
        self.latitude.clicked.connect(self._ask_latitude)
        self.use = QPushButton()
        self.use.setObjectName("act")
        self.use.clicked.connect(self._use)
        self.compare = QPushButton("&Compare")
        self.compare.clicked.connect(self._compare)
        done = QPushButton("Close")
        done.clicked.connect(self.accept)
        for button in (self.latitude, self.use, self.compare):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(done)
        for button in (self.latitude, self.use, self.compare, done):  # Enter belongs to the grid
            button.setAutoDefault(False)
        return row

    # --- records ----------------------------------------------------------------------------------

    def _new(self, way: str) -> Characterisation:
        """One of what is on the desk, not kept until something is typed."""
        part: Part = WAYS[way].PART
        d = self.desk
        name = {
            "motor": d.build.motor.name,
            "inertia": "inertia",
            "build": d.build.name,
            "rig": d.rig.name,
        }[part]
        return Characterisation(part, d.rig_id if part == "rig" else d.build_id, name, way)

    def _of_the_desk(self) -> list[Characterisation]:
        """What is measured of the build, its motor and the rig on the desk, the newest first."""
        d = self.desk
        return (
            [] if d.book is None else d.book.measured_of(d.build_id, d.rig_id, d.build.motor.name)
        )

    def begin(self, way: str) -> None:
        """A new record, which takes over the dimensions of the last of its kind."""
        self.recorder.end()
        fresh = self._new(way)
        if self.desk.book is not None:
            before = (c for c in self.desk.book.characterisations() if c.way == way)
            fresh = replace(fresh, dimensions=getattr(next(before, None), "dimensions", {}))
        self._lay(fresh, anew=True)

    def open_record(self, key: int) -> None:
        """Lays a kept record into the dialog."""
        self.recorder.end()
        book = self.desk.book
        found = None if book is None else book.characterisation(key)
        if found is not None and found.way in WAYS:
            self._lay(found)

    def _kept_as(self) -> str:
        """The number under which a recording that a crash cuts off is found again."""
        self._keep(always=True)
        return str(self.kept.id)

    def _keep(self, *, always: bool = False) -> None:
        c = replace(
            self.kept,
            name=self.name.text().strip() or self.kept.name,
            note=self.remark.text().strip(),
            dimensions=json.loads(self.method.to_json()),
            readings=tuple(map(tuple, self.grid.texts())),
        )
        new = not c.id
        if self.desk.book is None or (new and not (c.readings or c.recordings or always)):
            self.kept = c
            return
        if c != self.kept or new:
            from sparring.logbook import LogbookError

            try:
                before, self.kept = self.kept, self.desk.book.save_characterisation(c)
            except LogbookError as err:
                self.said.setText(str(err))
                return
            if new or c.name != before.name:
                self._list()

    def _list(self) -> None:
        if self.desk.book is not None:
            kept = self.desk.book.characterisations(struck=True)
            self.records.fill([c for c in kept if c.way in WAYS], self.kept.id)
            alike = [c for c in kept if c.way == self.kept.way and not c.struck]
            self.compare.setEnabled(len(alike) > 1)

    def _leave_out(self, key: int) -> None:
        """Leaves a record out of lists and comparisons, or takes it back. Nothing is deleted."""
        book = self.desk.book
        found = None if book is None else book.characterisation(key)
        if book is not None and found is not None:
            kept = book.save_characterisation(replace(found, struck=not found.struck))
            if kept.id == self.kept.id:
                self.kept = kept
            self._list()
            self.desk.lists_changed.emit()

    def _lay(self, kept: Characterisation, *, anew: bool = False) -> None:
        """anew: nothing is measured yet, so what the rig tells goes before what is remembered."""
        self.kept, kind = kept, WAYS[kept.way]
        self.method, told = kind(), ""
        try:
            self.method = kind.from_json(json.dumps(kept.dimensions))
        except RecordError as err:  # of another version: what was typed in the grid is still there
            told = str(err)
        if anew:
            self.method = self.method.of_rig(self.desk.rig)
        self.title.setText(kind.TITLE)
        self.name.setText(kept.name)
        self.remark.setText(kept.note)
        self.recorder.set_method(kind)
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
        self.grid.set_texts([list(column) for column in kept.readings])
        self.grid.changed.connect(self._work)
        self.grid.setCurrentCell(0, 0)
        self.latitude.setVisible("gravity" in kind.model_fields)
        use = self.method.belongs(self.desk.build, self.desk.rig)
        self.use.setText(use)
        self.use.setVisible(bool(use))
        self._work()
        self._list()
        self.grid.setFocus()  # a tester begins to type figures
        recovered, self.kept = self.kept.recovered, replace(self.kept, recovered=())
        for name in recovered:
            self._take_recovered(name)
        if told:
            self.said.setText(told)

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
            choice = Choice()
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
        self.desk.lists_changed.emit()
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
            self._took(name)
        self._into_the_grid(recording, source)
        return True

    def _took(self, name: str) -> None:
        """The record names the recording from now on."""
        self.kept = replace(self.kept, recordings=(*self.kept.recordings, name))

    def _take_recovered(self, name: str) -> None:
        """A recording that a crash cut off, which the logbook found when it was opened."""
        from sparring.logbook.recordings import RecordingError

        assert self.desk.book is not None
        self._took(name)
        try:
            self._into_the_grid(self.desk.book.recording(name), "the interrupted recording")
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
            from sparring.ui.characterise.chart import ReadingChart

            self.chart = ReadingChart(self.desk, self.method)
            self.below.addWidget(self.chart, 2)

    # --- working out ------------------------------------------------------------------------------

    def _work(self) -> None:
        """Reduces what is typed, at each change."""
        self.judged = None
        try:
            readings = self.method.typed(self.grid.texts())
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
            self.said.setText(str(err) if str(err) else "A value is zero that must not be.")
            self._keep()
            return
        rows = []
        for r in self.judged.results:
            shares = budget(r.value)[:2]
            repeats = f"{100 * r.scatter:.2g} % of {r.repeats}" if r.scatter is not None else ""
            rows.append(
                [
                    r.label,
                    shown(r, self.desk.units),
                    repeats,
                    ", ".join(f"{s.name} {100 * s.share:.0f} %" for s in shares),
                ]
            )
        self.results.fill(rows)
        self.results.setColumnHidden(2, not any(row[2] for row in rows))
        signs = {"wrong": "Error: ", "caution": "Caution: ", "note": "", "good": ""}
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
        """What came out goes where it belongs, in build or rig."""
        desk = self.desk
        try:
            use = self.method.use(self.method.typed(self.grid.texts()), desk.build, desk.rig)
            reason = desk.edit(use.record, use.path, use.value, f"measured {use.path[-1]}")
        except ValueError as err:
            self.said.setText(str(err))
            return
        done = f"{use.what}; Ctrl+Z undoes it."
        if (draft := desk.draft) is not None:
            done = (
                f"{draft.before.name} has runs: close this dialog, then answer the "
                "question above the page."
            )
        self.said.setText(reason or done)

    def _compare(self) -> None:
        """All that was measured this way, side by side."""
        book = self.desk.book
        if book is None:
            return
        measured: list[Named] = []
        builds = {key: build.name for key, build in book.builds()}
        for c in reversed(book.characterisations()):
            if c.way != self.kept.way:
                continue
            try:
                found = judged(c.way, c.dimensions, c.readings)
            except ValueError:
                continue  # not measured to its end, or not to be read
            # nominally equal motors are told apart by their builds
            of = [c.name, builds.get(c.owner, "")] if c.part == "motor" else [c.name]
            name = ", ".join(part for part in (*of, c.day) if part)
            again = sum(n == name or n.startswith(f"{name} (") for n, _ in measured)
            measured.append((f"{name} ({again + 1})" if again else name, found))
        self.compared = Compared(self.method.TITLE, measured, self.desk.units, self)
        self.compared.show()
