"""Which weights of the shelf to hang for a load, with the fewest moves."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.quantity import Measured
from sparring.core.rig import Weight

TOLERANCE = 0.005
"""Part of a load by which what hangs may differ from it, where nobody says otherwise."""
_EXACT = 1e-7  # [kg] that no scale tells


class Hung(NamedTuple):
    """What to do for one load. on: places on the shelf of what hangs then; hang, take_off: of what
    is moved; total: its mass, weighed piece by piece; fits: whether it is within the tolerance,
    else it is the nearest there is.
    """

    on: tuple[int, ...]
    hang: tuple[int, ...]
    take_off: tuple[int, ...]
    total: Measured
    fits: bool

    @property
    def moves(self) -> int:
        return len(self.hang) + len(self.take_off)


def hang(
    shelf: Sequence[Weight], load: float, on: Iterable[int] = (), tolerance: float = TOLERANCE
) -> Hung:
    """The fewest moves from what is `on` (places on the shelf) to `load` [kg] within the part
    `tolerance` of it; of several such the nearest. Where none is within it, the nearest, with the
    fewest moves.

    An integer programme in one variable a piece: on or off. Raises ValueError on an empty shelf.
    """
    if not shelf:
        raise ValueError("the shelf is empty; enter the weights you have")
    now = frozenset(on)
    masses = np.array([w.mass.value for w in shelf])
    allowed = max(tolerance * load, _EXACT)
    found = _solve(masses, load, now, allowed)
    fits = found is not None
    if found is None:
        nearest = _solve(masses, load, now, None)
        assert nearest is not None  # anything may hang
        off = abs(float(masses[list(nearest)].sum()) - load)
        found = _solve(masses, load, now, off + _EXACT) or nearest
    pieces = [shelf[n].mass for n in sorted(found)]
    return Hung(
        tuple(sorted(found)),
        tuple(sorted(found - now)),
        tuple(sorted(now - found)),
        Measured(
            float(math.fsum(m.value for m in pieces)), math.sqrt(math.fsum(m.u**2 for m in pieces))
        ),
        fits,
    )


def _solve(
    masses: np.ndarray, load: float, now: frozenset[int], allowed: float | None
) -> frozenset[int] | None:
    """Pieces with the fewest moves that are within `allowed` [kg] of the load; None: those nearest
    to it, whatever the moves. Variables: each piece on (0 or 1), and how far off they are.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp

    n = len(masses)
    scale = max(load, float(masses.max()))
    row = np.append(masses, 0.0) / scale
    away = np.append(np.zeros(n), 1.0)
    moves = np.array([-1.0 if i in now else 1.0 for i in range(n)])
    # how far off it is decides only between equal numbers of moves
    cost = np.append(moves, 1e-3) if allowed is not None else np.append(1e-9 * moves, 1.0)
    limit = np.inf if allowed is None else allowed / scale
    found = milp(
        cost,
        constraints=[
            LinearConstraint(row - away, -np.inf, load / scale),
            LinearConstraint(row + away, load / scale, np.inf),
        ],
        integrality=np.append(np.ones(n), 0.0),
        bounds=Bounds(np.zeros(n + 1), np.append(np.ones(n), limit)),
        options={"mip_rel_gap": 0.0},
    )
    if found.x is None:
        return None
    return frozenset(int(i) for i in np.flatnonzero(found.x[:n] > 0.5))


def hang_all(
    shelf: Sequence[Weight], loads: Sequence[float | None], tolerance: float = TOLERANCE
) -> list[Hung | None]:
    """For one load after the other, from an empty hook; None where a step has none."""
    found: list[Hung | None] = []
    on: tuple[int, ...] = ()
    known: dict[tuple[float, tuple[int, ...]], Hung] = {}
    for load in loads:
        if load is None:
            found.append(None)
            continue
        key = (load, on)
        if key not in known:
            known[key] = hang(shelf, load, on, tolerance)
        found.append(known[key])
        on = known[key].on
    return found
