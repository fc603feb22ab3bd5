"""From a size to the depth worn off a flank.

A flank that lost the depth δ, square to it, has its involute where a rack shifted by δ would have
cut it, so that (formulas from memory, ISO 21771:2007)

- the span over k teeth, which touches a driving and a coasting flank squarely, is shorter by the
  sum of both depths;
- a tooth at its reference circle, square to it, is thinner by that sum over cos α, its chord
  alike;
- a size over pins falls as that of a profile shift smaller by the sum over 2 m sin α;
- the mass is less by ρ · Σ depth · area of the flanks.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.reduce.inputs import ReductionError
from sparring.core.train import teeth
from sparring.core.uncertainty import t_widening
from sparring.core.wear.inspection import Inspection, Inspections, Size, Weighing
from sparring.core.wear.parts import Flank, Gear, flanks_of, gears_of

THICKNESS = ("span", "over pins", "chordal thickness")
"""Sizes that tell how thick the teeth are."""
_FAR = 0.8  # modules by which a tooth may be thinner or thicker than drawn
_DENSITY = 0.01  # standard uncertainty of a material's density, as a part (common practice)


class Row(NamedTuple):
    """One figure of one inspection that depths follow from: Σ weight · depth of each flank = value.

    by: how it was measured; value, u: of what was lost [m, kg or rad]; loads: by flank id; shared:
    what it has in common with other rows (key, standard uncertainty).
    """

    inspection: int
    by: str
    of: str
    value: float
    u: float
    loads: dict[str, float]
    shared: tuple[tuple[str, float], ...]


class Taken(NamedTuple):
    """What the readings of one size say: their mean and its standard uncertainty [m or kg]."""

    value: float
    u: float


def taken(readings: Sequence[float], accuracy: float) -> Taken:
    """Mean of repeated readings; u: the instrument's and that of their scatter, by t where they are
    few.
    """
    n, x = len(readings), np.asarray(readings, float)
    scatter = 0.0
    if n > 1:
        scatter = float(x.std(ddof=1)) / math.sqrt(n) * t_widening(n - 1)
    return Taken(float(x.mean()), math.hypot(accuracy / 2, scatter))


def thinner(gear: Gear, size: Size, value: float) -> tuple[float, float]:
    """(by how much the two flanks of a tooth together are thinner than drawn [m], and its change
    for each metre of the size). Raises ValueError where such a size cannot be.
    """
    depth, step = 0.0, 1e-7
    for _ in range(30):  # Newton; a size over pins is not quite straight in it
        try:
            at = size_at(gear, size, depth)
            slope = (at - size_at(gear, size, depth + step)) / step
        except ValueError as err:
            if not depth or size.pin is None:
                raise
            raise ValueError(
                f"on teeth this thin a pin of {size.pin * 1e3:.2f} mm no longer rests on the "
                "flanks; measure the span, or use thicker pins from new on"
            ) from err
        off = (at - value) / slope
        depth = min(max(depth + off, -_FAR * gear.module), _FAR * gear.module)
        if abs(off) < 1e-12:
            return depth, 1.0 / slope
    raise ValueError(
        f"{value * 1e3:.3f} mm is not what a gear of {gear.teeth} teeth, module "
        f"{gear.module * 1e3:.4g} mm, can have; drawn it has "
        f"{size_at(gear, size, 0.0) * 1e3:.3f} mm. Check the teeth spanned, or the pin"
    )


def size_at(gear: Gear, size: Size, depth: float) -> float:
    """What a size is when both flanks together are thinner by `depth` than drawn [m]."""
    shift = gear.shift - depth / (2 * gear.module * math.sin(gear.alpha))
    if gear.ring:
        raise ValueError("the teeth of a ring are measured by the drive's backlash or its mass")
    if size.kind == "span":
        assert size.over is not None
        return teeth.span_over_teeth(
            gear.module, gear.teeth, size.over, shift=shift, alpha=gear.alpha, helix=gear.helix
        )
    if size.kind == "over pins":
        assert size.pin is not None
        return teeth.over_pins(
            gear.module, gear.teeth, size.pin, shift=shift, alpha=gear.alpha, helix=gear.helix
        )
    virtual = teeth.virtual_teeth(gear.teeth, gear.alpha, gear.helix)
    radius = gear.module * virtual / 2
    thick = gear.module * (math.pi / 2 + 2 * shift * math.tan(gear.alpha))
    return 2 * radius * math.sin(thick / radius / 2)


@dataclass(frozen=True)
class Exposures:
    """turns, work: of the output at each inspection, shape (n,), with standard uncertainties;
    order: positions of the inspections in time.
    """

    order: tuple[int, ...]
    turns: np.ndarray
    work: np.ndarray
    u_turns: np.ndarray
    u_work: np.ndarray


def exposures(given: Inspections) -> Exposures:
    """In the order of their turns. Raises ReductionError where turns or work are missing."""
    looks = given.inspections
    turns = np.array([i.turns.value + i.elsewhere_turns.value for i in looks])
    work = np.array([i.work.value + i.elsewhere_work.value for i in looks])
    for k, i in enumerate(looks):
        if turns[k] > 0 and work[k] <= 0:
            raise ReductionError(
                f"inspection {k + 1}: {turns[k]:.0f} turns of the output but no work out of it: "
                "without torque there is no wear rate; add “work” (torque × 2π × turns)"
            )
        if turns[k] == 0 and work[k] > 0:
            raise ReductionError(
                f"inspection {k + 1}: {i.work.value:.4g} J of work but no turns of the output; "
                "add “turns”"
            )
    order = np.argsort(turns, kind="stable")
    again = [k for k, n in enumerate(np.diff(turns[order])) if n == 0]
    if again and turns[order][again[0]] > 0:
        raise ReductionError(
            f"two inspections after the same {turns[order][again[0]]:.0f} turns; put their "
            "readings into one"
        )
    u_turns = np.array([math.hypot(i.turns.u, i.elsewhere_turns.u) for i in looks])[order]
    u_work = np.array([math.hypot(i.work.u, i.elsewhere_work.u) for i in looks])[order]
    falls = np.diff(work[order]) < -3 * np.hypot(u_work[1:], u_work[:-1])
    if falls.any():
        raise ReductionError(
            "the work falls from one inspection to the next while the turns rise; turns and work "
            "are those since the drive was new"
        )
    return Exposures(tuple(int(k) for k in order), turns[order], work[order], u_turns, u_work)


def rows_of(build: Build, given: Inspections) -> list[Row]:
    """Every figure of every inspection, in the order of their turns. Raises ReductionError: which
    reading of which inspection, and why it says nothing.
    """
    e = exposures(given)
    looks = [given.inspections[k] for k in e.order]
    gears = {g.name: g for g in gears_of(build)}
    flanks, tolerance = flanks_of(build), given.tolerance or build.tooth_tolerance
    by_body: dict[str, list[Flank]] = {}
    for f in flanks:
        by_body.setdefault(f.body, []).append(f)
    new = next((i for i in looks if i.is_new), None)
    found: list[Row] = []
    for n, look in enumerate(looks):
        where = f"inspection {e.order[n] + 1}"
        for size in look.sizes:
            if size.kind not in THICKNESS:
                continue
            gear = _gear(gears, size.part, where)
            if not look.is_new:
                found += _by_size(n, where, size, gear, by_body.get(gear.body, []), new, tolerance)
        for weighing in look.weighings:
            gear = _gear(gears, weighing.part, where)
            if not look.is_new:
                found += _by_mass(build, n, weighing, gear, by_body.get(gear.body, []), new)
        if look.play is not None and not look.is_new:
            found += _by_play(n, look, new, flanks)
    return found


def _gear(gears: dict[str, Gear], part: str, where: str) -> Gear:
    if part not in gears:
        raise ReductionError(
            f"{where}: this drive has no gear called {part!r}; it has: {', '.join(gears)}"
        )
    return gears[part]


def _by_size(
    n: int,
    where: str,
    size: Size,
    gear: Gear,
    flanks: list[Flank],
    new: Inspection | None,
    tolerance: float,
) -> list[Row]:
    if not 1 <= len(flanks) <= 2:
        return []
    now, key = taken(size.readings, size.accuracy), f"{size.part}, {size.kind}, as new"
    first = next((x for x in new.sizes if x.same == size.same), None) if new else None
    value, u = now.value, now.u
    try:
        if first is None:  # as thick or thin as it was made: all sizes of this gear share that
            start, shared = 0.0, (f"{size.part}, as made", tolerance / 2)
        else:
            if size.control and first.control:  # what has not run has swelled alike
                factor, doubt = _swelled(size.control, first.control, size.accuracy)
                value, u = value / factor, math.hypot(u / factor, value * doubt)
            before = taken(first.readings, first.accuracy)
            start, per = thinner(gear, size, before.value)
            shared = (key, before.u * per)
        depth, per = thinner(gear, size, value)
    except ValueError as err:
        raise ReductionError(f"{where}, {size.part}, {size.kind}: {err}") from err
    loads = {f.id: 1.0 for f in flanks}
    return [Row(n, size.kind, size.part, depth - start, u * per, loads, (shared,))]


def _swelled(now: Sequence[float], new: Sequence[float], accuracy: float) -> tuple[float, float]:
    """(factor by which a part that has not run has grown, its standard uncertainty)."""
    a, b = taken(now, accuracy), taken(new, accuracy)
    return a.value / b.value, math.hypot(a.u, b.u) / b.value


def _by_mass(
    build: Build,
    n: int,
    weighing: Weighing,
    gear: Gear,
    flanks: list[Flank],
    new: Inspection | None,
) -> list[Row]:
    first = next((w for w in new.weighings if w.part == weighing.part), None) if new else None
    material = build.setting().material(gear.material)
    if first is None or material is None or not flanks:
        return []  # a drawing does not tell a mass to a thousandth
    now, before = taken(weighing.readings, weighing.accuracy), taken(first.readings, first.accuracy)
    value, u = now.value, now.u
    if weighing.control and first.control:
        factor, doubt = _swelled(weighing.control, first.control, weighing.accuracy)
        value, u = value / factor, math.hypot(u / factor, value * doubt)
    return [
        Row(
            n,
            "mass",
            weighing.part,
            before.value - value,
            u,
            {f.id: material.density * f.area for f in flanks},
            (
                (f"{weighing.part}, mass, as new", before.u),
                (f"density of {material.name}", _DENSITY * (before.value - value)),
            ),
        )
    ]


def _by_play(n: int, look: Inspection, new: Inspection | None, flanks: list[Flank]) -> list[Row]:
    if new is None or new.play is None or not flanks:
        return []
    assert look.play is not None
    return [
        Row(
            n,
            "backlash",
            "output",
            look.play.value - new.play.value,
            look.play.u,
            {f.id: f.lever for f in flanks},
            (("backlash, as new", new.play.u),),
        )
    ]
