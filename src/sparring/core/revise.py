"""What is done to a record as a whole: a stage split in two, the other hand, what changed, and
whether results follow from it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from sparring.core.build import Build
from sparring.core.quantity import Measured, factor, from_si, measured_text, show
from sparring.core.records import Q, Record, changed, in_words
from sparring.core.train.kinds import ClutchStage, SpurStage, Stage, WormStage


def split(stage: Stage) -> tuple[SpurStage, SpurStage]:
    """Two spur pairs with the ratio of one, as nearly as whole teeth allow, each near its square
    root.

    Raises ValueError where the stage is no external spur pair or its ratio is too small to share.
    """
    if not isinstance(stage, SpurStage) or stage.mesh != "external":
        raise ValueError("only an external spur pair can be split in two")
    whole = stage.wheel / stage.pinion
    if not whole > 1.5:
        raise ValueError(f"a ratio of {whole:.3g}:1 is too small to divide between two pairs")
    z = max(stage.pinion, 8)
    best = min(
        (
            (first, second)
            for first in range(z, stage.wheel + 1)
            for second in (round(whole * z * z / first),)
            if second >= z
        ),
        key=lambda w: (
            round(abs(w[0] * w[1] / (z * z) / whole - 1), 4),
            abs(math.log(w[0] / w[1])),
        ),
    )
    small, large = sorted(best)
    first = changed(stage, ("wheel",), small)
    return first, changed(changed(first, ("pinion",), z), ("wheel",), large)


def mirrored(build: Build) -> Build:
    """The other hand: worms and one-way clutches turned round, the title saying so."""
    stages: list[Stage] = []
    for s in build.stages:
        if isinstance(s, WormStage):
            s = changed(s, ("hand",), "left" if s.hand == "right" else "right")
        elif isinstance(s, ClutchStage):
            s = changed(s, ("drives",), "backwards" if s.drives == "forwards" else "forwards")
        stages.append(s)
    title = (
        build.title.removesuffix(", mirrored")
        if build.title.endswith(", mirrored")
        else f"{build.title}, mirrored".removeprefix(", ")
    )
    return changed(changed(build, ("stages",), tuple(stages)), ("title",), title)


Kind = Literal["build", "rig"]


@dataclass(frozen=True)
class Correction:
    """A field of a build or rig that was put right after runs had been made with it, and what it
    was before.
    """

    at: datetime
    kind: Kind
    name: str
    field: str
    before: str
    after: str


def bears_on_results(old: Record, new: Record) -> bool:
    """Whether two records of one kind differ in what was tested, not only in what is written beside
    it.
    """
    names = type(old).model_fields.keys() - type(old).ASIDE
    return any(getattr(old, name) != getattr(new, name) for name in names)


def differences(old: Record, new: Record, rounded: bool = False) -> list[tuple[str, str, str]]:
    """(what, before, after) of every field that differs, stages by position; names and revision
    left out. rounded: as many digits as are known, and more only where it takes those to tell the
    two apart.
    """
    before, after = dict(_leaves(old)), dict(_leaves(new))
    found = []
    for path in dict.fromkeys([*before, *after]):
        pairs = list(zip(before.get(path, _NONE), after.get(path, _NONE), strict=True))
        if path in ("family", "revision", "version") or pairs[-1][0] == pairs[-1][1]:
            continue
        apart = [pair for pair in pairs if pair[0] != pair[1]]
        found.append((path, *(apart[0] if rounded else pairs[-1])))
    return found


_Texts = tuple[str, str, str]
"""A value as it is shown, with six digits, and with all of them."""
_NONE: _Texts = ("–", "–", "–")


def _leaves(record: Record, where: str = "") -> Iterator[tuple[str, _Texts]]:
    """(what, its texts) of every field."""
    for name in type(record).model_fields:
        value = getattr(record, name)
        yield from _leaf(value, type(record).quantity(name), f"{where}{name.replace('_', ' ')}")


def _leaf(value: Any, info: Q | None, where: str) -> Iterator[tuple[str, _Texts]]:
    if isinstance(value, Record):
        yield from _leaves(value, "" if where == "method" else f"{where}, ")
    elif isinstance(value, tuple):
        for n, item in enumerate(value, start=1):
            yield from _leaf(item, info, f"{where.removesuffix('s')} {n}")
    elif info is not None and value is not None:
        m = value if isinstance(value, Measured) else Measured(value)
        exact = measured_text(m, info.kind, info.file_unit)
        if not m.u:
            yield where, (exact, exact, exact)
            return
        shown = show(m.value, info.kind, info.file_unit, u=m.u)
        unit, kind = info.file_unit, info.kind
        half = 2 * m.u / factor(unit, kind)
        six = f"{from_si(m.value, unit, kind):.6g} ± {half:.3g} {unit}".strip()
        yield where, (shown, six, exact)
    elif value not in (None, ""):
        yield where, (in_words(str(value)),) * 3
