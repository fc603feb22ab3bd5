"""Recordings: the raw time series of a run, and the channels they may hold."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np


@dataclass(frozen=True)
class Channel:
    """A column of a recording: its key, kind of quantity (SI in memory), and its name on the
    screen.
    """

    key: str
    kind: str
    label: str


CHANNELS: dict[str, Channel] = {
    c.key: c
    for c in (
        Channel("cell", "count", "Load cell, raw"),
        Channel("force", "force", "Load cell"),
        Channel("speed", "speed", "Output speed"),
        Channel("motor_speed", "speed", "Motor speed"),
        Channel("input_force", "force", "Force at the crank"),
        Channel("voltage", "voltage", "Voltage"),
        Channel("current", "current", "Current"),
        Channel("temperature", "temperature", "Motor temperature"),
        Channel("load_voltage", "voltage", "Voltage at the load"),
        Channel("load_current", "current", "Current of the load"),
        Channel("mass", "mass", "Weight hung"),
        Channel("force_2", "force", "Second load cell"),
        Channel("cell_2", "count", "Second load cell, raw"),
        Channel("torque", "torque", "Torque at the output"),
        Channel("angle", "angle", "Angle of the output"),
        Channel("motor_angle", "angle", "Angle of the motor"),
        *(Channel(f"current_{n}", "current", f"Current of motor {n}") for n in range(1, 9)),
        *(Channel(f"voltage_{n}", "voltage", f"Voltage of motor {n}") for n in range(1, 9)),
    )
}


@dataclass(frozen=True)
class Recording:
    """Samples of one run. t: shape (n,), rising [s]; channels: SI arrays of shape (n,), NaN where a
    value is missing.

    gaps: spans [s] in which nothing arrived (cable pulled); lost: lines known to be missing by
    their sequence number.
    """

    t: np.ndarray
    channels: Mapping[str, np.ndarray]
    gaps: tuple[tuple[float, float], ...] = ()
    lost: int = 0
    marks: tuple[tuple[float, str], ...] = field(default=())

    def __post_init__(self) -> None:
        for key, values in self.channels.items():
            if values.shape != self.t.shape:
                raise ValueError(
                    f"channel {key} has {values.shape[0]} samples, the clock has {self.t.shape[0]}"
                )

    @classmethod
    def nothing(cls) -> Recording:
        """That of a run which was only read by a person."""
        return cls(np.empty(0), {})

    def __len__(self) -> int:
        return int(self.t.shape[0])

    def has(self, key: str) -> bool:
        return key in self.channels

    def span(self, start: float, stop: float) -> Recording:
        """The part with start <= t < stop, as views."""
        i, j = np.searchsorted(self.t, [start, stop])
        return Recording(
            self.t[i:j],
            {k: v[i:j] for k, v in self.channels.items()},
            tuple(g for g in self.gaps if g[0] < stop and g[1] > start),
            lost=self.lost,
            marks=tuple(m for m in self.marks if start <= m[0] < stop),
        )
