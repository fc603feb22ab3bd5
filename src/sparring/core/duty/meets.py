"""Whether a drive does a duty, by how much, what it costs and what limits it: all candidates at
once, each with its figures as draws.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.duty.cycle import LEAST, Driven, carried, holds, shared, stacked, warm, weakest
from sparring.core.duty.figures import Candidate
from sparring.core.duty.record import Duty, per_cycle
from sparring.core.duty.segment import Segment

_BEST = 100
"""Candidates that are looked at with all draws, after all were with their figures alone."""
_NOMINAL = slice(0, 1)
_LIFE_BESIDE = 1.1  # of the load that lives are of, up to which they are taken as they are

LIMITS = {
    "stalls": "stalls",
    "too-slow": "is too slow",
    "current": "exceeds the supply",
    "winding": "gets too hot",
    "magnets": "overheats its magnets",
    "breaks": "breaks",
    "turns-back": "back-drives",
    "worn": "wears out too early",
    "life": "fails too early",
}
"""What can keep a drive from a duty, by its id."""
OF_POWER = ("stalls", "too-slow", "current", "winding", "magnets")
"""Those that another voltage, supply or ratio may move."""


class InSegment(NamedTuple):
    """A segment as the figures have it. speed of the output [rad/s]; its margin: over what is
    wanted; stall, strength, holding: torque that would stall it, break it, turn it back, over the
    segment's; current [A]; efficiency, NaN where nothing is driven; time [s]; energy [J]; reaches:
    chance that it does this.
    """

    speed: float
    speed_margin: float
    stall_margin: float
    strength_margin: float
    holding_margin: float
    current: float
    efficiency: float
    time: float
    energy: float
    reaches: float


@dataclass(frozen=True)
class Met:
    """A candidate at a duty. probability: that it meets it in every respect, NaN: not drawn;
    chances: of each limit, by its id, not being reached; figures: whether by its figures alone it
    is not;
    limit: the likeliest to be reached, "": none is; part: of it, in words; energy of a cycle [J];
    winding, magnets: hottest in the steady state [K], with their standard uncertainties; wears:
    cycles until a flank is worn, fails: until half of such drives have failed, NaN: not known.
    """

    candidate: Candidate
    probability: float
    chances: dict[str, float]
    figures: dict[str, bool]
    limit: str
    part: str
    segments: tuple[InSegment, ...]
    energy: float
    u_energy: float
    winding: float
    u_winding: float
    magnets: float
    u_magnets: float
    wears: float
    fails: float

    @property
    def meets(self) -> bool:
        """Whether its figures alone do."""
        return all(self.figures.values())


class Ranking(NamedTuple):
    """found: the best first, by probability, then by the least margin, then by energy; looked_at:
    how many candidates there were, of which those behind the best hundred by their figures alone
    are not among them, unless they were measured.
    """

    found: tuple[Met, ...]
    looked_at: int


def meets(candidates: Sequence[Candidate], duty: Duty, *, most: int = _BEST) -> Ranking:
    """All candidates at a duty. most: of which the chances are worked out."""
    if not candidates:
        return Ranking((), 0)
    chosen = list(range(len(candidates)))
    if len(candidates) > most:
        seen = _look(candidates, duty, _NOMINAL)
        failing = ~np.all([ok[:, 0] for ok in seen.fine.values()], axis=0)
        margin, energy = (
            np.minimum(seen.least, 10.0),
            np.sum([r.energy[:, 0] for r in seen.runs], axis=0),
        )
        best = np.lexsort((energy, -margin, failing))[:most]
        measured = [n for n, c in enumerate(candidates) if c.measured]
        chosen = list(dict.fromkeys([*map(int, best), *measured]))
    some = [candidates[n] for n in chosen]
    seen = _look(some, duty, slice(None))
    found = [_met(seen, n, candidate) for n, candidate in enumerate(some)]
    return Ranking(tuple(sorted(found, key=_rank)), len(candidates))


def drives(candidate: Candidate, duty: Duty) -> bool:
    """Whether by its figures alone it drives every segment."""
    seen = _look([candidate], duty, _NOMINAL)
    return all(bool(seen.fine[x][0, 0]) for x in OF_POWER)


def _rank(m: Met) -> tuple[float, ...]:
    return (-m.probability, not m.meets, -min(least_margin(m), 10.0), m.energy)


def least_margin(m: Met) -> float:
    """The least of the margins of its segments."""
    return least_of(m.segments)


def least_of(segments: Sequence[InSegment]) -> float:
    """The least of their margins; where it stalls, that of the torque."""
    found = [
        x
        for s in segments
        for x in (s.speed_margin or math.nan, s.stall_margin, s.strength_margin, s.holding_margin)
        if not math.isnan(x)
    ]
    return min(found, default=math.inf)


@dataclass
class _Seen:
    """What a look at all candidates found: fine: by limit, whether it is not reached, (c, d); each:
    the same by segment, of all its limits; held, strength: margins (s, c, d); weakest: which limit
    of strength (c,); hot: winding, magnets [K], wears, fails [cycles] (c, d); flank: which wears
    first.
    """

    duty: Duty
    runs: list[Driven]
    fine: dict[str, np.ndarray]
    each: list[np.ndarray]
    held: np.ndarray
    strength: np.ndarray
    weakest: np.ndarray
    hot: np.ndarray
    magnets: np.ndarray
    wears: np.ndarray
    fails: np.ndarray
    flank: list[str]

    @property
    def least(self) -> np.ndarray:
        """The least margin of each by its figures alone, shape (c,)."""
        rows = [*self.held[:, :, 0], *self.strength[:, :, 0]]
        for s, r in zip(self.duty.todo, self.runs, strict=True):
            if s.kind == "drive":
                rows.append(np.where(r.speed[:, 0] > 0, r.speed[:, 0] / s.speed, math.inf))
                rows.append(r.stalls[:, 0] / max(s.torque, LEAST))
            elif s.kind == "spin up":
                rows.append(s.time / np.maximum(r.time[:, 0], LEAST))
        return np.asarray(np.nanmin(np.nan_to_num(np.array(rows), nan=math.inf), axis=0))


def _look(candidates: Sequence[Candidate], duty: Duty, some: slice) -> _Seen:
    stack = stacked(candidates, some)
    todo, shape = duty.todo, stack.k.shape
    cycle, runs = warm(stack, duty)
    wears, fails, flank = _lasts(candidates, duty, some)
    trains = shared(candidates, "train")
    outputs, parts = weakest(trains, some)
    held = holds(trains, stack, some)
    seen = _Seen(
        duty,
        runs,
        {name: np.ones(shape, bool) for name in LIMITS},
        [np.ones(shape, bool) for _ in todo],
        np.full((len(todo), *shape), math.nan),
        np.full((len(todo), *shape), math.nan),
        parts,
        stack.reference + cycle.peak,
        stack.reference + cycle.warmest,
        wears,
        fails,
        flank,
    )
    for n, (s, run) in enumerate(zip(todo, runs, strict=True)):
        if s.kind in ("drive", "spin up"):
            _driven(seen, n, s, run)
        if s.kind != "rest":
            seen.strength[n] = outputs / max(carried(s), LEAST)
            _note(seen, n, "breaks", seen.strength[n] >= 1)
        if s.kind == "hold" or (duty.holds and s.kind == "drive" and s.torque > 0):
            seen.held[n] = held / max(s.torque, LEAST)
            _note(seen, n, "turns-back", seen.held[n] >= 1)
    hottest = stack.hottest if duty.winding is None else np.full_like(stack.hottest, duty.winding)
    seen.fine["winding"] = seen.hot <= hottest
    seen.fine["magnets"] = seen.magnets <= stack.stands
    if duty.cycles is not None:
        # what nobody knows is not held against it
        seen.fine["worn"] = ~(wears < duty.cycles)
        seen.fine["life"] = ~(fails < duty.cycles)
    return seen


def _driven(seen: _Seen, n: int, s: Segment, run: Driven) -> None:
    turns = run.speed > 0
    fast = run.speed >= s.speed * (1 - 1e-9) if s.kind == "drive" else run.time <= s.time
    _note(seen, n, "stalls", turns)
    _note(seen, n, "too-slow", fast | ~turns)
    if seen.duty.current is not None:
        _note(seen, n, "current", run.current <= seen.duty.current * (1 + 1e-9))


def _note(seen: _Seen, n: int, limit: str, fine: np.ndarray) -> None:
    seen.fine[limit] &= fine
    seen.each[n] &= fine


def _met(seen: _Seen, n: int, candidate: Candidate) -> Met:
    """One candidate's part of it."""
    drawn = seen.hot.shape[1] > 1
    rows = {name: ok[n, 1:] if drawn else ok[n, :1] for name, ok in seen.fine.items()}
    chances = {name: float(ok.mean()) for name, ok in rows.items()}
    figures = {name: bool(ok[n, 0]) for name, ok in seen.fine.items()}
    failing = [name for name, ok in figures.items() if not ok]
    limit = min(failing or chances, key=lambda name: chances[name])
    if chances[limit] == 1:
        limit = ""
    energy = np.sum([r.energy[n] for r in seen.runs], axis=0)
    return Met(
        candidate,
        float(np.all([*rows.values()], axis=0).mean()) if drawn else math.nan,
        chances,
        figures,
        limit,
        _part(seen, n, candidate, limit),
        tuple(_in_segment(seen, j, n) for j in range(len(seen.runs))),
        float(energy[0]),
        _spread(energy),
        float(seen.hot[n, 0]),
        _spread(seen.hot[n]),
        float(seen.magnets[n, 0]),
        _spread(seen.magnets[n]),
        float(seen.wears[n, 0]),
        float(seen.fails[n, 0]),
    )


