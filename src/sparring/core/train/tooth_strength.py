"""What the teeth of one pair carry: bending after Lewis, flanks after Hertz."""

from __future__ import annotations

import math

from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.outlines import lewis_form_factor
from sparring.core.train.pair import Pair
from sparring.core.train.teeth import base_helix, virtual_teeth


def bending_torque(
    pair: Pair, gear: int, width: float, material: str, setting: Setting = ROOM
) -> tuple[float, str]:
    """Torque on one gear at which a tooth breaks [N·m]: T = σ b m Y r, all force on one tooth at
    its tip; and what it rests on. A helical tooth has the form of its virtual straight gear, and
    its lines of contact are taken as no longer than the face.

    A ring's tooth is reckoned as a rack's, Y = 0.485 (Shigley table 14-2; from memory), which is on
    the safe side. (0, "") for a material that nobody knows.
    """
    m = setting.material(material)
    if m is None:
        return 0.0, ""
    z, x = (pair.z1, pair.x1) if gear == 1 else (pair.z2, pair.x2)
    form = (
        0.485
        if pair.ring and gear == 2
        else lewis_form_factor(
            round(virtual_teeth(z, pair.alpha, pair.helix), 6), round(x, 6), round(pair.alpha, 9)
        )
    )
    return (
        m.strength_at(setting.temperature, setting.layers)
        * width
        * pair.module
        * form
        * pair.across_module
        * z
        / 2,
        f"Lewis, Y = {form:.3f}, {m.name}",
    )


def flank_torque(
    pair: Pair, width: float, material_1: str, material_2: str, setting: Setting = ROOM
) -> tuple[float, str]:
    """Torque on gear 1 at which the softer flank is crushed at the pitch point [N·m]; (0, "") where
    unknown. Hertz' pressure reckons elastic bodies; past the yield it is a measure of the load at
    which a flank takes lasting dents from one push, and no pressure that is there.

    p² = F_n/(π b) · (1/ρ₁ ± 1/ρ₂)/((1−ν₁²)/E₁ + (1−ν₂²)/E₂), minus for a ring; F_n = T/(r₁ cos α_t
    cos β_b), radii of curvature across the axis over cos β_b, on a line of contact b/cos β_b long:
    together 1/cos β_b more force.
    """
    m1, m2 = setting.material(material_1), setting.material(material_2)
    if m1 is None or m2 is None:
        return 0.0, ""
    angle = pair.running_angle()
    a = pair.centre_distance()
    r1 = a * pair.z1 / pair.teeth_between
    r2 = a * pair.z2 / pair.teeth_between
    curvature = 1 / (r1 * math.sin(angle)) + (-1 if pair.ring else 1) / (r2 * math.sin(angle))
    compliance = (1 - m1.poisson**2) / m1.modulus + (1 - m2.poisson**2) / m2.modulus
    softer = min((m1, m2), key=lambda m: m.flank_pressure(setting.temperature))
    force = (
        softer.flank_pressure(setting.temperature) ** 2 * math.pi * width * compliance / curvature
    )
    return (
        force * math.cos(angle) * r1 / math.cos(base_helix(pair.alpha, pair.helix)),
        (
            "contact pressure for permanent indentation, one load; pitting starts far earlier: "
            f"{softer.name}"
        ),
    )


def thrust(pair: Pair, torque: float, gear: int = 1) -> float:
    """Force along the shaft of a helical gear that carries `torque` [N·m], F_a = 2 |T| tan β/d [N];
    0 for straight teeth.
    """
    z = pair.z1 if gear == 1 else pair.z2
    return abs(torque) * math.tan(pair.helix) / (pair.across_module * z / 2)
