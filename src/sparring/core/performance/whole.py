"""All that the charts of a test show beside its points, worked out together."""

from __future__ import annotations

from dataclasses import dataclass

from sparring.core.performance.continuous import CARRIED_FOR, Carries, carries
from sparring.core.performance.efficiency_map import EfficiencyMap, efficiency_map
from sparring.core.performance.heat import Heat, as_entered
from sparring.core.performance.losses import Losses, losses_at
from sparring.core.performance.model import Curves, Performance, performance
from sparring.core.performance.scatter import FIGURES, Scatter, scatter
from sparring.core.performance.stalls import Ways, ways
from sparring.core.reduce.results import TestResult


@dataclass(frozen=True)
class Whole:
    """Of one result. complete: worked out; model, map, heat: None where there is none; curves,
    stalls: one a level; losses: of the steps that run well; carried: over `CARRIED_FOR`; scatters:
    of every figure that was repeated.
    """

    result: TestResult
    scatters: tuple[Scatter, ...] = ()
    complete: bool = False
    model: Performance | None = None
    map: EfficiencyMap | None = None
    curves: tuple[Curves, ...] = ()
    stalls: tuple[Ways, ...] = ()
    losses: tuple[tuple[int, Losses], ...] = ()
    heat: Heat | None = None
    carried: tuple[Carries, ...] = ()


def at_levels(model: Performance) -> tuple[tuple[Curves, ...], tuple[Ways, ...]]:
    """Curves, and the ways to the stall, of each voltage of a test."""
    levels = model.result.levels
    return (
        tuple(model.curves(level.voltage) for level in levels),
        tuple(ways(model, level) for level in levels),
    )


def whole(result: TestResult, heat: Heat | None = None) -> Whole:
    """heat: as identified from the runs; None: as entered."""
    tried = (scatter(result, name) for name in FIGURES)
    repeated, model = tuple(x for x in tried if x is not None), performance(result)
    if model is None:
        return Whole(result, repeated, complete=True)
    heat = heat or as_entered(result.build)
    return Whole(
        result,
        repeated,
        True,
        model,
        efficiency_map(model, 61),
        *at_levels(model),
        tuple((s.index, losses_at(model, s)) for s in result.well_running),
        heat,
        tuple(carries(model, heat, spans=CARRIED_FOR)),
    )
