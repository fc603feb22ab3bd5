"""What to look at first when a drive is opened, and what each of its meshes has done."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

from sparring.core.build import OUTPUT, Build
from sparring.core.wear.inspection import Inspection

_NEAR = 0.5  # of what a part carries, from which it is a bet (common practice)
_WARM = 0.5  # of the way from the room to softening, likewise


class Bet(NamedTuple):
    """A place to look at: its part, and why; worth: 0 to 1, the greater the sooner."""

    part: str
    why: str
    worth: float


def bets(build: Build, looks: Iterable[Inspection], load: float) -> list[Bet]:
    """The places of a build, worst bets first. load: the most torque that its output saw [N·m], or
    is expected; 0: not known.
    """
    found: dict[str, Bet] = {}

    def add(bet: Bet) -> None:
        if bet.part not in found or found[bet.part].worth < bet.worth:
            found[bet.part] = bet

    for x in build.limits:
        share = load / x.output if load and x.output > 0 else 0.0
        if share >= _NEAR:
            add(Bet(x.name, f"{x.mode} at {100 / share:.0f} % of what it saw", min(share, 1.0)))
    if build.limits and not found:
        x = build.limits[0]
        add(Bet(x.name, f"the weakest part: {x.mode} at {x.output:.2g} N·m", 0.4))
    for (stage, contact), warm in build.tooth_temperatures.items():
        c = next(c for c in build.stages[stage].contacts() if c.name == contact)
        for part, material in ((c.a, c.material_a), (c.b, c.material_b)):
            known = build.setting().material(material)
            if known is None:
                continue
            share = (warm - build.works_at) / (known.softens - build.works_at)
            if share >= _WARM:
                words = f"teeth at {warm - 273.15:.0f} °C, soft at {known.softens - 273.15:.0f} °C"
                add(Bet(f"stage {stage + 1} {part}", words, min(share, 1.0)))
    for look in looks:
        for s in look.seen:
            if s.severity >= 2:
                add(Bet(s.part, f"{s.mode} at an earlier look", s.severity / 5))
    return sorted(found.values(), key=lambda b: -b.worth)


class MeshWork(NamedTuple):
    """What a mesh has done. turns: of its first gear against its carrier; work: passed by it [J];
    heat: left in it [J].
    """

    mesh: str
    turns: float
    work: float
    heat: float


def mesh_work(build: Build, turns: float, work: float) -> list[MeshWork]:
    """Of every mesh, after so many turns of the output and so much work out of it [J]."""
    low, high = build.flow(1.0), build.flow(2.0)
    out = abs(low.speeds[OUTPUT])
    found = []
    for a, b in zip(low.meshes, high.meshes, strict=True):
        m = a.mesh
        going = low.speeds[m.carrier] if m.carrier else 0.0
        rate = abs(low.speeds[m.a] - going) / out

        def grown(first: float, second: float) -> float:
            """From its power with 1 and 2 N·m at the output [W]."""
            slope = (second - first) / out
            return slope * work + (first / out - slope) * 2 * math.pi * turns

        name = f"{m.name} {m.contact}".strip()
        found.append(MeshWork(name, rate * turns, grown(a.power, b.power), grown(a.loss, b.loss)))
    return found
