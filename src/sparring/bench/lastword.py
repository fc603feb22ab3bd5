"""The last word to a bench that moves: said by a process of its own where the program ends without
saying it.
"""

from __future__ import annotations

import contextlib
import subprocess
from collections.abc import Callable, Sequence
from typing import ClassVar, Protocol

from sparring.bench.escape import EscapeWatch

MOVES = ("up", "down")  # words after which a bench moves until it is told to stop

# Deaf to what ends a whole session. Its input ends with the program, however that ends; a line
# before says that the bench was let go. Thrice: one may be lost.
_SCRIPT = """trap '' HUP INT TERM
read -r word && exit
for n in 1 2 3; do printf '%s\\n' "$0"; sleep 0.3; done"""


class Shared(Protocol):
    """A connection to a device."""

    def fileno(self) -> int | None:
        """Its file descriptor; None: it has none that another process could write to."""


class LastWord:
    """Of one device. From the first word that moves it on, a process shares its wire, and sends
    `stop` (a line) if this program is killed, crashes, or is ended by a library, as where the
    display is gone. said: is told where there can be no such process; anew: a command that
    connects by itself to say it, for a connection that cannot be shared; it waits for the end of
    its input, and a line there says that the bench was let go.
    """

    escape: ClassVar[EscapeWatch | None] = None
    """Of a program with a window: it says the same word when Esc is pressed."""

    def __init__(
        self, stop: str, said: Callable[[str], None], anew: Sequence[str] | None = None
    ) -> None:
        self._stop, self._said, self._anew = stop, said, anew
        self._wanted = False
        self._process: subprocess.Popen[bytes] | None = None

    @classmethod
    def escaped(cls) -> bool:
        """Whether Esc was pressed just now, perhaps before the window knows of it."""
        return cls.escape is not None and cls.escape.pressed()

    def before(self, word: str, wire: Shared) -> None:
        """A word is about to be sent."""
        if word in MOVES:
            self._wanted = True
            self.opened(wire)

    def opened(self, wire: Shared) -> None:
        """The wire is there, perhaps anew: what was driven before may move still."""
        if not self._wanted or self._process is not None:
            return
        shared = wire.fileno()
        if shared is None and self._anew is None:
            return
        command = self._anew if shared is None else ["/bin/sh", "-c", _SCRIPT, self._stop]
        assert command is not None
        try:
            self._process = subprocess.Popen(
                command,
                stdin=subprocess.PIPE,
                stdout=subprocess.DEVNULL if shared is None else shared,
                stderr=subprocess.DEVNULL,
                cwd="/",
                start_new_session=True,
            )
        except OSError as err:
            self._said(
                f"Nothing will stop the bench if this program is killed ({err.strerror}): keep a "
                "hand on its switch."
            )
        if self.escape is not None and shared is not None:
            self.escape.share(id(self), shared, self._stop)

    def closes(self, still: bool = True) -> None:
        """The connection is given up. still: the bench is known to be, and nothing is to be sent to
        it any more; else the process says its word now.
        """
        process, self._process = self._process, None
        if self._wanted and self.escape is not None:  # also where there is no such process
            self.escape.forget(id(self))
        if process is not None:
            with contextlib.suppress(OSError):  # it was killed
                if still:
                    process.communicate(b"let go\n")
                elif process.stdin is not None:
                    process.stdin.close()
