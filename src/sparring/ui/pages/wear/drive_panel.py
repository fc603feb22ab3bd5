"""What is known of the whole drive at an inspection: what it has done, and what was measured before
it was opened.
"""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from sparring.core.quantity import Measured
from sparring.core.records import annotation
from sparring.core.wear.inspection import Inspection
from sparring.core.wear.look_at import mesh_work
from sparring.ui.model.desk import Desk
from sparring.ui.pages.wear.rates import rough
from sparring.ui.widgets.form import Form
from sparring.ui.widgets.parts import Column, Table, heading, note
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

_DONE = (
    ("Turns of the output, elsewhere", "elsewhere_turns"),
    ("Work out of it, elsewhere", "elsewhere_work"),
    ("Hours driven", "hours"),
    ("Most torque it saw", "peak_torque"),
)
_BEFORE = (
    ("Backlash", "play"),
    ("Wind-up stiffness", "windup"),
    ("Break-away torque", "break_away"),
    ("Gearbox efficiency", "efficiency"),
    ("… at the torque", "at_load"),
    ("Ripple of the mesh", "ripple"),
    ("Temperature", "temperature"),
)
_UNITS = {"elsewhere_work": "kJ", "hours": "h", "elsewhere_turns": ""}
_ALLOWED = [
    ("Thinning of a flank", ("allowed", "thinning")),
    ("Backlash at the output", ("allowed", "play")),
    ("Gearbox efficiency left", ("allowed", "efficiency")),
    ("Torque of the duty", ("allowed", "duty_torque")),
    ("Speed of the duty", ("allowed", "duty_speed")),
    ("Teeth as made, ±", ("tooth_tolerance",)),
]


_LABELS = 200  # [px]


class DrivePanel(Column):
    """Fields of the inspection, and what the build may lose."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        inner = QWidget()
        self.setWidget(inner)
        for ground in (inner, self.viewport()):
            if ground is not None:
                ground.setAutoFillBackground(False)
        column = QVBoxLayout(inner)
        column.setContentsMargins(2, 4, 6, 4)
        column.setSpacing(4)
        self.tests = note("")
        column.addWidget(heading("Done since it was new"))
        column.addWidget(self.tests)
        self.fields: dict[str, QuantityField] = {}
        column.addLayout(self._grid(_DONE))
        column.addWidget(heading("Before it was opened"))
        column.addLayout(self._grid(_BEFORE))
        self.note = QLineEdit()
        self.note.setAccessibleName("Note on the inspection")
        self.note.setPlaceholderText("note on the inspection")
        self.note.editingFinished.connect(self._noted)
        column.addWidget(self.note)
        column.addWidget(heading("What each mesh has done"))
        self.meshes = Table(["mesh", "turns", "work, kJ", "heat, kJ"], "What each mesh has done")
        self.meshes.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        column.addWidget(self.meshes)
        column.addWidget(heading("What it may lose, and its duty"))
        allowed = Form(desk, "build", list(_ALLOWED))
        allowed.align(_LABELS)
        column.addWidget(allowed)
        column.addStretch(1)

    def _grid(self, rows: tuple[tuple[str, str], ...]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(0, _LABELS)
        for n, (words, name) in enumerate(rows):
            bare, info, optional = annotation(Inspection(), (name,))
            assert info is not None
            field = QuantityField(
                info,
                _UNITS.get(name) or self._unit(info.kind, name),
                partial(self._put, name, words, bare is Measured),
                optional=optional,
                measured=bare is Measured,
                name=words,
            )
            self.fields[name] = field
            grid.addWidget(Label(words), n, 0)
            grid.addWidget(field, n, 1)
        return grid

    def _unit(self, kind: str, name: str) -> str:
        return _UNITS[name] if name in _UNITS else self.desk.units.get(kind, "%")

    def _put(self, name: str, words: str, measured: bool, value: Any) -> str | None:
        if not measured and isinstance(value, Measured):
            value = value.value
        return self.desk.edit_look((name,), value, words.lower())

    def _noted(self) -> None:
        if self.note.isModified():
            self.desk.edit_look(("note",), self.note.text().strip()[:2000], "note")

    def _show_meshes(self, look: Inspection) -> None:
        turns = look.turns.value + look.elsewhere_turns.value
        work = look.work.value + look.elsewhere_work.value
        rows = [
            [m.mesh, rough(m.turns), rough(m.work / 1e3), rough(m.heat / 1e3)]
            for m in mesh_work(self.desk.build, turns, work)
        ]
        self.meshes.fill(rows)
        self.meshes.setFixedHeight(34 + 22 * len(rows))

    def refresh(self) -> None:
        look = self.desk.look
        for name, field in self.fields.items():
            field.setEnabled(look is not None)
            field.set_value(
                getattr(look, name) if look is not None else None,
                None if name in _UNITS else self._unit(field.info.kind, name),
            )
        self.note.setEnabled(look is not None)
        if look is None:
            self.meshes.fill([])
            self.tests.setText("")
            return
        self.note.setText(look.note)
        self._show_meshes(look)
        turns = f"{look.turns.value:,.0f}".replace(",", "\u202f")
        self.tests.setText(
            f"By its tests here: {turns} turns, {look.work.value / 1e3:.3g} kJ, "
            f"{look.starts or 0} starts; what it did elsewhere comes to that."
        )
