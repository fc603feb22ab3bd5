"""Working out an unknown drive: module from calipers, ratio from turns, planets and rings, and
hidden tooth counts.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from sparring.core.quantity import Measured

INCH = 0.0254
MODULES = (
    0.2,
    0.25,
    0.3,
    0.4,
    0.5,
    0.6,
    0.7,
    0.8,
    0.9,
    1.0,
    1.125,
    1.25,
    1.375,
    1.5,
    1.75,
    2.0,
    2.25,
    2.5,
    2.75,
    3.0,
    3.5,
    4.0,
    4.5,
    5.0,
    6.0,
    8.0,
    10.0,
)
"""Modules [mm] of ISO 54, both series, with the small ones of fine mechanics (from memory)."""
PITCHES = (120, 96, 80, 72, 64, 48, 40, 32, 24, 20, 18, 16, 14, 12, 10, 8, 6, 5, 4, 3)
"""Diametral pitches [1/in] in common use (from memory)."""

_BY_CHANCE = 0.01  # so rarely do readings of one module scatter so far


@dataclass(frozen=True)
class Candidate:
    """A standard size that may be it. name: `module 1` or `48 DP`; module [m]; off: how many
    standard uncertainties away.
    """

    name: str
    module: float
    off: float

    @property
    def excluded(self) -> bool:
        return abs(self.off) > 2.6  # a chance under 1 %


@dataclass(frozen=True)
class ModuleGuess:
    """module: m = d_a/(z/cos β + 2) over all gears [m]; candidates: nearest first, those that the
    readings exclude marked.
    """

    module: Measured
    candidates: tuple[Candidate, ...]
    agree: bool


def module_from_tips(readings: Sequence[tuple[Measured, int]], helix: float = 0.0) -> ModuleGuess:
    """Module from caliper readings over the tips of loose gears, (tip diameter, teeth) each;
    unshifted teeth of full height with this helix angle [rad].

    Several gears are weighed by their uncertainty; `agree` is whether they can be of one module
    (chi-square at 1 %). Raises ValueError on no reading or impossible ones.
    """
    from scipy.special import chdtri  # when first wanted: no window waits for it

    if not readings:
        raise ValueError("no gear was measured; give at least one tip diameter with its teeth")
    values, weights = [], []
    for d, z in readings:
        if z < 4 or d.value <= 0:
            raise ValueError(
                f"a gear of {z} teeth and {d.value * 1e3:.2f} mm is impossible; count its "
                "teeth again"
            )
        modules = z / math.cos(helix) + 2  # in the tip diameter
        u = max(d.u, 1e-5) / modules
        values.append(d.value / modules)
        weights.append(1 / u**2)
    mean = sum(v * w for v, w in zip(values, weights, strict=True)) / sum(weights)
    u = 1 / math.sqrt(sum(weights))
    chi = sum((v - mean) ** 2 * w for v, w in zip(values, weights, strict=True))
    standard = [(f"module {m:g}", m * 1e-3) for m in MODULES] + [
        (f"{p} DP", INCH / p) for p in PITCHES
    ]
    near = sorted(
        (Candidate(name, m, (m - mean) / u) for name, m in standard), key=lambda c: abs(c.off)
    )[:4]
    degrees = len(readings) - 1
    return ModuleGuess(
        Measured(mean, u), tuple(near), degrees == 0 or chi <= float(chdtri(degrees, _BY_CHANCE))
    )


def ratio_from_turns(turns_in: float, turns_out: float, reading: float = 0.05) -> Measured:
    """Ratio from turns counted by hand, each read to ± `reading` turns (half-width of a rectangle).
    Raises ValueError.
    """
    if turns_out == 0 or turns_in == 0:
        raise ValueError("a shaft that did not turn gives no ratio; turn it further")
    r = turns_in / turns_out
    u = reading / math.sqrt(3)
    return Measured(r, abs(r) * math.hypot(u / turns_in, u / turns_out))


def ratio_from_speeds(speed_in: Measured, speed_out: Measured) -> Measured:
    """Ratio from two speeds read at the same time. Raises ValueError."""
    if speed_out.value == 0 or speed_in.value == 0:
        raise ValueError("one of the speeds is zero; the drive must turn")
    r = speed_in.value / speed_out.value
    return Measured(
        r, abs(r) * math.hypot(speed_in.u / speed_in.value, speed_out.u / speed_out.value)
    )


def ring_check(sun: int, planet: int, ring: int, planets: int) -> list[str]:
    """What does not fit in counted teeth of a planetary stage, in words; empty: it all fits."""
    found = []
    if ring != sun + 2 * planet:
        found.append(
            f"ring = sun + 2 × planet gives {sun + 2 * planet}, counted {ring}: count "
            "again, or the profiles are shifted"
        )
    if (sun + ring) % planets:
        found.append(
            f"(sun + ring)/{planets} = {(sun + ring) / planets:.2f} is not whole: {planets} planets"
            " cannot be equally spaced"
        )
    return found


@dataclass(frozen=True)
class Counts:
    """Tooth counts that give a measured ratio. stages: (driver, driven) each; off: standard
    uncertainties from the reading.
    """

    stages: tuple[tuple[int, int], ...]
    ratio: float
    off: float
    likelihood: float

    def in_words(self) -> str:
        return " · ".join(f"{a}/{b}" for a, b in self.stages)


def hidden_counts(
    ratio: Measured,
    known: Sequence[tuple[int | None, int | None]],
    fewest: int = 8,
    most: int = 90,
    at_most: int = 12,
) -> list[Counts]:
    """Tooth counts of spur pairs that fit a measured ratio, likeliest first.

    known: a pair a stage, (driver, driven), None where hidden; at most two numbers hidden.
    Likelihood: how well the ratio fits, times how common such counts are (small drivers from 9 to
    20 and no common factor are usual; a rule of thumb). Raises ValueError when nothing or too much
    is hidden.
    """
    hidden = [(n, side) for n, pair in enumerate(known) for side in (0, 1) if pair[side] is None]
    if not 1 <= len(hidden) <= 2:
        raise ValueError(f"{len(hidden)} tooth numbers are hidden; this works for one or two")
    u = max(ratio.u, 1e-9 * abs(ratio.value))
    found = []
    spans = [range(fewest, most + 1)] * len(hidden)

    def consider(values: tuple[int, ...]) -> None:
        pairs = [list(p) for p in known]
        for (n, side), v in zip(hidden, values, strict=True):
            pairs[n][side] = v
        got = math.prod((b or 1) / (a or 1) for a, b in pairs)
        off = (got - abs(ratio.value)) / u
        if abs(off) < 3:
            usual = 1.0
            for n, side in hidden:
                a, b = pairs[n]
                if side == 0 and not 9 <= (a or 0) <= 20:
                    usual *= 0.4
                if math.gcd(a or 1, b or 1) > 1 and (a or 0) > 1:
                    usual *= 0.7
            found.append(
                Counts(
                    tuple((int(a or 0), int(b or 0)) for a, b in pairs),
                    got,
                    off,
                    math.exp(-(off**2) / 2) * usual,
                )
            )

    if len(hidden) == 1:
        for v in spans[0]:
            consider((v,))
    else:
        for v in spans[0]:
            for w in spans[1]:
                consider((v, w))
    total = sum(c.likelihood for c in found) or 1.0
    best = sorted(found, key=lambda c: -c.likelihood)[:at_most]
    return [Counts(c.stages, c.ratio, c.off, c.likelihood / total) for c in best]
