"""The figures that a test is asked for, beneath the chart."""

from __future__ import annotations

from sparring.core.performance.figures import Figure, figures
from sparring.core.performance.whole import Whole
from sparring.core.quantity import Measured
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.parts import Table


class FigureTable(Table):
    """A line a figure; those of one voltage together."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(["at", "figure", "value", "note"], "Key figures", 2, left=(1, 3))
        self.desk = desk

    def put(self, found: Whole) -> None:
        if found.model is not None:
            told = figures(found.model, found.curves, found.stalls)
            self.fill([self._row(f) for f in told])

    def _row(self, f: Figure) -> list[str]:
        value = self.desk.show(Measured(f.value, f.u) if f.u > 0 else f.value, f.kind)
        at = [
            self.desk.three(x, kind)
            for x, kind in ((f.torque, "torque"), (f.speed, "speed"))
            if x is not None
        ]
        where = f"at {', '.join(at)}" if at else ""
        told = "; ".join(text for text in (where, f.note) if text)
        return [f"{f.voltage:.4g} V" if f.voltage else "", f.what, value, told]
