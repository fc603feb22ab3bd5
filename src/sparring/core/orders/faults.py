"""Damage that the turns of a shaft tell: one tooth unlike the others, a gear that runs out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.orders.average import Average, average_over
from sparring.core.orders.tones import Gear, Tone
from sparring.core.orders.turning import Turning

NOTABLE = 0.005
"""Part of the mean, from which a ripple is worth a word (common practice: a gear of 20 mm radius
that runs out by 0.1 mm)."""
_CHANCE = 1e-4  # that noise alone makes a tooth stand out
_ALONE = 6.0  # a tooth's dip over the scatter of the other teeth
_LEFT = 0.3  # part of a tooth that is left when even ripple is taken away, at least
_MOST = 3  # teeth looked for in one signal
_AS_MUCH = 0.7  # part of the strongest shaft's dip with which a faster one's is the same


class Tooth(NamedTuple):
    """One tooth of a gear on a shaft that is unlike the others. at: angle of the shaft from where
    the stretch begins [rad]; size, u: of the signal's dip or rise, as a part of its mean; gears:
    those it may be of, the likeliest first.
    """

    shaft: str
    gears: tuple[Gear, ...]
    at: float
    size: float
    u: float


def teeth_apart(
    turned: Turning,
    y: np.ndarray,
    shafts: Mapping[str, float],
    gears: Mapping[str, Sequence[Gear]],
    tones: Sequence[Tone],
) -> list[Tooth]:
    """Single teeth that a signal shows, the plainest of each shaft, the plainest first. shafts:
    order of each.
    """
    found: list[Tooth] = []
    left = np.array(y, dtype=float)
    for _ in range(_MOST):
        seen = [
            (average, told)
            for shaft, order in shafts.items()
            if gears.get(shaft)
            and all(shaft != t.shaft for t in found)
            and (average := average_over(turned, left, shaft, order)) is not None
            and (told := _stands_out(average, gears[shaft], tones)) is not None
        ]
        if not seen:
            break
        strongest = max(abs(t.size) for _, t in seen)
        # a slow shaft's turn holds many of a faster one's: the same dip seen often
        average, tooth = max(
            (x for x in seen if abs(x[1].size) >= _AS_MUCH * strongest), key=lambda x: x[0].order
        )
        found.append(tooth)
        left = (
            left
            - _pattern(average, tones)[
                (turned.turns * average.order % 1.0 * len(average.mean)).astype(int)
                % len(average.mean)
            ]
        )
    return found


def _even(average: Average, tones: Sequence[Tone]) -> list[int]:
    """Waves of a shaft's turn that are no single tooth's: of shafts and planets once and twice a
    turn, of meshes with their sidebands.
    """
    even = {0, 1, 2}
    for tone in tones:
        times = tone.order / average.order
        for n in (1, 2, 3):
            h = round(n * times)
            # what does not fit into the turn has averaged away
            if h >= 1 and abs(n * times - h) < 0.5 / average.turns + 1e-6:
                even |= {h - 1, h, h + 1} if tone.kind == "mesh" else {h}
    return [h for h in even if h <= len(average.mean) // 2]


def _less(shape: np.ndarray, waves: Sequence[int]) -> np.ndarray:
    """A turn's shape without some of its waves."""
    from scipy.fft import irfft, rfft

    spectrum = rfft(shape)
    spectrum[list(waves)] = 0.0
    return np.asarray(irfft(spectrum, len(shape)))


def _pattern(average: Average, tones: Sequence[Tone]) -> np.ndarray:
    return _less(average.mean - average.whole, _even(average, tones))


def _over(shape: np.ndarray, wide: int) -> np.ndarray:
    """Means over `wide` samples from each on, round the turn."""
    return np.convolve(np.concatenate([shape, shape[: wide - 1]]), np.ones(wide), "valid") / wide


def _stands_out(average: Average, gears: Sequence[Gear], tones: Sequence[Tone]) -> Tooth | None:
    waves = _even(average, tones)
    rest = _less(average.mean - average.whole, waves)
    noise = max(math.sqrt(float((average.u**2).mean())), 1e-15)
    samples = len(rest)
    best: list[tuple[float, Gear, int, float, float]] = []
    for gear in gears:
        wide = max(1, round(samples / gear.teeth))
        tooth = _less((np.arange(samples) < wide).astype(float), waves)
        left = float(_over(tooth, wide)[0])  # of a tooth, by what was taken away
        if left < _LEFT:
            continue
        means = _over(rest, wide) / left
        at, u = int(np.argmax(np.abs(means))), noise / math.sqrt(wide) / left
        size = float(means[at])
        others = _over(rest - size * np.roll(tooth, at), wide)
        scatter = 1.4826 * float(np.median(np.abs(others)))
        if abs(size) > max(u * math.sqrt(2 * math.log(samples / _CHANCE)), _ALONE * scatter):
            best.append((abs(size) / u, gear, at + wide // 2, size, u))
    whole = abs(average.whole)
    best.sort(key=lambda x: -x[0])
    if not best or abs(best[0][3]) < NOTABLE * whole:
        return None
    _, gear, at, size, u = best[0]
    wide = max(1, round(samples / gear.teeth))
    u = math.hypot(u, abs(size) * 0.25 / wide)  # a pitch is no whole number of samples
    gears = tuple(x[1] for x in best)
    place = 2 * math.pi * (at % samples) / samples
    return Tooth(average.shaft, gears, place, size / whole, u / whole)


def of_teeth(shaft: str, teeth: Sequence[Tooth]) -> float:
    """How much of a shaft's once-a-turn ripple its single teeth make, at most, as a part of the
    mean.
    """
    own = [t for t in teeth if t.shaft == shaft]
    return sum(2 * abs(t.size) / min(g.teeth for g in t.gears) for t in own)
