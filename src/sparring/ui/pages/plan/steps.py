"""The steps as a table, and the selected one's fields beneath it."""

from __future__ import annotations

from typing import Any, get_args

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from sparring.core.outlook.foresee import Foreseen
from sparring.core.plan import PlanStep
from sparring.core.plan.record import STILL, Kind
from sparring.core.quantity import Measured
from sparring.core.records import Q, in_words
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Choice, Count
from sparring.ui.widgets.parts import Table
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

_HEAD = ("step", "load", "drive", "runs", "expected", "winding", "limit near", "measured")
_KINDS: tuple[Kind, ...] = get_args(Kind)


class Steps(QWidget):
    """Shows and edits the desk's steps. `chosen(id)` when another is selected."""

    chosen = pyqtSignal(int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.step: int | None = None  # id of the selected one
        self._row = 0  # where it stands
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.table = Table(list(_HEAD), "Steps", 4, left=(6,))
        self.table.itemSelectionChanged.connect(self._selected)
        column.addWidget(self.table, 1)
        self.form = StepForm(desk)
        column.addWidget(self.form)

    def refresh(self, next_step: int | None) -> None:
        d = self.desk
        d_units = d.units
        self.table.head(
            [
                "step",
                f"load, {d_units['mass']}" if d.rig.method.weighed() else "load",
                "drive",
                "runs",
                f"expected,\n{d_units['speed']}",
                "winding",
                "limit near",
                f"measured,\n{d_units['speed']}",
            ]
        )
        rows, plan = d.outlook().rows, d.todo
        done: dict[int, int] = {}
        for lift in d.done_lifts():
            done[lift.step] = done.get(lift.step, 0) + 1
        found = {s.points[0].run.step: s for s in d.result.running} if d.result else {}
        texts = []
        for n, s in enumerate(plan.steps, start=1):
            row, count = rows.get(s.id), done.get(s.id, 0)
            mark = "▸ " if s.id == next_step else "✓ " if count >= s.repeats else ""
            texts.append(
                [
                    f"{mark}{n}{self._kind(s)}",
                    self._load(s),
                    d.drive_name(s) or "–",
                    "excluded" if s.excluded else f"{count}/{s.repeats}",
                    *self._expects(row),
                    d.show(found[s.id].speed, "speed", u=False, decimals=1, with_unit=False)
                    if s.id in found
                    else "–",
                ]
            )
        self.table.blockSignals(True)
        self.table.fill(texts)
        ids = [s.id for s in plan.steps]
        if self.step is None:
            self.step = next_step if next_step in ids else ids[0]
        elif self.step not in ids:  # changed, and so another one in the same place
            self.step = ids[min(self._row, len(ids) - 1)]
        self._row = ids.index(self.step)
        self.table.selectRow(ids.index(self.step))
        self.table.blockSignals(False)
        self.form.show_step(self.desk.plan.step(self.step))

    def _kind(self, s: PlanStep) -> str:
        told = "" if s.kind == "measure" else f"  {in_words(s.kind)}"
        return told + (f" ({s.part})" if s.part else "")

    def _load(self, s: PlanStep) -> str:
        """Without its unit, which stands in the head."""
        told = self.desk.load_name(s) if s.kind not in STILL else "–"
        return told.removesuffix(self.desk.units["mass"]).rstrip()

    def _expects(self, row: Foreseen | None) -> list[str]:
        d = self.desk
        if row is None or row.step.kind in STILL:
            return ["–", "–", "–"]
        speed = d.show(Measured(row.speed, row.u_speed), "speed", with_unit=False)
        share = row.danger(d.rig.method.HELD) or "–"
        winding = f"{row.winding - 273.15:.0f} °C" if d.build.has_motor else "–"
        return ["stalls" if row.stalls > 0.5 else speed, winding, share]

    def _selected(self) -> None:
        items = self.table.selectedItems()
        if items:
            self.choose(self.desk.todo.steps[items[0].row()].id)

    def choose(self, id: int) -> None:
        """Selects a step."""
        ids = [s.id for s in self.desk.todo.steps]
        if id not in ids:
            return
        self.step, self._row = id, ids.index(id)
        self.table.blockSignals(True)
        self.table.selectRow(ids.index(id))
        self.table.blockSignals(False)
        self.form.show_step(self.desk.plan.step(id))
        self.chosen.emit(id)

    # --- what is done with the selected step ------------------------------------------------------

    def exclude(self) -> None:
        """Excludes the selected step from what is to be done, or restores it."""
        step = self._own()
        if step is not None:
            text = "a step restored" if step.excluded else "a step excluded"
            self._say(self.desk.change_step(step.id, text, excluded=not step.excluded))

    def shift(self, by: int) -> None:
        """Moves the selected step up (-1) or down (1)."""
        steps, step = list(self.desk.plan.steps), self._own()
        if step is None:
            return
        at = steps.index(step)
        if 0 <= at + by < len(steps):
            steps[at], steps[at + by] = steps[at + by], steps[at]
            self.step, self._row = -1, at + by  # it stays the selected one
            self._say(self.desk.lay_steps(steps, "order of the steps"))

    def double(self) -> None:
        """Adds a copy of the selected step behind it."""
        steps, step = list(self.desk.plan.steps), self._own()
        if step is not None:
            at = steps.index(step) + 1
            self._say(self.desk.lay_steps([*steps[:at], step, *steps[at:]], "a further step"))

    def remove(self) -> None:
        """Takes the selected step out of the plan; its runs stay."""
        step = self._own()
        rest = [s for s in self.desk.plan.steps if s is not step]
        if step is not None:
            self._say(self.desk.lay_steps(rest, "a step less") if rest else "a plan has one step")

    def _own(self) -> PlanStep | None:
        """The selected step, as the plan has it."""
        step = None if self.step is None else self.desk.plan.step(self.step)
        if step is None:
            self.desk.said.emit("This step follows from the rig; change the line above instead.")
        return step

    def _say(self, reason: str | None) -> None:
        if reason:
            self.desk.said.emit(reason)


class StepForm(QWidget):
    """The fields of one step, beside one another."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.step: PlanStep | None = None
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(2)
        self.kind = Choice()
        self.kind.addItems([in_words(k) for k in _KINDS])
        self.kind.setAccessibleName("Kind of step")
        self.kind.activated.connect(lambda n: self._put("kind of step", **self._of_kind(_KINDS[n])))
        self.load = self._quantity("Load", Q("mass", "kg", least=0.0), "load", measured=True)
        self.resistor = self._quantity("Resistor", Q("resistance", "Ω", above=0.0), "resistor")
        self.voltage = self._quantity("Voltage", Q("voltage", "V", above=0.0), "voltage")
        self.speed = self._quantity("Or speed", Q("speed", "rpm", above=0.0), "speed")
        self.repeats = Count()
        self.repeats.setRange(1, 100)
        self.repeats.setButtonSymbols(Count.ButtonSymbols.NoButtons)
        self.repeats.setAccessibleName("Runs of this step")
        self.repeats.editingFinished.connect(self._repeats)
        self.time = self._quantity("Time", Q("time", "s", above=0.0), "time")
        self.part = QLineEdit()
        self.part.setAccessibleName("Part")
        self.part.editingFinished.connect(self._part)
        self._labels: dict[QWidget, Label] = {}
        for n, (label, field) in enumerate(
            (
                ("Kind", self.kind),
                ("Load", self.load),
                ("Resistor", self.resistor),
                ("Voltage", self.voltage),
                ("or speed", self.speed),
                ("Runs", self.repeats),
                ("Time", self.time),
                ("Part", self.part),
            )
        ):
            text = Label(label)
            text.setBuddy(field)
            self._labels[field] = text
            field.setMinimumWidth({self.load: 168, self.kind: 84}.get(field, 56))
            grid.addWidget(text, 0, n)
            grid.addWidget(field, 1, n)

    def _quantity(self, name: str, info: Q, field: str, *, measured: bool = False) -> QuantityField:
        def commit(value: Any) -> str | None:
            if self.step is None:
                return "no step is selected"
            if value is None and field in ("voltage", "speed"):
                return "a step needs a voltage or a speed"
            other = {"voltage": "speed", "speed": "voltage"}.get(field)
            fields = {field: value} | ({other: None} if other else {})
            return self.desk.change_step(self.step.id, f"{name.lower()} of a step", **fields)

        return QuantityField(
            info, info.file_unit, commit, optional=True, measured=measured, name=f"{name} of a step"
        )

    def show_step(self, step: PlanStep | None) -> None:
        """Shows a step's fields; None: it cannot be edited by itself."""
        self.step = step
        self.setEnabled(step is not None)
        if step is None:
            return
        units, method = self.desk.units, self.desk.rig.method
        self.kind.setCurrentIndex(_KINDS.index(step.kind))
        self.load.set_value(step.load, units["mass"])
        self.resistor.set_value(step.resistor)
        self.voltage.set_value(step.voltage)
        self.speed.set_value(step.speed, units["speed"])
        self.repeats.setValue(step.repeats)
        self.time.set_value(step.time)
        if not self.part.isModified():
            self.part.setText(step.part)
        driven, own = step.kind not in STILL, self.desk.build.has_motor
        self._labels[self.speed].setText("or speed" if own else "Speed")
        weights = bool(method.STEP) and method.SET_BY[1] == "mass"
        for field, shown in (
            (self.load, driven and weights and step.kind != "first power"),
            (self.resistor, driven and bool(method.STEPS[0])),
            (self.voltage, driven and (own or step.voltage is not None)),
            (self.speed, driven),
            (self.repeats, driven),
            (self.time, step.kind in ("hold", "run in", "cool down")),
            (self.part, step.kind in ("to failure", "inspect")),
        ):
            field.setVisible(shown)
            self._labels[field].setVisible(shown)

    def _of_kind(self, kind: Kind) -> dict[str, Any]:
        """What goes with another kind of step."""
        assert self.step is not None
        fields: dict[str, Any] = {"kind": kind}
        if kind in ("hold", "run in", "cool down"):
            fields["time"] = self.step.time or 60.0
        if kind not in STILL and self.step.voltage is None and self.step.speed is None:
            build = self.desk.build
            if build.has_motor:
                fields["voltage"] = self.desk.top_voltage()
            else:
                fields["speed"] = build.usual_input / abs(build.ratio())
        return fields

    def _put(self, text: str, **fields: Any) -> None:
        if self.step is not None and (
            reason := self.desk.change_step(self.step.id, text, **fields)
        ):
            self.desk.said.emit(reason)
            self.show_step(self.step)

    def _repeats(self) -> None:
        if self.step is not None and self.repeats.value() != self.step.repeats:
            self._put("runs of a step", repeats=self.repeats.value())

    def _part(self) -> None:
        if self.part.isModified():
            self.part.setModified(False)
            self._put("part of a step", part=self.part.text().strip()[:80])


def buttons(steps: Steps) -> QHBoxLayout:
    """What is done with the selected step, by mouse."""
    row = QHBoxLayout()
    row.setSpacing(4)
    for text, name, act in (
        ("▲", "Move the step up", lambda: steps.shift(-1)),
        ("▼", "Move the step down", lambda: steps.shift(1)),
        ("Copy", "Copy the step", steps.double),
        ("Exclude", "Exclude the step, or restore it", steps.exclude),
        ("Remove", "Remove the step", steps.remove),
    ):
        button = QPushButton(text)
        button.setAccessibleName(name)
        button.setToolTip(name)
        button.clicked.connect(lambda _on, act=act: act())
        row.addWidget(button)
    return row
