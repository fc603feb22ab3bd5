"""The window's menus: every command with its key."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu

from sparring.ui.theme import theme

if TYPE_CHECKING:
    from sparring.ui.app.shell import MainWindow


def add_menus(window: MainWindow) -> None:
    """Fills the menu bar. What a command does is the window's or the errands' to know."""
    d = window.desk
    bar = window.menuBar()
    assert bar is not None

    def menu(title: str, *entries: tuple[str, str, Callable[[], Any]] | None) -> QMenu:
        made = bar.addMenu(title)
        assert made is not None
        for entry in entries:
            if entry is None:
                made.addSeparator()
                continue
            text, key, act = entry
            action = QAction(text, window)
            if key:
                action.setShortcut(QKeySequence(key))
                window.keys.add(QKeySequence(key).toString())
            action.triggered.connect(lambda _c=False, a=act: a())
            made.addAction(action)
        return made

    menu(
        "&Logbook",
        ("Open or begin a logbook …", "Ctrl+O", window.errands.open_logbook),
        None,
        ("Import a log …", "Ctrl+I", window.errands.import_log),
        ("Export this test …", "Ctrl+E", window.errands.export_test),
        ("Take back left-out lifts", "", window.errands.take_back),
        ("Go back to a copy …", "", window.errands.go_back),
        None,
        ("Find …", "Ctrl+F", window.search),
        ("Quit", "Ctrl+Q", window.close),
    )
    edit = menu("&Edit")
    for made, key in (
        (d.undo.createUndoAction(window, "Undo"), "Ctrl+Z"),
        (d.undo.createRedoAction(window, "Redo"), "Ctrl+Shift+Z"),
    ):
        assert made is not None
        made.setShortcut(QKeySequence(key))
        edit.addAction(made)
        window.history.append(made)  # held: Qt leaves these to whoever asked for them
    menu(
        "B&uild",
        ("New build", "Ctrl+N", window.errands.new_build),
        ("New revision of this build", "Ctrl+R", d.new_revision),
        None,
        ("Open a build file …", "", window.errands.open_build),
        ("Save as a build file …", "Ctrl+S", window.errands.save_build),
    )
    menu(
        "Be&nch",
        ("Simulated bench", "Ctrl+B", window.errands.simulate),
        ("Connect a board …", "", window.errands.connect_board),
        ("Disconnect", "", window.session.disconnect_bench),
        None,
        ("Tare with nothing pulling", "", lambda: window.session.zero()),
        ("Mark this moment", "", lambda: window.run_page.mark()),
        ("New test", "Ctrl+T", d.new_test),
        ("Readings, typed or recorded …", "Ctrl+H", window.errands.readings),
        None,
        ("Stop", "", window.session.stop),
    )
    view = menu(
        "&View",
        (
            "Fold the logbook",
            "Ctrl+1",
            lambda: window.fold(window.logbook, not window.logbook.isVisible()),
        ),
        (
            "Fold the findings",
            "Ctrl+2",
            lambda: window.fold(window.findings, not window.findings.isVisible()),
        ),
        ("Units …", "Ctrl+U", window.errands.units),
    )
    dark = QAction("Dark, for the night bench", window)
    dark.setCheckable(True)
    dark.setChecked(theme.dark)
    dark.setShortcut(QKeySequence("Ctrl+D"))
    window.keys.add("Ctrl+D")
    dark.toggled.connect(window.set_dark)
    view.addAction(dark)
    menu("&Help", ("Keys", "F1", window.errands.keys), ("About Sparring", "", window.errands.about))
