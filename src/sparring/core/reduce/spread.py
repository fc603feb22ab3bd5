"""What of a result's uncertainty is random, which repeating would reduce, and what two results
share, which their difference loses.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from sparring.core.finding import PeerStep
from sparring.core.uncertainty import nominal

SCATTER = " within the window"
"""Ending of the tags of inputs that belong to one run alone."""
COASTED = "coast-down"
"""Beginning of the tags of what a coast-down told, which belongs to its run alone, too."""
REPEATS = "spread of repeats"
_ANYWHERE = ("motor", "gravity")
"""Beginnings of the tags of inputs that are the build's or the place's, whatever rig it is tested
on.
"""


def of_one_run(tag: str) -> bool:
    """Whether an input belongs to one run alone."""
    return tag.endswith(SCATTER) or tag.startswith(COASTED)


def _random(tag: str) -> bool:
    return of_one_run(tag) or tag == REPEATS


def random_part(x: Any) -> float:
    """Standard uncertainty from scatter within and between runs alone, shared inputs left out."""
    parts: dict[Any, float] = getattr(x, "error_components", dict)()
    return math.sqrt(sum(u**2 for v, u in parts.items() if _random(v.tag or "")))


def shared_parts(x: Any, rig: str) -> dict[str, float]:
    """What each input but the random ones adds to x, signed (k = 1), by its key: its name and
    figures, and the rig's name where it is one of the rig's. The same key in two results is the
    same input."""
    found: dict[str, float] = {}
    for variable, slope in getattr(x, "derivatives", {}).items():
        tag = variable.tag or "unnamed"
        if not _random(tag) and variable.std_dev > 0:
            whose = "" if tag.startswith(_ANYWHERE) else f" of {rig}"
            key = f"{tag}{whose}, {variable.nominal_value:.9g} ± {variable.std_dev:.3g}"
            found[key] = found.get(key, 0.0) + slope * variable.std_dev
    return found


def unshared(a: Mapping[str, float], b: Mapping[str, float]) -> dict[str, float]:
    """What each input adds to the difference of two results (JCGM 100:2008, 5.2: correlated
    inputs), by its key; an input of both adds only the difference of what it adds to each."""
    return {key: a.get(key, 0.0) - b.get(key, 0.0) for key in {*a, *b}}


def size(parts: Mapping[str, float]) -> float:
    """Standard uncertainty that independent parts make together."""
    return math.sqrt(sum(u * u for u in parts.values()))


def differ(x: Any, other: PeerStep, rig: str) -> bool:
    """Whether an efficiency measured on `rig` and another test's lie apart beyond k = 2, shared
    inputs left out.
    """
    left = size(unshared(shared_parts(x, rig), other.shared))
    return abs(nominal(x) - other.gearbox) > 2 * math.hypot(random_part(x), other.random, left)
