"""Tooth counts that make a ratio: from gears that are owned, or from a range at given modules."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

_PINIONS = range(12, 25)
_WHEELS = range(24, 121)
_STEEPEST = 8.0  # ratio of one pair (common practice)
_KEPT = 400  # of each number of stages, before they are sorted by size


class GearAtHand(NamedTuple):
    """teeth, module [m], how many pieces there are."""

    teeth: int
    module: float
    pieces: int = 1


class PairOfGears(NamedTuple):
    """pinion, wheel: teeth; module [m]; centre: distance [m]; hunting: whether every tooth meets
    every other.
    """

    pinion: int
    wheel: int
    module: float

    @property
    def ratio(self) -> float:
        return self.wheel / self.pinion

    @property
    def centre(self) -> float:
        """Of unshifted gears [m]."""
        return self.module * (self.pinion + self.wheel) / 2

    @property
    def hunting(self) -> bool:
        return math.gcd(self.pinion, self.wheel) == 1


class Proposal(NamedTuple):
    """A train of pairs. off: by which part its ratio misses the one asked for; size: from the first
    axis to the last and half of both gears, all in one line [m].
    """

    pairs: tuple[PairOfGears, ...]
    ratio: float
    off: float
    size: float

    @property
    def hunting(self) -> bool:
        return all(p.hunting for p in self.pairs)


def proposals(
    ratio: float,
    *,
    owned: Sequence[GearAtHand] = (),
    modules: Sequence[float] = (1e-3,),
    within: float = 0.02,
    most_stages: int = 3,
    count: int = 12,
) -> list[Proposal]:
    """Trains of spur pairs within a part of a ratio above 1, of as few stages as do: hunting ones
    first, then the smaller, then the nearer. owned: gears to choose from, each as often as it is
    there; without them pinions of 12 to 24 teeth and wheels of 24 to 120 at the modules, the first
    of which is that of the first stage, and so on, the last for all further.

    Raises ValueError for a ratio that is no reduction.
    """
    if not ratio > 1:
        raise ValueError(f"a ratio of {ratio:.3g} is no reduction; ask for one above 1")
    for stages in range(1, most_stages + 1):
        found = _of_stages(ratio, stages, owned, modules, within)
        if found:
            found.sort(key=lambda p: (not p.hunting, round(p.size, 4), abs(p.off)))
            return found[:count]
    return []


def _of_stages(
    ratio: float, stages: int, owned: Sequence[GearAtHand], modules: Sequence[float], within: float
) -> list[Proposal]:
    lists = [_pairs(owned, modules[min(n, len(modules) - 1)]) for n in range(stages)]
    if not all(lists):
        return []
    # every column a train: which pair of each stage
    places = np.arange(len(lists[0]))[np.newaxis]
    ratios = np.array([p.ratio for p in lists[0]])
    head = ratios
    for pairs in lists[1:-1]:
        more = np.array([p.ratio for p in pairs])
        places = np.vstack(
            [np.repeat(places, len(more), axis=1), np.tile(np.arange(len(more)), places.shape[1])]
        )
        head = np.multiply.outer(head, more).ravel()
    if stages > 1:
        tail = np.array([p.ratio for p in lists[-1]])
        order = np.argsort(tail, kind="stable")
        # with each head the last pair that comes nearest, and its neighbours
        at = np.searchsorted(tail[order], ratio / head)
        beside = [np.clip(at + k, 0, len(tail) - 1) for k in (-1, 0, 1)]
        places = np.hstack([np.vstack([places, order[k]]) for k in beside])
        whole = np.concatenate([head * tail[order[k]] for k in beside])
    else:
        whole = head
    fits = np.abs(whole / ratio - 1) <= within
    places = places[:, fits]
    if not owned:
        places = _steep_first(places, lists)
    code = np.ravel_multi_index(list(places), tuple(map(len, lists)))
    places = places[:, np.unique(code, return_index=True)[1]]
    found = [_train(places[:, k], lists, ratio) for k in _smallest(places, lists)]
    return [t for t in found if not owned or _there(t, owned)]


def _steep_first(places: np.ndarray, lists: Sequence[Sequence[PairOfGears]]) -> np.ndarray:
    """A stage behind another turns slower and carries more: no smaller ratio in front, where there
    are such trains.
    """
    each = [
        np.array([p.ratio for p in pairs])[row] for pairs, row in zip(lists, places, strict=True)
    ]
    falls = np.ones(places.shape[1], bool)
    for front, behind in itertools.pairwise(each):
        falls &= front >= behind
    return places[:, falls] if falls.any() else places


def _smallest(places: np.ndarray, lists: Sequence[Sequence[PairOfGears]]) -> list[int]:
    """Columns, hunting ones first, then by the sum of their centre distances; not too many."""
    rows = list(zip(lists, places, strict=True))
    centre = np.sum([np.array([p.centre for p in x])[row] for x, row in rows], axis=0)
    hunting = np.all([np.array([p.hunting for p in x])[row] for x, row in rows], axis=0)
    return [int(k) for k in np.lexsort((centre, ~hunting))[:_KEPT]]


def _pairs(owned: Sequence[GearAtHand], module: float) -> list[PairOfGears]:
    if owned:
        return [
            PairOfGears(a.teeth, b.teeth, a.module)
            for a in owned
            for b in owned
            if a.module == b.module and 1 < b.teeth / a.teeth <= _STEEPEST * 2
        ]
    return [PairOfGears(z, w, module) for z in _PINIONS for w in _WHEELS if 1 < w / z <= _STEEPEST]


def _train(place: np.ndarray, lists: Sequence[Sequence[PairOfGears]], wanted: float) -> Proposal:
    pairs = tuple(x[int(k)] for x, k in zip(lists, place, strict=True))
    ratio = math.prod(p.ratio for p in pairs)
    first, last = pairs[0], pairs[-1]
    ends = (first.module * (first.pinion + 2) + last.module * (last.wheel + 2)) / 2
    return Proposal(pairs, ratio, ratio / wanted - 1, sum(p.centre for p in pairs) + ends)


def _there(t: Proposal, owned: Sequence[GearAtHand]) -> bool:
    """Whether there are as many of each gear as the train has."""
    have: dict[tuple[int, float], int] = {}
    for g in owned:
        have[g.teeth, g.module] = have.get((g.teeth, g.module), 0) + g.pieces
    for p in t.pairs:
        for teeth in (p.pinion, p.wheel):
            have[teeth, p.module] = have.get((teeth, p.module), 0) - 1
    return all(n >= 0 for n in have.values())
