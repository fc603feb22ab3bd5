"""Whether the repeats are enough to find the difference that matters."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core.plan.repeats import power, repeats_for
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

_WANTED = 0.9
_MOST = 100


class Repeats(QWidget):
    """The power of the plan's repeats, with the spread that the test has told so far."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        self.spread = self._field("Spread of repeats", "repeats/spread", 0.009)
        self.difference = self._field("Difference that matters", "repeats/difference", 0.015)
        for n, field in enumerate((self.spread, self.difference)):
            label = Label(field.accessibleName())
            label.setBuddy(field)
            label.setWordWrap(True)
            grid.addWidget(label, n, 0)
            grid.addWidget(field, n, 1)
            field.setMinimumWidth(60)
        column.addLayout(grid)
        self.say = note("")
        column.addWidget(self.say)
        self.use = QPushButton()
        self.use.clicked.connect(self._use)
        column.addWidget(self.use)
        self.needed = 2

    def _field(self, name: str, key: str, default: float) -> QuantityField:
        def commit(value: Measured | None) -> str | None:
            self.desk.settings.setValue(key, value.value if value is not None else default)
            self.refresh()
            return None

        field = QuantityField(Q("ratio", "%", above=0.0, most=1.0), "%", commit, name=name)
        field.set_value(float(self.desk.settings.value(key, default, type=float)))
        return field

    def measured(self) -> float | None:
        """Relative standard deviation of the repeats so far, over all steps that have some."""
        result = self.desk.result
        parts = [
            (s.spread.get("gearbox", s.spread.get("wire_to_shaft")), len(s.points) - 1)
            for s in (result.running if result else [])
        ]
        known = [(x, n) for x, n in parts if x is not None and n > 0]
        freedom = sum(n for _, n in known)
        return math.sqrt(sum(n * x * x for x, n in known) / freedom) if freedom >= 2 else None

    def refresh(self) -> None:
        told = self.measured()
        if told:
            self.spread.set_value(float(f"{told:.2g}"))
        self.spread.setReadOnly(bool(told))
        spread, difference = (
            f._value.value if f._value is not None else 0.01 for f in (self.spread, self.difference)
        )
        now = self.desk.todo.repeats
        try:
            self.needed = min(repeats_for(spread, difference, _WANTED), _MOST)
        except ValueError as err:
            self.say.setText(str(err))
            self.use.setEnabled(False)
            return
        shown = sorted({n for n in (now, self.needed) if n >= 2})
        lines = [f"{n} runs: power {100 * power(n, spread, difference):.0f} %" for n in shown]
        if now < 2:
            lines.insert(0, "One run tells no spread.")
        source = "Spread as measured in this test." if told else "Spread not measured yet."
        self.say.setText("\n".join([*lines, source]))
        self.use.setText(f"Run each step {self.needed} times")
        self.use.setEnabled(now != self.needed)

    def _use(self) -> None:
        steps = [
            s.model_copy(update={"repeats": self.needed}) if s.kind == "measure" else s
            for s in self.desk.plan.steps
        ]
        kept = self.desk.still_answers(f"{self.needed} runs of each step for the difference asked.")
        if reason := self.desk.lay_steps(steps, "repeats", **kept):
            self.desk.said.emit(reason)
