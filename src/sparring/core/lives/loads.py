"""Life over load: one line through specimens that ran at several loads, and Miner's sum on it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sparring.core.lives.cycles import Cycles

_FAILS_AT = 1.0


@dataclass(frozen=True)
class LoadLife:
    """ln η = level − slope ln(load/middle), with a common shape: Weibull regression by maximum
    likelihood (Meeker and Escobar 1998, chapter 17), normal intervals by the observed information.

    middle: geometric mean of the loads; cov (3, 3): of level, slope and ln shape; loads: lowest and
    highest tested.
    """

    level: float
    slope: float
    shape: float
    middle: float
    cov: np.ndarray
    loads: tuple[float, float]
    n: int
    failures: int

    @property
    def u_slope(self) -> float:
        return math.sqrt(self.cov[1, 1])

    def log_life(self, load: float, part: float) -> tuple[float, float]:
        """(logarithm of the life that `part` of all do not reach at a load, its u)."""
        x, w = math.log(load / self.middle), math.log(-math.log1p(-part))
        at = self.level - self.slope * x + w / self.shape
        slope = np.array([1.0, -x, -w / self.shape])
        return at, math.sqrt(float(slope @ self.cov @ slope))

    def life(self, load: float, part: float = 0.5) -> tuple[float, float, float]:
        """(value, low, high) at 95 %."""
        at, u = self.log_life(load, part)
        return math.exp(at), math.exp(at - 1.96 * u), math.exp(at + 1.96 * u)


def fit(lives: Sequence[float], failed: Sequence[bool], loads: Sequence[float]) -> LoadLife:
    """Raises ValueError where fewer than three failed, or none at a second load."""
    from scipy.optimize import minimize

    t, f, load = np.log(lives), np.asarray(failed, bool), np.asarray(loads, float)
    if (load <= 0).any():
        raise ValueError("a load is a number above zero")
    if f.sum() < 3 or len(np.unique(load[f])) < 2:
        raise ValueError(
            f"{int(f.sum())} failures at {len(np.unique(load[f]))} loads; a line needs three or "
            "more, at two loads at least"
        )
    middle = float(np.exp(np.log(load).mean()))
    x = np.log(load / middle)

    def cost(p: np.ndarray) -> tuple[float, np.ndarray]:
        level, slope, log_shape = p
        shape = math.exp(min(log_shape, 6.0))
        z = shape * (t - level + slope * x)
        e = np.exp(np.minimum(z, 700.0))
        likelihood = float((log_shape + z)[f].sum() - e.sum())
        pull = f - e
        gradient = np.array(
            [-shape * pull.sum(), shape * (pull * x).sum(), f.sum() + (pull * z).sum()]
        )
        return -likelihood, -gradient

    steep, level = np.polyfit(x[f], t[f], 1)
    spread = max(float((t[f] - level - steep * x[f]).std()), 0.05)
    found = minimize(cost, np.array([level, -steep, -math.log(spread)]), jac=True, method="BFGS")
    p = found.x
    step = 1e-5
    information = np.array(
        [(cost(p + d)[1] - cost(p - d)[1]) / (2 * step) for d in np.eye(3) * step]
    )
    cov = np.linalg.inv((information + information.T) / 2)
    if not (np.diag(cov) > 0).all():
        raise ValueError("the lives do not tell shape and slope apart; test further specimens")
    return LoadLife(
        float(p[0]),
        float(p[1]),
        math.exp(float(p[2])),
        middle,
        cov,
        (float(load.min()), float(load.max())),
        len(t),
        int(f.sum()),
    )


@dataclass(frozen=True)
class Damage:
    """Miner's sum of one log: 1 is the life that half of all do not reach. repeats: how often the
    log may be repeated until then, with 95 %; outside: part of the damage at loads that were not
    tested.
    """

    sum: float
    repeats: tuple[float, float, float]
    outside: float


def miner(cycles: Cycles, line: LoadLife) -> Damage:
    """Σ n/N with N of each cycle's range on the line (Palmgren–Miner); a cycle from nothing to the
    load counts as one at that load. Raises ValueError where there is no cycle.
    """
    known = cycles.ranges > 0
    if not known.any():
        raise ValueError("the log has no cycle")
    r, count = cycles.ranges[known], cycles.counts[known]

    def total(level: float, slope: float, shape: float) -> np.ndarray:
        log_life = level - slope * np.log(r / line.middle) + math.log(math.log(2)) / shape
        return np.asarray(count * np.exp(-log_life))

    each = total(line.level, line.slope, line.shape)
    rng = np.random.default_rng(1945)
    p = rng.multivariate_normal([line.level, line.slope, math.log(line.shape)], line.cov, size=2000)
    sums = np.array([total(a, b, math.exp(c)).sum() for a, b, c in p])
    low, high = np.quantile(_FAILS_AT / sums, [0.025, 0.975])
    out = (r < line.loads[0]) | (r > line.loads[1])
    return Damage(
        float(each.sum()),
        (float(_FAILS_AT / each.sum()), float(low), float(high)),
        float(each[out].sum() / each.sum()),
    )
