"""The duty that a drive is wanted for: a task in a tester's words, or segments; supply and life."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.duty.record import Duty
from sparring.core.duty.segment import Segment
from sparring.core.duty.tasks import HoldStill, Lift, SpinUp, Vehicle, Vent
from sparring.core.records import Record
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.form import Form, Path, narrow
from sparring.ui.widgets.list_editor import ListEditor
from sparring.ui.widgets.parts import Column, note, sheet

_TASKS: tuple[tuple[str, type[Record], list[tuple[str, str]]], ...] = (
    (
        "Open a vent",
        Vent,
        [
            ("Width", "width"),
            ("Length", "length"),
            ("Mass", "mass"),
            ("Wind", "wind"),
            ("Held in gusts of", "gust"),
            ("Opens by", "opens"),
            ("Within", "time"),
            ("Held open for", "held"),
            ("Turns per hinge turn", "gearing"),
        ],
    ),
    (
        "Lift a mass",
        Lift,
        [
            ("Mass", "mass"),
            ("Speed", "speed"),
            ("Height", "height"),
            ("Drum diameter", "drum"),
            ("Then held for", "held"),
        ],
    ),
    (
        "Drive a vehicle",
        Vehicle,
        [
            ("Mass", "mass"),
            ("Wheel diameter", "wheel"),
            ("Top speed", "top_speed"),
            ("Rolling resistance", "rolling"),
            ("Slope", "slope"),
            ("Speed on the slope", "slope_speed"),
            ("Time on the flat", "flat_time"),
            ("Time on the slope", "slope_time"),
            ("Drag area", "drag"),
            ("Ground friction", "friction"),
            ("Driven weight", "gripping"),
        ],
    ),
    ("Hold without power", HoldStill, [("Torque", "torque"), ("For", "time")]),
    (
        "Spin an inertia up",
        SpinUp,
        [
            ("Inertia", "inertia"),
            ("To speed", "speed"),
            ("Within", "time"),
            ("Against torque", "torque"),
            ("Kept at speed for", "kept"),
        ],
    ),
)
_SEGMENTS = "Segments"
_REST: list[tuple[str, Path]] = [
    ("Name", ("name",)),
    ("Supply", ("voltage",)),
    ("Current limit", ("current",)),
    ("Source resistance", ("source",)),
    ("Runs", ("control",)),
    ("Room", ("room",)),
    ("Winding at most", ("winding",)),
    ("Cycles a day", ("per_day",)),
    ("Cycles wanted", ("cycles",)),
]


class DutyForm(QWidget):
    """Fields of the duty on the desk; segments: those of a duty without a task, for a place that is
    wider.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._of: type | None = None
        self.form: Form | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        self.which = narrow(Choice())
        self.which.setAccessibleName("Duty")
        self.which.activated.connect(lambda n: desk.lay_duty(int(self.which.itemData(n) or 0)))
        row.addWidget(self.which, 1)
        self.new = QPushButton("New duty")
        self.new.clicked.connect(self.begin)
        row.addWidget(self.new)
        column.addLayout(row)
        self.kind = Choice()
        self.kind.setAccessibleName("Task of the drive")
        self.kind.addItems([*(words for words, _, _ in _TASKS), _SEGMENTS])
        self.kind.activated.connect(self._take_kind)
        column.addWidget(self.kind)
        self.segments = self._segments()
        scroll = Column()
        inner = QWidget()
        inner.setObjectName("plain")
        self._inner = QVBoxLayout(inner)
        self._inner.setContentsMargins(0, 0, 4, 0)
        self._inner.setSpacing(8)
        self.told = note("")
        self._inner.addWidget(self.told)
        self.rest = Form(desk, "duty", _REST)
        self._inner.addWidget(self.rest)
        self.holds = QCheckBox("Holds every load unpowered")
        self.holds.setToolTip("It must not turn back under any torque of the duty")
        self.holds.clicked.connect(self._take_holds)
        self._inner.addWidget(self.holds)
        self._inner.addStretch(1)
        scroll.setWidget(inner)
        column.addWidget(scroll, 1)
        desk.duty_changed.connect(self.refresh)
        desk.units_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Follows the desk's duty."""
        duty = self.desk.duty
        of = type(duty.task) if duty.task is not None else Segment
        if of is not self._of:
            self._make(of)
        self.segments.setVisible(duty.task is None)
        at = next((n for n, (_, task, _) in enumerate(_TASKS) if task is of), len(_TASKS))
        self.kind.setCurrentIndex(at)
        kept = self.desk.duties()
        self.which.clear()
        for key, each in kept.items():
            self.which.addItem(each.name, key)
        if not self.desk.duty_id:
            self.which.addItem(f"{duty.name} (not kept yet)", 0)
        self.which.setCurrentIndex(self.which.findData(self.desk.duty_id))
        self.told.setText(self._asked(duty))
        self.holds.setChecked(duty.holds)

    def _asked(self, duty: Duty) -> str:
        """What the task comes down to at the output."""
        parts = []
        for s in duty.todo:
            words = s.note or s.kind
            torque = self.desk.three(s.torque, "torque")
            if s.kind == "hold":
                parts.append(f"{words}: {torque} held unpowered")
            elif s.kind != "rest":
                speed = self.desk.three(s.speed, "speed")
                parts.append(f"{words}: {torque} at {speed} for {s.time:.3g} s")
        if isinstance(duty.task, Vehicle):
            needed, slips = duty.task.grip()
            force = self.desk.three(needed, "force")
            grip = self.desk.three(slips, "force")
            parts.append(
                f"pull {force}, wheels slip at {grip} whatever the ratio"
                if needed <= slips
                else f"pull {force}, but the wheels slip at {grip}: no drive can"
            )
        return "; ".join(parts) + "." if parts else ""

    def _make(self, of: type) -> None:
        """Fields of another kind of task."""
        self._of = of
        if self.form is not None:
            self._inner.removeWidget(self.form)
            self.form.hide()
            self.form.deleteLater()
            self.form = None
        fields = next((f for _, task, f in _TASKS if task is of), None)
        if fields is None:
            return
        rows: list[tuple[str, Path]] = [(words, ("task", name)) for words, name in fields]
        self.form = Form(self.desk, "duty", rows)
        width = max(self.form.label_width(), self.rest.label_width())
        for form in (self.form, self.rest):
            form.align(width)
        self._inner.insertWidget(0, self.form)

    def _segments(self) -> QWidget:
        frame, column = sheet("Segments of a cycle", margins=8)
        names = ("kind", "torque", "speed", "time", "inertia", "room", "note")
        columns: list[tuple[str, Path]] = [(name.capitalize(), (name,)) for name in names]
        template = Segment.ours(torque=0.5, speed=6.28)
        column.addWidget(
            ListEditor(
                self.desk, ("segments",), template, columns, "Segments of the duty", what="duty"
            )
        )
        return frame

    def _take_holds(self, on: bool) -> None:
        reason = self.desk.edit("duty", ("holds",), on, "holding unpowered")
        if reason:
            self.desk.said.emit(reason)

    def _take_kind(self, n: int) -> None:
        duty = self.desk.duty
        if n < len(_TASKS):
            task = _TASKS[n][1]
            if type(duty.task) is task:
                return
            fields = {"task": task(), "segments": ()}
        elif duty.task is None:
            return
        else:
            fields = {
                "task": None,
                "segments": tuple(_rounded(s, self.desk.units) for s in duty.todo),
            }
        made = duty.model_copy(update=fields)
        reason = self.desk.edit("duty", (), made, "task of the duty")
        if reason:
            self.desk.said.emit(reason)
        self.refresh()

    def begin(self) -> None:
        """A new duty, like the one on the desk."""
        names = {d.name for d in self.desk.duties().values()}
        name = next(f"duty {k}" for k in range(1, 10_000) if f"duty {k}" not in names)
        self.desk.begin_duty(self.desk.duty.model_copy(update={"name": name}))


def _rounded(s: Segment, units: Mapping[str, str]) -> Segment:
    """With no more digits than a person would type in these units."""

    def few(kind: str) -> float:
        unit = units[kind]
        shown = quantity.from_si(getattr(s, kind), unit, kind)
        return quantity.to_si(float(f"{shown:.4g}"), unit, kind)

    return s.model_copy(update={kind: few(kind) for kind in ("torque", "speed")})
