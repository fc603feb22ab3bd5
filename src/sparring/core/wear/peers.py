"""How much faster one drive wears than another, by the wear coefficients of their flanks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from sparring.core.wear.course import Span
from sparring.core.wear.result import FlankWear


class WornPeer(NamedTuple):
    """Another build with inspections."""

    name: str
    lubricant: str
    flanks: tuple[FlankWear, ...]


class Faster(NamedTuple):
    """times: k_w here over that of the other, with 95 %; pairs: of flanks that were compared."""

    peer: WornPeer
    times: Span
    pairs: int

    @property
    def differs(self) -> bool:
        return self.times.low > 1 or self.times.high < 1


def against(flanks: Sequence[FlankWear], peer: WornPeer) -> Faster | None:
    """Flanks of one place are compared, else those of the same two materials; None where there are
    none with a rate of either. The mean of the logarithms, by their uncertainties, of flanks that
    are taken as independent.
    """
    weighed = []
    for f in flanks:
        other = next((p for p in peer.flanks if p.flank.id == f.flank.id), None) or next(
            (p for p in peer.flanks if _pair(p) == _pair(f)), None
        )
        if other is None or min(f.k_w.value, other.k_w.value) <= 0:
            continue
        u = math.hypot(f.k_w.u / f.k_w.value, other.k_w.u / other.k_w.value)
        if 0 < u < 1:  # beyond, its logarithm is anywhere
            weighed.append((math.log(f.k_w.value / other.k_w.value), 1 / u**2))
    if not weighed:
        return None
    whole = sum(w for _, w in weighed)
    mean, u = sum(x * w for x, w in weighed) / whole, 1 / math.sqrt(whole)
    times = Span(math.exp(mean), math.exp(mean - 2 * u), math.exp(mean + 2 * u))
    return Faster(peer, times, len(weighed))


def _pair(f: FlankWear) -> tuple[str, str]:
    return f.flank.material, f.flank.other_material
