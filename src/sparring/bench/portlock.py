"""One program at a time on a port: two that read it share its lines, and each stops the other's
bench.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
from pathlib import Path
from typing import TextIO

from sparring.home import Held, hold, runtime

_SEVERAL = ("unix:",)  # beginnings of addresses that serve several at once


class PortInUse(OSError):
    """Somebody else has the port; the message names them."""


def take(address: str) -> TextIO | None:
    """The lock of an address, held until it is closed; None: of one that serves several. Raises
    PortInUse, and OSError where there is no place for locks.
    """
    if address.startswith(_SEVERAL):
        return None
    real = os.path.realpath(address) if address.startswith("/") else address
    name = hashlib.sha256(real.encode()).hexdigest()[:16]
    try:
        handle = hold(runtime() / f"port-{name}.lock", f"Sparring, process {os.getpid()}")
    except Held as err:
        raise PortInUse(errno.EBUSY, f"it is in use by {err}") from err
    try:
        _alone(real)
    except PortInUse:
        handle.close()
        raise
    return handle


def _alone(port: str) -> None:
    """Raises PortInUse where another program has a serial port open. Of a pseudo-terminal nobody
    can tell who simulates the board at its other end.
    """
    if not port.startswith("/dev/") or port.startswith("/dev/pts/") or not os.path.exists(port):
        return
    for process in Path("/proc").glob("[0-9]*"):
        if process.name == str(os.getpid()):
            continue
        with contextlib.suppress(PermissionError, FileNotFoundError):  # another's, or just ended
            for handle in (process / "fd").iterdir():
                if os.readlink(handle) == port:
                    name = (process / "comm").read_text().strip()
                    raise PortInUse(errno.EBUSY, f"it is in use by {name}, process {process.name}")
