"""A chart's figures as a table: for whoever does not see the chart, or wants a figure of it."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sparring.ui.widgets.parts import Table

_MOST = 2000  # lines; longer recordings are thinned evenly


class ChartTable(QDialog):
    """One line a point. Esc closes it."""

    def __init__(
        self, name: str, head: list[str], lines: list[list[float]], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(name)
        self.resize(min(160 + 110 * len(head), 900), 480)
        self.table = Table(head, name)
        every = max(1, math.ceil(len(lines) / _MOST))
        self.table.fill([[f"{v:.6g}" for v in line] for line in lines[::every]])
        QVBoxLayout(self).addWidget(self.table)
