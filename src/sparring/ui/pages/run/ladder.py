"""The load ladder: a row a step, and the two buttons of a run."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QEvent, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.parts import Column, note
from sparring.ui.widgets.plain import tip

_BROKEN = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)


_TALL = 78  # [px] of a button: four lines


class LadderRow(QWidget):
    """One weight: its figure, lifts done, efficiency found or expected."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.step = 0  # its id
        self.texts = ("", "", "")
        self.done = self.total = 0
        self.stalled = self.current = False
        self.setFixedHeight(40)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleDescription("Enter makes this step the next one")

    def put(
        self, texts: tuple[str, str, str], done: int, total: int, *, stalled: bool, current: bool
    ) -> None:
        state = (texts, done, total, stalled, current)
        if state != (self.texts, self.done, self.total, self.stalled, self.current):
            self.texts, self.done, self.total, self.stalled, self.current = state
            self.setAccessibleName(f"{texts[0]}, {texts[1]} lifted, {texts[2]}")
            self.update()

    def mousePressEvent(self, event: Any) -> None:
        self.chosen.emit(self.step)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.step)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        if self.hasFocus():
            p.setPen(theme.colour("reseda"))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self.current:
            p.fillRect(self.rect(), theme.colour("pale"))
            p.fillRect(0, 0, 4, self.height(), theme.colour("deep"))
        name, count, found = self.texts
        weight, _, drive = name.partition(", ")
        # a step that measures nothing is told in words
        p.setFont(font(15 if weight[:1].isdigit() else 12, bold=self.current))
        p.setPen(theme.colour("ink"))
        p.drawText(QRectF(12, 0, 86, 30), Qt.AlignmentFlag.AlignVCenter, weight)
        p.setFont(font(12))
        if drive:
            p.setPen(theme.colour("ink-2"))
            p.drawText(QRectF(12, 23, 76, 16), Qt.AlignmentFlag.AlignVCenter, drive)
        p.setPen(theme.colour("ink-2"))
        p.drawText(QRectF(88, 0, 34, 28), Qt.AlignmentFlag.AlignVCenter, count)
        for i in range(self.total):
            p.fillRect(
                QRectF(
                    88 + i * min(7, 40 / max(self.total, 1)), 28, min(5, 30 / max(self.total, 1)), 4
                ),
                theme.colour("reseda" if i < self.done else "rule"),
            )
        p.setPen(
            theme.colour("vermilion-text" if self.stalled else "torque" if self.done else "ink-2")
        )
        size = 13
        p.setFont(font(size, bold=self.current))
        room = self.width() - 122
        if p.fontMetrics().horizontalAdvance(found) > room:  # its meaning goes before a word
            found = found.replace(" expected", "")
        if p.fontMetrics().horizontalAdvance(found) > 1.3 * room:  # nor does a ±
            found = f"{found.partition(' ±')[0]} %" if " ±" in found else found
        while size > 10 and p.fontMetrics().horizontalAdvance(found) > room:
            size -= 1
            p.setFont(font(size, bold=self.current))
        p.drawText(
            QRectF(114, 0, room, 30),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            found,
        )


class KeyButton(QPushButton):
    """A large button: what it does, broken where the line is too short, and the key that does the
    same below.
    """

    def __init__(self, look: str, key: str) -> None:
        super().__init__()
        self.setObjectName(look)
        self.key, self.alarm = key, False
        self.setMinimumHeight(_TALL)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def say(self, text: str, *, alarm: bool = False) -> None:
        """alarm: it cannot be pressed, and what it says is what matters most now."""
        self.alarm = alarm
        self.setText(text if alarm else f"{text}\n{self.key}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(90, _TALL)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def _needs(self) -> QRect:
        return self.fontMetrics().boundingRect(
            self.rect().adjusted(8, 0, -8, 0), _BROKEN, self.text()
        )

    def fits(self) -> bool:
        """Whether all of it has room."""
        return self.rect().contains(self._needs())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, option = QStylePainter(self), QStyleOptionButton()
        self.initStyleOption(option)
        option.text = ""
        if self.alarm:
            p.fillRect(self.rect(), theme.colour("amber"))
        else:
            p.drawControl(QStyle.ControlElement.CE_PushButton, option)
        p.setPen(
            theme.colour("on-amber" if self.alarm else "on-deep" if self.isEnabled() else "ink-2")
        )
        p.drawText(self.rect().adjusted(8, 0, -8, 0), _BROKEN, self.text())


class Ladder(QFrame):
    """The load ladder with its two buttons. Stands above the findings while Run is shown."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setMinimumWidth(180)  # the words on its button
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 10)
        column.setSpacing(2)
        self.say_where("")
        inner = QWidget()
        inner.setObjectName("plain")
        self.rows_box = QVBoxLayout(inner)
        self.rows_box.setContentsMargins(0, 0, 0, 0)
        self.rows_box.setSpacing(1)
        self.area = Column()
        self.area.setWidget(inner)
        self.area.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        column.addWidget(self.area)
        self.rows: list[LadderRow] = []
        self.say = note("")
        column.addWidget(self.say)
        self.go, self.stop = KeyButton("act", "Space"), KeyButton("stop", "Esc")
        self.go.say("Connect")
        self.stop.say("STOP")
        self.stop.setToolTip(tip("Asks the bench to stop. This is not an emergency stop."))
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        buttons.addWidget(self.go, 3)
        buttons.addWidget(self.stop, 2)
        column.addSpacing(4)
        column.addLayout(buttons)
        column.addWidget(note("STOP asks the bench to stop; it is not an emergency stop."))

    def say_where(self, text: str) -> None:
        """How far the plan is, in the title."""
        self.setWindowTitle(f"Load ladder: {text}" if text else "Load ladder")

    def event(self, event: QEvent | None) -> bool:
        """Its texts break as it gets narrower: it is never lower than what they need then."""
        if event is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            layout = self.layout()
            if layout is not None:
                self.setMinimumHeight(layout.minimumHeightForWidth(self.width()))
        return super().event(event)
