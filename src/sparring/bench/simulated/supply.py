"""The panel of a simulated supply: SCPI text over TCP, which drives a simulated bench.

Understood (SCPI-1999, from memory): *IDN?, *RST, VOLT, CURR, OUTP, each with its question,
MEAS:VOLT?, MEAS:CURR?, SYST:ERR?; long forms and several in a line, with semicolons between.
"""

from __future__ import annotations

import contextlib
import queue
import re
import socketserver
import threading
from collections.abc import Callable
from typing import Any, NamedTuple

_LONG = {
    "VOLTAGE": "VOLT",
    "CURRENT": "CURR",
    "OUTPUT": "OUTP",
    "MEASURE": "MEAS",
    "SYSTEM": "SYST",
    "ERROR": "ERR",
}
_LEFT_OUT = re.compile(r"^(SOUR|SOURCE):|:(STAT|STATE|DC|LEV|LEVEL|IMM|NEXT)\b")
_WAIT = 1.0  # [s] for the bench to carry something out


class Order(NamedTuple):
    """What the bench is to do. done: is called with why not, or ""."""

    word: str
    value: float
    done: Callable[[str], None]


class SupplyPanel:
    """Listens on a port of this machine; 0: a free one. measured: (volts, amperes) now."""

    def __init__(self, port: int, measured: Callable[[], tuple[float, float]]) -> None:
        self.orders: queue.SimpleQueue[Order] = queue.SimpleQueue()
        self._measured = measured
        self._volts, self._limit, self._on = 0.0, 10.0, False
        self._errors: list[str] = []
        panel = self

        class Handler(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                with contextlib.suppress(OSError):
                    for line in self.rfile:
                        answer = panel.say(line.decode("ascii", "replace").strip())
                        if answer:
                            self.wfile.write(answer.encode() + b"\n")

        class Server(socketserver.ThreadingTCPServer):
            allow_reuse_address = True
            daemon_threads = True

        self._server = Server(("127.0.0.1", port), Handler)
        self.address = f"tcp://127.0.0.1:{self._server.server_address[1]}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def close(self) -> None:
        """Gives the port back."""
        self._server.shutdown()
        self._server.server_close()

    def say(self, line: str) -> str:
        """Carries a line out; what it answers."""
        answers = [a for part in line.split(";") if part.strip() if (a := self._one(part.strip()))]
        return ";".join(answers)

    def _one(self, text: str) -> str:
        head, _, value = text.upper().partition(" ")
        head = head.lstrip(":")
        for long, short in _LONG.items():
            head = head.replace(long, short)
        head = _LEFT_OUT.sub("", head)
        answers: dict[str, Callable[[], Any]] = {
            "*IDN?": lambda: "Simulated,Supply,0,1",
            "VOLT?": lambda: f"{self._volts:.4f}",
            "CURR?": lambda: f"{self._limit:.4f}",
            "OUTP?": lambda: "1" if self._on else "0",
            "MEAS:VOLT?": lambda: f"{self._measured()[0]:.4f}",
            "MEAS:CURR?": lambda: f"{self._measured()[1]:.4f}",
            "SYST:ERR?": lambda: self._errors.pop(0) if self._errors else '0,"No error"',
        }
        if head in answers:
            return str(answers[head]())
        acts: dict[str, Callable[[str], None]] = {
            "VOLT": self._set_volts,
            "CURR": self._set_limit,
            "OUTP": lambda v: self._switch(v in ("ON", "1")),
            "*RST": lambda _v: self._switch(False),
        }
        try:
            acts[head](value.strip())
        except KeyError:
            self._errors.append(f'-113,"Undefined header;{head[:40]}"')
        except ValueError:
            self._errors.append('-104,"Data type error"')
        return ""

    def _set_volts(self, text: str) -> None:
        self._volts = float(text)
        self._order("drive", self._volts)

    def _set_limit(self, text: str) -> None:
        self._limit = float(text)

    def _switch(self, on: bool) -> None:
        self._on = on
        self._order("up" if on else "stop", 0.0)

    def _order(self, word: str, value: float) -> None:
        """Has it done in the bench's own turn, and waits for that."""
        over = threading.Event()

        def done(refused: str) -> None:
            if refused:
                self._errors.append(f'-200,"Execution error;{refused}"')
            over.set()

        self.orders.put(Order(word, value, done))
        over.wait(_WAIT)
