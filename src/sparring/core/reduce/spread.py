"""The random part of a result: what repeating would reduce."""

from __future__ import annotations

import math
from typing import Any

SCATTER = " within the window"
"""Ending of the tags of inputs that belong to one run alone."""
REPEATS = "spread of repeats"


def random_part(x: Any) -> float:
    """Standard uncertainty from scatter within and between runs alone, shared inputs left out."""
    parts: dict[Any, float] = getattr(x, "error_components", dict)()
    return math.sqrt(sum(u**2 for v, u in parts.items() if (v.tag or "").endswith(SCATTER) or v.tag == REPEATS))
