"""Text on the screen as it is: names come from files of others, and none of them is ever taken for
markup.
"""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel as _QLabel  # noqa: TID251
from PyQt6.QtWidgets import QWidget

from sparring.core.quantity import unbroken


class Label(_QLabel):
    """A label that shows what it is given, letter by letter; no line ends between a figure and its
    unit.
    """

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(unbroken(text), parent)
        self.setTextFormat(Qt.TextFormat.PlainText)

    def setText(self, text: str | None) -> None:
        super().setText(unbroken(text or ""))

    def text(self) -> str:
        """What it was given."""
        return super().text().replace("\N{NO-BREAK SPACE}", " ")


def tip(text: str) -> str:
    """A text for a tool tip, of which Qt guesses whether it is markup; long ones are broken into
    lines.
    """
    return f"<span>{escape(unbroken(text))}</span>".replace("\n", "<br>") if text else ""
