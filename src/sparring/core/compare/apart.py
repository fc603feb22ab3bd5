"""Whether two figures differ: each difference with its interval, what both share dropped, paired
where both were measured in the same blocks, corrected for the number of comparisons; whether they
are the same within a margin; and what more lifts would tell.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.compare.known import Known, Table, table
from sparring.core.input_quantity import words
from sparring.core.reduce.spread import tag_of

LEVEL = 0.05
"""Chance that any of a family of comparisons claims a difference where there is none."""
_ROUND = 1e-12  # part of a value that is rounding alone
_MOST_MORE = 200
_FEWEST = 2  # blocks that two must share to be held against each other block by block
_OWN = 4  # degrees of freedom from which a scatter stands for itself


class Pairs(NamedTuple):
    """Differences a − b, one a pair, arrays of shape (n,). u: standard uncertainty, random and
    unshared parts together; freedom: its effective degrees; p: that so much or more is seen where
    there is none; paired: blocks that were used as pairs, 0: none; t: half of the interval over u.
    """

    a: np.ndarray
    b: np.ndarray
    value: np.ndarray
    random: np.ndarray
    unshared: np.ndarray
    u: np.ndarray
    freedom: np.ndarray
    p: np.ndarray
    paired: np.ndarray
    t: np.ndarray


def pairs(known: Sequence[Known], which: Sequence[tuple[int, int]]) -> Pairs:
    """The differences of these (by their places).

    Random parts: of paired blocks the scatter of the differences (JCGM 100:2008, 5.2: what a block
    shares drops out), of others each mean's own, with Welch's degrees of freedom; a scatter of less
    than four degrees is by chance too small too often: where it is less than that of all that are
    compared, theirs is taken, with its freedom. Unshared parts have infinite freedom, the whole the
    effective ones of Welch and Satterthwaite (JCGM 100:2008, G.4.1). Where nobody knows a scatter
    (all were lifted once) p is 1.
    """
    from scipy.special import stdtr, stdtrit

    t = table(known)
    a, b = np.array(which, int).reshape(-1, 2).T
    value = t.value[a] - t.value[b]
    random, freedom = _apart(t, a, b)
    random, freedom = _at_least(random, freedom, *_all_apart(t, a, b))
    value, random, freedom, paired = _in_blocks(t, a, b, value, random=random, freedom=freedom)
    gram = t.shared @ t.shared.T
    own = np.diag(gram)
    unshared = np.sqrt(np.maximum(own[a] + own[b] - 2 * gram[a, b], 0.0))
    unshared[unshared < 1e-7 * np.sqrt(own[a] + own[b])] = 0.0  # rounding of what drops out
    u = np.hypot(random, unshared)
    with np.errstate(divide="ignore", invalid="ignore"):
        whole = np.where(random > 0, freedom * (u / random) ** 4, math.inf)
    nobody = freedom <= 0
    whole = np.clip(np.where(nobody, 1.0, whole), 1.0, 1e6)
    floor = _ROUND * np.maximum(np.abs(t.value[a]), np.abs(t.value[b]))
    certain = u <= floor
    ratio = np.abs(value) / np.where(certain, 1.0, u)
    p = np.where(certain, (np.abs(value) <= floor).astype(float), 2 * stdtr(whole, -ratio))
    p = np.where(nobody, 1.0, p)
    half = np.where(nobody, math.inf, stdtrit(whole, 1 - LEVEL / 2))
    return Pairs(a, b, value, random, unshared, u, whole, p, paired, half)


def _apart(t: Table, a: np.ndarray, b: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(standard uncertainty, freedom) of the difference of two means with scatters of their own
    (Welch 1947)."""
    va, vb = t.random[a] ** 2, t.random[b] ** 2
    fa, fb = t.freedom[a], t.freedom[b]
    with np.errstate(divide="ignore", invalid="ignore"):
        below = np.where(va > 0, va**2 / fa, 0.0) + np.where(vb > 0, vb**2 / fb, 0.0)
        freedom = np.where(below > 0, (va + vb) ** 2 / below, math.inf)
    return np.sqrt(va + vb), np.where((fa <= 0) | (fb <= 0), 0.0, freedom)


