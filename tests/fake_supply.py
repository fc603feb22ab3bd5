"""A supply that answers as it likes, over TCP or a pseudo-terminal, and who hears of it."""

import contextlib
import os
import pty
import socket
import threading
import time
import tty


class Fake:
    """An instrument that answers as `says` does: what is sent back to a line, or None."""

    def __init__(self, says, *, serial=False):
        self.heard = []
        self._says, self._theirs = says, None
        if serial:
            ours, theirs = pty.openpty()
            tty.setraw(theirs)
            self.address = os.ttyname(theirs)
            self._theirs = theirs
            threading.Thread(target=self._by_serial, args=(ours,), daemon=True).start()
            return
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"tcp://127.0.0.1:{self._server.getsockname()[1]}"
        threading.Thread(target=self._serve, daemon=True).start()

    def _by_serial(self, end):
        rest = b""
        while True:
            try:
                *lines, rest = (rest + os.read(end, 4096)).split(b"\n")
            except OSError:  # nobody has the other end any more
                os.close(end)
                return
            for line in lines:
                if (answer := self._hear(line)) is not None:
                    os.write(end, answer)

    def _hear(self, line):
        text = line.decode().strip()
        self.heard.append(text)
        answer = self._says(text)
        return None if answer is None else answer.encode()

    def _serve(self):
        while True:
            try:
                connection, _ = self._server.accept()
            except OSError:
                return
            threading.Thread(target=self._talk, args=(connection,), daemon=True).start()

    def _talk(self, connection):
        with (
            contextlib.suppress(OSError),  # who drove it was killed
            connection,
            connection.makefile("rb") as lines,
        ):
            for line in lines:
                if (answer := self._hear(line)) is not None:
                    connection.sendall(answer)

    def close(self):
        if self._theirs is None:
            self._server.close()
        else:  # whose reader closes its own end: another file may have its number by then
            os.close(self._theirs)


class Ends:
    """Keeps what an instrument is said to do."""

    def __init__(self):
        self.ups, self.downs, self.texts, self.reads, self.words = 0, [], [], [], []

    def said(self, text):
        self.texts.append(text)

    def up(self, _instrument):
        self.ups += 1

    def down(self, _instrument, why):
        self.downs.append(why)

    def read(self, _instrument, _t, values):
        self.reads.append(values)

    def done(self, _instrument, word, _figure, refused):
        self.words.append((word, refused))


class Supply:
    """What `Fake` says of one that obeys; `on` is what it truly does."""

    def __init__(self):
        self.on, self.confirms = False, True
        self.went_off = 0.0  # [s] of the monotonic clock

    def __call__(self, text):
        if text in ("OUTP ON", "OUTP OFF"):
            if self.on and text == "OUTP OFF":
                self.went_off = time.monotonic()
            self.on = text == "OUTP ON"
        answers = {
            "*IDN?": "A supply",
            "VOLT?": "6.000",
            "OUTP?": str(int(self.on)) if self.confirms else "busy",
            "MEAS:VOLT?": "6.001",
            "MEAS:CURR?": "0.512",
        }
        return f"{answers[text]}\n" if text in answers else None
