"""What was measured of the parts on the desk: a line a record, opened with Enter."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.characterise.base import Part, Result
from sparring.core.uncertainty import nominal, std
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import Table, note
from sparring.ui.widgets.plain import tip

if TYPE_CHECKING:
    pass

if TYPE_CHECKING:
    from sparring.logbook.characterised import Characterisation

_FIGURES = 3  # of a record, in its line


def shown(result: Result, units: Mapping[str, str]) -> str:
    """A figure with its ±, in the units of the desk."""
    small = result.kind == "inertia" and abs(nominal(result.value)) < 1e-3
    unit = "g·cm²" if small else units[result.kind]
    return quantity.show(nominal(result.value), result.kind, unit, u=std(result.value) or None)


class MeasuredList(QWidget):
    """Of those `parts`. measure: opens the dialog at a record; 0: at a new one."""

    def __init__(self, desk: Desk, parts: Sequence[Part], measure: Callable[[int], None]) -> None:
        super().__init__()
        self.desk, self.parts, self.measure = desk, parts, measure
        self._ids: list[int] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        head = ["of", "measured", "day", "figures"]
        self.table = Table(head, "Measured", 3, left=(1, 2, 3), wraps=True)
        self.table.setToolTip(tip("Enter or a double-click opens it."))
        self.table.activated.connect(lambda at: measure(self._ids[at.row()]))
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.begin = QPushButton("Measure … (Ctrl+H)")
        self.begin.clicked.connect(lambda: measure(0))
        row.addWidget(self.begin)
        self.none = note("No measurements yet.")
        row.addWidget(self.none)
        row.addStretch(1)
        column.addLayout(row)
        for signal in (desk.lists_changed, desk.build_changed, desk.rig_changed):
            signal.connect(self.refresh)
        desk.units_changed.connect(self.refresh)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Worked out only while it can be seen."""
        d = self.desk
        if d.book is None or not self.isVisible():
            return
        from sparring.core.characterise import WAYS

        kept = d.book.measured_of(d.build_id, d.rig_id, d.build.motor.name)
        kept = [c for c in kept if c.part in self.parts and c.way in WAYS]
        self._ids = [c.id for c in kept]
        self.table.fill(
            [[c.name, WAYS[c.way].TITLE.split(",")[0], c.day, self._figures(c)] for c in kept]
        )
        self.none.setVisible(not kept)

    def _figures(self, c: Characterisation) -> str:
        from sparring.core.characterise import judged

        try:
            results = judged(c.way, c.dimensions, c.readings).results[:_FIGURES]
        except ValueError:
            return "incomplete"
        return ", ".join(f"{r.label.lower()} {shown(r, self.desk.units)}" for r in results)
