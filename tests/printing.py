"""A board of bare numbers on a pseudo-terminal."""

import os
import threading
import time
import tty


class Printing:
    """`at(t)` gives the figures of a moment; late [s]: they are of so long ago; clock [s]: at which
    its own begins.
    """

    def __init__(self, at, rate, late=0.0, clock=0.0):
        self.master, self._slave = os.openpty()
        tty.setraw(self._slave)
        self.port = os.ttyname(self._slave)
        self._at, self._rate, self._late, self._clock = at, rate, late, clock
        self.going = True
        self._thread = threading.Thread(target=self._print, daemon=True)
        self._thread.start()

    def _print(self):
        begun = time.monotonic()
        n = 0
        while self.going:
            n += 1
            time.sleep(max(0.0, begun + n / self._rate - time.monotonic()))
            t = time.monotonic()
            figures = ",".join(f"{v:.4f}" for v in self._at(t - self._late))
            os.write(self.master, f"{1e3 * (t - begun + self._clock):.2f},{figures}\n".encode())

    def close(self):
        self.going = False
        self._thread.join()
        os.close(self.master)
        os.close(self._slave)
