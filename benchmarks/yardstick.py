"""What all measurements share, and what became of them since they were last taken."""

from __future__ import annotations

import json
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
LAST = ROOT / "build" / "benchmarks.json"
SLOWER = 1.2  # times what it was before is worth a word

_KEPT: list[object] = []
_TAKEN: dict[str, tuple[float, bool]] = {}


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


def say(what: str, ratio: float, goal: float, detail: str = "", *, more: bool = False) -> None:
    """more: a larger figure is the better one."""
    _TAKEN[what] = ratio, more
    print(f"{what:<58} {ratio:6.2f}   (goal {goal:g}) {detail}", flush=True)


def compare_with_last() -> None:
    """Says what is worse by more than a fifth than when it was last taken here, and keeps these
    figures with the version of the tree.
    """
    last: dict[str, Any] = json.loads(LAST.read_text()) if LAST.exists() else {}
    for what, (ratio, more) in _TAKEN.items():
        before = last.get(what)
        if before is None or before["figure"] <= 0 or ratio <= 0:
            continue
        times = before["figure"] / ratio if more else ratio / before["figure"]
        if times > SLOWER:
            was = f"{before['figure']:.2f} at {before['tree']}"
            print(f"slower by the factor {times:.1f}: {what} ({was})")
    said = subprocess.run(
        ["git", "describe", "--always", "--dirty"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    tree = said.stdout.strip() or "no version"
    last |= {what: {"figure": ratio, "tree": tree} for what, (ratio, _) in _TAKEN.items()}
    LAST.parent.mkdir(exist_ok=True)
    LAST.write_text(json.dumps(last, indent=1))
