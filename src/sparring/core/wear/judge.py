"""The wear of one drive: what each flank has lost, how fast, and how long it will last."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from sparring.core.build import Build
from sparring.core.care import Allowed
from sparring.core.finding import ORDER
from sparring.core.quantity import Measured
from sparring.core.wear.course import Course, Span, course, covariance, span
from sparring.core.wear.inspection import Inspections
from sparring.core.wear.parts import Flank, flanks_of
from sparring.core.wear.result import Ends, FlankWear, Trend, Way, Wear
from sparring.core.wear.thinning import Exposures, Row, exposures, rows_of
from sparring.core.wear.why import findings_of

THINNING = 0.2
"""Allowed thinning of a flank, in modules, where nobody said another (common practice: VDI 2736-2
names 0.1 to 0.2, from memory)."""
_MOST_DISTINCT = 3.5  # standard uncertainties between two ways of measuring, from which it is said
_EARLY = 0.5  # of the life left, by which the next look comes at the latest


def wear_of(build: Build, given: Inspections) -> Wear:
    """Raises ReductionError: which reading of which inspection, and what to do."""
    looks = exposures(given)
    rows, allowed = rows_of(build, given), given.allowed or build.allowed
    flanks = flanks_of(build)
    last = float(looks.turns[-1])
    torque = float(looks.work[-1] / (2 * math.pi * last)) if last else math.nan
    duty = (allowed.duty_torque or torque, allowed.duty_speed)
    told, known = _flanks(flanks, rows, looks, allowed.thinning, duty[0])
    trends = _trends(given, looks, allowed)
    ends, look = _ends(told, trends, duty[1], last)
    made = Wear(
        given=given,
        looks=looks,
        flanks=told,
        trends=trends,
        torque=torque,
        duty=duty,
        runs_in=_scaled(known.change, last) if known else None,
        ran_in=known.ran_in if known else 0.0,
        chi=known.chi if known else 0.0,
        freedom=known.freedom if known else 0,
        widened=known.widened if known else 1.0,
        ends=ends,
        next_look=look,
        findings=(),
    )
    found = sorted(findings_of(build, made), key=lambda f: ORDER[f.severity])
    return replace(made, findings=tuple(found))


def _scaled(x: Span | None, by: float) -> Span | None:
    return None if x is None else Span(x.value * by, x.low * by, x.high * by)


def _groups(flanks: list[Flank], rows: list[Row]) -> list[list[Flank]]:
    """Flanks that have a rate of their own, and those that nothing tells apart."""
    found: list[list[Flank]] = []
    own: dict[str, list[Flank]] = {}
    sized = {key for row in rows if row.by != "backlash" for key in row.loads}
    loose: list[Flank] = []
    for f in flanks:
        if f.id not in sized:
            loose.append(f)
        else:  # a span sees both flanks of a planet as one
            own.setdefault(f.body, []).append(f)
    found += own.values()
    if loose and any(row.by == "backlash" for row in rows):
        found.append(loose)
    return found


def _flanks(
    flanks: list[Flank], rows: list[Row], looks: Exposures, thinning: float | None, torque: float
) -> tuple[tuple[FlankWear, ...], Course | None]:
    groups = _groups(flanks, rows)
    if not rows or not groups:
        return (), None
    at = {
        f.id: np.array([f.exposure(t, w) for t, w in zip(looks.turns, looks.work, strict=True)])
        for f in flanks
    }
    exposed = np.array(
        [
            [sum(row.loads.get(f.id, 0.0) * at[f.id][row.inspection] for f in g) for g in groups]
            for row in rows
        ]
    )
    lost = np.array([row.value for row in rows])
    share = np.array([looks.turns[row.inspection] for row in rows]) / looks.turns[-1]
    cov = covariance([row.u for row in rows], [row.shared for row in rows])
    first = _first_guess(exposed, lost, cov)
    # how far it has turned, and under what, is not known exactly either
    doubt = np.array([_doubt(looks, row.inspection) for row in rows])
    passed = exposed @ first
    cov += np.outer(doubt * passed, doubt * passed)
    known = course(exposed, share, lost, cov, first)
    several = len(set(share)) > 1
    told = []
    for n, group in enumerate(groups):
        for f in group:
            told.append(
                _flank(
                    f, n, known, rows, at[f.id], looks, thinning, torque, several, len(group) > 1
                )
            )
    order = {f.id: k for k, f in enumerate(flanks)}
    return tuple(sorted(told, key=lambda t: order[t.flank.id])), known


def _first_guess(exposed: np.ndarray, lost: np.ndarray, cov: np.ndarray) -> np.ndarray:
    """Rates by weighted least squares without running-in, and none of them below a tenth of the
    common one: for scale only.
    """
    from scipy.optimize import nnls

    scale = np.sqrt(np.diag(cov))
    rates, _ = nnls(exposed / scale[:, None], lost / scale)
    common = abs(float((lost / scale) @ (exposed.sum(axis=1) / scale)))
    common /= float(np.square(exposed.sum(axis=1) / scale).sum())
    least: np.ndarray = np.maximum(rates, max(0.1 * common, 1e-30))
    return least


def _doubt(looks: Exposures, n: int) -> float:
    return math.hypot(looks.u_turns[n] / looks.turns[n], looks.u_work[n] / looks.work[n])


def _flank(
    f: Flank,
    group: int,
    known: Course,
    rows: list[Row],
    at: np.ndarray,
    looks: Exposures,
    thinning: float | None,
    torque: float,
    several: bool,
    together: bool,
) -> FlankWear:
    lost = known.lost(group, float(at[-1]))
    rates = known.draws[0][:, group]
    per_turn = f.exposure(1.0, 2 * math.pi * torque)
    allowed = thinning or THINNING * f.module
    ways, agree = _ways(f, rows)
    with np.errstate(divide="ignore"):
        left = np.where(
            rates > 0, (allowed - lost) / (np.maximum(rates, 1e-300) * per_turn), np.inf
        )
    return FlankWear(
        flank=f,
        exposure=float(at[-1]),
        thinning=span(lost),
        mean=span(lost / at[-1]),
        steady=span(rates) if several else None,
        per_turn=span(rates * per_turn),
        ways=ways,
        agree=agree,
        together=together,
        allowed=allowed,
        left=span(np.maximum(left, 0.0)),
        points=_points(f, rows, looks),
        band=_band(f, group, known, looks),
    )


def _points(f: Flank, rows: list[Row], looks: Exposures) -> np.ndarray:
    """What each look measured by itself: its ways weighed by their uncertainty."""
    found = []
    for n in range(len(looks.turns)):
        mine = [r for r in rows if r.inspection == n and f.id in r.loads and r.by != "backlash"]
        if not mine:
            continue
        whole = np.array([sum(r.loads.values()) for r in mine])
        u = np.array([math.hypot(r.u, *(s for _, s in r.shared)) for r in mine]) / whole
        depth = np.array([r.value for r in mine]) / whole
        weight = 1 / u**2
        mean = float((depth * weight).sum() / weight.sum())
        found.append((float(looks.turns[n]), mean, 1 / math.sqrt(float(weight.sum()))))
    return np.array(found).reshape(-1, 3)


def _band(f: Flank, group: int, known: Course, looks: Exposures) -> np.ndarray:
    """Its depth from new on, with its 95 % interval, at the mean load so far."""
    last = float(looks.turns[-1])
    mean = float(looks.work[-1]) / last
    found = []
    for part in np.linspace(0.0, 1.5, 31):
        depth = known.lost(group, f.exposure(part * last, part * last * mean), part)
        found.append((part * last, *np.quantile(depth, [0.025, 0.5, 0.975])))
    return np.array(found)


def _ways(f: Flank, rows: list[Row]) -> tuple[tuple[Way, ...], bool]:
    """What each way of measuring says by itself, at the last look that used it; whether those of
    one look agree.
    """
    found: dict[tuple[str, str], tuple[int, Way]] = {}
    for row in rows:
        weight = row.loads.get(f.id, 0.0)
        if not weight or row.by == "backlash":
            continue
        whole = sum(row.loads.values())
        u = math.hypot(row.u, *(s for _, s in row.shared))
        found[row.by, row.of] = (
            row.inspection,
            Way(row.by, row.of, Measured(row.value / whole, u / whole)),
        )
    ways = [(n, w) for n, w in found.values()]
    agree = all(
        abs(a.depth.value - b.depth.value) <= _MOST_DISTINCT * math.hypot(a.depth.u, b.depth.u)
        for k, (n, a) in enumerate(ways)
        for m, b in ways[k + 1 :]
        if n == m and a.of == b.of
    )
    return tuple(w for _, w in ways), agree


_FIGURES: tuple[tuple[str, str, str], ...] = (
    ("efficiency", "gearbox efficiency", "ratio"),
    ("play", "backlash", "angle"),
    ("windup", "wind-up stiffness", "stiffness"),
    ("break_away", "break-away torque", "torque"),
    ("ripple", "ripple of the mesh", "ratio"),
)
"""(field of an inspection, name, kind)."""


def _trends(given: Inspections, looks: Exposures, allowed: Allowed) -> tuple[Trend, ...]:
    found = []
    for name, title, kind in _FIGURES:
        read = [
            (float(looks.turns[k]), m)
            for k, place in enumerate(looks.order)
            if (m := getattr(given.inspections[place], name)) is not None
        ]
        if read:
            limits: Mapping[str, float | None] = {
                "play": allowed.play,
                "efficiency": allowed.efficiency,
            }
            found.append(_trend(title, kind, read, limits.get(name)))
    return tuple(found)


def _trend(title: str, kind: str, read: list[tuple[float, Measured]], limit: float | None) -> Trend:
    turns = np.array([t for t, _ in read])
    value, u = (np.array([getattr(m, x) for _, m in read]) for x in ("value", "u"))
    change = left = None
    ahead = np.empty((0, 4))
    later = turns > turns[0]
    if later.any():
        since = turns[later] - turns[0]
        moved = value[later] - value[0]
        sign = 1.0 if moved[-1] >= 0 else -1.0
        floor = max(float(np.abs(value).max()) * 1e-6, 1e-12)
        cov = covariance(
            np.maximum(u[later], floor).tolist(),
            [[("first", max(float(u[0]), floor))]] * later.sum(),
        )
        guess = np.array([max(abs(float(moved[-1])), math.sqrt(cov[-1, -1])) / since[-1]])
        known = course(since[:, None], since / since[-1], sign * moved, cov, guess)
        rate = sign * known.draws[0][:, 0]
        now = value[0] + sign * known.lost(0, float(since[-1]))
        change = span(rate)
        if limit is not None:
            with np.errstate(divide="ignore", invalid="ignore"):
                far = np.where(rate * (limit - now) > 0, (limit - now) / rate, np.inf)
            over = now >= limit if kind == "angle" else now <= limit
            left = span(np.where(over, 0.0, far))
        x = np.linspace(0.0, 0.5 * (turns[-1] or 1.0), 9)
        bands = [np.quantile(now + rate * t, [0.025, 0.5, 0.975]) for t in x]
        ahead = np.column_stack([turns[-1] + x, bands])
    return Trend(title, kind, turns, value, u, change, left, ahead)


def _ends(
    flanks: tuple[FlankWear, ...], trends: tuple[Trend, ...], speed: float | None, last: float
) -> tuple[Ends | None, float | None]:
    """What ends the life first, and the turns since new at which to look next."""
    all_of = [
        *((f"thinning of {f.flank.body}", f.left) for f in flanks if f.left),
        *((t.name, t.left) for t in trends if t.left),
    ]
    if not all_of:
        return None, None
    reason, left = min(all_of, key=lambda x: (x[1].value, x[1].low))
    hours = None
    if speed:
        hour = speed / (2 * math.pi) * 3600
        hours = Span(*(x / hour for x in left))
    soonest = min(x.low for _, x in all_of)
    look = min(soonest, _EARLY * left.value)
    return Ends(reason, left, hours), last + look if math.isfinite(look) else None
