"""A cable between a board's port and a port of its own, that can be pulled out and put back while
the board goes on.
"""

from __future__ import annotations

import contextlib
import os
import select
import threading
import time
import tty


class Cable:
    """`link`: a path that is the far end's port while it is plugged in. `heard`: (seconds, line) of
    all that got through to the board.
    """

    def __init__(self, port, link):
        self.link, self.heard = link, []
        self._board = os.open(port, os.O_RDWR | os.O_NOCTTY)
        tty.setraw(self._board)
        self._ends: tuple[int, int] | None = None
        self._lock, self._done = threading.Lock(), threading.Event()
        self._rest = b""
        self.blocked = False  # plugged in, and nothing comes through from the board
        self.plug()
        self._thread = threading.Thread(target=self._carry, daemon=True)
        self._thread.start()

    def plug(self):
        with self._lock:
            ours, theirs = os.openpty()
            tty.setraw(theirs)
            os.set_blocking(ours, False)
            self._ends = ours, theirs
            self.link.symlink_to(os.ttyname(theirs))

    def pull(self):
        with self._lock:
            assert self._ends is not None
            ends, self._ends = self._ends, None
            self.link.unlink()
            for end in ends:
                os.close(end)

    def words(self):
        return [line.split()[0] for _, line in list(self.heard)]

    def close(self):
        self._done.set()
        self._thread.join(5)
        if self._ends is not None:
            self.pull()
        os.close(self._board)

    def _carry(self):
        while not self._done.is_set():
            with self._lock:
                if self._ends is not None:
                    with contextlib.suppress(BlockingIOError, OSError):
                        data = os.read(self._ends[0], 4096)
                        self._rest += data
                        os.write(self._board, data)
                    *lines, self._rest = self._rest.split(b"\n")
                    self.heard += [(time.monotonic(), line.decode()) for line in lines if line]
                if select.select([self._board], [], [], 0.005)[0]:
                    data = os.read(self._board, 4096)
                    if self._ends is not None and not self.blocked:
                        with contextlib.suppress(BlockingIOError):
                            os.write(self._ends[0], data)
