"""The same thing measured of several parts, side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sparring.core.characterise.compare import Named, apart
from sparring.ui.widgets.measured import shown
from sparring.ui.widgets.parts import Table, note


class Compared(QDialog):
    """A line a figure, a column a record; below, what differs beyond its doubt."""

    def __init__(
        self, title: str, measured: Sequence[Named], units: Mapping[str, str], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Compared: {title.lower()}")
        self.resize(900, 320)
        column = QVBoxLayout(self)
        figures = {r.id: r.label for _, judged in measured for r in judged.results}
        self.table = Table(["", *(name for name, _ in measured)], "Compared")
        self.table.fill(
            [
                [
                    label,
                    *(
                        next((shown(r, units) for r in judged.results if r.id == id), "")
                        for _, judged in measured
                    ),
                ]
                for id, label in figures.items()
            ]
        )
        column.addWidget(self.table, 1)
        differs = apart(measured)
        self.said = note(
            f"{'; '.join(differs)}." if differs else "The differences are not significant (k = 2)."
        )
        column.addWidget(self.said)