def _spread(x: np.ndarray) -> float:
    """Standard uncertainty by draws, of which a few that nearly stall say nothing."""
    return float(np.ptp(np.quantile(x[1:], [0.159, 0.841]))) / 2 if len(x) > 1 else 0.0


def _part(seen: _Seen, n: int, candidate: Candidate, limit: str) -> str:
    """What of the drive, or of the duty, a limit is reached at first."""
    todo = seen.duty.todo
    if limit == "breaks":
        return candidate.train.limits[int(seen.weakest[n])].part
    if limit == "worn":
        return seen.flank[n]
    if limit in ("stalls", "too-slow"):
        margins = [_margin(s, r, n) for s, r in zip(todo, seen.runs, strict=True)]
    elif limit == "turns-back":
        margins = [float(x) for x in seen.held[:, n, 0]]
    elif limit == "current":
        margins = [-float(r.current[n, 0]) for r in seen.runs]
    else:
        return ""
    at = int(np.nanargmin(margins))
    return todo[at].note or f"segment {at + 1}"


def _margin(s: Segment, run: Driven, n: int) -> float:
    if s.kind == "drive":
        return float(run.speed[n, 0] / s.speed)
    if s.kind == "spin up":
        return float(s.time / max(float(run.time[n, 0]), LEAST))
    return math.nan


