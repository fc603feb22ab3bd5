"""Columns of a board found by example: leave it alone, act on a sensor, and what moved is it."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from sparring.bench.devices.raw import RawColumns
from sparring.core.instruments.by_example import Moved, clocks, moved
from sparring.core.quantity import kind_of
from sparring.core.recording import CHANNELS
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import Table, note
from sparring.ui.widgets.plain import Label

_REST, _ACT = 2.5, 4.0  # [s] left alone, and acted on
_EVERY = 200  # [ms] between two looks
ACTS = {
    "cell": "press on the load cell",
    "force": "press on the load cell",
    "cell_2": "press on the second load cell",
    "force_2": "press on the second load cell",
    "speed": "turn the output by hand",
    "motor_speed": "turn the motor by hand",
    "angle": "turn the output by hand",
    "voltage": "switch the supply on, or raise its voltage",
    "current": "switch the drive on, or hold it back a little",
    "temperature": "hold the thermometer in your hand",
    "input_force": "push at the crank",
    "torque": "twist the torque sensor",
    "mass": "put a weight on",
    "load_voltage": "turn the generator",
    "load_current": "connect a resistor to the generator",
}
_UNITS = {"count": ["counts"]}


class ByExample(QDialog):
    """Shows what a board prints, column by column, and finds out which is which."""

    def __init__(
        self, address: str, baud: int, columns: str, parent: QWidget | None = None
    ) -> None:
        """columns: what is known of them, as in a header."""
        super().__init__(parent)
        self.setWindowTitle("Columns of the board")
        self.resize(640, 460)
        self.names: list[str] = [c.strip() for c in columns.split(",")] if columns else []
        self._raw = RawColumns(address, baud)
        self._begun: float | None = None
        column = QVBoxLayout(self)
        column.addWidget(
            note(
                "Choose a sensor and press Find: the board is left alone for a moment, then you act"
                " on the sensor, and the column that moves is taken for it."
            )
        )
        row = QHBoxLayout()
        self.sensor, self.unit = Choice(), Choice()
        self.sensor.setAccessibleName("Sensor")
        self.unit.setAccessibleName("Unit of its numbers")
        for key in ACTS:
            self.sensor.addItem(CHANNELS[key].label, key)
        self.sensor.currentIndexChanged.connect(self._units)
        self.go = QPushButton("Find")
        self.go.clicked.connect(self._find)
        row.addWidget(self.sensor, 2)
        row.addWidget(self.unit, 1)
        row.addWidget(self.go)
        column.addLayout(row)
        self.said = Label("")
        self.said.setWordWrap(True)
        self.said.setObjectName("title")
        column.addWidget(self.said)
        self.table = Table(["column", "number now", "sensor", "unit"], "Columns", left=(2, 3))
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.clear = QPushButton("Not used")
        self.clear.setToolTip("The selected column is not used.")
        self.clear.clicked.connect(self._clear)
        row.addWidget(self.clear)
        row.addStretch(1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.use = buttons.addButton("Use these columns", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        row.addWidget(buttons)
        column.addLayout(row)
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        self._opened = time.monotonic()
        self._units()
        self._look()

    @property
    def columns(self) -> str:
        """As in a header: `t/ms, cell/counts, x, speed/rpm`."""
        return ", ".join(self.names)

    def done(self, result: int) -> None:
        self._timer.stop()
        self._raw.close()
        super().done(result)

    def _units(self) -> None:
        kind = CHANNELS[str(self.sensor.currentData())].kind
        self.unit.clear()
        self.unit.addItems(_UNITS.get(kind) or [u for u in kind_of(kind).units if u])

    def _find(self) -> None:
        self._begun = time.monotonic()
        self.go.setEnabled(False)
        self._look()

    def _clear(self) -> None:
        n = self.table.currentRow()
        if 0 <= n < len(self.names):
            self.names[n] = "x"
            self._look()

    def _look(self) -> None:
        now = time.monotonic()
        if self._raw.why:
            self.said.setText(self._raw.why)
            self.go.setEnabled(False)
            return
        arrived, rows = self._raw.since(now - 3.0)
        if not len(rows):
            if self._begun is None:
                self.said.setText("No numbers come yet.")
            return
        width = rows.shape[1]
        self.names = (self.names + ["x"] * width)[:width]
        if now - self._opened > 1.0:
            for n, name in clocks(arrived, rows).items():
                if self.names[n] == "x":
                    self.names[n] = name
        shown = [name.partition("/") for name in self.names]
        self.table.fill(
            [
                [str(n + 1), f"{rows[-1, n]:.6g}", _label(name), unit]
                for n, (name, _, unit) in enumerate(shown)
            ]
        )
        if self._begun is not None:
            self._step(now - self._begun)
        elif self.said.text() in ("", "No numbers come yet."):
            self.said.setText(f"{width} columns.")

    def _step(self, seconds: float) -> None:
        """Where the example is: left alone, acted on, judged."""
        assert self._begun is not None
        if seconds < _REST:
            self.said.setText(f"Leave everything alone for {_REST - seconds:.0f} s …")
            return
        key = str(self.sensor.currentData())
        arrived, rows = self._raw.since(self._begun)
        rest = int((arrived < self._begun + _REST).sum())
        acted = int((arrived < self._begun + _REST + 0.3).sum())
        found = moved(rows, rest, acted)
        enough = found is not None and found.alone and seconds > _REST + 1.5
        if not enough and seconds < _REST + _ACT:
            self.said.setText(f"Now {ACTS[key]}.")
            return
        self._begun = None
        self.go.setEnabled(True)
        self._judge(key, found)

    def _judge(self, key: str, found: Moved | None) -> None:
        name = CHANNELS[key].label
        if found is None:
            self.said.setText("No column moved clearly. Act on it more strongly, and find again.")
            return
        if not found.alone:
            self.said.setText(
                f"Column {found.column + 1} moved, but another did nearly as much. Act on this"
                " sensor alone, and find again."
            )
            return
        taken = f"{key}/{self.unit.currentText()}"
        self.names = ["x" if n.partition("/")[0] == key else n for n in self.names]
        self.names[found.column] = taken
        before, after = (f"{v:.6g}" for v in (found.before, found.after))
        self.said.setText(f"Column {found.column + 1} moved from {before} to {after}: {name}.")
        self._look()


def _label(name: str) -> str:
    own = {"t": "time", "seq": "count of the lines"}
    return own.get(name) or (CHANNELS[name].label if name in CHANNELS else "not used")
