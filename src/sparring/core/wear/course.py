"""A rate of wear from several looks, running-in apart from what follows.

A flank with the exposure S has lost W = k S + e min(S, S_r): the steady rate k, and e more of it
while it runs in, until S_r, which all flanks of a drive reach together. S_r is not known: it is
gone through on a grid, each place weighed by how well it explains the readings, and no running-in
at all among them (a Bayesian change point). e is taken to be 1.2 ± 0.8 (k = 1) times k; that, that
running-in is over by half of the turns, and that a drive shows it or not with equal odds, is our
own choice. The result is a mixture of
normal distributions; its figures hold for the steady state also where two looks cannot tell
running-in from wear, in which case they are wide.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

_PLACES = 24  # of the change point, evenly in its logarithm
_LATEST = 0.5  # of the turns of the last look, by which running-in is over
_EXTRA = (1.2, 0.8)  # of the steady rate: expected, and its standard deviation
_DRAWS = 4000
_CHANCE = 0.003  # of readings that scatter so much by themselves
_VAGUE = 30.0  # standard deviation of the prior of k, as a multiple of its first guess


class Span(NamedTuple):
    """A figure with its 95 % interval; high: inf where it is not bounded; u: standard uncertainty,
    half of a quarter of the interval where it is not even.
    """

    value: float
    low: float
    high: float

    @property
    def u(self) -> float:
        return (self.high - self.low) / 4


def span(draws: np.ndarray) -> Span:
    """Median and 95 % interval of draws, infinite ones among them."""
    low, middle, high = np.quantile(draws, [0.025, 0.5, 0.975], method="nearest")
    return Span(float(middle), float(low), float(high))


@dataclass(frozen=True)
class Course:
    """What is known of p flanks after n looks.

    weights: of m places of the change point, shape (m,), the first is that of none; runs_in: where,
    as a part of the last look's turns (m,), 0: none; mean (m, 2p), cov (m, 2p, 2p): of rate and
    extra, those of all flanks one after the other; chi: weighted squares left by the best, freedom:
    of them; widened: by how much the readings scatter more than they say.
    """

    weights: np.ndarray
    runs_in: np.ndarray
    mean: np.ndarray
    cov: np.ndarray
    chi: float
    freedom: int
    widened: float
    left: np.ndarray

    @cached_property
    def draws(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(rates (d, p), extras (d, p), change points (d,)), always the same ones."""
        rng = np.random.default_rng(2736)
        p = self.mean.shape[1] // 2
        which = rng.choice(len(self.weights), size=_DRAWS, p=self.weights)
        z = rng.standard_normal((_DRAWS, 2 * p))
        roots = np.array([_root(c) for c in self.cov])
        x = self.mean[which] + np.einsum("dij,dj->di", roots[which], z)
        x[:, p:][self.runs_in[which] == 0] = 0.0
        return x[:, :p], x[:, p:], self.runs_in[which]

    def rate(self, flank: int) -> Span:
        """Steady rate of one flank."""
        return span(self.draws[0][:, flank])

    def lost(self, flank: int, exposure: float, share: float = 1.0) -> np.ndarray:
        """Draws of what it has lost at an exposure, reached after `share` of the turns of the last
        look.
        """
        k, e, at = self.draws
        run = np.minimum(1.0, at / max(share, 1e-12))
        return np.asarray(exposure * (k[:, flank] + e[:, flank] * run))

    @property
    def ran_in(self) -> float:
        """Probability that it has run in visibly [-]."""
        return float(1 - self.weights[0])

    @property
    def change(self) -> Span | None:
        """Where running-in ends, as a part of the turns; None where it is as likely that there was
        none.
        """
        if self.ran_in < 0.9:
            return None
        at = self.draws[2]
        return span(at[at > 0])


def _root(cov: np.ndarray) -> np.ndarray:
    """A square root of a covariance that may be flat in some directions."""
    values, vectors = np.linalg.eigh(cov)
    root: np.ndarray = vectors * np.sqrt(np.clip(values, 0.0, None))
    return root


