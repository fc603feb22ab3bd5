"""A stop that was asked for: repeated until the bench says that it has stopped."""

from __future__ import annotations

from sparring.bench.states import AGAIN

_UNCONFIRMED = 1.0  # [s] after which the tester is told to cut the power


class Stop:
    """wanted: asked for, and not confirmed. Times [s] are of the session's clock."""

    def __init__(self) -> None:
        self.wanted = False
        self._first = self._sent = 0.0
        self._told = False

    def want(self, now: float, *, answers: bool) -> None:
        """Asks for it. answers: the bench may confirm it; of others nothing is awaited."""
        if not self.wanted:
            self._first, self._told = now, False
        self.wanted = answers

    def sent(self, now: float) -> None:
        """The command went out."""
        self._sent = now

    def due(self, now: float) -> bool:
        """Whether it is to be sent once more."""
        return self.wanted and now - self._sent > AGAIN

    def unconfirmed(self, now: float) -> bool:
        """Whether it has not been confirmed for too long; once."""
        late = self.wanted and now - self._first > _UNCONFIRMED and not self._told
        self._told |= late
        return late

    def forget(self) -> None:
        """It is confirmed, or nobody will confirm it."""
        self.wanted = False
