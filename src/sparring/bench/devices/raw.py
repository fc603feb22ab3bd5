"""The bare numbers of a board whose columns nobody knows yet."""

from __future__ import annotations

import re
import threading
import time
from collections import Counter, deque
from collections.abc import Callable

import numpy as np

from sparring.bench.wire import open_wire, reason

_KEPT = 6000  # rows
_BETWEEN = re.compile(rb"[,;\s]+")
_WIDEST = 64  # columns


class RawColumns:
    """Reads a port and keeps the newest rows of numbers, as wide as most of them are."""

    def __init__(
        self, address: str, baud: int, *, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.address, self.baud, self.why = address, baud, ""
        self._clock = clock
        self._rows: deque[tuple[float, list[float]]] = deque(maxlen=_KEPT)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"raw {address}", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Gives the port back."""
        self._stop.set()
        self._thread.join(timeout=3)

    def since(self, moment: float) -> tuple[np.ndarray, np.ndarray]:
        """(when they came, shape (n,) [s]; rows, shape (n, columns)) from a moment of the clock."""
        rows = [r for r in list(self._rows) if r[0] >= moment]
        width = Counter(len(x) for _, x in list(self._rows)).most_common(1)
        if not width:
            return np.empty(0), np.empty((0, 0))
        whole = [(t, x) for t, x in rows if len(x) == width[0][0]]
        values = np.array([x for _, x in whole]).reshape(-1, width[0][0])
        return np.array([t for t, _ in whole]), values

    def _run(self) -> None:
        try:
            wire = open_wire(self.address, self.baud)
        except (OSError, ValueError) as err:
            self.why = f"{self.address} cannot be opened: {reason(err)}"
            return
        rest = b""
        try:
            while not self._stop.is_set():
                *lines, rest = (rest + wire.read())[-65536:].split(b"\n")
                now = self._clock()
                for line in lines:
                    if (row := _numbers(line)) is not None:
                        self._rows.append((now, row))
        except OSError as err:
            self.why = f"{self.address}: {reason(err)}"
        finally:
            wire.close()


def _numbers(line: bytes) -> list[float] | None:
    """The figures of a line; None where it is none of figures."""
    body = line.strip().partition(b"*")[0].strip()
    if not body or body[:1] in b"#>!":
        return None
    parts = _BETWEEN.split(body)
    if len(parts) > _WIDEST:
        return None
    try:
        return [float(p) for p in parts]
    except ValueError:
        return None
