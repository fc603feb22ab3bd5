"""A simulated set-up for readings, over the same lines as a bench. Commands: hello, up (begin),
stop, rate HERTZ, bye.
"""

from __future__ import annotations

from pathlib import Path

from sparring.bench.simulated.board import Board, Faults
from sparring.core.plant.fixtures import Fixture, seen


class FixtureBench(Board):
    """It stands until `up`, goes its way, and says `top` at the end."""

    def __init__(
        self,
        fixture: Fixture,
        *,
        seed: int = 1,
        rate: float = 80.0,
        speed: float = 1.0,
        faults: Faults | None = None,
        link: Path | None = None,
    ) -> None:
        super().__init__(
            fixture.CHANNELS, seed=seed, rate=rate, speed=speed, faults=faults, link=link
        )
        self.fixture = fixture
        self._clock, self._told = 0.0, True

    def obey(self, word: str, value: float) -> tuple[str, str]:
        if word == "up":
            self.fixture.begin()
            self._told = False
        elif word == "stop":
            self.fixture.since, self._told = -1.0, True
        else:
            return "not a command", ""
        return "", ""

    @property
    def moves(self) -> bool:
        return not self._told

    def measure(self, period: float) -> tuple[float, dict[str, float], str]:
        self._clock += period
        shown = {c: float(v[0]) for c, v in seen(self.fixture.advance(period), self.rng).items()}
        said = "" if self._told or not self.fixture.ended else "top"
        self._told = self._told or bool(said)
        return self._clock, shown, said
