"""At which orders each part of a train can be heard: shafts, planets, meshes, belts, balls."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import NamedTuple

from sparring.core.build import Build
from sparring.core.train import kinematics
from sparring.core.train.bearings import passing

_LEAST_TEETH = 4  # of the wheel of a mesh; below, two shafts are only joined


class Tone(NamedTuple):
    """Something that comes round `order` times in one turn of the shaft that is counted by. id:
    stable; kind: shaft, planet, passage, mesh, belt or ball; shafts: whose turns it follows; gears:
    teeth on each of them; name: of what makes it, detail: its gears.
    """

    id: str
    kind: str
    order: float
    name: str
    reason: str
    shafts: tuple[str, ...] = ()
    gears: tuple[int, ...] = ()
    detail: str = ""

    @property
    def part(self) -> str:
        """What makes it, whole: with the gears it is of."""
        return f"{self.name} ({self.detail})" if self.detail else self.name


class Gear(NamedTuple):
    """A gear on a shaft: its teeth, its stage, and what it is called there."""

    teeth: int
    stage: str
    name: str


def turns_of(build: Build, counted: str = "output") -> dict[str, float]:
    """Turns of every shaft for one of the shaft that is counted by, signed. Raises ValueError
    naming the shafts there are.
    """
    speeds = build.speeds
    if not abs(speeds.get(counted, 0.0)) > 0:
        names = ", ".join(s for s, w in speeds.items() if abs(w) > 1e-12)
        raise ValueError(f"{counted} is not a shaft that turns; there are {names}")
    return {shaft: w / speeds[counted] for shaft, w in speeds.items()}


def gears_on(build: Build) -> dict[str, list[Gear]]:
    """The gears of each shaft, from the motor on."""
    found: dict[str, list[Gear]] = {}
    for mesh in _meshes(build):
        names = mesh.contact.split("–") if "–" in mesh.contact else ["", ""]
        for shaft, teeth, name in ((mesh.a, mesh.za, names[0]), (mesh.b, mesh.zb, names[1])):
            gear = Gear(round(abs(teeth)), mesh.name, name)
            if gear not in found.setdefault(shaft, []):
                found[shaft].append(gear)
    return found


def tones_of(build: Build, counted: str = "output") -> list[Tone]:
    """All orders of a build's parts, for one turn of a shaft. Raises ValueError."""
    turns = turns_of(build, counted)
    return [*_shafts(build, turns), *_stages(build, turns), *_balls(build, turns)]


def _meshes(build: Build) -> Iterator[kinematics.Mesh]:
    closed = {
        name
        for name, s in zip(build.stage_names(), build.stages, strict=True)
        if s.kind == "closed box"
    }
    for e in build.elements():
        if isinstance(e, kinematics.Ground) or e.name in closed:
            continue
        if max(abs(e.za), abs(e.zb)) >= _LEAST_TEETH:
            yield e


def _shafts(build: Build, turns: dict[str, float]) -> Iterator[Tone]:
    gears = gears_on(build)
    for shaft in build.all_shafts():
        if abs(turns[shaft]) < 1e-9 or shaft.endswith("planets"):
            continue  # planets turn in their carrier, not by themselves
        own = [f"{g.name or 'gear'} {g.teeth} of {g.stage}" for g in gears.get(shaft, [])]
        name = shaft if shaft.startswith(("shaft", "stage")) else f"{shaft} shaft"
        order, detail = abs(turns[shaft]), ", ".join(own)
        yield Tone(f"shaft.{shaft}", "shaft", order, name, "turns once", (shaft,), detail=detail)


def _stages(build: Build, turns: dict[str, float]) -> Iterator[Tone]:
    for mesh in _meshes(build):
        frame = 0.0 if mesh.carrier is None else turns[mesh.carrier]
        order = abs(mesh.za * (turns[mesh.a] - frame))
        if order < 1e-9:
            continue
        names = mesh.contact.split("–") if "–" in mesh.contact else ["", ""]
        sides = [
            f"{name or 'gear'} {abs(z):.0f} on {shaft}"
            for name, z, shaft in zip(names, (mesh.za, mesh.zb), (mesh.a, mesh.b), strict=True)
        ]
        turned = abs(turns[mesh.a] - frame)
        reason = f"{abs(mesh.za):.0f} teeth × {turned:.4g} turns of {mesh.a}"
        if mesh.carrier is not None:
            reason += " in its carrier"
        yield Tone(
            f"mesh.{mesh.name}" + (f".{mesh.contact}" if mesh.contact else ""),
            "mesh",
            order,
            f"mesh of {mesh.name}" + (f", {mesh.contact}" if mesh.carrier else ""),
            reason,
            (mesh.a, mesh.b),
            (round(abs(mesh.za)), round(abs(mesh.zb))),
            ", ".join(sides),
        )
    shafts = build.shafts()
    for n, (stage, name) in enumerate(zip(build.stages, build.stage_names(), strict=True)):
        for x in stage.passes(turns, shafts[n], shafts[n + 1], name):
            if x.order > 1e-9:
                # planets past the held ring: `held ring`
                what = re.sub(r"^.*\bthe ", "", x.part)
                own = (f"{name} planets",) if x.kind == "planet" else ()
                part = f"{x.part} of {name}"
                yield Tone(f"{x.kind}.{name}.{what}", x.kind, x.order, part, x.reason, own)


def _balls(build: Build, turns: dict[str, float]) -> Iterator[Tone]:
    for n, bearing in enumerate(build.bearings, start=1):
        turned = abs(turns.get(bearing.shaft, 0.0))
        if turned < 1e-9:
            continue
        name = bearing.name or f"bearing {n}"
        words = ("outer ring", "inner ring", "cage", "ball")
        for what, order in zip(words, passing(bearing), strict=True):
            reason = f"{order:.4g} times a turn of {bearing.shaft}"
            part = f"{what} of {name} on {bearing.shaft}"
            yield Tone(f"ball.{n}.{what}", "ball", order * turned, part, reason, (bearing.shaft,))


def hunting(teeth: tuple[int, int]) -> tuple[int, int]:
    """(common factor of two gears' teeth, turns of the first after which the same teeth meet
    again): lcm(z₁, z₂)/z₁. A fault of one tooth meets every `factor`-th tooth of the other.
    """
    factor = math.gcd(*teeth)
    return factor, teeth[1] // factor