def _in_segment(seen: _Seen, j: int, n: int) -> InSegment:
    s, r = seen.duty.todo[j], seen.runs[j]
    driven = s.kind in ("drive", "spin up")
    energy = float(r.energy[n, 0])
    turns = bool(r.speed[n, 0] > 0)
    work = s.torque * s.speed * s.time if s.kind == "drive" and turns else math.nan
    ok = seen.each[j][n]
    return InSegment(
        float(r.speed[n, 0]) if driven else 0.0,
        _margin(s, r, n),
        float(r.stalls[n, 0] / s.torque) if driven and s.torque > 0 else math.nan,
        float(seen.strength[j, n, 0]),
        float(seen.held[j, n, 0]),
        float(r.current[n, 0]) if driven else 0.0,
        work / energy if energy > 0 else math.nan,
        float(r.time[n, 0]) if driven else s.time,
        energy,
        float(ok[1:].mean() if len(ok) > 1 else ok[0]),
    )


def _lasts(
    candidates: Sequence[Candidate], duty: Duty, some: slice
) -> tuple[np.ndarray, np.ndarray, list[str]]:
    """(cycles until a flank is worn, until it fails, which flank), NaN where nobody knows."""
    turns, work = per_cycle(duty)
    most = max((s.torque for s in duty.todo if s.kind in ("drive", "spin up")), default=0.0)
    wears, fails, flanks = [], [], []
    for c in candidates:
        nothing = np.full_like(c.train.a[some], math.nan)
        cycles, flank = nothing, ""
        if c.train.thins and work > 0:
            each = np.array([f.left[some] / (f.depth[some] * work) for f in c.train.thins])
            cycles, flank = each.min(axis=0), c.train.thins[int(np.argmin(each[:, 0]))].flank
        life = c.train.life
        known = life is not None and (life.load is None or most <= _LIFE_BESIDE * life.load)
        wears.append(cycles)
        fails.append(life.turns[some] / turns if known and life and turns > 0 else nothing)
        flanks.append(flank)
    return np.array(wears), np.array(fails), flanks
