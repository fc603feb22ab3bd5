"""What the plan steps through, in one field: weights, or a generator's resistors; an emptied part
takes its step off.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from sparring.core.quantity import Measured, from_si, parse
from sparring.core.records import Q
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

Values = tuple[Measured, ...]


class StepsField(QWidget):
    """The steps of the plan on the rig's method."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.label = Label()
        row.addWidget(self.label)
        self.line = QuantityLine(self._commit)
        row.addWidget(self.line, 1)
        for signal in (desk.plan_changed, desk.rig_changed, desk.units_changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        d, method = self.desk, self.desk.rig.method
        own, unit = method.STEPS
        what = own.capitalize() or "Weights"
        self.label.setText(what)
        self.line.setAccessibleName(f"{what} of the steps, separated by semicolons")
        example = f"22 {unit}; 13 {unit}; 2*4.7 {unit}" if own else "0.5 kg; 1 kg; 2*310 g + 47 g"
        self.line.setToolTip(tip(f"{what}, separated by semicolons: {example}"))
        if own:
            values = tuple(Measured(v) for v in getattr(method, own))
            self.line.show_values(values, method.SET_BY[1], unit)
        else:
            self.line.show_values(d.plan.loads, "mass", d.units["mass"])

    def _commit(self, values: Values) -> str | None:
        if own := self.desk.rig.method.STEPS[0]:
            kept = tuple(v.value for v in reversed(values))
            return self.desk.edit("rig", ("method", own), kept, own)
        return self.desk.edit("plan", ("loads",), values, "weights")


class QuantityLine(QuantityField):
    """Several quantities of one kind in one field, separated by semicolons."""

    def __init__(self, commit: Callable[[Values], str | None]) -> None:
        self._values: Values = ()
        super().__init__(Q("mass", "kg", above=0.0), "kg", commit)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)

    def show_values(self, values: Values, kind: str, unit: str) -> None:
        self._values, self.unit = values, unit
        self.info = Q(kind, unit, above=0.0)
        if not self.isModified():
            self._show()

    def _show(self) -> None:
        figures = "; ".join(
            f"{from_si(v.value, self.unit, self.info.kind):.6g}" for v in self._values
        )
        self.setText(f"{figures} {self.unit}" if self._values else "")
        self.setCursorPosition(0)
        self.setModified(False)
        self._mark("")

    def parsed(self) -> Values:
        """All that is typed, smallest first. Raises QuantityError."""
        known = {round(v.value, 9): v for v in self._values}
        values = []
        for part in (t for t in self.text().split(";") if t.strip()):
            value = parse(part, self.info.kind, self.unit)
            self.info.check(value.value)
            values.append(known.get(round(value.value, 9), value) if value.u == 0 else value)
        return tuple(sorted(values, key=lambda v: v.value))

    def _take(self) -> str | None:
        values = self.parsed()
        reason = self._commit(values)
        if not reason:
            self._values = values
        return reason

    def _typed(self) -> None:
        try:
            values = self.parsed()
        except ValueError as err:
            self._mark(str(err))
            return
        most = from_si(max((v.value for v in values), default=0.0), self.unit, self.info.kind)
        self._mark(f"= {len(values)} steps up to {most:.3g} {self.unit}")
