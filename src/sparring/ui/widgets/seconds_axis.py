"""An axis of the time that something is carried for, in tenfolds, with a place for ever."""

from __future__ import annotations

import math

import numpy as np

from sparring.ui.widgets.chart import Chart

_EVER = 8.0  # how many times the longest span the place "for ever" stands at
_TICKS = ((10, "10 s"), (60, "1 min"), (600, "10 min"), (3600, "1 h"), (14400, "4 h"))


def places(seconds: np.ndarray) -> np.ndarray:
    """Where spans [s], shape (n,), some of them infinite, stand on the axis."""
    longest = float(np.max(seconds[np.isfinite(seconds)]))
    return np.log10(np.where(np.isfinite(seconds), seconds, _EVER * longest))


def write(chart: Chart, ever: float) -> None:
    """Writes it under a chart; ever: where that stands."""
    ticks = [(math.log10(s), words) for s, words in _TICKS]
    chart.axes["bottom"].setTicks([[*ticks, (ever, "for ever")], []])
