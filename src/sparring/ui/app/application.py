"""Starts the window."""

from __future__ import annotations

import gc

# Nearly nothing made while starting is ever garbage: collecting meanwhile only costs. `application`
# turns it on again.
gc.disable()

import os
import signal
import socket
import sys
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QSettings, QSocketNotifier, QTimer
from PyQt6.QtWidgets import QApplication

from sparring.ui.app.shell import MainWindow, icon
from sparring.ui.theme import load_fonts

# a property: Qt takes the name of an application from its command, so that says nothing
_SET_UP = "sparring set up"


def application() -> QApplication:
    """The one application object, with fonts and colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        size = QSettings("sparring", "sparring").value("text-size", 100, type=int)
        if size != 100:  # as chosen under View; what the desktop says comes on top
            os.environ.setdefault("QT_SCALE_FACTOR", f"{size / 100:g}")
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


def _unexpected(
    window: MainWindow, kind: type[BaseException], err: BaseException, trace: TracebackType | None
) -> None:
    """A fault of ours must not end a session at the bench: it is told and written out, and the
    window lives on.
    """
    traceback.print_exception(kind, err, trace)
    window.say(
        f"Internal error in Sparring ({kind.__name__}: {err}). Recording continues; details "
        "are in the terminal.",
        stay=True,
    )


def run(folder: Path, inspect: Path | None = None, *, demo: bool = False) -> int:
    """Opens a logbook folder in the window; the exit status. inspect: a socket on which to answer
    what is on the screen; demo: the demo logbook, which is made where it is not there.
    """
    app = application()
    window = MainWindow(whole=False)

    def whole() -> None:
        if inspect is not None:
            from sparring.ui.app.inspector import Inspector

            Inspector(window, str(inspect))
        sys.excepthook = partial(_unexpected, window)
        QTimer.singleShot(0, window.make_pages)
        opens = window.errands.open_demo if demo else window.desk.open
        QTimer.singleShot(0, lambda: opens(folder))
        QTimer.singleShot(0, window.offer_tour)

    window.make_parts_behind(whole)
    window.show()
    with _ended_by_signals(lambda: _end(app, window)):
        status = app.exec()
        if window.is_whole:
            window.session.let_go()  # where the display is gone Qt ends without closing the window
        return status


def _end(app: QApplication, window: MainWindow) -> None:
    """As by closing the window: the bench is told to stop and what it was recording is kept; then
    everything ends.
    """
    window.close()
    app.quit()


@contextmanager
def _ended_by_signals(end: Callable[[], None]) -> Iterator[None]:
    """Ctrl+C, a session that is closed, a machine that is shut down: `end` is called, in the
    window's thread.
    """
    read, write = socket.socketpair()
    for end_of_pair in (read, write):
        end_of_pair.setblocking(False)
    wakeup = signal.set_wakeup_fd(write.fileno())
    before = {
        s: signal.signal(s, lambda *_: None) for s in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    }
    fd, kind = read.fileno(), QSocketNotifier.Type.Read
    notifier = QSocketNotifier(fd, kind, None)  # type: ignore[call-overload]

    def heard() -> None:
        read.recv(64)
        end()

    notifier.activated.connect(heard)
    try:
        yield
    finally:
        notifier.setEnabled(False)
        signal.set_wakeup_fd(wakeup)
        for number, handler in before.items():
            signal.signal(number, handler)
        read.close()
        write.close()