def _at_least(
    random: np.ndarray, freedom: np.ndarray, of_all: np.ndarray, its: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """A scatter of few degrees is not less than that of all. One that is more keeps its own few
    degrees, for it may be more in truth; that of a single run has none to keep.
    """
    few = (freedom < _OWN) & (its > freedom) & ((random < of_all) | (freedom <= 0))
    return (np.where(few, np.maximum(random, of_all), random), np.where(few, its, freedom))


def _all_apart(t: Table, a: np.ndarray, b: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(standard uncertainty, freedom) of the differences by the scatter of all that were repeated
    together."""
    n = np.maximum((~np.isnan(t.rounds)).sum(axis=1), 1)
    its = np.where(np.isfinite(t.freedom) & (t.freedom > 0), t.freedom, 0.0)
    whole = float(its.sum())
    one = math.sqrt(float((its * t.random**2 * n).sum()) / whole) if whole else 0.0
    return one * np.sqrt(1 / n[a] + 1 / n[b]), np.full(len(a), whole)


def _residual(t: Table) -> tuple[float, float]:
    """(standard deviation, freedom) of what figures and blocks leave of the rounds that several
    share: the residual of a randomised block design.
    """
    shared = (~np.isnan(t.rounds)).sum(axis=0) > 1
    rows, columns = np.nonzero(~np.isnan(t.rounds) & shared)
    if len(rows) == 0:
        return 0.0, 0.0
    y = t.rounds[rows, columns]
    mine, block = (
        np.unique(rows, return_inverse=True)[1],
        np.unique(columns, return_inverse=True)[1],
    )
    x = np.zeros((len(y), mine.max() + block.max() + 2))
    x[np.arange(len(y)), mine] = 1.0
    x[np.arange(len(y)), mine.max() + 1 + block] = 1.0
    centred = y - y.mean()
    found, _, rank, _ = np.linalg.lstsq(x, centred, rcond=None)
    freedom = float(len(y) - rank)
    if freedom < 1:
        return 0.0, 0.0
    return math.sqrt(float(((centred - x @ found) ** 2).sum()) / freedom), freedom


def _in_blocks(
    t: Table,
    a: np.ndarray,
    b: np.ndarray,
    value: np.ndarray,
    *,
    random: np.ndarray,
    freedom: np.ndarray,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Those that share blocks are held against each other block by block: (value, random, freedom,
    blocks), shape (n,) each.
    """
    both = np.zeros(len(a), int)
    # rounds of one test alone pair with nothing
    t = t._replace(rounds=t.rounds[:, (~np.isnan(t.rounds)).sum(axis=0) > 1])
    if not t.rounds.shape[1]:
        return value, random, freedom, both
    whole, of_all = _residual(t)
    for first in range(0, len(a), 20_000):  # a slice at a time: memory
        some = slice(first, first + 20_000)
        apart = t.rounds[a[some]] - t.rounds[b[some]]
        there = ~np.isnan(apart)
        n = there.sum(axis=1)
        used = n >= _FEWEST
        filled = np.where(there, apart, 0.0)
        many = np.maximum(n, 1)
        mean = filled.sum(axis=1) / many
        left = np.where(there, apart - mean[:, np.newaxis], 0.0)
        s = np.sqrt((left**2).sum(axis=1) / np.maximum(n - 1, 1) / many)
        s, own = _at_least(s, n - 1.0, whole * np.sqrt(2 / many), np.full(len(n), of_all))
        value[some] = np.where(used, mean, value[some])
        random[some] = np.where(used, s, random[some])
        freedom[some] = np.where(used, own, freedom[some])
        both[some] = np.where(used, n, 0)
    return value, random, freedom, both


def holm(p: Sequence[float] | np.ndarray) -> np.ndarray:
    """p adjusted for the number of comparisons, shape (n,): at most `LEVEL` where the whole family
    claims a difference that is none with that chance at most (Holm 1979, Scand. J. Statist. 6).
    """
    p = np.asarray(p, float)
    n = len(p)
    order = np.argsort(p, kind="stable")
    stepped = np.maximum.accumulate(p[order] * (n - np.arange(n)))
    found = np.empty(n)
    found[order] = np.minimum(stepped, 1.0)
    return found


def same_within(found: Pairs, margin: float | np.ndarray) -> np.ndarray:
    """p of two one-sided tests (Schuirmann 1987), shape (n,): at most 0.05 where the difference
    lies surely within ± margin. margin: above 0, in the figure's unit, one for all or shape (n,).
    """
    from scipy.special import stdtr

    with np.errstate(divide="ignore", invalid="ignore"):
        low = (found.value + margin) / found.u
        high = (margin - found.value) / found.u
    worst = np.minimum(np.nan_to_num(low, nan=0.0), np.nan_to_num(high, nan=0.0))
    p = np.asarray(stdtr(found.freedom, -np.clip(worst, -1e6, 1e6)))
    return np.where(np.isinf(found.t), 1.0, p)


class More(NamedTuple):
    """What would tell two apart that cannot be told: so many more lifts of each; None: no number
    does, because of `blame` (an input that they do not share, in words), or because the difference
    is too small; unknown: the scatter is not known, as one was lifted once.
    """

    lifts: int | None
    blame: str = ""
    unknown: bool = False


def what_would_tell(known: Sequence[Known], found: Pairs, n: int) -> More:
    """Of pair n: how many further lifts of each until a difference as large as the one seen would
    lie beyond two standard uncertainties.
    """
    a, b = known[int(found.a[n])], known[int(found.b[n])]
    if math.isinf(float(found.t[n])):
        return More(max(_FEWEST - min(len(a.rounds), len(b.rounds)), 1), unknown=True)
    room = (float(found.value[n]) / 2) ** 2 - float(found.unshared[n]) ** 2
    if room <= 0:
        worst = _blame(a, b) if found.unshared[n] > found.random[n] else ""
        return More(None, worst)
    have = int(found.paired[n]) or min(len(a.rounds), len(b.rounds)) or 1
    wanted = math.ceil(float(found.random[n]) ** 2 * have / room)
    more = max(1, wanted - have)
    return More(more if more <= _MOST_MORE else None)


def _blame(a: Known, b: Known) -> str:
    keys = {*a.shared, *b.shared}
    parts = {key: abs(a.shared.get(key, 0.0) - b.shared.get(key, 0.0)) for key in keys}
    if not parts:
        return ""
    return words(tag_of(max(sorted(parts), key=lambda key: parts[key])))
