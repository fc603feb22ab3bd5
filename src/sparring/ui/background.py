"""Work off the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal


class _Signals(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)


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


def run(work: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None]) -> None:
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


def finish(most: int = 5000) -> None:
    """Waits for work under way, at most so many milliseconds."""
    pool = QThreadPool.globalInstance()
    if pool is not None:
        pool.waitForDone(most)


def busy() -> bool:
    return bool(_pending)
