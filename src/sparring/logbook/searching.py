"""What a logbook's builds and tests are found by."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sparring.core.build import Build
from sparring.core.search import Facts
from sparring.logbook.stored import StoredTest, moment


def facts_of(build: Build, tests: Sequence[StoredTest], rigs: dict[int, str]) -> Facts:
    """A build with its tests, oldest first: the figures are the newest that a list shows of them.
    One test alone: as that. rigs: names by number.
    """
    known = [t.headline for t in reversed(tests) if t.headline]
    head: dict[str, Any] = next((h for h in known if "value" in h), {})
    stall = next((h["stall"] for h in known if h.get("stall") is not None), None)
    days = [f"{moment(t.created).astimezone():%Y-%m-%d}" for t in tests]
    own: dict[str, list[str]] = {}
    for t in tests:
        for f in t.plan.factors:
            own.setdefault(f.name.lower(), []).append(f.level.lower())
    materials = list(dict.fromkeys(s.material.lower() for s in build.stages if s.material))
    kinds = list(dict.fromkeys(s.kind for s in build.stages))
    words: dict[str, Sequence[str]] = {
        "material": materials,
        "lubricant": [build.lubricant],
        "family": [build.family.lower()],
        "title": [build.title.lower()],
        "train": kinds,
        "motor": [(build.motor.name if build.has_motor else build.driven_by).lower()],
        "method": [str(h["method"]) for h in known if h.get("method")],
        "rig": list(dict.fromkeys(rigs.get(t.rig_id, "").lower() for t in tests)),
        "test": [t.title.lower() for t in tests],
        "day": days,
        **own,
    }
    text = [
        build.name,
        build.title,
        build.lubricant,
        build.notes,
        *(f"{s.material} {s.kind}" for s in build.stages),
        *(t.title for t in tests),
        *days,
        *(level for levels in own.values() for level in levels),
    ]
    modules = [m for s in build.stages if isinstance(m := getattr(s, "module", None), float)]
    return Facts(
        " ".join(text).lower(),
        {
            "ratio": abs(build.ratio()),
            "efficiency": head.get("value"),
            "mass": build.mass.value if build.mass else None,
            "stall": stall,
            "torque": head.get("torque"),
            "module": min(modules, default=None),
            "price": sum(i.count * i.price for i in build.parts) or None,
            "revision": float(build.revision),
            "meshes": float(sum(len(s.contacts()) for s in build.stages)),
            "runs": float(sum(t.runs for t in tests)),
        },
        words,
    )
