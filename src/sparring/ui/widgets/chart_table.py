"""A chart's figures as a table: for whoever does not see the chart, or wants a figure of it."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sparring.ui.widgets.parts import Table

_MOST = 2000  # lines; longer recordings are thinned evenly


def figure(value: Any) -> str:
    """As tables have it: six digits, words as they are."""
    return value if isinstance(value, str) else f"{value:.6g}"


class ChartTable(QDialog):
    """One line a point. Esc closes it."""

    def __init__(self, name: str, head: list[str], lines: list[list[Any]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(name)
        self.resize(min(160 + 110 * len(head), 900), 480)
        self.table = Table(head, name)
        every = max(1, math.ceil(len(lines) / _MOST))
        self.table.fill([[figure(v) for v in line] for line in lines[::every]])
        QVBoxLayout(self).addWidget(self.table)
