"""What all measurements share."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

_KEPT: list[object] = []


def qt() -> Any:
    """The application, one for all measurements of this process."""
    if not _KEPT:
        from sparring.ui.app.application import application

        _KEPT.append(application())
    return _KEPT[0]


def best(work: Callable[[], object], times: int = 5) -> float:
    """Least wall time of several runs [s]."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def say(what: str, ratio: float, goal: float, detail: str = "") -> None:
    print(f"{what:<58} {ratio:6.2f}   (goal {goal:g}) {detail}", flush=True)
