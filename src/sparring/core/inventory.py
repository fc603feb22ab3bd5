"""What a build weighs, measures and costs, from its drawing and its parts list."""

from __future__ import annotations

import math
from typing import NamedTuple

from sparring.core.build import MOTOR, OUTPUT, Build
from sparring.core.train import kinematics, materials


class Inventory(NamedTuple):
    """mass: of gears, motors and listed parts [kg]; gears: of the gears alone [kg]; size: (length
    along the axes, width, height) of the gears [m]; inertia_in, inertia_out: of everything that
    turns, seen at the input and at the output [kg·m²]; cost: of one drive; with_spares; unknown:
    materials without a density, whose bodies are left out."""

    mass: float
    gears: float
    size: tuple[float, float, float]
    inertia_in: float
    inertia_out: float
    cost: float
    with_spares: float
    unknown: tuple[str, ...]


def take(build: Build) -> Inventory:
    """Adds up every body of every stage: mass from its face area and width, inertia from its polar
    moment, each carried to the input by the square of its speed; planets count once about their own
    axis and once round the centre.
    """
    speeds = kinematics.solve_speeds(build.elements(), {MOTOR: 1.0})
    shafts, names = build.shafts(), build.stage_names()
    gears = 0.0
    inertia = build.rotor_inertia()
    unknown: dict[str, None] = {}
    left = right = low = high = x0 = y0 = 0.0
    length = 0.0
    for n, stage in enumerate(build.stages):
        bodies = stage.bodies(shafts[n], shafts[n + 1], names[n])
        for b in bodies:
            x, y = x0 + b.at[0], y0 + b.at[1]
            left, right, low, high = (
                min(left, x - b.reach),
                max(right, x + b.reach),
                min(low, y - b.reach),
                max(high, y + b.reach),
            )
            if not b.material or b.width <= 0 or b.look == "band":
                continue
            material = materials.find(b.material, build.materials)
            if material is None:
                if b.material not in ("belt", "magnet"):
                    unknown[b.material] = None
                continue
            mass = b.volume() * material.density
            gears += mass
            own = speeds.get(b.shaft, 0.0) if b.shaft else 0.0
            around = speeds.get(b.carrier, 0.0) if b.carrier else 0.0
            inertia += (
                b.polar_moment() * material.density * own**2
                + mass * (b.at[0] ** 2 + b.at[1] ** 2) * around**2
            )
        if bodies:
            length += max(b.layer + b.width for b in bodies)
        dx, dy = stage.output_at()
        x0, y0 = x0 + dx, y0 + dy
    motors = build.motor.mass + sum(f.readings.mass for f in build.further_motors)
    listed = sum(i.count * i.mass for i in build.parts)
    return Inventory(
        mass=gears + motors + listed,
        gears=gears,
        size=(length, right - left, high - low),
        inertia_in=inertia,
        inertia_out=inertia / speeds[OUTPUT] ** 2 if speeds[OUTPUT] else math.inf,
        cost=sum(i.count * i.price for i in build.parts),
        with_spares=sum((i.count + i.spares) * i.price for i in build.parts),
        unknown=tuple(unknown),
    )
