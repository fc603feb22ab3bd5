"""Esc by a real key on the installed program's window, to `stop` read at the board."""

from __future__ import annotations

import signal
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.yardstick import say

TESTS = Path(__file__).parents[1] / "tests"
PRESSES = 100


def escape() -> None:
    """100 presses each: the window at rest, opening its pages, and held as a whole (nothing it
    could do would take longer)."""
    sys.path[:0] = [str(TESTS), str(TESTS / "journeys")]
    from bare_board import BareBoard
    from desktop import Program, Screen
    from helpers import copied, demo_logbook
    from test_bench_desk import begun
    from Xlib import XK, X
    from Xlib.display import Display
    from Xlib.ext import xtest

    screen, board = Screen(), BareBoard()
    display = Display(screen.display)
    key = display.keysym_to_keycode(XK.XK_Escape)

    def pressed() -> float:
        before = len(board.heard)
        at = time.monotonic()
        for what in (X.KeyPress, X.KeyRelease):
            xtest.fake_input(display, what, key)
        display.sync()
        while "stop" not in board.words()[before:]:
            if time.monotonic() - at > 30:
                raise TimeoutError("Esc did not reach the board")
            time.sleep(0.0005)
        return time.monotonic() - at

    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "home"
        copied(demo_logbook(), home / "data" / "sparring" / "demo")
        program = Program(screen, home, "demo")
        work = {
            "at rest": lambda _n: None,
            "while pages are opened": lambda n: screen.xdo("key", f"alt+{1 + n % 7}"),
            "while it is held": lambda n: program.signal(signal.SIGSTOP) if n == 0 else None,
        }
        try:
            with begun(program, board, Path(folder)):
                for name, begin in work.items():
                    times = []
                    for n in range(PRESSES):
                        begin(n)  # type: ignore[no-untyped-call]
                        times.append(1e3 * pressed())
                        time.sleep(0.02)
                    detail = f"median {np.median(times):.0f} ms"
                    say(f"escape: longest of {PRESSES} presses {name}, ms", max(times), 50, detail)
                program.signal(signal.SIGCONT)
        finally:
            program.signal(signal.SIGCONT)
            program.close()
            board.close()
            screen.close()
