"""A menu of boxes to tick, which stays open while they are ticked."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QMenu, QWidget


class TickedMenu(QMenu):
    """`changed` when one was ticked or not."""

    changed = pyqtSignal()

    def __init__(
        self, entries: Sequence[tuple[str, str]], ticked: Sequence[str], parent: QWidget
    ) -> None:
        """entries: (id, words)."""
        super().__init__(parent)
        self._actions: dict[str, QAction] = {}
        self.fill(entries, ticked)

    def fill(self, entries: Sequence[tuple[str, str]], ticked: Sequence[str]) -> None:
        """Other entries, or other ticks."""
        if [*self._actions] != [id for id, _ in entries]:
            self.clear()
            self._actions = {}
            for id, words in entries:
                action = QAction(words, self)
                action.setCheckable(True)
                action.toggled.connect(lambda _on: self.changed.emit())
                self.addAction(action)
                self._actions[id] = action
        for id, action in self._actions.items():
            action.blockSignals(True)
            action.setChecked(id in ticked)
            action.blockSignals(False)

    def ticked(self) -> list[str]:
        """Ids of those that are."""
        return [id for id, action in self._actions.items() if action.isChecked()]

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        action = None if event is None else self.actionAt(event.position().toPoint())
        if action is not None and action.isCheckable():
            action.toggle()
            return
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        action = self.activeAction()
        if (
            event is not None
            and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return)
            and action is not None
            and action.isCheckable()
        ):
            action.toggle()
            return
        super().keyPressEvent(event)
