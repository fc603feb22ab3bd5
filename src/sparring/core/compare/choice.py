"""What is to be compared."""

from __future__ import annotations

from typing import NamedTuple


class Choice(NamedTuple):
    """A build of a logbook, and which of its tests, by their numbers; 0: its newest, or none."""

    build: int
    test: int = 0
