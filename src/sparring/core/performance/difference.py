"""What the difference between two tests costs at each load: a stage more, another lubricant,
another bearing.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from sparring.core.finding import Peer, PeerStep
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.spread import random_part, shared_parts, size, unshared
from sparring.core.uncertainty import nominal

_BESIDE = 0.03  # part of a torque by which another test's loads may end before this one's


class Cost(NamedTuple):
    """At a step: its output torque [N·m], the power that this test loses more than the other at the
    same output [W], and the standard uncertainty without what both share.
    """

    step: int
    torque: float
    power: float
    u: float

    @property
    def significant(self) -> bool:
        return abs(self.power) > 2 * self.u


def costs(result: TestResult, other: Peer) -> list[Cost]:
    """Of each step that lies within the other test's loads: P (1/η − 1/η') at the step's output
    power, the other's efficiency on the straight line between its neighbouring loads.

    Inputs that both tests share, as the drum of one rig, count once (JCGM 100:2008, 5.2).
    """
    found = []
    for s in result.well_running:
        if s.gearbox is None or s.power_out is None:
            continue
        torque = nominal(s.torque)
        beside = _between(other.steps, torque)
        if beside is None or beside.gearbox <= 0 or nominal(s.gearbox) <= 0:
            continue
        mine = shared_parts(s.gearbox)
        apart = [u for _, u in unshared(mine, beside.shared, same_rig=other.same_rig)]
        u = size([*apart, random_part(s.gearbox), beside.random])
        scale = nominal(s.power_out) / (nominal(s.gearbox) * beside.gearbox)
        more = scale * (beside.gearbox - nominal(s.gearbox))
        found.append(Cost(s.index, torque, more, scale * u))
    return found


def _between(steps: Sequence[PeerStep], torque: float) -> PeerStep | None:
    """The other test at a torque; None outside its loads."""
    known = sorted(steps, key=lambda p: p.torque)
    if not known:
        return None
    at = [p.torque for p in known]
    if not (1 - _BESIDE) * at[0] <= torque <= (1 + _BESIDE) * at[-1]:
        return None
    n = int(np.clip(np.searchsorted(at, torque), 1, len(at) - 1)) if len(at) > 1 else 0
    if n == 0:
        return known[0]
    a, b = known[n - 1], known[n]
    part = float(np.clip((torque - a.torque) / max(b.torque - a.torque, 1e-12), 0, 1))
    keys = {*a.shared, *b.shared}
    return PeerStep(
        torque,
        (1 - part) * a.gearbox + part * b.gearbox,
        size([(1 - part) * a.random, part * b.random]),
        min(a.lifts, b.lifts),
        {k: (1 - part) * a.shared.get(k, 0.0) + part * b.shared.get(k, 0.0) for k in keys},
    )
