"""The figures that a person reads of a run: a field each, with the ± it has when none is typed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from sparring.core.by_eye import REACTION, ByEye, reading
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

WORDS = {name: words for words, name in ByEye.FIELDS}
KEY = "eye"  # of what is remembered
_ACROSS = 5  # figures in a row at most
_SPEED = 0.1  # [rad/s]
_TIME = 2 * REACTION  # [s]
# half-widths (95 %) [SI] at first: of a pointer over a printed scale, a hand on a clock, the last
# digits of usual displays (common practice, no source)
_USUAL = {
    "turned": math.radians(5),
    "input_turned": math.radians(5),
    "motor_speed": _SPEED,
    "input_force": 0.1,
    "travel": 2e-3,
    "time": _TIME,
    "speed": _SPEED,
    "first_speed": _SPEED,
    "second_speed": _SPEED,
    "coast_first": _SPEED,
    "coast_second": _SPEED,
    "coast_time": _TIME,
    "voltage": 0.05,
    "current": 0.01,
    "force": 0.1,
    "rest": 0.1,
    "slack": 0.1,
    "load_voltage": 0.05,
    "load_current": 0.01,
}


class _ReadingField(QuantityField):
    """It takes `between 3.1 and 3.3` and frames of a film, too."""

    def understand(self, text: str) -> Measured:
        return reading(text, self.info.kind, self.unit)


class _Figure(NamedTuple):
    """A figure's field, and the ± beside it."""

    name: str
    label: Label
    field: _ReadingField
    doubt: QuantityField
    within: QWidget  # the ± and its sign


class Figures(QWidget):
    """`entered()`: the last figure is there; `typed()`: something is typed."""

    entered = pyqtSignal()
    typed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.shown: list[_Figure] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(2)

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(f.name for f in self.shown)

    def lay(self, wanted: Sequence[str], before: QWidget) -> None:
        """Fields for these figures, after `before` in the order of Tab."""
        for figure in self.shown:
            for widget in (figure.label, figure.field, figure.within):
                self._grid.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        rows = math.ceil(len(wanted) / _ACROSS) or 1
        across = math.ceil(len(wanted) / rows)
        self.shown = [self._figure(n, name, across) for n, name in enumerate(wanted)]
        for field in [f.field for f in self.shown] + [f.doubt for f in self.shown]:
            QWidget.setTabOrder(before, field)
            before = field

    def _figure(self, n: int, name: str, across: int) -> _Figure:
        """The `n`th field, so many in a row."""
        info = ByEye.quantity(name)
        assert info is not None
        words, unit = WORDS[name], self._unit(name)
        label = Label(words)
        field = _ReadingField(info, unit, lambda _v: None, optional=True, name=words)
        field.setPlaceholderText(unit)
        field.setStyleSheet("font-size: 20px;")
        field.setMinimumHeight(48)
        field.returnPressed.connect(lambda: self._entered(n))
        field.textEdited.connect(lambda _t: self.typed.emit())
        usual = self.desk.settings.value(f"{KEY}/±{name}", _USUAL[name], type=float)

        def remember(value: Measured | None) -> None:
            self.desk.settings.setValue(f"{KEY}/±{name}", value.value if value else 0.0)

        limits = Q(info.kind, info.unit, least=0.0)
        doubt = QuantityField(limits, unit, remember, name=f"{words}: ± of a reading")
        doubt.set_value(usual)
        doubt.setToolTip(tip("± of one reading (95 %), for values typed without one."))
        within = QWidget()
        beside = QHBoxLayout(within)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(Label("±"))
        beside.addWidget(doubt, 1)
        for row, widget in enumerate((label, field, within)):
            self._grid.addWidget(widget, 3 * (n // across) + row, n % across)
        return _Figure(name, label, field, doubt, within)

    def _unit(self, name: str) -> str:
        info = ByEye.quantity(name)
        assert info is not None
        return str(self.desk.units.get(info.kind, info.file_unit))

    def fields(self) -> list[QuantityField]:
        return [w for f in self.shown for w in (f.field, f.doubt)]

    def _entered(self, n: int) -> None:
        """Enter in a field: on to the next, or all is read."""
        if not self.shown[n].field.accept():
            return
        if n + 1 < len(self.shown):
            self.shown[n + 1].field.setFocus()
        else:
            self.entered.emit()

    def missing(self) -> _Figure | None:
        """The first figure that is not there, or cannot be read."""

        def there(figure: _Figure) -> bool:
            try:
                return figure.field.read() is not None
            except ValueError:
                return False

        return next((f for f in self.shown if not there(f)), None)

    def read(self) -> dict[str, Measured] | None:
        """All that is typed, each with its ±; None where a field is refused, which has the keyboard
        then.
        """
        told = {}
        for f in self.shown:
            for field in (f.field, f.doubt):
                if not field.accept():
                    field.setFocus()
                    return None
            value, half = f.field.value, f.doubt.value
            if value is not None:
                told[f.name] = (
                    value if value.u or half is None else Measured(value.value, half.value / 2)
                )
        return told

    def put(self, read: ByEye | None) -> None:
        """What was read before, or nothing."""
        for f in self.shown:
            f.field.setModified(False)
            f.field.set_value(None if read is None else getattr(read, f.name))

    def texts(self) -> dict[str, str]:
        """What stands in the fields, as it is typed, by figure."""
        return {f.name: f.field.text() for f in self.shown}

    def set_texts(self, texts: Mapping[str, str]) -> None:
        """Lays back what `texts` gave, into the fields that are there."""
        for f in self.shown:
            text = texts.get(f.name, "")
            f.field.setText(text)
            f.field.setModified(bool(text))

    def type(self, name: str, value: Measured) -> None:
        """Puts a figure as if it were typed; the field may be wanted or not."""
        for f in self.shown:
            if f.name == name:
                f.field.setModified(False)
                f.field.set_value(value)
        self.typed.emit()

    def begin(self) -> bool:
        """The keyboard to where the next figure goes; whether there is such a place."""
        if (missing := self.missing()) is not None:
            missing.field.setFocus()
        return missing is not None
