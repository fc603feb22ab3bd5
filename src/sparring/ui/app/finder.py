"""The box in which one types what one wants: every command by its words."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.ui.app.actions import Actions
from sparring.ui.command import Command
from sparring.ui.pages import PAGES

_MOVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


def found(commands: list[Command[Any]], text: str) -> list[Command[Any]]:
    """The commands whose words hold everything typed, those first that begin with it."""
    typed = text.casefold().split()
    names = {page.id: page.name for page in PAGES}

    def said(c: Command[Any]) -> str:
        return f"{c.words} {c.told} {c.menu} {names.get(c.on, '')}".casefold()

    def rank(c: Command[Any]) -> tuple[bool, bool]:
        words = (c.told or c.words).casefold()
        return not words.startswith(text.casefold().strip()), not all(t in words for t in typed)

    return sorted((c for c in commands if all(t in said(c) for t in typed)), key=rank)


class Finder(QDialog):
    """Typing narrows the list, the arrow keys choose in it, Enter does it."""

    def __init__(self, actions: Actions, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._actions = actions
        self.setWindowTitle("Find a command")
        self.resize(620, 420)
        column = QVBoxLayout(self)
        self.box = QLineEdit()
        self.box.setPlaceholderText("what do you want to do?")
        self.box.setAccessibleName("What do you want to do?")
        self.box.textChanged.connect(self._fill)
        self.box.installEventFilter(self)
        column.addWidget(self.box)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Commands")
        self.list.setRootIsDecorated(False)
        self.list.setHeaderLabels(["", "where", "key"])
        self.list.setColumnWidth(0, 360)
        self.list.setColumnWidth(1, 120)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(lambda item: self._do(item))
        column.addWidget(self.list, 1)
        self._fill("")

    def _fill(self, text: str) -> None:
        actions, names = self._actions, {page.id: page.name for page in PAGES}
        self.list.clear()
        others = [c for c in actions.known.values() if c.id != "help.find"]
        for command in found(others, text):
            where = names.get(command.on) or command.menu.partition(" ▸ ")[0]
            words = command.told or command.words
            item = QTreeWidgetItem([words, where, command.key])
            item.setData(0, Qt.ItemDataRole.UserRole, command.id)
            item.setDisabled(not actions.can(command.id))
            self.list.addTopLevelItem(item)
        items = [self.list.topLevelItem(i) for i in range(self.list.topLevelItemCount())]
        self.list.setCurrentItem(next((i for i in items if i and not i.isDisabled()), None))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in _MOVES:
                QApplication.sendEvent(self.list, event)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._do(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _do(self, item: QTreeWidgetItem | None) -> None:
        if item is not None and not item.isDisabled():
            self.accept()
            self._actions.do(item.data(0, Qt.ItemDataRole.UserRole))
