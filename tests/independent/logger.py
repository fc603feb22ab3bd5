"""What a stranger's logger writes of a course: instruments that are off, noise that hangs together,
other names and units, lines that are lost or come twice.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.signal import lfilter

from independent.plant import Course
from independent.traps import Trap


@dataclass(frozen=True)
class Instrument:
    """shown = gain · true + zero + noise, in whole counts. noise: standard deviation; hangs: its
    correlation from one sample to the next.
    """

    gain: float = 1.0
    zero: float = 0.0
    count: float = 0.0
    noise: float = 0.0
    hangs: float = 0.0

    def shows(self, true: np.ndarray, rng: np.random.Generator) -> np.ndarray:
        white = rng.standard_normal(len(true) + 50)
        scatter = lfilter([np.sqrt(1 - self.hangs**2)], [1.0, -self.hangs], white)[50:]
        shown = self.gain * np.asarray(true) + self.zero + self.noise * scatter
        return np.round(shown / self.count) * self.count if self.count else shown


@dataclass
class Log:
    """Columns of one long log as they grow: t [s] and channels in SI."""

    t: list[np.ndarray] = field(default_factory=list)
    steps: list[np.ndarray] = field(default_factory=list)  # which each line belongs to
    columns: dict[str, list[np.ndarray]] = field(default_factory=dict)
    now: float = 0.0  # [s]

    def add(self, step: int, seconds: np.ndarray, **channels: np.ndarray | float) -> None:
        """A stretch that begins now."""
        self.t.append(self.now + seconds)
        self.steps.append(np.full(len(seconds), step))
        for name, values in channels.items():
            full = np.broadcast_to(np.asarray(values, float), seconds.shape)
            self.columns.setdefault(name, []).append(full)
        self.now += float(seconds[-1]) + float(seconds[1] - seconds[0])

    def joined(self) -> tuple[np.ndarray, dict[str, np.ndarray]]:
        return np.concatenate(self.t), {k: np.concatenate(v) for k, v in self.columns.items()}


def sampled(
    course: Course, lane: int, until: float, rate: float, rng: np.random.Generator
) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """(times, true speed, current and torque there) at about `rate` [Hz] with jitter."""
    t = np.arange(0, until, 1 / rate)
    t = np.sort(np.clip(t + rng.uniform(-0.1, 0.1, len(t)) / rate, 0, until))
    names = ("speed", "current", "torque")
    return t, {n: np.interp(t, course.t, getattr(course, n)[:, lane]) for n in names}


_COUNTS = 1.0
# header and what one of it is in SI, by channel, as three loggers name them
_STYLES = (
    {
        "t": ("time [s]", 1.0),
        "voltage": ("U [V]", 1.0),
        "current": ("I [mA]", 1e-3),
        "speed": ("n [rpm]", np.pi / 30),
        "mass": ("mass [g]", 1e-3),
        "force": ("force [N]", 1.0),
        "cell": ("load cell [counts]", _COUNTS),
        "load_current": ("load current [A]", 1.0),
        "load_voltage": ("load voltage [V]", 1.0),
    },
    {
        "t": ("time (ms)", 1e-3),
        "voltage": ("voltage (mV)", 1e-3),
        "current": ("current (A)", 1.0),
        "speed": ("speed (rad/s)", 1.0),
        "mass": ("weight (kg)", 1.0),
        "force": ("force (N)", 1.0),
        "cell": ("cell (counts)", _COUNTS),
        "load_current": ("load current (mA)", 1e-3),
        "load_voltage": ("load voltage (V)", 1.0),
    },
)
_FORMS = ((";", ",", 0), (",", ".", 1), ("\t", ".", 0), (";", ".", 1))  # delimiter, point, style


def written(
    log: Log,
    form: int,
    rng: np.random.Generator,
    *,
    lost: float = 0.0,
    twice: float = 0.0,
    trap: Trap,
) -> str:
    """The log as text. lost, twice: part of the lines that are."""
    t, channels = log.joined()
    if trap.log is not None:
        t = trap.log(t, channels, np.concatenate(log.steps), rng)
    delimiter, point, style = _FORMS[form % len(_FORMS)]
    heads = {**_STYLES[style], **trap.heads}
    table = np.column_stack([t / heads["t"][1], *(v / heads[k][1] for k, v in channels.items())])
    keep = rng.uniform(size=len(t)) >= lost
    rows = np.flatnonzero(keep)
    rows = np.sort(np.concatenate([rows, rows[rng.uniform(size=len(rows)) < twice]]))
    lines = [delimiter.join(heads[k][0] for k in ("t", *channels))]
    for row in table[rows]:
        line = delimiter.join("" if np.isnan(x) else f"{x:.7g}" for x in row)
        lines.append(line.replace(".", point) if point != "." else line)
    return "\n".join(lines) + "\n"
