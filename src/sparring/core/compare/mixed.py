"""The mixed model y = X β + specimen + block + residual: the variances by restricted maximum
likelihood, the effects with intervals that hold for few specimens.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

_NOTHING = 1e-6  # part of the residual's variance below which a random effect is none
_FURTHEST = 25.0  # logarithm of a ratio beyond which rounding tells nothing
# logarithms of the variances over the residual's that are tried first
_BEGINS = -16.0, -11.0, -7.0, -5.0, -3.5, -2.0, -0.5, 1.0, 2.5, 4.0, 5.5, 8.0, 12.0
_ROUNDING = 1e-12  # part of the figures below which what is left of them is none


class Contrast(NamedTuple):
    """value, standard uncertainty and effective degrees of freedom (Satterthwaite)."""

    value: float
    u: float
    freedom: float


@dataclass(frozen=True)
class Mixed:
    """beta: shape (p,); gain: how it follows from y, shape (p, n); covariance: (p, p); random:
    standard deviation by random effect, the residual's as `residual`; dropped: random effects that
    the design does not tell apart from the factors; left: residuals beyond fixed and random
    effects, shape (n,); fitted.
    """

    beta: np.ndarray
    gain: np.ndarray
    covariance: np.ndarray
    random: Mapping[str, float]
    dropped: tuple[str, ...]
    left: np.ndarray
    fitted: np.ndarray
    _slopes: np.ndarray  # of the covariance towards each variance, shape (v, p, p)
    _doubt: np.ndarray  # covariance of the variances, shape (v, v)

    def contrast(self, weights: np.ndarray, shared: np.ndarray | None = None) -> Contrast:
        """One of `contrasts`; weights: shape (p,)."""
        return self.contrasts(weights[None, :], shared)[0]

    def contrasts(self, weights: np.ndarray, shared: np.ndarray | None = None) -> list[Contrast]:
        """weights @ beta; weights: shape (m, p). shared: what inputs that are no scatter add to
        each observation (k = 1), shape (n, inputs): they add what they do to these, and have
        infinite freedom.

        Freedom by Satterthwaite: 2 v²/var(v), v the variance of the contrast, by the information
        matrix of the variances (Giesbrecht and Burns 1985; Fai and Cornelius 1996). In balanced
        designs it is that of the analysis of variance.
        """
        variance = ((weights @ self.covariance) * weights).sum(axis=1)
        slopes = np.array([((weights @ part) * weights).sum(axis=1) for part in self._slopes]).T
        spread = ((slopes @ self._doubt) * slopes).sum(axis=1)
        beyond = np.zeros(len(weights))
        if shared is not None and shared.size:
            beyond = ((weights @ (self.gain @ shared)) ** 2).sum(axis=1)
        value, whole = weights @ self.beta, variance + beyond
        found = []
        for n in range(len(weights)):
            freedom = 2 * variance[n] ** 2 / spread[n] if spread[n] > 0 else math.inf
            if beyond[n] > 0:
                freedom *= (whole[n] / variance[n]) ** 2
            u = math.sqrt(float(whole[n]))
            found.append(Contrast(float(value[n]), u, max(float(freedom), 1.0)))
        return found


def mixed(
    y: Sequence[float] | np.ndarray, x: np.ndarray, groups: Mapping[str, Sequence[str]]
) -> Mixed:
    """y: shape (n,); x: (n, p), of full rank; groups: by random effect the group of each
    observation, "": of none.

    Range: more observations than p. Raises ValueError otherwise.
    """
    y, x = np.asarray(y, float), np.asarray(x, float)
    n, p = x.shape
    if n <= p:
        raise ValueError(
            f"{n} observations do not tell {p} effects and a scatter; lift each once more"
        )
    scale = float(np.std(y)) or 1.0
    told, matrices = [], []
    beside = _beside(x)
    seen = [beside]
    for name, of in groups.items():
        z = _members(of)
        part = beside @ z @ z.T @ beside
        # a variance is told where its pattern is none of those before, nor the residual's
        if z.shape[1] > 1 and _independent([*seen, part]):
            told.append(name)
            matrices.append(z)
            seen.append(part)
    variances = _variances(y / scale, x, beside, dict(zip(told, matrices, strict=True)))
    kept = [k for k, name in enumerate(told) if variances[name] > _NOTHING * variances["residual"]]
    theta = [variances[told[k]] for k in kept] + [variances["residual"]]
    return _solved(
        y,
        x,
        [matrices[k] for k in kept],
        np.array(theta) * scale**2,
        names=[told[k] for k in kept],
        nothing=[name for k, name in enumerate(told) if k not in kept],
        dropped=tuple(name for name in groups if name not in told),
    )


def _beside(x: np.ndarray) -> np.ndarray:
    """What takes from observations all that the columns explain, shape (n, n)."""
    basis = np.linalg.qr(x)[0]
    left: np.ndarray = np.eye(len(x)) - basis @ basis.T
    return left


def _independent(parts: Sequence[np.ndarray]) -> bool:
    sizes = [float(np.linalg.norm(part)) for part in parts]
    if min(sizes) < 1e-9:
        return False
    flat = np.array([part.ravel() / size for part, size in zip(parts, sizes, strict=True)])
    return int(np.linalg.matrix_rank(flat, tol=1e-6)) == len(parts)


def _members(of: Sequence[str]) -> np.ndarray:
    names = [g for g in dict.fromkeys(of) if g]
    return np.array([[float(g == name) for name in names] for g in of]).reshape(len(of), -1)


def _variances(
    y: np.ndarray, x: np.ndarray, beside: np.ndarray, z: Mapping[str, np.ndarray]
) -> dict[str, float]:
    """By random effect and the residual, of y: where the restricted likelihood is highest
    (Patterson and Thompson 1971), over the variances' ratios to the residual's alone; its
    determinants by Sylvester's, of the groups' size. beside: see `_beside`.
    """
    n, p = x.shape
    if not z:
        left = beside @ y
        return {"residual": max(float(left @ left) / (n - p), 1e-30)}
    from scipy.optimize import minimize

    # what the fixed effects leave of y and of the groups; all that the likelihood asks of them
    groups = np.hstack(list(z.values()))
    which = np.repeat(np.arange(len(z)), [m.shape[1] for m in z.values()])
    square, mixed_in, rest = groups.T @ beside @ groups, groups.T @ beside @ y, y @ beside @ y

    def lost(logs: Any) -> tuple[float, float]:
        """(−2 log of the restricted likelihood but for a constant, what is left of y's square) at
        these logarithms of the variances over the residual's.
        """
        root = np.exp(np.minimum(np.asarray(logs)[which], _FURTHEST) / 2)
        inner = np.eye(len(root)) + root[:, None] * square * root
        lower = np.linalg.cholesky(inner)
        by = np.linalg.solve(lower, root * mixed_in)
        left = max(float(rest - by @ by), 1e-30)
        return (n - p) * math.log(left) + 2 * float(np.log(np.diag(lower)).sum()), left

    of_logs: Any = lambda logs: lost(logs)[0]  # noqa: E731
    # there may be one summit where a variance is none and another where it is not
    begins = sorted(itertools.product(_BEGINS, repeat=len(z)), key=of_logs)
    exact: Any = {"xatol": 1e-5, "fatol": 1e-9, "maxiter": 1000}
    ends = [
        minimize(of_logs, np.array(begin), method="Nelder-Mead", options=exact)
        for begin in begins[:3]
    ]
    logs = min(ends, key=lambda end: float(end.fun)).x
    residual = lost(logs)[1] / (n - p)
    variances = dict(zip(z, (residual * np.exp(np.minimum(logs, _FURTHEST))).tolist(), strict=True))
    return {**variances, "residual": residual}


def _solved(
    y: np.ndarray,
    x: np.ndarray,
    groups: Sequence[np.ndarray],
    theta: np.ndarray,
    *,
    names: Sequence[str],
    nothing: Sequence[str],
    dropped: tuple[str, ...],
) -> Mixed:
    """Generalised least squares at these variances, with what they leave open of themselves.
    groups: who is in which of each random effect, shape (n, groups); theta: their variances and the
    residual's.
    """
    n, residual = len(y), float(theta[-1])
    inverse = np.eye(n) / residual
    if groups:  # Woodbury's, of the groups' size
        z = np.hstack(groups)
        sizes = np.repeat(theta[:-1], [g.shape[1] for g in groups])
        inner = np.diag(residual / sizes) + z.T @ z
        inverse -= z @ np.linalg.solve(inner, z.T) / residual
    weighted = inverse @ x
    covariance = np.linalg.inv(x.T @ weighted)
    gain = covariance @ weighted.T
    beta = gain @ y
    p = inverse - weighted @ gain
    within = [gain @ g for g in groups] + [gain]
    slopes = np.array([part @ part.T for part in within])
    members = [p @ g for g in groups] + [p]

    def trace(j: int, k: int) -> float:
        """Of P G Gᵀ P H Hᵀ: the square of Gᵀ P H; the residual's G is the unit matrix."""
        if max(j, k) < len(groups):
            return float(((groups[j].T @ members[k]) ** 2).sum())
        return float((members[min(j, k)] ** 2).sum())

    many = range(len(members))
    information = np.array([[0.5 * trace(j, k) for k in many] for j in many])
    by = p @ y
    random = sum(
        (t * g @ (g.T @ by) for t, g in zip(theta[:-1], groups, strict=True)), start=np.zeros(n)
    )
    left = y - x @ beta - random
    # what rounding leaves where there is a figure for every coefficient is no residual
    left = np.where(np.abs(left) < _ROUNDING * np.abs(y).max(initial=0.0), 0.0, left)
    known = {name: math.sqrt(t) for name, t in zip(names, theta[:-1], strict=True)}
    return Mixed(
        beta,
        gain,
        covariance,
        {**known, **dict.fromkeys(nothing, 0.0), "residual": math.sqrt(float(theta[-1]))},
        dropped,
        left,
        x @ beta,
        slopes,
        np.linalg.inv(information),
    )
