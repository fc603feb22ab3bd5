"""The text of a box to tick."""

from __future__ import annotations

from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QCheckBox

from sparring.ui.widgets.plain import Label


class Clickable(Label):
    """The text of a box to tick, broken where the line is too short."""

    def __init__(self, text: str, box: QCheckBox) -> None:
        super().__init__(text)
        self.box = box
        self.setWordWrap(True)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.box.toggle()
