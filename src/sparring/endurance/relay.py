"""What a process that drives a bench lets others see: a socket that speaks as a board does."""

from __future__ import annotations

import contextlib
import os
import selectors
import socket
import threading
from collections.abc import Callable

import numpy as np

from sparring.bench.lines import SHARED, SIMULATED, with_checksum
from sparring.core.quantity import from_si, kind_of
from sparring.core.recording import CHANNELS
from sparring.home import runtime

_MOST = 1 << 20  # bytes that wait for one who does not read, before it is let go


class Relay:
    """Sends every block on to whoever is connected, and takes their words. said: is called with a
    word, on the relay's thread; its answer goes back ("" for done, else why not; None: nothing is
    said yet, and the word is to come again).
    """

    def __init__(self, said: Callable[[str], str | None], *, simulated: bool) -> None:
        self._said, self._simulated = said, simulated
        # a short path, for a socket's has to be one
        self.path = runtime() / f"{os.getpid()}.sock"
        self.path.unlink(missing_ok=True)
        self._server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._server.bind(str(self.path))
        self.path.chmod(0o600)
        self._server.listen()
        self._server.setblocking(False)
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._server, selectors.EVENT_READ)
        self._clients: dict[socket.socket, list[bytes]] = {}  # [waiting, rest of a line]
        self._lock = threading.Lock()
        self._channels: tuple[str, ...] = ()
        self._seq = 0
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._run, name="relay", daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        """Where to connect."""
        return f"unix:{self.path}"

    def close(self) -> None:
        """Lets all go."""
        self._ends.set()
        self._thread.join(timeout=3)
        for client in list(self._clients):
            self._let_go(client)
        self._server.close()
        self.path.unlink(missing_ok=True)

    def block(self, t: np.ndarray, values: np.ndarray, channels: tuple[str, ...]) -> None:
        """Samples came: shape (n,) [s] and (n, channels), SI."""
        head = b""
        if channels != self._channels:
            self._channels = channels
            head = self._header()
        units = [_unit(c) for c in channels]
        lines = [head]
        for at, row in zip(t.tolist(), values.tolist(), strict=True):
            self._seq += 1
            shown = (
                f"{from_si(v, unit, CHANNELS[c].kind):.7g}"
                for c, unit, v in zip(channels, units, row, strict=True)
            )
            lines.append(with_checksum(",".join([str(self._seq), f"{1e3 * at:.2f}", *shown])))
        self._send(b"".join(lines))

    def _header(self) -> bytes:
        columns = ", ".join(f"{c}/{_unit(c)}" for c in self._channels)
        return f"# columns: seq, t/ms, {columns}\n".encode() if self._channels else b""

    def _greeting(self) -> bytes:
        marks = [SHARED, *([SIMULATED] if self._simulated else [])]
        return "".join(f"# {mark}\n" for mark in marks).encode()

    def _send(self, data: bytes, only: socket.socket | None = None) -> None:
        with self._lock:
            for client in [only] if only is not None else list(self._clients):
                if client not in self._clients:
                    continue
                self._clients[client][0] += data
                if len(self._clients[client][0]) > _MOST:
                    self._let_go(client)

    def _let_go(self, client: socket.socket) -> None:
        self._clients.pop(client, None)
        with contextlib.suppress(KeyError, ValueError):
            self._selector.unregister(client)
        client.close()

    def _run(self) -> None:
        while not self._ends.is_set():
            for key, _ in self._selector.select(timeout=0.02):
                if key.fileobj is self._server:
                    self._accept()
                elif isinstance(key.fileobj, socket.socket):
                    self._listen(key.fileobj)
            self._flush()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            client, _ = self._server.accept()
            client.setblocking(False)
            with self._lock:  # whose it is comes before all else: nobody is to think it is theirs
                self._clients[client] = [self._greeting(), b""]
            self._selector.register(client, selectors.EVENT_READ)

    def _listen(self, client: socket.socket) -> None:
        try:
            data = client.recv(4096)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        with self._lock:
            if not data or client not in self._clients:
                self._let_go(client)
                return
            *lines, self._clients[client][1] = (self._clients[client][1] + data).split(b"\n")
        for line in lines:
            self._obey(client, line.decode("ascii", "replace").strip())

    def _obey(self, client: socket.socket, text: str) -> None:
        word = text.partition(" ")[0]
        if word == "hello":
            hello = f"> hello ok {os.getpid()}\n".encode()
            self._send(self._greeting() + self._header() + hello, client)
            return
        if not word:
            return
        refused = self._said(text)
        if refused is None:
            return
        answer = f"refused: {refused}" if refused else "ok"
        self._send(f"> {word} {answer}\n".encode(), client)

    def _flush(self) -> None:
        with self._lock:
            for client in list(self._clients):
                waiting = self._clients[client][0]
                if not waiting:
                    continue
                try:
                    sent = client.send(waiting)
                except BlockingIOError:
                    continue
                except OSError:
                    self._let_go(client)
                    continue
                self._clients[client][0] = waiting[sent:]


def _unit(channel: str) -> str:
    kind = CHANNELS[channel].kind
    return "counts" if kind == "count" else kind_of(kind).default
