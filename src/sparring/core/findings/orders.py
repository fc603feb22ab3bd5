"""What the turns of the shafts tell of one recording: gears that run out, teeth that are damaged,
lines that grew.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from sparring.core.finding import ORDER, Fact, Finding, noted
from sparring.core.orders.growth import Growth
from sparring.core.orders.lines import Line, Orders


def of_orders(found: Orders, grown: Sequence[Growth] = ()) -> list[Finding]:
    """Findings on the orders of one recording, worst first. grown: against runs of before."""
    told = [*_teeth(found), *_runs_out(found), *_grew(grown), *_folded(found), *_unseen(found)]
    return sorted(told, key=lambda f: ORDER[f.severity])


def _teeth(found: Orders) -> Iterator[Finding]:
    for tooth in found.teeth:
        gears = " or ".join(
            f"the {g.name or 'gear'} of {g.teeth} of {g.stage}" for g in tooth.gears
        )
        way = "falls" if tooth.size < 0 else "rises"
        yield noted(
            "tooth-stands-out",
            "caution",
            title=f"One tooth differs: {tooth.shaft}",
            seen=(
                f"Once a turn of {tooth.shaft}, for about one tooth of {gears}, the signal {way} "
                "by {size}, at {at} from where the evaluated stretch begins."
            ),
            why="A cracked, broken or dirty tooth hits once a turn until the gear fails.",
            causes=(
                "a tooth is broken, cracked or worn off",
                "dirt or a burr in one gap",
                "the joint of a belt or chain",
                "a dent from a fall or from mounting",
            ),
            remedies=(
                "Turn the shaft to that angle and look at the teeth in mesh.",
                "Clean the gear and repeat the run.",
            ),
            size=Fact(abs(tooth.size), "ratio", tooth.u),
            at=Fact(tooth.at, "angle", digits=2),
        )


def _runs_out(found: Orders) -> Iterator[Finding]:
    for x in found.runs_out:
        yield noted(
            "gear-runs-out",
            "caution",
            title=f"Gear runs out: {x.shaft}",
            seen=f"The signal varies by ± {{size}} of its mean with each turn of {x.part}.",
            why="An eccentric gear loads its teeth unevenly, and binds at one side.",
            causes=(
                "the bore is not in the middle of the teeth",
                "the shaft is bent",
                "a set screw pushes the gear to one side",
            ),
            remedies=(
                "Measure the run-out of the gear with a dial indicator.",
                "Turn the gear on its shaft by half a turn and repeat: the place moves with it.",
            ),
            size=Fact(x.size, "ratio", x.u),
        )


def _grew(grown: Sequence[Growth]) -> Iterator[Finding]:
    # a part's harmonics and sidebands grow with it
    plainest: dict[str, Growth] = {}
    for g in sorted(grown, key=lambda g: g.before - g.after):
        if g.grew:
            plainest.setdefault(g.line.base, g)
    for g in plainest.values():
        yield noted(
            "line-grew",
            "caution",
            title=f"Grew since: order {g.line.order:.4g}",
            seen=f"{g.line.part}: {{before}} of the mean before, {{after}} now.",
            why="A line that grows beyond its scatter tells of wear, or of play.",
            causes=("flanks wear", "a bearing or a joint has gained play", "less lubricant"),
            remedies=("Open the drive and look at this part first.", "Repeat the run."),
            before=Fact(g.before, "ratio", g.u_before),
            after=Fact(g.after, "ratio", g.u_after),
        )


def _folded(found: Orders) -> Iterator[Finding]:
    folded: list[Line] = [x for x in found.lines if x.alias]
    if folded:
        x = folded[0]
        yield noted(
            "line-may-be-folded",
            "note",
            title="A line may belong to a faster part",
            seen=(
                f"The line at order {x.order:.4g} lies where the sampling would fold "
                f"{x.alias}, which is too fast for it."
            ),
            why="With too few samples per turn, fast ripple appears as slow ripple.",
            remedies=("Sample faster, or run slower: a folded line moves, a true one stays.",),
        )


def _unseen(found: Orders) -> Iterator[Finding]:
    limits = found.limits
    meshes = [t for t in limits.unseen if t.kind == "mesh"]
    if meshes:
        most = max(t.order for t in meshes)
        yield noted(
            "sampling-hides-meshes",
            "note",
            title=f"{len(meshes)} of the meshes cannot be seen",
            seen=(
                f"{limits.samples:.3g} samples per turn of {found.counted} show orders up to "
                f"{limits.most:.4g}; {meshes[0].part} is at {meshes[0].order:.4g}."
            ),
            why="What the sampling cannot show is missing here, however strong it is.",
            remedies=(
                f"Sample {math.ceil(most / limits.most):d} times as fast, or run as much slower.",
            ),
        )
