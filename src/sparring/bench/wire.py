"""How bytes get to a device and back: a serial port, or a socket."""

from __future__ import annotations

import fcntl
import os
import select
import socket
import termios
from typing import Protocol, TextIO

import serial

from sparring.bench import portlock

TURN = 0.05  # [s] that a read waits for something to come
_WRITE = 0.2  # [s] that a device which does not listen may hold up a command
_CONNECT = 2.0  # [s] for a device on the network to take a connection


class Wire(Protocol):
    """An open connection. Its errors are OSErrors."""

    def read(self) -> bytes:
        """What has come; waits for it, `TURN` at most."""

    def pending(self) -> bytes:
        """What has come already."""

    def write(self, data: bytes) -> None:
        """Sends all of it."""

    def fileno(self) -> int:
        """Its file descriptor."""

    def close(self) -> None:
        """Ends it."""


def open_wire(address: str, baud: int = 115200) -> Wire:
    """Opens `tcp://host:port`, `unix:/path`, or else a serial port; for this program alone. Raises
    OSError or ValueError with the reason, PortInUse where somebody else has it.
    """
    lock = portlock.take(address)
    try:
        wire = _open(address, baud)
    except (OSError, ValueError):
        if lock is not None:
            lock.close()
        raise
    wire.lock = lock
    return wire


def _open(address: str, baud: int) -> _Socket | _Serial:
    if address.startswith("tcp://"):
        host, colon, port = address.removeprefix("tcp://").rpartition(":")
        if not colon or not port.isdigit():
            raise ValueError("write it as tcp://host:port, for example tcp://192.168.0.10:5025")
        made = socket.create_connection((host.strip("[]"), int(port)), timeout=_CONNECT)
        made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return _Socket(made)
    if address.startswith("unix:"):
        here = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        try:
            here.settimeout(_CONNECT)
            here.connect(address.removeprefix("unix:"))
        except OSError:
            here.close()
            raise
        return _Socket(here)
    return _Serial(address, baud)


class _Locked:
    """Gives the lock of its port back when it is closed."""

    lock: TextIO | None = None

    def unlock(self) -> None:
        if self.lock is not None:
            self.lock.close()


class _Serial(_Locked):
    def __init__(self, port: str, baud: int) -> None:
        try:
            self._port = serial.Serial(port, baud, timeout=TURN, write_timeout=_WRITE)
            if not os.path.realpath(port).startswith("/dev/pts/"):
                # others who open it are refused by the system; a pseudo-terminal would stay so
                fcntl.ioctl(self._port.fileno(), termios.TIOCEXCL)
        except serial.SerialException as err:  # it says the port twice, and its number
            raise OSError(
                err.errno or 0, os.strerror(err.errno) if err.errno else str(err)
            ) from err

    def read(self) -> bytes:
        try:
            return bytes(self._port.read(max(1, self._port.in_waiting)))
        except TypeError as err:  # it was closed under the read
            raise OSError(str(err)) from err

    def pending(self) -> bytes:
        waiting = self._port.in_waiting
        return bytes(self._port.read(waiting)) if waiting else b""

    def write(self, data: bytes) -> None:
        try:
            self._port.write(data)
        except TypeError as err:
            raise OSError(str(err)) from err

    def fileno(self) -> int:
        return int(self._port.fileno())

    def close(self) -> None:
        self._port.close()
        self.unlock()


class _Socket(_Locked):
    def __init__(self, made: socket.socket) -> None:
        made.settimeout(_WRITE)
        self._socket = made

    def read(self) -> bytes:
        return self._came(TURN)

    def pending(self) -> bytes:
        return self._came(0.0)

    def _came(self, within: float) -> bytes:
        ready, _, _ = select.select([self._socket], [], [], within)
        if not ready:
            return b""
        data = self._socket.recv(65536)
        if not data:
            raise OSError("the other end has closed the connection")
        return data

    def write(self, data: bytes) -> None:
        self._socket.sendall(data)

    def fileno(self) -> int:
        return self._socket.fileno()

    def close(self) -> None:
        self._socket.close()  # no shutdown: the last word may still be said over it
        self.unlock()


def reason(err: Exception) -> str:
    """Why a wire failed, in words."""
    number, said = getattr(err, "errno", None), getattr(err, "strerror", None)
    if number and said:
        return str(said)
    return str(err) or "it was unplugged or switched off, or another program is using it"
