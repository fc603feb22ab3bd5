"""A recording played as a board: what was once sent comes again, line by line."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from sparring.bench.simulated.board import Board
from sparring.core.recording import CHANNELS, Recording

_LEAST = 3  # samples


class ReplayBench(Board):
    """It shows the first sample until `up`, then the recording in its own time, and says `top` at
    the end. What else a bench may be told it takes as done.
    """

    def __init__(
        self, recording: Recording, *, speed: float = 1.0, link: Path | None = None, seed: int = 1
    ) -> None:
        """Raises ValueError for one too short to have a rate."""
        if len(recording) < _LEAST:
            raise ValueError(f"the recording holds {len(recording)} samples; nothing can be played")
        steps = np.diff(recording.t)
        rate = 1.0 / max(float(np.median(steps)), 1e-4)
        sensed = tuple(c for c in recording.channels if c in CHANNELS)
        super().__init__(sensed, seed=seed, rate=rate, speed=speed, faults=None, link=link)
        self.recording = recording
        self._steps = np.concatenate([steps, [1.0 / rate]])
        self._at, self._clock, self._goes = 0, 0.0, False

    def obey(self, word: str, value: float) -> tuple[str, str]:
        if word in ("up", "down"):
            self._goes = True
            if word == "up":
                self._at = 0
        elif word == "stop":
            self._goes = False
        elif word == "tare":
            cell = self.recording.channels.get("cell")
            return ("", f"{cell[0]:.1f}") if cell is not None else ("no cell in the recording", "")
        elif word not in ("drive", "for", "hang", "resistor", "weigh"):
            return "not a command", ""
        return "", ""

    @property
    def moves(self) -> bool:
        return self._goes

    def measure(self, period: float) -> tuple[float, dict[str, float], str]:
        self._clock += self._steps[self._at] if self._goes else period
        shown = {c: float(self.recording.channels[c][self._at]) for c in self.sensed}
        said = ""
        if self._goes:
            self._at += 1
            if self._at == len(self.recording):
                self._at, self._goes, said = 0, False, "top"
        return self._clock, shown, said
