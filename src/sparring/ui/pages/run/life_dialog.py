"""Laying out a life test: its duty cycle, what ends it, on which bench."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from sparring.core import quantity
from sparring.core.endurance import Endurance, Phase, stops
from sparring.core.instruments.devices import DeviceSet
from sparring.core.records import RecordError, problems
from sparring.endurance.process import SIMULATED
from sparring.files import record_files
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import heading, note, press
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.text_table import TextTable

_ENDS = (  # (label, field, kind, unit)
    ("Driven for", "hours", "time", "h"),
    ("Turns of the output", "turns", "", ""),
    ("Work out", "work", "energy", "kJ"),
    ("Loss of efficiency", "efficiency_loss", "ratio", "%"),
    ("Play at a reversal", "backlash", "angle", "deg"),
    ("Motor temperature", "temperature", "temperature", "°C"),
)
_FIELD = 110  # [px] the least for a figure with its unit
_KEPT, _DEVICES = "endurance", "devices"  # settings of the logbook


class LifeDialog(QDialog):
    """Accepted: `plan` is to be done on `devices`."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.plan, self.devices = _kept(desk), DeviceSet(devices=(SIMULATED,))
        self.setWindowTitle("Life test")
        self.resize(760, 640)
        column = QVBoxLayout(self)
        column.addWidget(
            note(
                "A cycle is done over and over, in a process of its own that goes on when this"
                " window is closed. Each driven phase is a run; a voltage of 0 is off, a negative"
                " one reverses it."
            )
        )
        top = QFormLayout()
        self.name = QLineEdit()
        self.bench = Choice()
        self.bench.addItem("Simulated bench", None)
        if (known := _devices(desk)) is not None:
            self.bench.addItem(f"Devices: {', '.join(d.name for d in known.devices)}", known)
        self.bench.activated.connect(self._foresee)
        for label, field in (("Name", self.name), ("Bench", self.bench)):
            field.setAccessibleName(label)
            top.addRow(label, field)
        column.addLayout(top)
        column.addWidget(heading("Duty cycle"))
        self.duty = TextTable(("time", "voltage", "load", "resistor"), "Duty cycle")
        self.duty.typed.connect(self._foresee)
        column.addWidget(self.duty, 1)
        column.addWidget(heading("It ends at whichever comes first"))
        column.addLayout(self._ends())
        self.foreseen = note("")
        column.addWidget(self.foreseen)
        self.said = Label()
        self.said.setObjectName("wrong")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        column.addLayout(self._buttons())
        self._show()

    def _ends(self) -> QHBoxLayout:
        row = QHBoxLayout()
        left, right = QFormLayout(), QFormLayout()
        self.ends: dict[str, QLineEdit] = {}
        for n, (label, name, _, _) in enumerate(_ENDS):
            field = QLineEdit()
            field.setPlaceholderText("not given")
            field.setAccessibleName(label)
            field.textEdited.connect(self._foresee)
            self.ends[name] = field
            (left if n < 3 else right).addRow(label, field)
        self.fails = QCheckBox("When it stalls, or something breaks")
        self.inspect, self.keep = QLineEdit(), QLineEdit()
        self.inspect.setPlaceholderText("never")
        for label, field in (
            ("Inspection every, cycles", self.inspect),
            ("All samples of every n-th cycle", self.keep),
        ):
            field.setAccessibleName(label)
            field.textEdited.connect(self._foresee)
        left.addRow("Inspection every, cycles", self.inspect)
        right.addRow("All samples of every n-th cycle", self.keep)
        left.addRow(self.fails)
        for field in (*self.ends.values(), self.inspect, self.keep):
            field.setMinimumWidth(_FIELD)
        row.addLayout(left, 1)
        row.addSpacing(16)
        row.addLayout(right, 1)
        return row

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        press(row, ("Open …", self._open), ("Save …", self._save))
        row.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        go = buttons.addButton("Begin", QDialogButtonBox.ButtonRole.AcceptRole)
        if go:
            go.setObjectName("act")
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        row.addWidget(buttons)
        return row

    # --- showing and taking -----------------------------------------------------------------------

    def _show(self) -> None:
        plan = self.plan
        self.name.setText(plan.name)
        rows = []
        for p in plan.duty:
            load = "" if p.load is None else quantity.measured_text(p.load, "mass", "kg")
            resistor = "" if p.resistor is None else quantity.text(p.resistor, "resistance", "Ω")
            time, volts = quantity.text(p.time, "time", "s"), quantity.text(p.voltage, "voltage")
            rows.append([time, volts, load, resistor])
        self.duty.fill(rows)
        for _, name, kind, unit in _ENDS:
            value = getattr(plan, name)
            shown = f"{value:g}" if not kind and value is not None else ""
            self.ends[name].setText(
                shown if value is None or not kind else quantity.text(value, kind, unit)
            )
        self.fails.setChecked(plan.to_failure)
        self.inspect.setText("" if plan.inspect_every is None else str(plan.inspect_every))
        self.keep.setText(str(plan.keep_every))
        self._foresee()

    def typed(self) -> Endurance:
        """What is in the fields. Raises RecordError."""
        from pydantic import ValidationError

        keys = ("time", "voltage", "load", "resistor")
        told: dict[str, Any] = {
            "name": self.name.text().strip(),
            "duty": [
                {k: v for k, v in zip(keys, row, strict=True) if v} for row in self.duty.rows()
            ],
            "to_failure": self.fails.isChecked(),
            "inspect_every": _whole(self.inspect.text(), "Inspection every"),
            "keep_every": _whole(self.keep.text(), "All samples of every n-th cycle") or 100,
        }
        for label, name, kind, _ in _ENDS:
            text = self.ends[name].text().strip()
            told[name] = (text if kind else _whole(text, label)) if text else None
        try:
            return Endurance.model_validate(told)
        except ValidationError as err:
            raise RecordError(problems(err, "")) from err

    def _foresee(self, *_: object) -> None:
        try:
            plan = self.typed()
        except RecordError as err:
            self.foreseen.setText("")
            self.said.setText(str(err))
            return
        self.said.setText("")
        a_day = 86400 / plan.lasts
        words = [
            f"A cycle lasts {plan.lasts:g} s, {plan.driven:g} s of it driven: {a_day:.0f} a day."
        ]
        found = stops(plan)
        if found and found[-1].what == "end":
            words.append(f"It ends after {found[-1].cycle} cycles, {_days(found[-1].seconds)}.")
        if found and found[0].what == "inspection":
            words.append(f"The first inspection comes after {_days(found[0].seconds)}.")
        if self.bench.currentData() is not None and self.desk.rig.method.CELL:
            words.append("Take all load off the load cell now: it is tared when it begins.")
        self.foreseen.setText(" ".join(words))

    def _accept(self) -> None:
        try:
            self.plan = self.typed()
        except RecordError as err:
            self.said.setText(str(err))
            return
        if self.bench.currentData() is not None:
            self.devices = self.bench.currentData()
            if not self.desk.rig.care_confirmed:
                self.said.setText("Confirm the care notes first: on Rig, under Checks.")
                return
        if self.desk.book:
            self.desk.book.set_setting(_KEPT, self.plan.to_json())
        self.accept()

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a life test", "", "Life tests (*.json)")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """The life test of a file."""
        try:
            self.plan = record_files.load(path, Endurance)
        except RecordError as err:
            self.said.setText(str(err))
            return
        self._show()

    def _save(self) -> None:
        try:
            plan = self.typed()
        except RecordError as err:
            self.said.setText(str(err))
            return
        name, _ = QFileDialog.getSaveFileName(self, "Save this life test", "life-test.json")
        if name:
            try:
                record_files.save(Path(name), plan)
            except RecordError as err:
                self.said.setText(str(err))


def _days(seconds: float) -> str:
    if seconds < 3600:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h" if seconds < 2 * 86400 else f"{seconds / 86400:.1f} days"


def _whole(text: str, label: str) -> int | None:
    if not text.strip():
        return None
    try:
        return int(text)
    except ValueError:
        raise RecordError(f"{label}: “{text.strip()}” is not a whole number") from None


def _kept(desk: Desk) -> Endurance:
    """The newest of this logbook; else one at the plan's load and voltage."""
    text = desk.book.setting(_KEPT) if desk.book else None
    try:
        if text:
            return Endurance.from_json(str(text))
    except RecordError:
        pass
    loads = desk.plan.loads
    load = loads[len(loads) // 2] if loads else None
    return Endurance(duty=(Phase(voltage=desk.top_voltage(), load=load), Phase(voltage=0.0)))


def _devices(desk: Desk) -> DeviceSet | None:
    text = desk.book.setting(_DEVICES) if desk.book else None
    try:
        return DeviceSet.from_json(str(text)) if text else None
    except RecordError:
        return None
