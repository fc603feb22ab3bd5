"""A timer that beeps, and turns tapped with a finger."""

from __future__ import annotations

import math

from PyQt6.QtCore import QElapsedTimer, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QWidget

from sparring.core.by_eye import TAP
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.ui.model.desk import Desk
from sparring.ui.pages.run.figures import KEY
from sparring.ui.widgets.plain import Label, tip
from sparring.ui.widgets.quantity_field import QuantityField

_PAUSE = 6.0  # [s] without a tap, after which the next one begins anew


class Timing(QWidget):
    """`timed(time)`: the timer ran or was stopped; `tapped(turns, time)`: so many turns so far."""

    timed = pyqtSignal(object)
    tapped = pyqtSignal(int, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._clock, self._taps = QElapsedTimer(), QElapsedTimer()
        self._at: list[float] = []  # [s] of each tap
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.timer = QPushButton("Timer Alt+T")
        self.timer.setToolTip(tip("Beeps at the start, and after this time or when pressed again."))
        self.timer.pressed.connect(self._start_or_stop)
        row.addWidget(self.timer)
        row.addWidget(Label("for"))
        self.length = QuantityField(
            Q("time", "s", above=0.0, most=3600.0),
            "s",
            self._remember,
            optional=True,
            measured=False,
            name="Timer runs for",
        )
        self.length.setPlaceholderText("until pressed")
        self.length.setMaximumWidth(110)
        seconds = desk.settings.value(f"{KEY}/timer", 5.0, type=float)
        self.length.set_value(seconds or None)
        row.addWidget(self.length)
        self.tap = QPushButton("Tap a turn Alt+P")
        self.tap.setToolTip(
            tip("Tap once per revolution as its mark passes; angle and time are filled in.")
        )
        # at once, and by keys of their own: a button's goes with its text, and acts late
        self.tap.pressed.connect(self._tap)
        self._keys = [QShortcut(QKeySequence(keys), self) for keys in ("Alt+T", "Alt+P")]
        for key, act in zip(self._keys, (self._start_or_stop, self._tap), strict=True):
            key.setAutoRepeat(False)
            key.activated.connect(act)
        row.addWidget(self.tap)
        self._tick = QTimer(self)
        self._tick.setInterval(100)
        self._tick.timeout.connect(self._show)

    def offer(self, *, timer: bool, taps: bool) -> None:
        """What the figures that are asked for have a use for."""
        for widget in self.findChildren(QWidget):
            if widget is not self.tap:
                widget.setVisible(timer)
        self.tap.setVisible(taps)
        for key, used in zip(self._keys, (timer, taps), strict=True):
            key.setEnabled(used)

    def rest(self) -> None:
        """A new run: nothing is counted yet."""
        self._tick.stop()
        self._clock.invalidate()
        self._at.clear()
        self.timer.setText("Timer Alt+T")
        self.tap.setText("Tap a turn Alt+P")

    def _remember(self, seconds: float | None) -> None:
        self.desk.settings.setValue(f"{KEY}/timer", seconds or 0.0)

    def _start_or_stop(self) -> None:
        if self._clock.isValid():
            self._stop()
            return
        self.length.accept()
        QApplication.beep()
        self._clock.start()
        self._tick.start()
        self._show()

    def _show(self) -> None:
        passed, wanted = self._clock.elapsed() / 1000, self.length.value
        if wanted is not None and passed >= wanted.value:
            self._stop()
        else:
            self.timer.setText(f"Stop timer, {passed:.1f} s")

    def _stop(self) -> None:
        QApplication.beep()
        seconds, wanted = self._clock.elapsed() / 1000, self.length.value
        if wanted is not None:  # the beep is what was read by, not the tick that gave it
            seconds = min(seconds, wanted.value)
        self.rest()
        self.timed.emit(Measured(round(seconds, 2)))

    def _tap(self) -> None:
        now = self._taps.elapsed() / 1000 if self._taps.isValid() else 0.0
        if not self._taps.isValid():
            self._taps.start()
        if self._at and now - self._at[-1] > _PAUSE:
            self._at.clear()
        self._at.append(now)
        turns = len(self._at) - 1
        self.tap.setText(f"Tap: {turns} turn{'s' * (turns != 1)}")
        if turns:
            time = Measured(round(now - self._at[0], 2), TAP * math.sqrt(2))
            self.tapped.emit(turns, time)
