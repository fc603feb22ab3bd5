"""Readings taken out of a recording: steady parts and their means, the swings of an angle, the
points of a loop.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from sparring.core.quantity import Measured
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.windows import mean_with_uncertainty, powered_spans

_BLOCK = 0.05  # [s] over which samples are put together in the search for steady parts
_STEADY = 0.04  # part of the largest value by which a signal may change within one
_LEAST = 0.25  # [s] shortest steady part
_SETTLES = 0.4  # part of it left out at its beginning


def need(rec: Recording, channels: Sequence[str]) -> None:
    """Raises ValueError naming what a recording lacks."""
    missing = [CHANNELS[c].label.lower() for c in channels if not rec.has(c)]
    if missing:
        raise ValueError(
            f"the recording has no {' and no '.join(missing)}; assign a column to it, or log it"
        )
    if len(rec) < 8:
        raise ValueError(f"the recording holds {len(rec)} samples; at least 8 are needed")


def level(rec: Recording, channel: str) -> Measured:
    """Mean of a steady channel with the uncertainty of the mean. Raises ValueError when it is
    empty.
    """
    mean, u, _ = mean_with_uncertainty(rec.channels[channel])
    if math.isnan(mean):
        raise ValueError(
            f"{CHANNELS[channel].label.lower()} is missing from {rec.t[0]:.1f} s to"
            f" {rec.t[-1]:.1f} s"
        )
    if not math.isfinite(u):
        raise ValueError(
            f"{CHANNELS[channel].label.lower()} has too few samples from {rec.t[0]:.1f} s "
            f"to {rec.t[-1]:.1f} s to determine its scatter; log faster, or for longer"
        )
    return Measured(mean, u)


def driven(rec: Recording) -> list[tuple[Recording, Recording]]:
    """(what was recorded just before, the later part) of each span with the drive on. Raises
    ValueError without one.
    """
    spans = powered_spans(
        rec.t, rec.channels.get("voltage"), rec.channels.get("current"), rec.channels.get("speed")
    )
    if not spans:
        raise ValueError(
            "the drive was never on in this recording (no forward voltage, current or speed for"
            " 0.4 s)"
        )
    found, last = [], float(rec.t[0])
    for start, stop in spans:
        # what swings out after a push is none of it
        before = rec.span(max(last + 0.1, start - 0.5), start - 0.02)
        found.append((before, rec.span(start + max(0.3, _SETTLES * (stop - start)), stop)))
        last = stop
    return found


def steady_parts(rec: Recording, channels: Sequence[str]) -> list[Recording]:
    """The parts in which none of the channels changes by more than `_STEADY` of its largest value,
    what settles left out.
    """
    size = max(1, round(_BLOCK * (len(rec) - 1) / max(float(rec.t[-1] - rec.t[0]), 1e-9)))
    n = len(rec) // size
    blocks = np.array(
        [np.nanmean(rec.channels[c][: n * size].reshape(n, size), axis=1) for c in channels]
    )
    blocks = blocks / np.maximum(np.nanmax(np.abs(blocks), axis=1, keepdims=True), 1e-12)
    found, first = [], 0
    while first < n:
        low, high, stop = blocks[:, first], blocks[:, first], first + 1
        while stop < n:
            low, high = np.minimum(low, blocks[:, stop]), np.maximum(high, blocks[:, stop])
            if not np.all(high - low <= _STEADY):
                break
            stop += 1
        start, end = float(rec.t[first * size]), float(rec.t[stop * size - 1])
        if end - start >= _LEAST:
            # the last block may hold the beginning of the next state
            found.append(
                rec.span(start + _SETTLES * (end - start), end - min(_BLOCK, 0.1 * (end - start)))
            )
            first = stop
        else:
            first += 1
    return found


def swings(rec: Recording) -> tuple[int, Measured]:
    """(whole swings, the time they took) of an angle that swings about its middle; the time's
    uncertainty is that of the two crossings it runs between. Raises ValueError with fewer than
    three swings."""
    angle = rec.channels["angle"]
    good = ~np.isnan(angle)
    t, y = rec.t[good], angle[good]
    if len(t) < 16:
        raise ValueError(f"the recording holds {len(t)} angles; at least 16 are needed")
    y = y - (np.quantile(y, 0.98) + np.quantile(y, 0.02)) / 2
    # between two crossings it must have swung out on the other side: noise does not count
    armed = float(np.std(y)) / 2
    places, below = [], False
    for k in range(1, len(y)):
        below = below or y[k] < -armed
        if below and y[k - 1] <= 0 < y[k]:
            places.append(k)
            below = False
    if len(places) < 4:
        raise ValueError(
            f"{max(len(places) - 1, 0)} complete swings are in the recording; at least 3 are needed"
        )
    crossings = [_crossing(t, y, k) for k in (places[0], places[-1])]
    (first, u_first), (last, u_last) = crossings
    return len(places) - 1, Measured(last - first, math.hypot(u_first, u_last))


def _crossing(t: np.ndarray, y: np.ndarray, k: int) -> tuple[float, float]:
    """When y goes through zero near sample k, by the line through the samples about it, and the
    uncertainty.
    """
    part = slice(max(0, k - 4), k + 4)
    x, v = t[part] - t[k], y[part]
    slope, intercept = np.polyfit(x, v, 1)
    left = v - slope * x - intercept
    scatter = float(np.sqrt((left**2).sum() / max(len(x) - 2, 1)))
    return float(t[k] - intercept / slope), scatter / abs(float(slope)) / math.sqrt(len(x))


def points(
    rec: Recording, channels: Sequence[str], turning: str, most: int = 48
) -> list[tuple[Measured, ...]]:
    """The recording in about equal pieces of time, at most `most`: the mean of each channel in
    each.

    turning: the channel that goes to and fro; no piece reaches over the places where it turns back.
    """
    y = np.convolve(np.nan_to_num(rec.channels[turning]), np.ones(3) / 3, "valid")
    cuts = sorted({0, int(np.argmax(y)) + 2, int(np.argmin(y)) + 2, len(rec)})
    each = len(rec) / min(most, len(rec) // 3)
    edges = [0]
    for a, b in pairwise(cuts):
        edges += np.linspace(a, b, max(1, round((b - a) / each)) + 1).astype(int).tolist()[1:]
    found = []
    for a, b in pairwise(edges):
        figures = []
        for c in channels:
            values = rec.channels[c][a:b]
            # it runs through the piece: its scatter is about the line, not about the mean
            x = np.arange(b - a) - (b - a - 1) / 2
            slope = float((x * values).sum() / max((x * x).sum(), 1e-12))
            left = values - values.mean() - slope * x
            scatter = math.sqrt(float((left**2).sum()) / max(b - a - 2, 1))
            figures.append(Measured(float(values.mean()), scatter / math.sqrt(b - a)))
        if all(math.isfinite(f.value) for f in figures):
            found.append(tuple(figures))
    return found
