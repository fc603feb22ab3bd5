"""A sentence for the tester above the title block; while something long is under way, how far it is
and its cancel.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QPushButton, QWidget

from sparring.ui.widgets.plain import Label

_SHOWN_FOR = 9000  # [ms]
_A_LETTER = 75  # [ms] a sentence that is longer is shown for longer: some 13 letters a second


class Message(QFrame):
    """Lies over the pages, so that nothing moves when it comes and goes. `place` is called when its
    size changes.
    """

    def __init__(self, parent: QWidget, place: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self._place = place
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 8, 10, 8)
        self.label = Label()
        self.label.setWordWrap(True)
        row.addWidget(self.label, 1)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setFixedWidth(160)
        self.bar.setAccessibleName("Part done")
        row.addWidget(self.bar)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self._cancelled)
        row.addWidget(self.cancel)
        self._on_cancel: Callable[[], None] | None = None
        self.is_working = False  # something long is under way, whatever is said meanwhile
        self._work = ""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._said)
        self.hide()

    def text(self) -> str:
        return self.label.text()

    @property
    def stays(self) -> bool:
        """Whether it is shown until the next sentence."""
        return self.isVisible() and not self._timer.isActive()

    def say(self, text: str, *, stay: bool = False) -> None:
        """Shows a sentence for a while, or until the next one."""
        self._show(text, working=False)
        self._timer.stop() if stay else self._timer.start(max(_SHOWN_FOR, _A_LETTER * len(text)))

    def work(self, text: str, cancel: Callable[[], None]) -> None:
        """Shows that something long has begun; `cancel` is what its button does."""
        self._on_cancel = cancel
        self.is_working, self._work = True, text
        self.bar.setValue(0)
        self.cancel.setEnabled(True)
        self._show(text, working=True)
        self._timer.stop()

    def over(self) -> None:
        """What was long is over."""
        self.is_working = False
        if not self.bar.isHidden():
            self.hide()

    def _said(self) -> None:
        """A sentence has been shown for long enough."""
        if self.is_working:
            self._show(self._work, working=True)
        else:
            self.hide()

    def part(self, done: float) -> None:
        """How far it is [0..1]."""
        self.bar.setValue(round(100 * done))

    def _cancelled(self) -> None:
        self.cancel.setEnabled(False)
        if self._on_cancel:
            self._on_cancel()

    def _show(self, text: str, *, working: bool) -> None:
        self.label.setText(text)
        self.bar.setVisible(working)
        self.cancel.setVisible(working)
        self._place()
        self.show()
        self.raise_()

    def fit(self, width: int) -> None:
        """Takes the width it is given and the height its text then needs."""
        extra = (
            self.bar.width() + self.cancel.sizeHint().width() + 12 if not self.bar.isHidden() else 0
        )
        self.setFixedWidth(width)
        least = 40 if self.bar.isHidden() else self.cancel.sizeHint().height() + 18
        inner = width - 24 - extra  # less the margins, the frame, and a little
        self.label.ensurePolished()
        self.setFixedHeight(max(least, self.label.heightForWidth(inner) + 18))
