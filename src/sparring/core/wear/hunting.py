"""Which teeth of two gears meet.

Gears of z1 and z2 teeth that share the factor g: a tooth of one meets every g-th tooth of the
other, and no other ones. Counted counter-clockwise from one side, teeth i and j of outer gears meet
when i + j has a fixed rest by g, those of a gear in its ring when i − j has.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple


def factor(z1: int, z2: int) -> int:
    """Common factor of two tooth numbers; 1: every tooth meets every other (a hunting ratio)."""
    return math.gcd(z1, z2)


def meets(tooth: int, z2: int, z1: int, *, meeting: tuple[int, int], ring: bool) -> list[int]:
    """Teeth of the gear of z2 that meet `tooth` of the one of z1, from 1; meeting: two that do."""
    g = factor(z1, z2)
    i, j = meeting
    first = j + (tooth - i) if ring else j - (tooth - i)
    return sorted((first - 1 + k * g) % z2 + 1 for k in range(z2 // g))


def period(teeth: Iterable[int], z: int, mate: int) -> int | None:
    """The common factor of z and its mate's teeth, where these damaged teeth of the gear of z
    (numbers from 1) repeat by it; None: they do not, or it says nothing.
    """
    g, seen = factor(z, mate), {t - 1 for t in teeth}
    if g < 2 or g == z or not seen or len(seen) == z:
        return None
    return g if seen == {(t + g) % z for t in seen} else None


class Other(NamedTuple):
    """Tooth numbers close to those of a pair, without a common factor; change: of the ratio."""

    z1: int
    z2: int
    change: float


def hunting_near(z1: int, z2: int, least: int = 6) -> list[Other]:
    """Pairs that differ by a tooth or two and have no common factor, those that keep the ratio best
    first.
    """
    found = [
        Other(z1 + a, z2 + b, (z2 + b) / (z1 + a) / (z2 / z1) - 1)
        for a in range(-2, 3)
        for b in range(-2, 3)
        if abs(a) + abs(b) <= 2 and min(z1 + a, z2 + b) >= least and factor(z1 + a, z2 + b) == 1
    ]
    return sorted(found, key=lambda x: abs(x.change))
