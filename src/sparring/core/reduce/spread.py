"""What of a result's uncertainty is random, which repeating would reduce, and what two results
share, which their difference loses.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from functools import lru_cache

from sparring.core.finding import PeerStep
from sparring.core.input_quantity import declare, line_inputs, whose
from sparring.core.uncertainty import Propagated, Uncertain, nominal

WINDOW = declare("window", "{0} within the window", "run")
"""A channel's scatter within the window that is measured in."""
COAST_DOWN = line_inputs("coast-down", "coast-down", "run")
COASTING = declare("coasting", "coast-down", "run").id
"""What a coast-down told, as a line over ω² or as one figure."""
REPEATS = declare("repeats", "spread of repeats", "repeats").id


def of_one_run(tag: str | None) -> bool:
    """Whether an input belongs to one run alone."""
    return whose(tag) == "run"


def _random(tag: str | None) -> bool:
    return whose(tag) in ("run", "repeats")


def random_part(x: Uncertain) -> float:
    """Standard uncertainty from scatter within and between runs alone, shared inputs left out."""
    parts = x.parts() if isinstance(x, Propagated) else {}
    return math.sqrt(sum(u**2 for v, u in parts.items() if _random(v.tag)))


def shared_parts(x: Uncertain) -> dict[str, float]:
    """What each input but the random ones adds to x, signed (k = 1), by its key: its id and
    figures. The same key in two results is the same input, unless it is a rig's and the rigs are
    two.
    """
    found: dict[str, float] = {}
    for variable, slope in (x.slopes if isinstance(x, Propagated) else {}).items():
        u = variable.own_u
        if key := _key(variable.tag, variable.value, u):
            found[key] = found.get(key, 0.0) + slope * u
    return found


@lru_cache(maxsize=200_000)
def _key(tag: str, value: float, u: float) -> str:
    """By which an input is known again; "": it is random, or exact."""
    return f"{tag}, {value:.9g} ± {u:.3g}" if u > 0 and not _random(tag) else ""


def tag_of(key: str) -> str:
    """The input's tag in a key of `shared_parts`."""
    return key.partition(", ")[0]


def unshared(
    a: Mapping[str, float], b: Mapping[str, float], *, same_rig: bool
) -> list[tuple[str, float]]:
    """What each input adds to the difference of two results (JCGM 100:2008, 5.2: correlated
    inputs), by its key; an input of both adds only the difference of what it adds to each."""
    both = {key for key in a if key in b and (same_rig or whose(tag_of(key)) != "rig")}
    return [
        *((key, a[key] - b[key]) for key in sorted(both)),
        *((key, u) for key, u in a.items() if key not in both),
        *((key, -u) for key, u in b.items() if key not in both),
    ]


def size(parts: Iterable[float]) -> float:
    """Standard uncertainty that independent parts make together."""
    return math.sqrt(sum(u * u for u in parts))


def differ(x: Uncertain, other: PeerStep, *, same_rig: bool) -> bool:
    """Whether an efficiency and another test's lie apart beyond k = 2, shared inputs left out."""
    left = size(u for _, u in unshared(shared_parts(x), other.shared, same_rig=same_rig))
    return abs(nominal(x) - other.gearbox) > 2 * math.hypot(random_part(x), other.random, left)
