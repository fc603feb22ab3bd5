"""Says a bench's last word over a connection of its own: `ADDRESS BAUD TEXT`, when the input ends.

A line before the end of the input says that the bench was let go, and nothing is sent.
"""

from __future__ import annotations

import contextlib
import signal
import sys
import time

from sparring.bench.devices.dialogue import open_dialogue

_TRIES = 3
_BETWEEN = 0.3  # [s]


def main(address: str, baud: str, text: str) -> None:
    """Waits, and says it."""
    for number in (signal.SIGHUP, signal.SIGINT, signal.SIGTERM):
        signal.signal(number, signal.SIG_IGN)
    if sys.stdin.readline():
        return
    for _ in range(_TRIES):
        with contextlib.suppress(OSError):
            to = open_dialogue(address, int(baud))
            to.tell(text)
            to.close()
        time.sleep(_BETWEEN)


if __name__ == "__main__":
    main(*sys.argv[1:])
