"""The figures of a run as it goes on, in a row across the page."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.live import LiveFigures
from sparring.ui.model.desk import Desk
from sparring.ui.pages.run.big_figure import BigFigure
from sparring.ui.widgets.parts import sheet
from sparring.ui.widgets.plain import Label

_PLACES = {"torque": 3, "speed": 1, "current": 2, "force": 2}  # below a hundred; one fewer above


class LiveRow(QWidget):
    """Torque, speed, current and force, each to be read from two metres."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.figures = {
            "torque": BigFigure("Output torque", "torque"),
            "speed": BigFigure("Output speed", "speed"),
            "current": BigFigure("Current", "current"),
            "force": BigFigure("Load cell", "force"),
        }
        for figure in self.figures.values():
            row.addWidget(figure, 1)
        column.addLayout(row)
        self.motors = Label("")
        self.motors.setStyleSheet("font-size: 20px;")
        self.motors.hide()
        desk.build_changed.connect(self.motors.hide)
        column.addWidget(self.motors)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(frame)

    def blank(self) -> None:
        """What they showed last is no reading."""
        self.put(LiveFigures())

    def put(self, x: LiveFigures) -> None:
        """Shows what is read now; a dash where nothing is."""
        for key, figure in self.figures.items():
            value, unit = getattr(x, key), self.desk.units[key]
            if value is None or not np.isfinite(value):
                figure.put("–", unit)
                continue
            shown = quantity.from_si(value, unit, key)
            places = max(0, _PLACES[key] - (1 if abs(shown) >= 100 else 0))
            figure.put(quantity.fixed(shown, places), unit)
        self._motors(x)

    def _motors(self, x: LiveFigures) -> None:
        """Of several motors what each takes and gives; a line that is there from the first such
        reading on, so that nothing jumps.
        """
        unit = self.desk.units["current"]
        amps = [quantity.from_si(i, unit, "current") for i in x.currents]
        shares = x.shares or (None,) * len(amps)
        told = [
            f"Motor {n}  {quantity.fixed(i, 2)} {unit}"
            + ("" if share is None else f", {100 * share:.0f} % of the torque")
            for n, (i, share) in enumerate(zip(amps, shares, strict=True), start=1)
        ]
        self.motors.setText("      ".join(told) or "–")
        if told:
            self.motors.show()
