"""What is known of the drive: its figures as entered, and as its runs have corrected them."""

from __future__ import annotations

from sparring.core import quantity
from sparring.core.outlook.drive import Parameter
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import Table


class Figures(Table):
    """Before and now, each with its ±."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(["figure", "as entered", "by the runs so far"], "Figures of the drive", 1)
        self.desk = desk

    def refresh(self) -> None:
        drive = self.desk.drive()
        self.fill(
            [
                [before.name, self._shown(before), self._shown(now) if drive.mean.any() else "–"]
                for before, now in zip(drive.prior, drive.now, strict=True)
            ]
        )

    def _shown(self, p: Parameter) -> str:
        unit = "" if p.kind == "ratio" else quantity.kind_of(p.kind).default
        if p.kind == "speed":
            unit = self.desk.units["speed"]
        return quantity.show(p.value, p.kind, unit, u=p.u or None)
