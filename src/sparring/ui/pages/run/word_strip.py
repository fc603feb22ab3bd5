"""A strip of words at the bottom of Run, a key each: what was heard or seen, or what broke. Nothing
covers the chart, and nothing waits for it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QSizePolicy

from sparring.ui.widgets.plain import Label, tip

KEYS = 9  # words that have a key


class WordStrip(QFrame):
    """Asks for one word. `ask` opens it; a word's button or its digit answers, or a text that is
    typed. `opened(on)`: it takes room, or gives it back.
    """

    opened = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self._take: Callable[[str], None] | None = None
        whole = QHBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(6)
        self.asks = Label("")
        whole.addWidget(self.asks)
        self._grid = QGridLayout()
        self._grid.setSpacing(6)
        whole.addLayout(self._grid, 1)
        self.words: list[QPushButton] = []
        self._keys: list[QShortcut] = []
        for n in range(1, KEYS + 1):
            button = QPushButton(self)
            button.clicked.connect(lambda _on, k=n - 1: self._chosen(k))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            # the strip takes the room that the page has, and never asks the page for more
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            self.words.append(button)
            key = QShortcut(QKeySequence(str(n)), self)
            key.setContext(Qt.ShortcutContext.WindowShortcut)
            key.activated.connect(lambda k=n - 1: self._chosen(k))
            key.setEnabled(False)
            self._keys.append(key)
        self.own = QLineEdit()
        self.own.setPlaceholderText("or type")
        self.own.setMinimumWidth(90)
        self.own.setAccessibleName("Word of your own")
        self.own.returnPressed.connect(self._typed)
        self.own.setMaximumWidth(160)
        whole.addWidget(self.own)
        self.leave = QPushButton("Close")
        self.leave.setToolTip(tip("Closes the strip without a word."))
        self.leave.clicked.connect(self.close_strip)
        whole.addWidget(self.leave)
        self.hide()

    def ask(
        self,
        question: str,
        words: Sequence[str],
        take: Callable[[str], None],
        *,
        only: bool = False,
        keyboard: bool = False,
    ) -> None:
        """Opens it in place of what it asked before. take: is told the word; only: none of one's
        own; keyboard: comes here, where a field would take the digits.
        """
        self._take = take
        self.own.setVisible(not only)
        self.asks.setText(question)
        self.own.clear()
        for n, button in enumerate(self.words):
            here = n < len(words)
            button.setVisible(here)
            self._keys[n].setEnabled(here)
            if here:
                button.setText(f"{n + 1} {words[n]}".replace("&", "&&"))
                button.setAccessibleName(words[n])
        self._lay(len(words))
        self.show()
        self.opened.emit(True)
        if keyboard:
            self.words[0].setFocus()

    def _lay(self, count: int) -> None:
        """As many beside one another as have room, and the others beneath."""
        for button in self.words:
            self._grid.removeWidget(button)
        shown = self.words[:count]
        widest = max((b.sizeHint().width() for b in shown), default=1)
        parent = self.parentWidget()
        beside = 270 if self.own.isVisibleTo(self) else 100
        room = parent.width() if parent is not None else 800
        room -= self.asks.sizeHint().width() + beside
        columns = max(1, min(count, room // (widest + 6)))
        columns = -(-count // -(-count // columns)) if count else 1  # rows of one length
        for n, button in enumerate(shown):
            self._grid.addWidget(button, n // columns, n % columns)

    def close_strip(self) -> None:
        """Nothing is answered."""
        self._take = None
        for key in self._keys:
            key.setEnabled(False)
        self.hide()
        self.opened.emit(False)

    def _chosen(self, n: int) -> None:
        if self.isVisible() and n < len(self.words) and self.words[n].isVisible():
            self._answer(self.words[n].accessibleName())

    def _typed(self) -> None:
        if text := self.own.text().strip():
            self._answer(text[:80])

    def _answer(self, word: str) -> None:
        take = self._take
        self.close_strip()
        if take is not None:
            take(word)
