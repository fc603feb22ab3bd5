"""What the window hears before any of its widgets: Esc, F1 and the keys of its menus."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QWidget

from sparring.ui.widgets.described import describe

if TYPE_CHECKING:
    from sparring.ui.app.window import Window


class Keys(QObject):
    """A filter of all events of the application."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Esc stops, always, from any page, with any dialog open. The keys of the menus reach the
        window from every field.
        """
        if not isinstance(event, QKeyEvent):
            if (
                event is not None
                and event.type() in (QEvent.Type.Show, QEvent.Type.ToolTipChange)
                and isinstance(watched, QWidget)
            ):
                describe(watched)
            return False
        if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape:
            was = self.window.session.state
            self.window.session.stop()
            if was in ("preparing", "lifting", "lowering"):
                kept = " The run is saved and marked as stopped." if was == "lifting" else ""
                self.window.say(f"Stop requested.{kept}")
                return True
            if was == "lost":
                self.window.say(
                    "STOP is not confirmed: the bench receives it only when it is back. "
                    "Cut its power.",
                    stay=True,
                )
        elif (
            event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_F1
            and not event.modifiers()
            and QApplication.activeModalWidget() is not None
        ):
            self.window.guide()  # the window's own keys do not reach a dialog
            return True
        elif event.type() == QEvent.Type.ShortcutOverride:
            combined = QKeySequence(event.keyCombination()).toString()
            if _nothing_typed(watched, event) or combined in self.window.commands.keys:
                # Qt's fields would take it: Ctrl+U empties them, Ctrl+E goes to their end
                event.ignore()
                return True
        return False


def _nothing_typed(field: QObject | None, event: QKeyEvent) -> bool:
    """Whether undo (or redo) is asked of a field that has none of its own: Qt's fields would take
    the key all the same.
    """
    line = field.findChild(QLineEdit) if isinstance(field, QAbstractSpinBox) else field
    if not isinstance(line, QLineEdit):
        return False
    if event.matches(QKeySequence.StandardKey.Undo):
        return not (line.isUndoAvailable() and line.isModified())
    return event.matches(QKeySequence.StandardKey.Redo) and not line.isRedoAvailable()
