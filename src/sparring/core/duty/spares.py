"""How many of which part a season of a duty takes: from lives and failures, and from wear."""

from __future__ import annotations

import math
from typing import Annotated, NamedTuple

import numpy as np
from pydantic import Field

from sparring.core.build import Build
from sparring.core.duty.figures import KnownTrain, Life
from sparring.core.records import Record

_RENEWALS = 200  # of one part in a season, looked at


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
    lives); a flank that is worn out, by the wear found, takes its gear. Both by renewals on the
    draws of life and wear. Parts nobody has lives or wear of are not among them. Raises ValueError
    where neither is known.
    """
    rng = np.random.default_rng(17)
    found: list[Spare] = []
    hands = _hands(build)
    listed = {i.part.casefold(): i.spares for i in build.parts}

    for part, life, why in _lives(build, train, turns, work):
        groups = [("", fleet.left + fleet.right)]
        if part in hands:
            groups = [("left", fleet.left), ("right", fleet.right)]
        for hand, drives in groups:
            if not drives:
                continue
            needed = _renewals(life, fleet.cycles, drives, rng)
            pieces = int(np.quantile(needed, fleet.sure, method="higher"))
            have = next((n for name, n in listed.items() if name in part), 0)
            found.append(Spare(part, hand, float(needed.mean()), pieces, have, why))
    if not found:
        raise ValueError(
            f"{build.name} has neither lives of failed specimens nor inspections that found wear; "
            "enter lives, or inspect it after some work"
        )
    return found


def _lives(
    build: Build, train: KnownTrain, turns: float, work: float
) -> list[tuple[str, np.ndarray, str]]:
    """(part, cycles that one lasts, shape (d,), what it fails by)."""
    rows = []
    if isinstance(train.life, Life) and turns > 0:
        weakest = build.limits[0].name if build.limits else "whole drive"
        rows.append((weakest, train.life.turns[1:] / turns, "failures of specimens"))
    for f in train.thins:
        if work > 0:
            rows.append((f.gear, f.left[1:] / (f.depth[1:] * work), "wear of its flanks"))
    return rows


def _hands(build: Build) -> set[str]:
    """Parts of stages whose teeth have a hand: a mirrored drive needs the mirrored part."""
    found = set()
    for n, stage in enumerate(build.stages, start=1):
        if getattr(stage, "helix", 0.0) or stage.kind == "worm":
            found |= {f"stage {n} {b.name}" for b in stage.bodies("a", "b", f"stage {n}")}
            found |= {x.name for x in build.limits if x.stage == n - 1}
    return found


def _renewals(life: np.ndarray, cycles: float, drives: int, rng: np.random.Generator) -> np.ndarray:
    """Replacements in a season of so many drives, shape (draws,): each part anew has a life of its
    own.
    """
    draws = 2000
    total = np.zeros(draws)
    mean = float(np.median(life))
    if drives * cycles / max(mean, 1e-9) > 50 * _RENEWALS:
        return np.full(draws, math.ceil(drives * cycles / mean))
    for _ in range(drives if drives <= 200 else 200):
        ran = np.zeros(draws)
        for _ in range(_RENEWALS):
            ran = ran + rng.choice(life, draws)
            total += ran < cycles
            if (ran >= cycles).all():
                break
    return total if drives <= 200 else total * (drives / 200)
