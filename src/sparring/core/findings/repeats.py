"""Rules on repeats: their spread, and whether they suffice to tell builds apart."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from sparring.core.finding import Fact, Finding, Peer, noted
from sparring.core.findings.registry import rule
from sparring.core.input_quantity import words
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.spread import differ, random_part, shared_parts, size, tag_of, unshared
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import nominal

# relative SD of the gearbox or wire-to-shaft efficiency between repeats
_WIDE, _CLOSE = (0.05, 0.015)
_MOST_MORE = 200
_SAME_LOAD = 0.03  # difference of torque within which two points count as the same load


@rule
def spread(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Repeats that scatter, or agree."""
    known = [
        (s, s.spread["wire_to_shaft"])
        for s in result.lifted
        if "wire_to_shaft" in s.spread and len(s.points) >= 3
    ]
    if not known:
        return
    worst, size = max(known, key=lambda k: k[1])
    beyond = [(s, x) for s, x in known if x > _WIDE and x > _readings_own(s)]
    if beyond:
        worst, size = max(beyond, key=lambda k: k[1])
    facts = {"spread": Fact(size, "ratio"), "torque": Fact.of(worst.torque, "torque")}
    if beyond:
        corded = result.rig.method.CORD
        yield Finding(
            id="spread-of-repeats",
            severity="caution",
            title="Repeats scatter",
            seen=(
                "At {torque} the efficiency scatters by {spread} (standard deviation) from "
                "run to run."
            ),
            why=(
                "Something changes between runs, so the mean is less certain than each run "
                "suggests."
            ),
            causes=(
                *["the cord winds in different layers or slips"] * corded,
                "the drive warms up or runs in",
                "a mesh binds at one position",
            ),
            remedies=(
                *["Wind the cord in one layer, from the same side."] * corded,
                "Shuffle the order of the loads.",
                "Compare the first runs with the last: a trend means warming or wear.",
            ),
            steps=(worst.index,),
            facts=facts,
        )
    elif size < _CLOSE:
        yield Finding(
            id="repeats-agree",
            severity="good",
            title="Repeats agree",
            seen="The efficiency scatters by at most {spread} from run to run.",
            why="Differences between loads are significant.",
            facts=facts,
        )


def _readings_own(step: Step) -> float:
    """Relative standard deviation [-] that runs of this step may show by the scatter within each
    alone: three of its own standard deviations above.
    """
    own = [
        random_part(p.wire_to_shaft) / abs(nominal(p.wire_to_shaft))
        for p in step.points
        if p.wire_to_shaft is not None
    ]
    within = math.sqrt(sum(u**2 for u in own) / len(own)) if own else 0.0
    return within * (1 + 3 / math.sqrt(2 * max(len(own) - 1, 1)))


@rule
def too_few_to_tell(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Another build lies closer than the repeats can tell."""
    for peer in peers:
        if peer.same_build:
            continue
        # only like with like: the same load on both, and lifted more than once
        pairs = [
            (s, other)
            for s in result.lifted
            for other in peer.steps
            if s.gearbox is not None
            and len(s.points) > 1
            and other.lifts > 1
            and abs(other.torque - nominal(s.torque)) < _SAME_LOAD * nominal(s.torque)
        ]
        if not pairs or any(differ(s.gearbox, other, same_rig=peer.same_rig) for s, other in pairs):
            continue
        step, other = max(pairs, key=lambda pair: nominal(pair[0].torque))
        mine, n = random_part(step.gearbox), len(step.points)
        gap = abs(nominal(step.gearbox) - other.gearbox)
        single = math.hypot(mine * math.sqrt(n), other.random * math.sqrt(other.lifts)) / math.sqrt(
            2
        )
        left = unshared(shared_parts(step.gearbox), other.shared, same_rig=peer.same_rig)
        apart = size(u for _, u in left)
        # the variance that the repeats may leave for the gap to show
        room = (gap / 2) ** 2 - apart**2
        if room <= 0 and apart > math.hypot(mine, other.random):
            worst = words(tag_of(max(left, key=lambda part: abs(part[1]))[0]))
            advice = (
                "Test both on one rig with the same meters: more runs do not help, as they "
                f"do not share the same {worst}."
            )
        else:
            wanted = math.ceil(2 * single**2 / max(room, 1e-12))
            more = max(1, wanted - min(n, other.lifts))
            advice = (
                (
                    f"Make {more} more runs of each at the same load to resolve a difference of "
                    "this size."
                )
                if more <= _MOST_MORE
                else (
                    "Treat the two as equal: the difference is too small to resolve by repeating."
                )
            )
        yield noted(
            "too-few-repeats",
            "note",
            title=f"Not distinguishable from {peer.name}",
            seen=(
                f"At {{torque}}: {{mine}} here, {{other}} for {peer.name}, from {n} and "
                f"{other.lifts} runs (± of the repeats alone)."
            ),
            why="At no common load is the difference significant.",
            causes=("the builds are equal for this purpose", "too few runs"),
            remedies=(advice,),
            steps=(step.index,),
            torque=(nominal(step.torque), "torque"),
            mine=Fact(nominal(step.gearbox), "ratio", mine),
            other=Fact(other.gearbox, "ratio", other.random),
        )


@rule
def single_lifts(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """No repeats at all, where any could be made: what broke is not repeated."""
    measured = [s for s in result.lifted if any(p.run.kind != "to failure" for p in s.points)]
    if measured and all(len(s.points) < 2 for s in measured):
        yield noted(
            "no-repeats",
            "caution",
            title="Each step run only once",
            seen="No step was run more than once.",
            why="Scatter from run to run is unknown and missing from the uncertainty.",
            causes=(),
            remedies=("Run each step at least three times, preferably five.",),
            steps=tuple(s.index for s in result.lifted),
        )
