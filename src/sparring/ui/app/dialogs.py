"""Dialogs of the window: units, copies of a logbook, keys."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.input_quantity import lowered
from sparring.ui.command import Command
from sparring.ui.model.desk import Desk
from sparring.ui.pages import PAGES
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import Table, note


class UnitsDialog(QDialog):
    """Which unit each kind of quantity is shown in."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Units")
        column = QVBoxLayout(self)
        column.addWidget(
            note("Applies to all figures shown. Any suitable unit can be typed in any field.")
        )
        form = QFormLayout()
        for kind in (
            "torque",
            "speed",
            "force",
            "mass",
            "length",
            "power",
            "voltage",
            "current",
            "temperature",
            "angle",
        ):
            choice = Choice()
            choice.addItems([u for u in quantity.kind_of(kind).units if u])
            choice.setCurrentText(desk.units[kind])
            choice.activated.connect(lambda _i, k=kind, c=choice: desk.set_unit(k, c.currentText()))
            form.addRow(kind.capitalize(), choice)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)


class CopiesDialog(QDialog):
    """Which copy of the logbook's database to go back to."""

    def __init__(self, folder: Path, copies: list[Path], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Restore a backup")
        column = QVBoxLayout(self)
        column.addWidget(
            note(
                f"In {folder}, builds, rigs, tests and runs return to their state on that "
                "day. Recordings remain; runs of tests that existed then are recovered. "
                "The present database is renamed, not deleted."
            )
        )
        self.days = Choice()
        self.days.setAccessibleName("Backup of")
        for path in reversed(copies):
            self.days.addItem(
                f"{path.stem.removeprefix('logbook-')}, {max(path.stat().st_size // 1000, 1)} kB",
                path.name,
            )
        form = QFormLayout()
        form.addRow("Backup of", self.days)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton("Restore", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def chosen(self) -> str:
        """The name of the copy."""
        return str(self.days.currentData())


class KeysDialog(QDialog):
    """Every key in one place: the commands', and those that a page's widgets hear."""

    def __init__(self, commands: Iterable[Command[Any]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(620, 560)
        column = QVBoxLayout(self)
        table = Table(["key", "does"], "Keys", left=(1,), wraps=True)
        table.fill([list(row) for row in keys_of(commands)])
        column.addWidget(table)


def keys_of(commands: Iterable[Command[Any]]) -> list[tuple[str, str]]:
    """(key, what it does) of every command that has one, and of the pages' widgets."""
    names = {page.id: page.name for page in PAGES}
    found = [("Esc", "Stop, from anywhere")]
    for c in commands:
        if c.key:
            words = c.told or c.words
            found.append((c.key, f"on {names[c.on]}: {lowered(words)}" if c.on else words))
    for page in PAGES:
        found += [(key, f"on {page.name}, {does}") for key, does in page.keys]
    return [
        *found,
        ("Ctrl+Enter", "in part measurements: record from the bench, or stop and use the readings"),
        ("Enter", "in part measurements: next value, then next repeat"),
    ]
