"""Rules on repeats: their spread, and whether they suffice to tell builds apart."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from sparring.core.findings.registry import Fact, Finding, Peer, rule
from sparring.core.reduce.spread import random_part
from sparring.core.uncertainty import nominal

if TYPE_CHECKING:
    from sparring.core.reduce.points import Inputs
    from sparring.core.reduce.results import TestResult

_WIDE, _CLOSE = 0.05, 0.015  # relative SD of the gearbox or wire-to-shaft efficiency between repeats
_MOST_MORE = 200


@rule
def spread(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Repeats that scatter, or agree."""
    known = [(s, s.spread["wire_to_shaft"]) for s in result.lifted if "wire_to_shaft" in s.spread and len(s.points) >= 3]
    if not known:
        return
    worst, size = max(known, key=lambda k: k[1])
    facts = {"spread": Fact(size, "ratio"), "torque": Fact.of(worst.torque, "torque")}
    if size > _WIDE:
        yield Finding(
            "spread-of-repeats", "caution", "Repeats scatter",
            "At {torque} the efficiency scatters by {spread} (standard deviation) from lift to lift.",
            "Something changes between lifts. The mean is less sure than each single lift looks.",
            ("the cord winds in different layers or slips", "the drive warms or runs in", "a mesh binds at one place"),
            ("Wind the cord in one layer, from the same side.", "Shuffle the order of the weights.",
             "Compare the first lifts with the last: a trend is warming or wear."), facts, (worst.index,))
    elif size < _CLOSE:
        yield Finding("repeats-agree", "good", "Repeats agree",
                      "The efficiency scatters by at most {spread} from lift to lift.",
                      "The differences between weights are real.", facts=facts)


@rule
def too_few_to_tell(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Another build lies closer than the repeats can tell."""
    best = result.best
    if best is None:
        return
    name = "gearbox" if best.gearbox is not None else "wire_to_shaft"
    value = getattr(best, name)
    mine, n = random_part(value), len(best.points)
    for peer in peers:
        gap = abs(nominal(value) - peer.efficiency)
        needed_u = gap / (2 * math.sqrt(2))
        if gap > 2 * math.hypot(mine, peer.random) or gap < 1e-6:
            continue
        single = math.hypot(mine * math.sqrt(n), peer.random * math.sqrt(peer.repeats)) / math.sqrt(2)
        wanted = math.ceil((single / needed_u) ** 2)
        more = wanted - min(n, peer.repeats)
        if more <= 0:
            continue
        advice = (f"{more} more lifts of each at the same weight would show a difference of this size." if more <= _MOST_MORE else
                  "The difference is too small to show by repeating; treat the two as equal.")
        yield Finding(
            "too-few-repeats", "note", f"Cannot be told from {peer.name}",
            f"{{mine}} here, {{other}} for {peer.name}, from {n} and {peer.repeats} lifts.",
            "The gap is no larger than the scatter of the repeats makes by chance.",
            ("the builds are equal for this purpose", "too few lifts"), (advice,),
            {"mine": Fact(nominal(value), "ratio", mine), "other": Fact(peer.efficiency, "ratio", peer.random)}, (best.index,))


@rule
def single_lifts(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """No repeats at all."""
    if result.lifted and all(len(s.points) < 2 for s in result.lifted):
        yield Finding(
            "no-repeats", "caution", "Each weight lifted only once",
            "No weight was lifted more than once.",
            "The scatter from lift to lift is unknown; the stated uncertainty leaves it out.",
            (), ("Lift each weight at least three times, better five.",), steps=tuple(s.index for s in result.lifted))
