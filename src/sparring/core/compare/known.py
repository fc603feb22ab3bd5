"""A figure as it is compared: its value, what repeating would reduce of its doubt, and what each
input that other figures may share adds to it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import lru_cache
from types import MappingProxyType
from typing import NamedTuple

import numpy as np

from sparring.core.input_quantity import whose
from sparring.core.quantity import Measured
from sparring.core.reduce.spread import random_part, shared_parts, size, tag_of
from sparring.core.uncertainty import Uncertain, nominal

How = str
"""measured, predicted, or entered."""
_NONE: Mapping[str, float] = MappingProxyType({})


class Known(NamedTuple):
    """random: standard uncertainty of repeats, with `freedom` degrees; shared: what each other
    input adds, signed (k = 1), by a key that is the same where the input is; rounds: the value in
    each round that was made; how it is known; note: where or how, in words; torque [N·m]: at which
    it holds.
    """

    value: float
    random: float = 0.0
    freedom: float = math.inf
    shared: Mapping[str, float] = _NONE
    rounds: Mapping[str, float] = _NONE
    how: How = "measured"
    note: str = ""
    torque: float | None = None

    @property
    def u(self) -> float:
        """Standard uncertainty, all of it."""
        return size([self.random, *self.shared.values()])

    def over(self, other: Known) -> Known:
        """The quotient, inputs that both share counted once."""
        value = self.value / other.value
        slopes = 1 / other.value, -value / other.value
        shared = {
            key: slopes[0] * self.shared.get(key, 0.0) + slopes[1] * other.shared.get(key, 0.0)
            for key in (*self.shared, *(k for k in other.shared if k not in self.shared))
        }
        random = math.hypot(slopes[0] * self.random, slopes[1] * other.random)
        how = self.how if other.how == "measured" else other.how
        rounds = {key: x / other.value for key, x in self.rounds.items()}
        return Known(
            value, random, self.freedom, shared, rounds, how=how, note=self.note, torque=self.torque
        )


def of_result(x: Uncertain, rig: str, *, how: How = "measured", note: str = "") -> Known:
    """A figure that a test's inputs led to. rig: which one; its inputs are those of no other."""
    return Known(nominal(x), random_part(x), shared=keyed(x, rig), how=how, note=note)


def keyed(x: Uncertain, rig: str) -> dict[str, float]:
    """What each input but the random ones adds to x, by its key, the rig's with the rig's name."""
    return {_with_rig(key, rig): part for key, part in shared_parts(x).items()}


@lru_cache(maxsize=200_000)
def _with_rig(key: str, rig: str) -> str:
    return f"{key} of {rig}" if whose(tag_of(key)) == "rig" else key


def of_own(value: float, u: float, owner: str, *, how: How = "measured", note: str = "") -> Known:
    """A figure whose doubt no other figure shares; owner: what it is of, in words."""
    shared = {f"{owner}, {value:.9g} ± {u:.3g}": u} if u > 0 else _NONE
    return Known(value, shared=shared, how=how, note=note)


def entered(m: Measured, owner: str) -> Known:
    """A figure of the build's record."""
    return of_own(m.value, m.u, owner, how="entered")


class Table(NamedTuple):
    """Several known figures of one kind, k of them. value, random, freedom: shape (k,); shared:
    (k, inputs), rows of the input's `keys`; rounds: (k, r), NaN where a round was not made, a
    column for each of `made`.
    """

    value: np.ndarray
    random: np.ndarray
    freedom: np.ndarray
    shared: np.ndarray
    keys: tuple[str, ...]
    rounds: np.ndarray
    made: tuple[str, ...]


def table(known: Sequence[Known]) -> Table:
    """Them side by side."""
    keys = {key: n for n, key in enumerate(dict.fromkeys(k for x in known for k in x.shared))}
    made = {key: n for n, key in enumerate(dict.fromkeys(k for x in known for k in x.rounds))}
    shared = np.zeros((len(known), len(keys)))
    rounds = np.full((len(known), len(made)), math.nan)
    for row, x in enumerate(known):
        for key, part in x.shared.items():
            shared[row, keys[key]] = part
        for key, value in x.rounds.items():
            rounds[row, made[key]] = value
    return Table(
        np.array([x.value for x in known], float),
        np.array([x.random for x in known], float),
        np.array([x.freedom for x in known], float),
        shared,
        tuple(keys),
        rounds,
        tuple(made),
    )
