"""How a test's runs scatter and drift: each run beside the others of its step, by order and by
time.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import numpy as np

from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal, t_widening

FIGURES = ("gearbox", "wire_to_shaft", "speed", "current", "input_to_load")
"""What is looked at, the first that the test has unless asked."""
OUTLYING = 3.5
"""Modified z-score 0.6745 (x − median)/MAD from which a run is flagged (Iglewicz and Hoaglin 1993,
"How to detect and handle outliers")."""
_FEWEST = 6  # runs, below which nothing is flagged
_CONTROL = 3.0  # standard deviations of a control chart's limits (ISO 7870-2)
_WARMS = 0.6  # correlation with the warming from which a drift is called so


class Deviation(NamedTuple):
    """One run: its place in time from 1 on; seconds since the first, NaN where no clock was kept;
    value: its deviation from its step's mean, as a part of it; outlying: by the rule above.
    """

    step: int
    lift: int
    number: int
    seconds: float
    value: float
    outlying: bool


class Trend(NamedTuple):
    """Change from the first run to the last, as a part, with its standard uncertainty."""

    change: float
    u: float

    @property
    def significant(self) -> bool:
        return abs(self.change) > 2 * self.u


@dataclass(frozen=True)
class Scatter:
    """Of one figure. within: standard deviation of runs of one step, pooled, as a part; limit: of
    the control chart, from the differences of neighbours; between_days: of the days' means, NaN
    with one day; by_order, by_time: straight trends; warming: whether the drift goes with the
    motor's warmth.
    """

    figure: str
    runs: tuple[Deviation, ...]
    within: float
    limit: float
    between_days: float
    by_order: Trend | None
    by_time: Trend | None
    warming: bool


def scatter(result: TestResult, figure: str = "") -> Scatter | None:
    """Of a figure, else of the first of `FIGURES` that has repeats; None where nothing was
    repeated.
    """
    for name in (figure,) if figure else FIGURES:
        rows = _rows(result, name)
        if len(rows) >= 3:
            return _scatter(name, rows)
    return None


def _rows(result: TestResult, name: str) -> list[tuple[int, int, Point, float]]:
    """(step, lift, point, deviation) of all runs of steps that were repeated, in time."""
    rows = []
    for step in result.running:
        known = [
            (n, p, nominal(v))
            for n, p in enumerate(step.points)
            if (v := getattr(p, name)) is not None
        ]
        mean = float(np.mean([v for *_, v in known])) if known else 0.0
        if len(known) < 2 or not mean:
            continue
        # a run is part of its step's mean: away from the others' it is n/(n − 1) as far
        stretch = len(known) / (len(known) - 1)
        for n, p, v in known:
            rows.append((step.index, n, p, (v / mean - 1) * math.sqrt(stretch)))
    return sorted(rows, key=lambda row: (_began(row[2]), row[2].run.start or 0.0))


def _began(point: Point) -> float:
    started = (point.source or point.run).started
    try:
        return datetime.fromisoformat(started).timestamp()
    except (ValueError, TypeError):
        return 0.0


def _scatter(name: str, rows: list[tuple[int, int, Point, float]]) -> Scatter:
    values = np.array([row[3] for row in rows])
    times = np.array([_began(p) + (p.run.start or 0.0) for *_, p, _ in rows])
    times = times - times[0] if np.ptp(times) > 0 else np.full(len(times), math.nan)
    middle = float(np.median(values))
    mad = float(np.median(np.abs(values - middle)))
    outlying = (
        0.6745 * np.abs(values - middle) > OUTLYING * max(mad, 1e-9)
        if len(values) >= _FEWEST
        else np.zeros(len(values), dtype=bool)
    )
    numbers = np.arange(1, len(values) + 1, dtype=float)
    # mean of the neighbours' differences over 1.128: standard deviation without drift (ISO 7870-2)
    limit = _CONTROL * float(np.abs(np.diff(values)).mean()) / 1.128
    warmth = np.array([p.left.winding for *_, p, _ in rows])
    by_order = _trend(numbers, values)
    drifts = by_order is not None and by_order.significant
    goes = np.ptp(warmth) > 1.0 and abs(float(np.corrcoef(warmth, values)[0, 1])) > _WARMS
    return Scatter(
        name,
        tuple(
            Deviation(step, lift, n + 1, float(times[n]), float(values[n]), bool(outlying[n]))
            for n, (step, lift, _, _) in enumerate(rows)
        ),
        float(np.sqrt(np.mean(values**2))),
        limit,
        _between_days(times, values),
        by_order,
        _trend(times, values) if np.isfinite(times).all() else None,
        bool(drifts and goes),
    )


def _between_days(times: np.ndarray, values: np.ndarray) -> float:
    if not np.isfinite(times).all():
        return math.nan
    days = np.floor(times / 86400.0)
    means = [float(values[days == d].mean()) for d in np.unique(days)]
    return float(np.std(means, ddof=1)) if len(means) > 1 else math.nan


def _trend(x: np.ndarray, y: np.ndarray) -> Trend | None:
    """Least squares; widened for few."""
    if len(x) < 4 or np.ptp(x) <= 0:
        return None
    d = x - x.mean()
    slope = float(d @ (y - y.mean())) / float(d @ d)
    left = y - y.mean() - slope * d
    freedom = len(x) - 2
    u = math.sqrt(float(left @ left) / freedom / float(d @ d)) * t_widening(freedom)
    return Trend(slope * float(np.ptp(x)), u * float(np.ptp(x)))
