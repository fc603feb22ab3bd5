"""Builds side by side: figures at common conditions, differences, and what is best where one is."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import NamedTuple

import numpy as np

from sparring.core.compare import apart, figures
from sparring.core.compare.figures import At, Figure
from sparring.core.compare.known import Known
from sparring.core.compare.observed import BESIDE, span_of
from sparring.core.compare.subject import SAME_VOLTAGE, Subject
from sparring.core.uncertainty import nominal

_POINTS = 0.02
"""Margin within which two count as the same where nobody says one: points of an efficiency, part of
the reference of anything else."""


class Row(NamedTuple):
    """A figure of all subjects, None where it is not known of one. best: places of those that
    nothing shown is surely better than, and that are surely better than another; alike: no two of
    those known are surely different.
    """

    figure: Figure
    cells: tuple[Known | None, ...]
    best: tuple[int, ...]
    alike: bool


class Difference(NamedTuple):
    """Subject less the reference (by their places), in the figure's unit. low, high: 95 %; p,
    adjusted: without and with the others; better: −1 worse, 0 not told apart, 1 better, where more
    is neither: higher; same: p that it lies beyond the margin; paired: blocks; more: what would
    tell.
    """

    subject: int
    reference: int
    value: float
    low: float
    high: float
    p: float
    adjusted: float
    verdict: int
    same: float
    paired: int
    more: apart.More | None


@dataclass(frozen=True)
class Comparison:
    """subjects, by which all places go; at: the common conditions; figure: that the differences are
    of; differences: from the reference where there is one, else of all pairs; margin: within which
    two are the same, in the figure's unit.
    """

    subjects: tuple[Subject, ...]
    at: At
    rows: tuple[Row, ...]
    figure: Figure
    reference: int | None
    differences: tuple[Difference, ...]
    margin: float

    @property
    def row(self) -> Row:
        """That of the figure."""
        return next(r for r in self.rows if r.figure is self.figure)


def compare(
    subjects: Sequence[Subject],
    at: At,
    *,
    figure: str = "gearbox",
    reference: int | None = None,
    margin: float | None = None,
) -> Comparison:
    """reference: place of the subject the others are held against, None: all pairs; margin: in the
    figure's SI unit. Raises ValueError for an unknown figure.
    """
    if figure not in figures.BY_ID:
        raise ValueError(f"{figure} is no figure; choose one of {', '.join(figures.BY_ID)}")
    chosen = figures.BY_ID[figure]
    rows = tuple(_row(f, [f.known(s, at) for s in subjects]) for f in figures.FIGURES)
    cells = next(r for r in rows if r.figure is chosen).cells
    if margin is None:
        base = cells[reference or 0] if cells else None
        points = chosen.kind == "ratio" or base is None
        margin = _POINTS if points else abs(base.value) * _POINTS  # type: ignore[union-attr]
    found = _differences(chosen, cells, reference, margin)
    return Comparison(tuple(subjects), at, rows, chosen, reference, found, margin)


def _row(figure: Figure, cells: Sequence[Known | None]) -> Row:
    """With what is surely best: after Holm over all pairs of the row. What is only predicted claims
    nothing.
    """
    there = [n for n, c in enumerate(cells) if _claims(c)]
    known = [c for n in there if (c := cells[n]) is not None]
    if len(there) < 2:
        return Row(figure, tuple(cells), (), alike=False)
    which = list(combinations(range(len(there)), 2))
    found = apart.pairs(known, which)
    surely = apart.holm(found.p) < apart.LEVEL
    if not surely.any():
        return Row(figure, tuple(cells), (), alike=True)
    if not figure.better:
        return Row(figure, tuple(cells), (), alike=False)
    sign = np.where(surely, np.sign(found.value) * figure.better, 0.0)
    beaten = np.zeros(len(there), bool)
    beats = np.zeros(len(there), bool)
    for won, lost, way in ((found.a, found.b, 1), (found.b, found.a, -1)):
        beats[won[sign == way]] = True
        beaten[lost[sign == way]] = True
    best = tuple(there[n] for n in np.flatnonzero(beats & ~beaten))
    return Row(figure, tuple(cells), best, alike=False)


def _claims(cell: Known | None) -> bool:
    """Whether it may be said to differ from others."""
    return cell is not None and math.isfinite(cell.value) and cell.how != "predicted"


def _differences(
    figure: Figure, cells: Sequence[Known | None], reference: int | None, margin: float
) -> tuple[Difference, ...]:
    there = [n for n, c in enumerate(cells) if _claims(c)]
    known = [c for n in there if (c := cells[n]) is not None]
    place = {n: k for k, n in enumerate(there)}
    if reference is None:
        which = [(place[b], place[a]) for a, b in combinations(there, 2)]
    elif reference in place:
        which = [(place[n], place[reference]) for n in there if n != reference]
    else:
        which = []
    if not which:
        return ()
    found = apart.pairs(known, which)
    adjusted, same = apart.holm(found.p), apart.same_within(found, margin)
    half = found.t * found.u
    sign = np.sign(found.value) * (figure.better or 1)
    verdict = np.where(adjusted < apart.LEVEL, sign, 0).astype(int)
    return tuple(
        Difference(
            there[int(found.a[n])],
            there[int(found.b[n])],
            float(found.value[n]),
            float(found.value[n] - half[n]),
            float(found.value[n] + half[n]),
            float(found.p[n]),
            float(adjusted[n]),
            int(verdict[n]),
            float(same[n]),
            int(found.paired[n]),
            None if verdict[n] else apart.what_would_tell(known, found, n),
        )
        for n in range(len(which))
    )


def usual(subjects: Sequence[Subject]) -> At:
    """Where most of them were measured: the voltage that most tests share, the highest of several;
    at it the torque that most of them lifted, or lifted on both sides of, the middle of several.
    """
    volts = [round(v.voltage, 1) for s in subjects if s.result is not None for v in s.result.levels]
    counts = Counter(volts)
    rated = max((s.build.motor.voltage.value for s in subjects if s.build.has_motor), default=0.0)
    voltage = max(counts, key=lambda v: (counts[v], v), default=rated)
    spans = [x for s in subjects if (x := span_of(s, voltage)) is not None]
    if not spans:
        return At(voltage, 0.0)
    loads = np.unique(
        [
            round(nominal(x.torque), 4)
            for s in subjects
            if s.result is not None and (level := s.level(voltage)) is not None
            for x in s.result.at(level).lifted
        ]
    )
    low, high = np.array(spans).T
    within = (
        (loads >= (1 - BESIDE) * low[:, np.newaxis]) & (loads <= (1 + BESIDE) * high[:, np.newaxis])
    ).sum(axis=0)
    most = loads[within == within.max()]
    return At(voltage, float(most[len(most) // 2]))


def voltages(subjects: Sequence[Subject]) -> list[tuple[str, float]]:
    """(name, voltage) of each subject that was measured at another voltage than the others."""
    at = usual(subjects).voltage
    return [
        (s.name, s.result.voltage)
        for s in subjects
        if s.result is not None
        and all(abs(v.voltage - at) > SAME_VOLTAGE * at for v in s.result.levels)
    ]
