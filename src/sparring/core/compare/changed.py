"""What changed between the revisions that are compared."""

from __future__ import annotations

from collections.abc import Sequence

from sparring.core.build import Build
from sparring.core.compare.subject import Subject
from sparring.core.revise import differences

_FIRST = ("lubricant", "material", "ratio")


def changed_since(subjects: Sequence[Subject], place: int) -> tuple[str, list[str]]:
    """(name of the revision before it among these, what a result follows from and that differs,
    `stage 1, friction: 0.36 → 0.20`); ("", []) where it is the first of its family.
    """
    own = subjects[place].build
    before = [
        s.build
        for s in subjects
        if s.build.family == own.family and s.build.revision < own.revision
    ]
    if not before:
        return "", []
    last = max(before, key=lambda b: b.revision)
    found = subjects[place].once(("changed", last.name), lambda: _changed(last, own))
    return last.name, found


def _changed(last: Build, own: Build) -> list[str]:
    found = [
        f"{what}: {a} → {b}"
        for what, a, b in differences(last, own, rounded=True)
        if what.partition(",")[0].rstrip(" 0123456789") not in _ASIDE
    ]
    found.sort(key=lambda text: not any(word in text for word in _FIRST))
    return found


_ASIDE = {
    x for name in Build.ASIDE for x in (name.replace("_", " "), name.replace("_", " ").rstrip("s"))
}
"""How `differences` names what no result follows from."""
