"""A board of the simplest kind on a pseudo-terminal: it keeps every line it is sent, and lifts when
it is told to.
"""

from __future__ import annotations

import os
import select
import threading
import time
import tty

COLUMNS = "# columns: seq, t/ms, cell/counts, speed/rpm, voltage/V, current/A"


class BareBoard:
    """`heard`: (seconds since it was made, line) of everything it was sent."""

    def __init__(self, lift_takes=3600.0):
        self._ours, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        self.port = os.ttyname(self._theirs)
        self.heard: list[tuple[float, str]] = []
        self.lift_takes = lift_takes
        self._begun = time.monotonic()
        self._lifting: float | None = None
        self._mass, self._zero = 0.0, 84_120.0
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def words(self):
        return [line.split()[0] for _, line in self.heard]

    def hears(self, word, since, seconds=60.0):
        """Whether `word` comes after its first `since` lines; waits for what is on its way."""
        end = time.monotonic() + seconds
        while word not in self.words()[since:] and time.monotonic() < end:
            time.sleep(0.02)
        return word in self.words()[since:]

    def close(self):
        self._ends.set()
        self._thread.join(5)
        os.close(self._ours)
        os.close(self._theirs)

    def _say(self, *lines):
        os.write(self._ours, "".join(f"{line}\n" for line in lines).encode())

    def _serve(self):
        rest, seq, step = b"", 0, 1 / 60
        self._say(COLUMNS)
        while not self._ends.is_set():
            ready, _, _ = select.select([self._ours], [], [], step)
            if ready:
                rest += os.read(self._ours, 4096)
                *lines, rest = rest.split(b"\n")
                for line in lines:
                    self._obey(line.decode().strip())
            t = time.monotonic() - self._begun
            if self._lifting is not None and t - self._lifting > self.lift_takes:
                self._lifting = None
                self._say("! top")
            turning = self._lifting is not None
            counts = self._zero + 20_600 * self._mass + (seq % 3 - 1) * 4
            rpm, volts, amps = (100 + seq % 5, 12.0, 0.9) if turning else (0.0, 0.0, 0.0)
            self._say(f"{seq},{1000 * t:.1f},{counts:.0f},{rpm},{volts},{amps}")
            seq += 1

    def _obey(self, line):
        if not line:
            return
        self.heard.append((time.monotonic() - self._begun, line))
        word, _, rest = line.partition(" ")
        if word == "hello":
            self._say("> hello ok", COLUMNS)
        elif word == "tare":
            self._say(f"> tare ok {self._zero + 20_600 * self._mass:.0f}")
        elif word == "hang":
            self._mass = float(rest)
            self._say(f"> hang ok {rest}")
        elif word == "up":
            self._lifting = time.monotonic() - self._begun
            self._say("> up ok")
        elif word == "down":
            self._say("> down ok", "! bottom")
        else:
            if word == "stop":
                self._lifting = None
            self._say(f"> {word} ok")
