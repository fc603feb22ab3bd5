"""What each factor does to a figure: effects and interactions with intervals, by a mixed model with
specimen and block as random effects; over the load, where the better one changes.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.compare import apart
from sparring.core.compare.factors import (
    Confounded,
    Design,
    confounded,
    design,
    factors_of,
    varying,
)
from sparring.core.compare.figures import BY_ID, At, Figure
from sparring.core.compare.known import Known, table
from sparring.core.compare.mixed import Contrast, Mixed, mixed
from sparring.core.compare.subject import Subject

NAMING = ("family", "revision", "day", "rig", "operator")
"""Factors that part builds by naming them, or came along: not in a model unless they are chosen."""
_EXTREME = 3.5  # robust standard deviations beyond which a residual is named


class Effect(NamedTuple):
    """What a level does against another (`against`) of its factor, in the figure's unit, over the
    others' levels alike; of an interaction (two factors) how much more the one does at the other's
    level. low, high: 95 %; p, adjusted: without and with the other effects (Holm); verdict: 1
    higher, −1 lower, 0 not told.
    """

    factor: str
    level: str
    against: str
    value: float
    u: float
    low: float
    high: float
    freedom: float
    p: float
    adjusted: float
    verdict: int


class Mean(NamedTuple):
    """The figure at a level (of an interaction: at two), over the others' levels alike."""

    levels: Mapping[str, str]
    value: float
    low: float
    high: float


class Residual(NamedTuple):
    """What the model leaves of one observation; expected: standard normal quantile of its rank;
    strange: beyond 3.5 robust standard deviations.
    """

    subject: int
    round: str
    fitted: float
    left: float
    expected: float
    strange: bool


@dataclass(frozen=True)
class Effects:
    """figure, at: of what and where; factors: in the model; left_out: varying ones that it cannot
    tell apart from those; interactions; effects; means: by factor; random: standard deviations of
    specimen, block and residual; alone: random effects that the design does not tell, so that the
    effects hold for these specimens; normal: p of the residuals' normality (Shapiro and Wilk), NaN
    for less than eight; observations; specimens.
    """

    figure: Figure
    at: At
    factors: tuple[str, ...]
    offered: tuple[str, ...]
    left_out: tuple[str, ...]
    interactions: tuple[tuple[str, str], ...]
    effects: tuple[Effect, ...]
    means: tuple[Mean, ...]
    random: Mapping[str, float]
    alone: tuple[str, ...]
    confounded: tuple[Confounded, ...]
    residuals: tuple[Residual, ...]
    normal: float
    observations: int
    specimens: int


def effects_of(
    subjects: Sequence[Subject],
    at: At,
    *,
    figure: str = "gearbox",
    factors: Sequence[str] | None = None,
    interactions: Sequence[tuple[str, str]] = (),
) -> Effects:
    """factors: to be in the model, None: all that vary and do more than name a build, or else the
    revision. Raises ValueError, in words, where there is nothing to tell.
    """
    chosen = BY_ID[figure]
    told = [(s, k) for s in subjects if (k := chosen.known(s, at)) is not None]
    if len(told) < 2:
        raise ValueError(
            f"fewer than two of these have {chosen.words} here; choose another torque or voltage"
        )
    known = [k for _, k in told]
    levels = [factors_of(s) for s, _ in told]
    offered = varying(levels)
    wanted = [f for f in (factors or []) if f in offered] or [f for f in offered if f not in NAMING]
    wanted = wanted or [f for f in offered if f == "revision"] or offered[:1]
    if not wanted:
        raise ValueError("no factor varies between these; choose builds that differ in something")
    rows, y, where = _observations(known)
    observed = [levels[n] for n in rows]
    asked = [(a, b) for a, b in interactions if a in wanted and b in wanted]
    built, left = design(observed, wanted, asked)
    model = mixed(
        y, built.x, {"specimen": [told[n][0].specimen for n in rows], "block": _blocks(where)}
    )
    kept = tuple(pair for pair in asked if f"{pair[0]} × {pair[1]}" not in left)
    shared = table(known).shared[rows]
    whole = {id(s): n for n, s in enumerate(subjects)}
    return Effects(
        chosen,
        at,
        tuple(built.levels),
        tuple(offered),
        tuple(left),
        kept,
        tuple(_effects(built, model, kept, shared)),
        tuple(_means(built, model, kept, shared)),
        model.random,
        model.dropped,
        tuple(confounded(levels, wanted)),
        tuple(_residuals(model, [whole[id(told[n][0])] for n in rows], where)),
        _normal(model.left),
        len(y),
        len({told[n][0].specimen for n in rows}),
    )


