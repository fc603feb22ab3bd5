"""The states of a bench, and what is needed of the link to one."""

from __future__ import annotations

from typing import Literal, Protocol

SILENT = 0.5  # [s] without a valid line from a bench that may be moving: it is lost
# [s] the same of a simulated one, which shares its processor with all else that runs
SIMULATED_SILENT = 5.0
WATCHDOG = 2.0  # [s] after which a board stops itself that hears nothing, where it can
ANSWER = 2.0  # [s] within which a board answers a command
# of a lift's voltage, to let the hook down: at it even what nearly stalls runs down no faster than
# an empty hook up
GENTLY = 0.4
AGAIN = 0.25  # [s] between two commands to stop, until one is confirmed

State = Literal[
    "off", "connecting", "ready", "preparing", "lifting", "lowering", "stopping", "lost"
]
MOVING: tuple[State, ...] = ("lifting", "lowering", "stopping")
"""States in which the board may move; so it may while lost."""


class Port(Protocol):
    """What a session needs of a link. lowers: it can let down what was driven up; times: it ends a
    run by itself; awaited: who is to drive and is not there yet.
    """

    @property
    def lowers(self) -> bool: ...

    @property
    def awaited(self) -> str: ...

    @property
    def times(self) -> bool: ...

    def send(self, command: str) -> bool:
        """Sends a line; False when it cannot be."""