def course(
    exposed: np.ndarray, share: np.ndarray, lost: np.ndarray, cov: np.ndarray, first: np.ndarray
) -> Course:
    """The course of p flanks by n figures: lost (n,) = exposed (n, p) · rates.

    share (n,): turns of the look of each figure over those of the last; cov (n, n): of the figures;
    first (p,): a first guess of the rates, > 0, for scale. Raises ValueError for no figure.
    """
    n, p = exposed.shape
    if n == 0 or p == 0:
        raise ValueError("no figure to calculate a rate from")
    looks = len(np.unique(share))
    places = np.zeros(1)
    if looks > 1:  # one look cannot tell
        places = np.append(0.0, np.geomspace(*_between(share), _PLACES))
    fits = [_fitted(exposed, share, lost, cov, first, at) for at in places]
    best = max(fits, key=lambda f: f[2])
    freedom = max(n - p - (p if best is not fits[0] else 0), 0)
    left = lost - np.hstack([exposed, _extra(exposed, share, best[4])]) @ best[0]
    chi = float(left @ np.linalg.solve(cov, left))
    # what scatters more than it says is given as much more doubt (Birge 1932)
    widened = math.sqrt(max(1.0, chi / freedom)) if freedom and _unlikely(chi, freedom) else 1.0
    if widened > 1:
        fits = [_fitted(exposed, share, lost, cov * widened**2, first, at) for at in places]
    evidence = np.array([f[2] for f in fits])
    if len(places) > 1:
        evidence[1:] -= math.log(_PLACES)
    weights = np.exp(evidence - evidence.max())
    return Course(
        weights / weights.sum(),
        places,
        np.array([f[0] for f in fits]),
        np.array([f[1] for f in fits]),
        chi,
        freedom,
        widened,
        left,
    )


def _between(share: np.ndarray) -> tuple[float, float]:
    """The change point's first and last place: before the first look it cannot be told where."""
    first = 0.3 * float(share.min())
    return first, max(_LATEST, 1.05 * first)


def _unlikely(chi: float, freedom: int) -> bool:
    from scipy.special import chdtrc

    return bool(chdtrc(freedom, chi) < _CHANCE)


def _extra(exposed: np.ndarray, share: np.ndarray, at: float) -> np.ndarray:
    run = np.minimum(1.0, at / np.maximum(share, 1e-12))
    extra: np.ndarray = exposed * run[:, None]
    return extra


def _fitted(
    exposed: np.ndarray,
    share: np.ndarray,
    lost: np.ndarray,
    cov: np.ndarray,
    first: np.ndarray,
    at: float,
) -> tuple[np.ndarray, np.ndarray, float, float, float]:
    """(mean, covariance, log evidence, chi², at) for one place of the change point."""
    p = exposed.shape[1]
    design = np.hstack([exposed, _extra(exposed, share, at)])
    there = _EXTRA if at > 0 else (0.0, 1e-6)
    centre = np.concatenate([first, there[0] * first])
    prior = np.concatenate([(_VAGUE * first) ** 2, (there[1] * first) ** 2])
    inner = design * prior @ design.T + cov
    left = lost - design @ centre
    solved = np.linalg.solve(inner, left)
    gain = (prior[:, None] * design.T) @ np.linalg.inv(inner)
    mean = centre + gain @ left
    after = np.diag(prior) - gain @ design * prior
    _, size = np.linalg.slogdet(inner)
    chi = float(left @ solved)
    assert design.shape[1] == 2 * p
    return mean, (after + after.T) / 2, -0.5 * (chi + float(size)), chi, at


def covariance(own: Sequence[float], shared: Sequence[Sequence[tuple[str, float]]]) -> np.ndarray:
    """Of figures with uncertainties of their own and some in common, by key."""
    cov = np.diag(np.square(np.asarray(own, float)))
    keys = sorted({key for row in shared for key, _ in row})
    for key in keys:
        u = np.array([dict(row).get(key, 0.0) for row in shared])
        cov += np.outer(u, u)
    return cov
