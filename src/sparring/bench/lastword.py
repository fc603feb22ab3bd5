"""The last word to a bench that moves: said by a process of its own where the program ends without
saying it.
"""

from __future__ import annotations

import contextlib
import subprocess
from collections.abc import Callable

from sparring.bench.wire import Wire

_MOVES = ("up", "down")  # words after which a bench moves until it is told to stop

# Deaf to what ends a whole session. Its input ends with the program, however that ends; a line
# before says that the bench was let go. Thrice: one may be lost.
_SCRIPT = """trap '' HUP INT TERM
read -r word && exit
for n in 1 2 3; do printf '%s\\n' "$0"; sleep 0.3; done"""


class LastWord:
    """Of one device. From the first word that moves it on, a process shares its wire, and sends
    `stop` (a line) if this program is killed, crashes, or is ended by a library, as where the
    display is gone. said: is told where there can be no such process.
    """

    def __init__(self, stop: str, said: Callable[[str], None]) -> None:
        self._stop, self._said = stop, said
        self._wanted = False
        self._process: subprocess.Popen[bytes] | None = None

    def before(self, word: str, wire: Wire) -> None:
        """A word is about to be sent."""
        if word in _MOVES:
            self._wanted = True
            self.opened(wire)

    def opened(self, wire: Wire) -> None:
        """The wire is there, perhaps anew: what was driven before may move still."""
        if not self._wanted or self._process is not None:
            return
        try:
            self._process = subprocess.Popen(
                ["/bin/sh", "-c", _SCRIPT, self._stop],
                stdin=subprocess.PIPE,
                stdout=wire.fileno(),
                stderr=subprocess.DEVNULL,
                cwd="/",
                start_new_session=True,
            )
        except OSError as err:
            self._said(
                f"Nothing will stop the bench if this program is killed ({err.strerror}): keep a "
                "hand on its switch."
            )

    def closes(self) -> None:
        """The bench was let go, or the wire is gone: nothing is to be sent down it."""
        process, self._process = self._process, None
        if process is not None:
            with contextlib.suppress(OSError):  # it was killed
                process.communicate(b"let go\n")
