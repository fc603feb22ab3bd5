"""Commands made into what Qt hears and shows: actions, menus, keys."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QAction, QKeySequence, QShortcut
from PyQt6.QtWidgets import QMenu, QWidget

from sparring.ui.command import Command


class Actions(QObject):
    """All commands of a window.

    target: what a command is done with, the window or a page's view (made if need be);
    ready: whether that is there already.
    """

    def __init__(
        self,
        window: QWidget,
        commands: Iterable[Command[Any]],
        target: Callable[[Command[Any]], Any],
        ready: Callable[[Command[Any]], bool],
    ) -> None:
        super().__init__(window)  # it hears nothing any more once the window is gone
        self._window, self._target, self._ready = window, target, ready
        self.known: dict[str, Command[Any]] = {}
        self._actions: dict[str, QAction] = {}
        self._of_pages: list[tuple[str, QShortcut]] = []
        self.keys: set[str] = set()  # that reach the window from every field
        for command in commands:
            self._add(command)

    def _add(self, command: Command[Any]) -> None:
        action = QAction(command.words, self._window)
        action.setCheckable(command.checked is not None)
        action.triggered.connect(partial(self._triggered, command.id))
        if command.key and command.on:  # heard on that page alone, done from any
            shortcut = QShortcut(QKeySequence(command.key), self._window)
            shortcut.activated.connect(partial(self.do, command.id))
            shortcut.setEnabled(False)
            self._of_pages.append((command.on, shortcut))
        elif command.key:
            action.setShortcut(QKeySequence(command.key))
            self._window.addAction(action)
            if not command.field_first:
                self.keys.add(QKeySequence(command.key).toString())
        if command.id in self.known:
            raise ValueError(f"two commands are called {command.id}")
        self.known[command.id], self._actions[command.id] = command, action

    def _triggered(self, id: str, _checked: bool = False) -> None:
        self.do(id)

    def do(self, id: str) -> None:
        """Runs a command, where it can be done now."""
        command = self.known[id]
        if command.when(target := self._target(command)):
            command.do(target)
        self.refresh()

    def can(self, id: str) -> bool:
        """Whether a command can be done now; one whose page has not been made yet is tried."""
        command = self.known[id]
        return not self._ready(command) or command.when(self._target(command))

    def refresh(self, *_: object) -> None:
        """Brings what can be done, and what is on, in step with desk and bench."""
        for id, command in self.known.items():
            action = self._actions[id]
            action.setEnabled(self.can(id))
            if self._ready(command):
                target = self._target(command)
                if command.says is not None:
                    action.setText(command.says(target))
                if command.checked is not None:
                    action.setChecked(command.checked(target))

    def show_page(self, page: str) -> None:
        """The keys of a page are heard from now on, those of the others are not."""
        for own, shortcut in self._of_pages:
            shortcut.setEnabled(own == page)

    def menu(self, name: str, menu: QMenu) -> QMenu:
        """Fills a menu with the commands of that name, `Name ▸ Inner` in menus within."""
        inner: dict[str, QMenu] = {}
        group: int | None = None
        within = [c for c in self.known.values() if c.menu.partition(" ▸ ")[0] == name]
        for command in sorted(within, key=lambda c: c.group):
            rest = command.menu.partition(" ▸ ")[2]
            if group is not None and command.group != group:
                menu.addSeparator()
            group = command.group
            if rest and rest not in inner:
                made = menu.addMenu(rest)
                assert made is not None
                inner[rest] = made
            (inner[rest] if rest else menu).addAction(self._actions[command.id])
        menu.aboutToShow.connect(self.refresh)
        return menu
