"""In what builds and their tests differ: factors with a level each, those that cannot be told apart
in what was tested, and the one test that would part them.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import NamedTuple

import numpy as np

from sparring.core.compare.subject import Subject
from sparring.core.outlook.campaign import factors as usual
from sparring.core.quantity import from_si

RANDOM = ("specimen", "block")
"""What is drawn from many, and stands for them."""
ORDER = (
    "material",
    "lubricant",
    "ratio",
    "train",
    "meshes",
    "module",
    "support",
    "orientation",
    "motor",
    "method",
    "rig",
    "operator",
    "day",
    "family",
    "revision",
)
"""In which they are taken into a model: what a tester chooses before what merely came along. The
tester's own come first of all.
"""


def factors_of(subject: Subject) -> dict[str, str]:
    """Level by factor, as the build, its rig and the tester say."""
    build = subject.build
    known = usual(build)
    found = {
        **{name: level for name, level in subject.said.items() if name not in RANDOM},
        "material": known.material,
        "lubricant": known.lubricant,
        "ratio": known.ratio,
        "train": "/".join(dict.fromkeys(s.kind for s in build.stages)),
        "meshes": str(sum(len(s.contacts()) for s in build.stages) or ""),
        "module": "/".join(
            dict.fromkeys(
                f"{from_si(m, 'mm', 'length'):.3g}"
                for s in build.stages
                if isinstance(m := getattr(s, "module", None), float)
            )
        ),
        "motor": build.motor.name if build.has_motor else build.driven_by,
        "family": build.family,
        "revision": build.name,
    }
    if subject.result is not None:
        found |= {"method": subject.result.rig.method.kind, "rig": subject.rig, "day": subject.day}
    return {name: level for name, level in found.items() if level}


def varying(levels: Sequence[Mapping[str, str]]) -> list[str]:
    """Factors of which there is more than one level, the tester's own first, then in `ORDER`; those
    that part what no other does only by naming each build (family, revision) among them.
    """
    names = dict.fromkeys(n for each in levels for n in each)
    several = [n for n in names if len({each.get(n, "–") for each in levels}) > 1]
    place = {name: k for k, name in enumerate(ORDER)}
    return sorted(several, key=lambda n: place.get(n, -1))


class Confounded(NamedTuple):
    """Two factors whose levels go together in what was tested; part: a combination of their levels
    that was not tested and would part them (None: there is none).
    """

    a: str
    b: str
    part: tuple[str, str] | None


def confounded(levels: Sequence[Mapping[str, str]], names: Sequence[str]) -> list[Confounded]:
    """Pairs of these factors of which one follows from the other in what was tested. levels: of
    each subject.
    """
    found = []
    for a, b in combinations(names, 2):
        seen = {(each.get(a, "–"), each.get(b, "–")) for each in levels}
        many_a, many_b = ({pair[k] for pair in seen} for k in (0, 1))
        joined = _columns([{a: x, b: y} for x, y in sorted(seen)], [a, b])
        if np.linalg.matrix_rank(joined) == 1 + (len(many_a) - 1) + (len(many_b) - 1):
            continue
        rank = np.linalg.matrix_rank(joined)
        part = None
        for x in sorted(many_a):
            for y in sorted(many_b):
                if (x, y) in seen or part is not None:
                    continue
                more = _columns([{a: p, b: q} for p, q in sorted(seen | {(x, y)})], [a, b])
                if np.linalg.matrix_rank(more) > rank:
                    part = x, y
        found.append(Confounded(a, b, part))
    return found


class Design(NamedTuple):
    """A model's columns for the observations, shape (n, p); of: what each column stands for, a
    level by factor (more than one: an interaction); levels: by factor, the first is the reference.
    """

    x: np.ndarray
    of: tuple[Mapping[str, str], ...]
    levels: Mapping[str, tuple[str, ...]]

    def row(self, fixed: Mapping[str, str]) -> np.ndarray:
        """The columns at some levels, over all levels of the other factors alike (marginal means);
        shape (p,).
        """
        return np.array(
            [
                math.prod(
                    float(fixed[f] == x) if f in fixed else 1 / len(self.levels[f])
                    for f, x in of.items()
                )
                for of in self.of
            ]
        )


def design(
    rows: Sequence[Mapping[str, str]],
    names: Sequence[str],
    interactions: Sequence[tuple[str, str]] = (),
) -> tuple[Design, list[str]]:
    """A constant, these factors and interactions, as far as they are told apart from those before;
    and the names of those that are not (an interaction as `a × b`).
    """
    levels: dict[str, tuple[str, ...]] = {}
    columns: list[dict[str, str]] = [{}]
    left = []
    for name in names:
        seen = _levels(rows, name)
        more = [{name: level} for level in seen[1:]]
        if more and _told(rows, [*columns, *more]):
            columns += more
            levels[name] = seen
        else:
            left.append(name)
    for a, b in interactions:
        if a in levels and b in levels:
            more = [{a: x, b: y} for x in levels[a][1:] for y in levels[b][1:]]
            if _told(rows, [*columns, *more]):
                columns += more
                continue
        left.append(f"{a} × {b}")
    return Design(_matrix(rows, columns), tuple(columns), levels), left


def _levels(rows: Sequence[Mapping[str, str]], name: str) -> tuple[str, ...]:
    """In the order of the rows: the first subject's is the reference."""
    return tuple(dict.fromkeys(each.get(name, "–") for each in rows))


def _told(rows: Sequence[Mapping[str, str]], columns: Sequence[Mapping[str, str]]) -> bool:
    x = _matrix(rows, columns)
    # of the columns' products: as many as columns, however many rows
    return int(np.linalg.matrix_rank(x.T @ x, hermitian=True)) == len(columns)


def _matrix(rows: Sequence[Mapping[str, str]], columns: Sequence[Mapping[str, str]]) -> np.ndarray:
    said = {f: np.array([r.get(f, "–") for r in rows]) for c in columns for f in c}
    found = np.ones((len(rows), len(columns)))
    for n, c in enumerate(columns):
        for f, x in c.items():
            found[:, n] *= said[f] == x
    return found


def _columns(rows: Sequence[Mapping[str, str]], names: Sequence[str]) -> np.ndarray:
    return _matrix(rows, [{}, *({n: level} for n in names for level in _levels(rows, n)[1:])])
