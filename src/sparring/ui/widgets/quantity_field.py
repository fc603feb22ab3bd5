"""A field that takes any unit of its kind, arithmetic and ±, and says what it understood."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from sparring.core import quantity
from sparring.core.quantity import Measured, QuantityError
from sparring.core.records import Q
from sparring.ui.theme import theme
from sparring.ui.widgets.plain import Label


class QuantityField(QLineEdit):
    """commit(value) is called with a Measured (or None for an emptied optional field); it returns a
    reason to refuse.

    What was typed is never lost: a refused text stays, with the reason beneath it, until it is
    mended or Escape brings the old value back.
    """

    def __init__(
        self,
        info: Q,
        unit: str,
        commit: Callable[[Any], str | None],
        *,
        optional: bool = False,
        measured: bool = True,
        name: str = "",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.info, self.unit, self.optional, self.measured = info, unit, optional, measured
        self._commit = commit
        self._value: Measured | None = None
        self._note: Label | None = None
        self.setAccessibleName(name)
        self.setMinimumWidth(96)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        if optional:
            self.setPlaceholderText("not given")
        self.textEdited.connect(self._typed)
        self.returnPressed.connect(self.accept)

    def set_value(self, value: Measured | float | None, unit: str | None = None) -> None:
        """Shows a value, unless the tester is typing."""
        self._value = (
            value if isinstance(value, Measured) or value is None else Measured(float(value))
        )
        if unit is not None:
            self.unit = unit
        if not self.isModified():
            self._show()

    def _show(self) -> None:
        self.setText(
            ""
            if self._value is None
            else _nice(self._value, self.info.kind, self.unit, self.measured)
        )
        self.setCursorPosition(0)
        self.setModified(False)
        self._mark("")

    @property
    def value(self) -> Measured | None:
        """What was taken last, with all its digits; the text may show fewer."""
        return self._value

    def read(self) -> Measured | None:
        """What is typed, as a value. Raises QuantityError."""
        text = self.text().strip()
        if not text and self.optional:
            return None
        value = self.understand(text)
        self.info.check(value.value)
        return value

    def understand(self, text: str) -> Measured:
        """What a text says. Raises QuantityError."""
        return quantity.parse(text, self.info.kind, self.unit)

    def accept(self) -> bool:
        """Takes what is typed; False when it is refused (the reason is shown)."""
        if not self.isModified():
            return True
        try:
            reason = self._take()
        except ValueError as err:
            reason = str(err)
        if reason:
            self._mark(reason, bad=True)
            return False
        self.setModified(False)
        self._show()
        return True

    def _take(self) -> str | None:
        """Hands on what is typed, and holds it unless it is refused: then the reason. Raises
        QuantityError.
        """
        value = self.read()
        reason = self._commit(value if self.measured or value is None else value.value)
        if not reason:
            self._value = value
        return reason

    def _typed(self) -> None:
        try:
            value = self.read()
        except QuantityError as err:
            self._mark(str(err))
            return
        self._mark(
            "" if value is None else "= " + _nice(value, self.info.kind, self.unit, self.measured)
        )

    def _mark(self, text: str, *, bad: bool = False) -> None:
        if self.property("bad") != bad:
            self.setProperty("bad", bad)
            style = self.style()
            if style:
                style.unpolish(self)
                style.polish(self)
        if not text:
            if self._note:
                self._note.hide()
            return
        window = self.window()
        if self._note is None or self._note.parent() is not window:
            self._note = Label(parent=window)
            self._note.setMargin(4)
            self._note.setWordWrap(True)
        edge = theme.hex("vermilion") if bad else theme.hex("rule")
        self._note.setStyleSheet(
            f"background: {theme.hex('sheet')}; border: 1px solid {edge}; font-size: 12px;"
            + (f"color: {theme.hex('vermilion-text')};" if bad else "")
        )
        self._note.setText(text)
        width = min(340, max(self.width(), self._note.fontMetrics().horizontalAdvance(text) + 24))
        self._note.setFixedWidth(width)
        self._note.adjustSize()
        at = self.mapTo(window, self.rect().bottomLeft()) if window else self.pos()
        assert window is not None
        self._note.move(max(4, min(at.x(), window.width() - width - 4)), at.y() + 2)
        self._note.show()
        self._note.raise_()
        self.setAccessibleDescription(text)

    def hideEvent(self, event: Any) -> None:
        if self._note:
            self._note.hide()
        super().hideEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if self.accept() and self._note:
            self._note.hide()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self._show()
            return
        super().keyPressEvent(event)


def _nice(value: Measured, kind: str, unit: str, measured: bool) -> str:
    """For reading and editing: six significant digits, ± with two where there is one."""
    scale = quantity.factor(unit, kind)
    shown = quantity.from_si(value.value, unit, kind)
    tail = f" {unit}" if unit else ""
    if measured and value.u > 0:
        half = 2 * value.u / scale
        places = min(9, quantity.decimals_for(half))
        if places and round(half, places - 1) == round(half, places):
            places -= 1  # 0.050 is typed as 0.05
        return f"{shown:.{places}f} ± {half:.{places}f}{tail}"
    return f"{shown:.6g}{tail}"
