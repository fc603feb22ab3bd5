"""What of a drive can be worn, and the work that has passed each flank.

A flank wears by the sliding work on it (Archard; VDI 2736-2:2014, from memory): mean depth
W = k_w · H_V · ∫T dφ/(b z l_fl), so that the exposure S = H_V ∫T dφ/(b z l_fl) [J/m²] of a flank is
all that its drive has to say, and k_w [m²/N] is what its material says.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from sparring.core.build import OUTPUT, Build
from sparring.core.train.pair import Pair
from sparring.core.train.stage import Body, Contact
from sparring.core.train.teeth import base_helix


class Gear(NamedTuple):
    """A toothed part that can be opened and looked at. name: `stage 1 pinion`, of planets with
    their number; body: without it; teeth: on it; contacts: in which it runs, with its side (1, 2);
    module, alpha, shift, helix: of its rack; ring: its teeth point inwards.
    """

    name: str
    body: str
    stage: int
    teeth: int
    width: float
    material: str
    contacts: tuple[tuple[str, int], ...]
    module: float
    alpha: float
    shift: float
    helix: float
    ring: bool


class Part(NamedTuple):
    """A body that can be looked at, in the order from the motor. name: `stage 1 planet 2`; body: as
    it is drawn; driving: the side of its teeth that carries, 1 counter-clockwise of the tooth, −1
    clockwise.
    """

    name: str
    stage: int
    body: Body
    driving: int


def parts_of(build: Build) -> list[Part]:
    """Every body of every stage; those of one name are numbered."""
    found: list[Part] = []
    shafts = build.shafts()
    for n, (stage, name) in enumerate(zip(build.stages, build.stage_names(), strict=True)):
        bodies = stage.bodies(shafts[n], shafts[n + 1], name)
        names = [b.name for b in bodies]
        drivers = {c.a for c in stage.contacts()} - {c.b for c in stage.contacts()}
        seen: dict[str, int] = {}
        of_it = []
        for b in bodies:
            seen[b.name] = seen.get(b.name, 0) + 1
            number = f" {seen[b.name]}" if names.count(b.name) > 1 else ""
            ahead = 1 if build.speeds.get(b.shaft, 1.0) >= 0 else -1
            drives = b.name in drivers or not stage.contacts()
            side = ahead if drives else -ahead
            of_it.append(Part(f"{name} {b.name}{number}", n, b, side))
        rank = {b: k for k, b in enumerate(dict.fromkeys(reversed(names)))}
        found += sorted(of_it, key=lambda p: rank[p.body.name])
    return found


class Flank(NamedTuple):
    """One loaded flank of the gears of one name. mesh: `stage 1 pinion–wheel`; body: `stage 1
    pinion`; side: which of its flanks; against: what it runs on; gears: that share the work;
    per_turn, per_work: exposure S [J/m²] of one turn of the output without load, and of one joule
    out of it; area: of all its teeth together on one gear [m²]; lever: angle of the output for a
    metre of its thinning [rad/m]; turns: of it against its carrier, for one of the output.
    """

    mesh: str
    body: str
    side: str
    against: str
    material: str
    other_material: str
    gears: int
    module: float
    width: float
    per_turn: float
    per_work: float
    area: float
    lever: float
    turns: float

    @property
    def id(self) -> str:
        return f"{self.body}, {self.side}"

    def exposure(self, turns: float, work: float) -> float:
        """S [J/m²] after so many turns of the output and so much work out of it [J]."""
        return self.per_turn * turns + self.per_work * work


def flank_length(pair: Pair, gear: int) -> float:
    """Length l_fl [m] of the flank's profile that is in contact: (ρ_2² − ρ_1²)/2 r_b of an
    involute, ρ from its first contact to its last. Raises ValueError where the teeth do not reach
    each other.
    """
    e1, e2 = pair.contact_ratios()
    pitch = math.pi * pair.across_module * math.cos(pair.across_alpha)
    base = pair.radii(gear)[2]
    middle = base * math.tan(pair.running_angle())
    before, after = (e2, e1) if gear == 1 else (e1, e2)
    if gear == 2 and pair.ring:  # a ring's roll goes with that of the gear inside it
        before, after = e2, e1
    first, last = max(0.0, middle - before * pitch), middle + after * pitch
    return (last**2 - first**2) / (2 * base)


def _count(build: Build, stage: int, part: str) -> int:
    return int(getattr(build.stages[stage], "planets", 1)) if part.startswith("planet") else 1


def gears_of(build: Build) -> list[Gear]:
    """Every gear with teeth of its own, in the order from the motor."""
    found: list[Gear] = []
    for n, stage in enumerate(build.stages):
        sides: dict[str, list[tuple[Contact, int]]] = {}
        for c in stage.contacts():
            sides.setdefault(c.a, []).append((c, 1))
            sides.setdefault(c.b, []).append((c, 2))
        for part, runs in sides.items():
            c, side = runs[0]
            p = c.pair
            count = _count(build, n, part)
            body = f"stage {n + 1} {part}"
            for k in range(count):
                found.append(
                    Gear(
                        name=body if count == 1 else f"{body} {k + 1}",
                        body=body,
                        stage=n,
                        teeth=round((p.z1 * c.arm_a) if side == 1 else (p.z2 * c.arm_b)),
                        width=c.width,
                        material=c.material_a if side == 1 else c.material_b,
                        contacts=tuple((x.name, s) for x, s in runs),
                        module=p.module,
                        alpha=p.alpha,
                        shift=p.x1 if side == 1 else p.x2,
                        helix=p.helix,
                        ring=p.ring and side == 2,
                    )
                )
    return found


def flanks_of(build: Build) -> list[Flank]:
    """Every loaded flank whose teeth are involutes, from the motor on; of planets one for all of
    them. Meshes that pass nothing are not in it.
    """
    low, high = build.flow(1.0), build.flow(2.0)
    ideal = build.flow(1.0, friction=[0.0] * len(build.stages))
    meshes = {
        (a.mesh.name, a.mesh.contact): _Passed(
            a.power, b.power, abs(x.on_a), abs(x.on_b), a.mesh.a, a.mesh.b, a.mesh.carrier
        )
        for a, b, x in zip(low.meshes, high.meshes, ideal.meshes, strict=True)
    }
    found: list[Flank] = []
    for n, (stage, name) in enumerate(zip(build.stages, build.stage_names(), strict=True)):
        for c in stage.contacts():
            passed = meshes.get((name, c.name))
            if passed is not None:
                found += _sides(build, n, c, passed, low.speeds)
    return found


class _Passed(NamedTuple):
    """What a mesh passes: power [W] with 1 and 2 N·m at the output, torque on its two shafts
    without losses [N·m for 1 N·m at the output], and the shafts.
    """

    low: float
    high: float
    on_a: float
    on_b: float
    a: str
    b: str
    carrier: str | None


def _sides(
    build: Build, n: int, c: Contact, passed: _Passed, speeds: Mapping[str, float]
) -> Iterator[Flank]:
    p, stage, out = c.pair, build.stages[n], abs(speeds[OUTPUT])
    slope = (passed.high - passed.low) / out  # [J] through the mesh for each joule out of the drive
    start = (passed.low / out - slope) * 2 * math.pi  # and for each turn without load
    try:
        factor = p.loss_factor()
    except ValueError:
        return
    if slope <= 1e-12:
        return
    going = speeds[passed.carrier] if passed.carrier else 0.0
    for gear, part, other, materials, arm, shaft, torque in (
        (1, c.a, c.b, (c.material_a, c.material_b), c.arm_a, passed.a, passed.on_a),
        (2, c.b, c.a, (c.material_b, c.material_a), c.arm_b, passed.b, passed.on_b),
    ):
        count = _count(build, n, part)
        runs = [x for x in stage.contacts() if part in (x.a, x.b)]
        teeth = (p.z1 if gear == 1 else p.z2) * arm
        area = c.width * teeth * flank_length(p, gear)
        radius = p.radii(gear)[2] * arm * math.cos(base_helix(p.alpha, p.helix))
        yield Flank(
            mesh=f"stage {n + 1} {c.name}",
            body=f"stage {n + 1} {part}",
            side="driving flank" if len(runs) == 1 else f"{other} side",
            against=f"stage {n + 1} {other}",
            material=materials[0],
            other_material=materials[1],
            gears=count,
            module=p.module,
            width=c.width,
            per_turn=factor * start / (area * count),
            per_work=factor * slope / (area * count),
            area=area,
            lever=torque / radius,  # the work that closes the gap is that of the output
            turns=abs(speeds[shaft] - going) / out,
        )
