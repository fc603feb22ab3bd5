"""One long recording to the runs that are in it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from sparring.core import nan
from sparring.core.methods import MethodBase
from sparring.core.plan import Plan
from sparring.core.plan.record import Kind
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import ReductionError
from sparring.core.reduce.windows import powered_spans
from sparring.core.run import Run

_ENTERED = 1e-4  # of the heaviest, by which weights that were entered differ
_SAGS = 0.15  # part of a voltage by which it may be off what was meant


def split_runs(
    recording: Recording,
    plan: Plan,
    tolerance: float = 0.06,
    *,
    method: MethodBase | None = None,
    rated: float = 0.0,
) -> list[Run]:
    """The runs found in one long recording, with their spans. method: a run-up's coasting belongs
    to its run, and a lever's are short; rated: the motor's own voltage [V], where neither log nor
    plan says one.

    Runs at different voltages are different steps. Weights that were entered (column `mass`) are
    one step only where they are equal; else lifts belong to one step when the load cell's levels
    differ by less than `tolerance` of the heaviest. A weight has the ± of the plan's nearest.
    Raises ReductionError when no lift is found.
    """
    ch = recording.channels
    coast = method.course[2] if method is not None else 0.0
    least = 0.1 if method is not None and method.STANDS else 0.4
    spans = powered_spans(
        recording.t,
        ch.get("voltage"),
        ch.get("current"),
        speed=ch.get("speed", ch.get("motor_speed")),
        least=least,
    )
    if not spans:
        raise ReductionError(
            f"no run found: the log has no span of at least {least:g} s with forward "
            "voltage, current or speed"
        )
    level_of = next((k for k in ("mass", "force", "cell", "load_current") if k in ch), None)
    levels = []
    for start, stop in spans:
        part = recording.span(start + (stop - start) * 0.3, stop)
        levels.append(
            float(np.nanmedian(part.channels[level_of])) if level_of and len(part) else 0.0
        )
    base = float(np.nanquantile(ch[level_of], 0.02)) if level_of in ("force", "cell") else 0.0
    size = max((abs(v - base) for v in levels), default=0.0) or 1.0
    supplied = _supplied(recording, plan, spans, levels if level_of else (), rated=rated)
    order = np.lexsort((levels, supplied))
    step_of, step = {}, 0
    apart = (_ENTERED if level_of == "mass" else tolerance) * size
    for before, now in zip([None, *order[:-1]], order, strict=True):
        if before is not None and (
            supplied[now] != supplied[before] or levels[now] - levels[before] > apart
        ):
            step += 1
        step_of[int(now)] = step
    # what was only run to prepare, at a voltage of its own, is not measured in
    kinds: dict[float, Kind] = {
        s.voltage: s.kind
        for s in plan.todo
        if s.voltage is not None and not s.counted and s.voltage not in plan.voltages
    }
    runs: list[Run] = []
    count: dict[int, int] = {}
    hung = {}
    if method is not None and method.LETS_DOWN and level_of in ("force", "cell"):
        hung = _as_planned(np.array(levels) - base, plan)
    pause = 0.3
    nexts = [start for start, _ in spans[1:]] + [float(recording.t[-1])]
    for n, (start, stop) in enumerate(spans):
        s = step_of[n]
        count[s] = count.get(s, 0) + 1
        runs.append(
            Run(
                step=s,
                kind=kinds.get(supplied[n], "measure"),
                repeat=count[s],
                load=_as_known(levels[n], plan) if level_of == "mass" else hung.get(n),
                voltage=supplied[n],
                source="import",
                start=max(start - pause, float(recording.t[0])),
                stop=min(stop + coast, nexts[n]) if coast else stop + pause / 4,
            )
        )
    return runs


_OFF_LINE = 0.1  # part of the heaviest, by which a weight may pull more or less than planned


def _as_planned(pulls: np.ndarray, plan: Plan) -> dict[int, Measured]:
    """Which of the plan's weights each run lifted, by what the load cell saw of it, in any unit;
    none where they are not in proportion. pulls: shape (runs,).
    """
    loads = sorted(plan.loads, key=lambda m: m.value)
    weights = np.array([m.value for m in loads])
    if len(loads) < 2 or not weights[0] > 0 or not pulls.max(initial=0.0) > 0:
        return {}
    # the heaviest run is the heaviest weight's; which is each of the others, by their parts of it
    parts = pulls / np.median(pulls[pulls > 0.95 * pulls.max()])
    nearest = np.argmin(np.abs(parts[:, None] - weights / weights[-1]), axis=1)
    off = np.abs(parts - weights[nearest] / weights[-1])
    apart = float(np.diff(weights).min() / weights[-1])
    if off.max() > min(_OFF_LINE, apart / 3) or len(set(nearest.tolist())) < len(loads):
        return {}
    return {n: loads[k] for n, k in enumerate(nearest.tolist())}


def assumed(runs: Sequence[Run], recording: Recording) -> list[str]:
    """In words, what runs of a log were given that the log does not say."""
    if recording.has("mass") or not any(run.load for run in runs):
        return []
    return ["The log has no weights; those of the plan are taken, by what the cell saw of each."]


def _supplied(
    recording: Recording,
    plan: Plan,
    spans: Sequence[tuple[float, float]],
    levels: Sequence[float],
    *,
    rated: float,
) -> list[float]:
    """The voltage that each span was meant to have [V]. levels: of their loads, none where nobody
    knows them.
    """
    if "voltage" not in recording.channels:
        return [plan.voltage(rated)] * len(spans)
    parts = [recording.span(a + (b - a) * 0.3, b).channels["voltage"] for a, b in spans]
    planned = {s.voltage for s in plan.todo if s.voltage is not None}
    return nominal_voltages(
        [nan.mean(v) for v in parts],
        sorted(planned) if len(plan.voltages) else (),
        levels,
        rated=rated,
    )


def nominal_voltages(
    measured: Sequence[float],
    planned: Sequence[float] = (),
    loads: Sequence[float] = (),
    *,
    rated: float = 0.0,
) -> list[float]:
    """The voltage [V] that each run was meant to have, of what was measured in it: those that lie
    together are one, the nearest `planned` one where that is near. NaN: not measured, as the
    others, as planned or the motor's own (`rated`).

    loads: of each run, in any unit that grows with it. Where every lower voltage has the heavier
    loads it is one voltage that sags, unless several were planned.
    """
    order = sorted((n for n, v in enumerate(measured) if v > 0), key=lambda n: measured[n])
    groups: list[list[int]] = []
    for n in order:
        if groups and measured[n] - measured[groups[-1][-1]] <= _SAGS / 2 * measured[n]:
            groups[-1].append(n)
        else:
            groups.append([n])
    if len(loads) and len(planned) < 2 and _sags(groups, loads):
        groups = [groups[-1] + [n for g in groups[:-1] for n in g]]
    found: dict[int, float] = {}
    for group in groups:
        top = max(measured[n] for n in group)
        middle = float(np.median([v for n in group if (v := measured[n]) > (1 - _SAGS) * top]))
        near = min(planned, key=lambda v: abs(v - middle), default=0.0)
        own = near if abs(near - middle) <= _SAGS * middle else float(f"{middle:.2g}")
        found |= dict.fromkeys(group, own)
    rest = max(found.values(), default=max(planned, default=rated))
    return [found.get(n, rest) for n in range(len(measured))]


def _sags(groups: Sequence[Sequence[int]], loads: Sequence[float]) -> bool:
    """Whether every group of a lower voltage carried more than the one above it."""
    return len(groups) > 1 and all(
        min(loads[n] for n in low) > max(loads[n] for n in high) for low, high in pairwise(groups)
    )


def _as_known(mass: float, plan: Plan) -> Measured:
    """A weight of a log [kg] with the part that the plan's nearest is known to."""
    if not plan.loads or not max(m.value for m in plan.loads):
        return Measured(mass)
    nearest = min(plan.loads, key=lambda m: abs(m.value - mass))
    return Measured(mass, mass * nearest.u / nearest.value if nearest.value else 0.0)
