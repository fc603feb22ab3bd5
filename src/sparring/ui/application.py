"""Starts the window."""

from __future__ import annotations

import gc

# Nearly nothing made while starting is ever garbage: collecting meanwhile only costs. `application` turns it on again.
gc.disable()

import signal
import sys
import traceback
from functools import partial
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from sparring.ui.shell import MainWindow, icon
from sparring.ui.theme import load_fonts

_SET_UP = "sparring set up"  # a property: Qt takes the name of an application from its command, so that says nothing


def application() -> QApplication:
    """The one application object, with fonts and colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    if app.property(_SET_UP):
        return app
    app.setProperty(_SET_UP, True)
    app.setApplicationName("sparring")
    app.setApplicationDisplayName("Sparring")
    app.setDesktopFileName("sparring")
    app.setStyle("Fusion")
    load_fonts()
    app.setWindowIcon(icon())
    QTimer.singleShot(0, _collect_again)
    return app


def _collect_again() -> None:
    if not gc.isenabled():
        gc.freeze()
        gc.enable()


def _unexpected(window: MainWindow, kind: type[BaseException], err: BaseException, trace: TracebackType | None) -> None:
    """A fault of ours must not end a session at the bench: it is told and written out, and the window lives on."""
    traceback.print_exception(kind, err, trace)
    window.say(f"Something went wrong inside Sparring ({kind.__name__}: {err}). Recording goes on; details are in the terminal.", stay=True)


def run(folder: Path, inspect: Path | None = None) -> int:
    """Opens a logbook folder in the window; the exit status. inspect: a socket on which to answer what is on the screen."""
    app = application()
    window = MainWindow()
    if inspect is not None:
        from sparring.ui.inspector import Inspector

        Inspector(window, str(inspect))
    sys.excepthook = partial(_unexpected, window)
    window.show()
    QTimer.singleShot(0, window.make_pages)
    QTimer.singleShot(0, lambda: window.desk.open(folder))
    signal.signal(signal.SIGINT, lambda *_: window.close())
    wake = QTimer()  # lets the interpreter see the signal
    wake.start(500)
    wake.timeout.connect(lambda: None)
    return app.exec()
