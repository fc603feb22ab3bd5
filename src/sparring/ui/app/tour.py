"""A tour of five minutes through the demo: says one thing to do, waits until it is done, says the
next.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from PyQt6.QtCore import QEvent, QObject, QRect, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from sparring.ui.theme import theme
from sparring.ui.widgets.plain import Label

_LOOKS = 200  # [ms] between two looks whether a step is done


class Step(NamedTuple):
    """says: what to do; done: whether it is, of the window; at: the widget that is framed."""

    says: str
    done: Callable[[Any], bool]
    at: Callable[[Any], QWidget | None]


STEPS = (
    Step(
        "In the logbook at the left, select the test r1 POM, dry of the family Dunnock.",
        lambda w: w.desk.build.name == "Dunnock r1" and w.desk.result is not None,
        lambda w: w.logbook,
    ),
    Step(
        "Go to Results: click it in the work order, or press Alt+5. Grey is what was predicted.",
        lambda w: w.page.id == "results",
        lambda w: w.work,
    ),
    Step(
        "A finding at the right says that the efficiency drops. Click it, and read why.",
        lambda w: any(card.is_open for card in w.findings.cards()),
        lambda w: w.findings,
    ),
    Step(
        "Click a point of a curve: its recording opens, with the window taken as steady.",
        lambda w: w.view("results").tabs.currentIndex() == 1,
        lambda w: w.view("results"),
    ),
    Step(
        "Go to Build (Alt+1) and click a gear: its sizes stand under the drawing.",
        lambda w: w.page.id == "build" and bool(w.view("build").gears.chosen[1]),
        lambda w: w.view("build") if w.page.id == "build" else w.work,
    ),
    Step(
        "Go to Run (Alt+4). Ctrl+T starts a new test, Space connects a simulated bench.",
        lambda w: w.page.id == "run" and w.session.state == "ready" and not w.desk.runs,
        lambda w: w.view("run") if w.page.id == "run" else w.work,
    ),
    Step(
        "Press Space to tare, and Space again to hang a weight and lift it.",
        lambda w: w.session.state == "lifting",
        lambda w: w.view("run"),
    ),
    Step(
        "Press Esc while it moves: it stops from any page, and is not an emergency stop.",
        lambda w: any(r.run.ended == "stopped" for r in w.desk.runs),
        lambda w: w.view("run"),
    ),
    Step(
        "Press F1: the guide opens at the chapter of this page.",
        lambda w: w.errands.guide_is_open(),
        lambda w: None,
    ),
)
_END = "That was the tour. Help ▸ Five-minute tour starts it again."
OFFER = "New here? A tour of five minutes goes through the demo logbook and waits for you."


class _Frame(QWidget):
    """A dashed frame around what is talked about. It takes no clicks."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def stand_around(self, widget: QWidget | None) -> None:
        parent = self.parentWidget()
        if widget is None or parent is None or not widget.isVisible():
            self.hide()
            return
        at = widget.mapTo(parent, widget.rect().topLeft())
        self.setGeometry(QRect(at, widget.size()))
        self.show()
        self.raise_()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setPen(QPen(theme.colour("amber"), 3, Qt.PenStyle.DashLine))
        p.drawRect(self.rect().adjusted(1, 1, -2, -2))


class Tour(QFrame):
    """The strip above the page. `begin` is what its offer's button does."""

    def __init__(self, window: Any, begin: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("question")
        self.window_, self._at = window, -1
        self.setAccessibleName("Tour")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 6)
        self.says = Label()
        self.says.setWordWrap(True)
        row.addWidget(self.says, 1)
        self.go = QPushButton("Start the tour")
        self.go.clicked.connect(begin)
        self.skip = QPushButton("Skip this step")
        self.skip.clicked.connect(self._next)
        self.leave = QPushButton("End the tour")
        self.leave.clicked.connect(self.end)
        for button in (self.go, self.skip, self.leave):
            row.addWidget(button)
        self._frame = _Frame(window)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOKS)
        self._timer.timeout.connect(self._look)
        window.installEventFilter(self)
        self.hide()

    def offer(self) -> None:
        """Asks whether it is wanted; once."""
        self.says.setText(OFFER)
        self.leave.setText("Not now")
        self.skip.hide()
        self.go.show()
        self.show()

    def start(self) -> None:
        """From the first step."""
        self.go.hide()
        self.skip.show()
        self.leave.setText("End the tour")
        self._at = -1
        self._next()
        self.show()
        self._timer.start()

    def _next(self) -> None:
        self._at += 1
        if self._at < len(STEPS):
            self.says.setText(f"Tour, {self._at + 1} of {len(STEPS)}: {STEPS[self._at].says}")
            self._look()
            return
        self.end()
        self.window_.say(_END)

    def _look(self) -> None:
        if not 0 <= self._at < len(STEPS):
            return
        step = STEPS[self._at]
        if step.done(self.window_):
            self._next()
        else:
            self._frame.stand_around(step.at(self.window_))

    def end(self) -> None:
        """Leaves it where it is."""
        self._timer.stop()
        self._at = -1
        self._frame.hide()
        self.hide()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self._at >= 0:
            self._look()
        return False
