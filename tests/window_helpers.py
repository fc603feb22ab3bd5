"""What the tests of the window share."""

from helpers import wait_for
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from sparring.core.records import changed
from sparring.ui.model import background


def tall(rig):
    """A hoist so high that a lift is not over before a test has done with it."""
    return changed(rig, ("method", "travel"), 120.0)


def until(condition, seconds=60.0):
    wait_for(condition, seconds, QApplication.processEvents)


def idle():
    until(lambda: not background.busy())
    for _ in range(3):
        QApplication.processEvents()


def choose(window, name):
    window.desk.choose_build({b.name: i for i, b in window.desk.book.builds()}[name])
    idle()


def press(widget, key, qtbot):
    qtbot.keyClick(widget, key)
    QApplication.processEvents()


def enter(field, text, qtbot):
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text) if text else qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    idle()
