"""Esc, heard before the window: a process of its own watches the X server's keys, and sends `stop`
along the wires of what moves however busy the program is.

Only under X; elsewhere the window alone hears the key.
"""

from __future__ import annotations

import contextlib
import math
import os
import socket
import subprocess
import sys
import time
from typing import Any

_ANSWERS = 0.5  # [s] that the process gets to let a wire go
_SHORTLY = 3.0  # [s] for which a press counts as the reason of a stop


class EscapeWatch:
    """The program's side. Wires are shared from the first word that moves a device on; the process
    ends with the program.
    """

    def __init__(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        ours.settimeout(_ANSWERS)
        self._requests = ours
        self._pressed = -math.inf
        self._process = subprocess.Popen(
            [sys.executable, "-m", "sparring.bench.escape", str(theirs.fileno()), str(os.getpid())],
            pass_fds=[theirs.fileno()],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        theirs.close()
        assert self._process.stdout is not None
        os.set_blocking(self._process.stdout.fileno(), False)

    def share(self, name: int, wire: int, stop: str) -> None:
        """From now on a press of Esc sends `stop` (a line) along a wire (its file descriptor)."""
        with contextlib.suppress(OSError):  # without it the window hears the key itself
            socket.send_fds(self._requests, [f"{name} {stop}".encode()], [wire])

    def forget(self, name: int) -> None:
        """The wire is given up; waits until it is closed there, too."""
        with contextlib.suppress(OSError):
            self._requests.send(str(name).encode())
            self._requests.recv(16)

    def pressed(self) -> bool:
        """Whether Esc was pressed just now, perhaps before the window knows of it."""
        assert self._process.stdout is not None
        with contextlib.suppress(OSError):
            if self._process.stdout.read(64):
                self._pressed = time.monotonic()
        return time.monotonic() - self._pressed < _SHORTLY


def _watch(requests: socket.socket, program: int) -> None:
    """Until the program has gone."""
    import select

    display, escapes = _keys()
    wires: dict[bytes, tuple[int, bytes]] = {}
    while True:
        ready: list[Any] = [requests]
        if not display.pending_events():
            ready, _, _ = select.select([requests, display], [], [])
        if requests in ready and select.select([requests], [], [], 0)[0]:
            data, fds, *_ = socket.recv_fds(requests, 1024, 1)
            if not data:
                return
            name, _, stop = data.partition(b" ")
            if (old := wires.pop(name, None)) is not None:
                os.close(old[0])
            if fds:
                wires[name] = fds[0], stop + b"\n"
            else:
                requests.send(b"ok")
        while display.pending_events():
            event = display.next_event()
            if getattr(event, "data", None) is None or event.data["detail"] not in escapes:
                continue
            if not _has_keys(display, program):
                continue
            for fd, stop in wires.values():
                with contextlib.suppress(OSError):
                    os.write(fd, stop)
            with contextlib.suppress(OSError):
                os.write(1, b"!")


def _keys() -> tuple[Any, set[int]]:
    """(a display that tells every key that is pressed, the codes of Esc)."""
    from Xlib import XK
    from Xlib.display import Display
    from Xlib.ext import xinput
    from Xlib.protocol import rq

    display = Display()
    display.xinput_query_version()
    pressed = rq.Struct(rq.Card16("deviceid"), rq.Card32("time"), rq.Card32("detail"))
    major = display.query_extension("XInputExtension").major_opcode
    display.ge_add_event_data(major, xinput.RawKeyPress, pressed)
    root = display.screen().root
    root.xinput_select_events([(xinput.AllMasterDevices, xinput.RawKeyPressMask)])
    display.flush()
    return display, {code for code, _ in display.keysym_to_keycodes(XK.XK_Escape)}


def _has_keys(display: Any, program: int) -> bool:
    """Whether the window that has the keyboard is the program's."""
    from Xlib.error import XError

    with contextlib.suppress(XError, AttributeError):
        window = display.get_input_focus().focus
        owner = display.intern_atom("_NET_WM_PID")
        for _ in range(20):
            found = window.get_full_property(owner, 0)
            if found is not None:
                return int(found.value[0]) == program
            window = window.query_tree().parent
    return False


if __name__ == "__main__":
    _watch(socket.socket(fileno=int(sys.argv[1])), int(sys.argv[2]))
