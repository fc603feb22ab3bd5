"""What is known of a drive's wear."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.finding import Finding
from sparring.core.quantity import Measured
from sparring.core.wear.course import Span
from sparring.core.wear.inspection import Inspections
from sparring.core.wear.parts import Flank
from sparring.core.wear.thinning import Exposures


class Way(NamedTuple):
    """What one way of measuring says of a flank's depth at the last look that used it [m]: alone,
    all it has lost taken as even on the flanks it sees.
    """

    by: str
    of: str
    depth: Measured


@dataclass(frozen=True)
class FlankWear:
    """One flank. thinning: at the last look [m]; mean: k_w from new until then; steady: k_w after
    running-in, None where only one look was made [m²/N]; per_turn: depth for one turn of the
    output at the test's load [m]; together: of one k_w for several flanks that nothing tells apart.
    """

    flank: Flank
    exposure: float
    thinning: Span
    mean: Span
    steady: Span | None
    per_turn: Span
    ways: tuple[Way, ...]
    agree: bool
    together: bool
    allowed: float
    left: Span | None
    points: np.ndarray  # shape (n, 3): turns, depth, u of each look that measured it by itself
    band: np.ndarray  # shape (m, 4): turns, low, middle, high, half as far again as it has turned

    @property
    def k_w(self) -> Span:
        """The wear coefficient to calculate with: steady where it is known."""
        return self.steady or self.mean


class Ends(NamedTuple):
    """What ends the life first: turns of the output that are left, and what is reached; hours: at
    the duty's speed, NaN without one.
    """

    reason: str
    left: Span
    hours: Span | None


@dataclass(frozen=True)
class Trend:
    """A figure of the whole drive over its turns, those of looks that read it. change: for one turn
    of the output, after running-in; left: turns to its limit.
    """

    name: str
    kind: str
    turns: np.ndarray
    value: np.ndarray
    u: np.ndarray
    change: Span | None
    left: Span | None
    ahead: np.ndarray  # shape (n, 4): turns, low, middle, high


@dataclass(frozen=True)
class Wear:
    """All of it. torque: mean at the output over the turns [N·m]; duty: that of what is calculated
    ahead, and its speed [rad/s] or None; runs_in: turns after which running-in was over, None: not
    seen.
    """

    given: Inspections
    looks: Exposures
    flanks: tuple[FlankWear, ...]
    trends: tuple[Trend, ...]
    torque: float
    duty: tuple[float, float | None]
    runs_in: Span | None
    ran_in: float
    chi: float
    freedom: int
    widened: float
    ends: Ends | None
    next_look: float | None
    findings: tuple[Finding, ...]
