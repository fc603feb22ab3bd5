"""How many of which part a season of a duty takes: from lives and failures, and from wear."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Annotated, NamedTuple

import numpy as np
from pydantic import Field
from scipy.special import gamma

from sparring.core.build import Build
from sparring.core.duty.figures import KnownTrain, Life
from sparring.core.records import Record

_RENEWALS = 200  # of one part in a season, looked at
_DRIVES = 2000  # that are looked at one by one; more fail as these do
_RARE = 0.01  # part of the drives that fail: a second failure of one is left out


class Fleet(Record):
    """left, right: drives of each hand in use; cycles: of the duty that each does in the season;
    sure: chance that the spares are enough.
    """

    left: Annotated[int, Field(ge=0, le=100_000)] = 0
    right: Annotated[int, Field(ge=0, le=100_000)] = 1
    cycles: Annotated[float, Field(gt=0.0, le=1e12)] = 1000.0
    sure: Annotated[float, Field(gt=0.5, lt=1.0)] = 0.95


class Spare(NamedTuple):
    """part; hand: left, right, or "" where one part fits both; expected: replacements in the
    season; pieces: that are enough with the chance asked for; have: listed with the build; why:
    what they fail by.
    """

    part: str
    hand: str
    expected: float
    pieces: int
    have: int
    why: str


def spares(build: Build, train: KnownTrain, fleet: Fleet, turns: float, work: float) -> list[Spare]:
    """turns of the output in a cycle; work: turns, each times its torque [N·m].

    A drive that fails is taken as repaired to new with one set of the part that failed (by its
    lives): every drive has a life of its own on Weibull's line, the doubt of the line is one for
    all. A flank that is worn out, by the wear found, takes its gear for a new one; the doubt of the
    wear rate is one for all drives, all wear alike, from as worn as the inspected one is.
    Parts nobody has lives or wear of are not among them. Raises ValueError where neither is known.
    """
    rng = np.random.default_rng(17)
    found: list[Spare] = []
    hands = _hands(build)
    listed = {i.part.casefold(): i.spares for i in build.parts}

    for part, needs, why in _needs(build, train, fleet.cycles, turns, work, rng):
        groups = [("", fleet.left + fleet.right)]
        if part in hands:
            groups = [("left", fleet.left), ("right", fleet.right)]
        for hand, drives in groups:
            if not drives:
                continue
            needed = needs(drives)
            pieces = int(np.quantile(needed, fleet.sure, method="higher"))
            have = next((n for name, n in listed.items() if name in part), 0)
            found.append(Spare(part, hand, float(needed.mean()), pieces, have, why))
    if not found:
        raise ValueError(
            f"{build.name} has neither lives of failed specimens nor inspections that found wear; "
            "enter lives, or inspect it after some work"
        )
    return found


def _needs(
    build: Build,
    train: KnownTrain,
    cycles: float,
    turns: float,
    work: float,
    rng: np.random.Generator,
) -> Iterator[tuple[str, Callable[[int], np.ndarray], str]]:
    """(part, how many of it so many drives take, shape (draws,), what it fails by)."""
    if isinstance(life := train.life, Life) and turns > 0:
        weakest = build.limits[0].name if build.limits else "whole drive"
        each = cycles * turns / life.scale[1:]
        yield weakest, lambda n: _failures(each, life.shape, n, rng), "failures of specimens"
    for f in train.thins:
        if work > 0:
            beyond = cycles * work * f.depth[1:] - f.left[1:]
            worn = np.where(beyond >= 0, 1 + np.floor(beyond / f.allowed), 0.0)
            yield f.gear, lambda n, worn=worn: n * worn, "wear of its flanks"  # type: ignore[misc]


def _hands(build: Build) -> set[str]:
    """Parts of stages whose teeth have a hand: a mirrored drive needs the mirrored part."""
    found = set()
    for n, stage in enumerate(build.stages, start=1):
        if getattr(stage, "helix", 0.0) or stage.kind == "worm":
            found |= {f"stage {n} {b.name}" for b in stage.bodies("a", "b", f"stage {n}")}
            found |= {x.name for x in build.limits if x.stage == n - 1}
    return found


def _failures(
    season: np.ndarray, shape: float, drives: int, rng: np.random.Generator
) -> np.ndarray:
    """Failures in a season of so many drives, shape (draws,); season: its length in scales of
    Weibull's line, shape (draws,). Each part anew has a life of its own.
    """
    failing = -np.expm1(-(season**shape))
    needed = rng.binomial(drives, failing).astype(float)
    often = np.flatnonzero(failing > _RARE)
    one = np.zeros(len(often))
    for _ in range(looked := min(drives, _DRIVES)):
        ran = np.zeros(len(often))
        for _ in range(_RENEWALS):
            ran += rng.weibull(shape, len(often))
            one += ran < season[often]
            if (ran >= season[often]).all():
                break
        else:  # the rest at the mean rate
            one += np.maximum(season[often] - ran, 0) / gamma(1 + 1 / shape)
    needed[often] = one * (drives / looked)
    return needed
