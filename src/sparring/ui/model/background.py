"""Work off the window's thread."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal


class Cancelled(Exception):
    """Raised inside long work when its cancel was asked for."""


class _Signals(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)
    progress = pyqtSignal(float)


def teller(tell: Callable[[float], None]) -> Callable[[float], None]:
    """A function that any thread may call, and that calls `tell` on the window's."""
    signals = _Signals()
    signals.progress.connect(tell)

    def told(part: float) -> None:
        signals.progress.emit(part)  # the emitter lives as long as this does

    return told


class Progress:
    """What long work calls with the part done [0..1]. Raises Cancelled once `cancel` was called."""

    _EVERY = 0.05  # [s] between two tellings: a window cannot show more

    def __init__(self, tell: Callable[[float], None]) -> None:
        self._tell = teller(tell)
        self._cancelled, self._told = False, 0.0

    def cancel(self) -> None:
        self._cancelled = True

    def __call__(self, part: float) -> None:
        if self._cancelled:
            raise Cancelled
        if (now := time.monotonic()) - self._told >= self._EVERY:
            self._told = now
            self._tell(part)


class _Task(QRunnable):
    def __init__(self, work: Callable[[], Any]) -> None:
        super().__init__()
        self.work, self.signals = work, _Signals()

    def run(self) -> None:
        try:
            result = self.work()
        except Exception as err:  # shown to the tester by whoever asked
            self.signals.failed.emit(err)
        else:
            self.signals.done.emit(result)


_pending: set[_Task] = set()


def run(
    work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None]
) -> None:
    """Calls `work` on another thread, then `done(result)` or `failed(error)` on the window's."""
    task = _Task(work)
    task.setAutoDelete(False)
    _pending.add(task)

    def finish(tell: Callable[[Any], None]) -> Callable[[Any], None]:
        def finished(outcome: Any) -> None:
            _pending.discard(task)
            tell(outcome)

        return finished

    task.signals.done.connect(finish(done))
    task.signals.failed.connect(finish(failed))
    pool = QThreadPool.globalInstance()
    assert pool is not None
    pool.start(task)


def run_long(
    work: Callable[[Progress], Any],
    done: Callable[[Any], None],
    failed: Callable[[Exception], None],
    part: Callable[[float], None],
) -> Progress:
    """As `run`, for work that tells how far it is (`part`, on the window's thread) and can be
    cancelled: `failed` is then called with Cancelled."""
    progress = Progress(part)
    run(lambda: work(progress), done, failed)
    return progress


def finish(most: int = 5000) -> None:
    """Waits for work under way, at most so many milliseconds."""
    pool = QThreadPool.globalInstance()
    if pool is not None:
        pool.waitForDone(most)


def busy() -> bool:
    return bool(_pending)