def _observations(known: Sequence[Known]) -> tuple[list[int], np.ndarray, list[str]]:
    """(place of the figure, value, round) of each observation: every round, or the figure itself
    where it has none.
    """
    rows, y, where = [], [], []
    for n, k in enumerate(known):
        for key, value in (k.rounds or {"": k.value}).items():
            rows.append(n)
            y.append(value)
            where.append(key)
    return rows, np.array(y), where


def _blocks(where: Sequence[str]) -> list[str]:
    """A round that only one figure has is no block."""
    return [key if where.count(key) > 1 else "" for key in where]


def _effects(
    built: Design, model: Mixed, interactions: Sequence[tuple[str, str]], shared: np.ndarray
) -> list[Effect]:
    said: list[tuple[str, str, str]] = []
    weights = []
    for name, levels in built.levels.items():
        at = {level: built.row({name: level}) for level in levels}
        for against, level in itertools.combinations(levels, 2):
            said.append((name, level, against))
            weights.append(at[level] - at[against])
    for a, b in interactions:
        for x0, x in itertools.combinations(built.levels[a], 2):
            for y0, y in itertools.combinations(built.levels[b], 2):
                said.append((f"{a} × {b}", f"{x}, {y}", f"{x0}, {y0}"))
                weights.append(
                    built.row({a: x, b: y})
                    - built.row({a: x0, b: y})
                    - built.row({a: x, b: y0})
                    + built.row({a: x0, b: y0})
                )
    contrasts = model.contrasts(np.array(weights), shared) if weights else []
    found = [(*names, c) for names, c in zip(said, contrasts, strict=True)]
    p = [_p(c) for *_, c in found]
    adjusted = apart.holm(p)
    return [
        Effect(
            name,
            level,
            against,
            c.value,
            c.u,
            c.value - half,
            c.value + half,
            c.freedom,
            p[n],
            float(adjusted[n]),
            int(np.sign(c.value)) if adjusted[n] < apart.LEVEL else 0,
        )
        for n, (name, level, against, c) in enumerate(found)
        for half in [_half(c)]
    ]


def _p(c: Contrast) -> float:
    from scipy.special import stdtr

    return float(2 * stdtr(min(c.freedom, 1e6), -abs(c.value) / c.u)) if c.u > 0 else 0.0


def _half(c: Contrast) -> float:
    from scipy.special import stdtrit

    return float(stdtrit(min(c.freedom, 1e6), 1 - apart.LEVEL / 2)) * c.u


def _means(
    built: Design, model: Mixed, interactions: Sequence[tuple[str, str]], shared: np.ndarray
) -> list[Mean]:
    wanted: list[dict[str, str]] = [
        {name: level} for name, levels in built.levels.items() for level in levels
    ]
    wanted += [
        {a: x, b: y} for a, b in interactions for x in built.levels[a] for y in built.levels[b]
    ]
    if not wanted:
        return []
    contrasts = model.contrasts(np.array([built.row(levels) for levels in wanted]), shared)
    return [
        Mean(levels, c.value, c.value - half, c.value + half)
        for levels, c in zip(wanted, contrasts, strict=True)
        for half in [_half(c)]
    ]


def _residuals(model: Mixed, subjects: Sequence[int], where: Sequence[str]) -> list[Residual]:
    from scipy.special import ndtri

    left = model.left
    n = len(left)
    rank = np.argsort(np.argsort(left, kind="stable"), kind="stable")
    expected = ndtri((rank + 1 - 0.375) / (n + 0.25))  # Blom's plotting positions
    middle = float(np.median(left))
    robust = 1.4826 * float(np.median(np.abs(left - middle)))
    return [
        Residual(
            subjects[k],
            where[k],
            float(model.fitted[k]),
            float(left[k]),
            float(expected[k]),
            bool(robust > 0 and abs(left[k] - middle) > _EXTREME * robust),
        )
        for k in range(n)
    ]


def _normal(left: np.ndarray) -> float:
    if len(left) < 8 or np.ptp(left) < 1e-12:
        return math.nan
    from scipy.stats import shapiro

    return float(shapiro(left).pvalue)
