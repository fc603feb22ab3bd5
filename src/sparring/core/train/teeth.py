"""Involute tooth geometry (ISO 21771:2007, basic rack ISO 53: addendum 1 m, dedendum 1.25 m).
Formulas from memory.

Lengths [m], angles [rad]. Module and pressure angle are those of the rack, square to the tooth
(normal section); profile shift x in modules; helix: angle β at the reference circle, 0 for straight
teeth. Either hand gives the same sizes.
"""

from __future__ import annotations

import math

import numpy as np

ALPHA_20 = math.radians(20.0)
ADDENDUM, DEDENDUM = 1.0, 1.25


FILLET = 0.38
"""Tip radius of the basic rack, in modules (ISO 53, profile A)."""


def inv(alpha: float) -> float:
    """Involute function tan α − α [rad]."""
    return math.tan(alpha) - alpha


def inv_inverse(value: float) -> float:
    """The angle whose involute is `value` [rad], by Newton from a cube-root start; 0 <= value."""
    if value < 0:
        raise ValueError(
            f"no angle has the involute {value:.6g}; the profile shifts are too negative"
        )
    alpha = (3 * value) ** (1 / 3) if value < 1.8 else math.pi / 2 - 1 / (value + math.pi / 2)
    alpha = min(alpha, 1.5)
    for _ in range(40):
        step = (math.tan(alpha) - alpha - value) / math.tan(alpha) ** 2 if alpha else 0.0
        alpha -= step
        if abs(step) < 1e-15:
            break
    return alpha


def across(alpha: float, helix: float) -> float:
    """Pressure angle in the plane across the axis (transverse section): tan α_t = tan α/cos β."""
    return math.atan(math.tan(alpha) / math.cos(helix))


def base_helix(alpha: float, helix: float) -> float:
    """Helix angle at the base circle: sin β_b = sin β cos α."""
    return math.asin(math.sin(helix) * math.cos(alpha))


def overlap_ratio(module: float, width: float, helix: float) -> float:
    """ε_β = b sin β/(π m): how many teeth further the far end of the face is [-]."""
    return width * math.sin(abs(helix)) / (math.pi * module)


def virtual_teeth(teeth: int, alpha: float, helix: float) -> float:
    """Teeth of the straight gear whose tooth is like this one square to its flank: z/(cos² β_b cos
    β).
    """
    return teeth / (math.cos(base_helix(alpha, helix)) ** 2 * math.cos(helix))


def tip_diameter(module: float, teeth: int, shift: float = 0.0, helix: float = 0.0) -> float:
    """Tip circle d_a = m (z/cos β + 2 + 2x)."""
    return module * (teeth / math.cos(helix) + 2 * (ADDENDUM + shift))


def root_diameter(module: float, teeth: int, shift: float = 0.0, helix: float = 0.0) -> float:
    """Root circle d_f = m (z/cos β − 2.5 + 2x)."""
    return module * (teeth / math.cos(helix) - 2 * (DEDENDUM - shift))


def undercut_limit(shift: float = 0.0, alpha: float = ALPHA_20, helix: float = 0.0) -> float:
    """Fewest teeth that a rack cuts without undercut: 2 (1 − x) cos β/sin² α_t (17.1 at 20°, x = 0,
    straight).
    """
    return 2 * (ADDENDUM - shift) * math.cos(helix) / math.sin(across(alpha, helix)) ** 2


def start_of_involute(
    teeth: int, shift: float = 0.0, alpha: float = ALPHA_20, helix: float = 0.0
) -> float:
    """Length of roll, in modules, from the base circle to where the involute of a rack-cut tooth
    begins: where its fillet ends, or where an undercut has cut it away.
    """
    sin = math.sin(across(alpha, helix))
    depth = DEDENDUM - FILLET * (1 - sin) - shift
    left = teeth / 2 / math.cos(helix) * sin - depth / sin
    return left if left >= 0 else _end_of_undercut(teeth, shift, alpha, helix)


def _end_of_undercut(teeth: int, shift: float, alpha: float, helix: float) -> float:
    """Length of roll, in modules, at which the trochoid of the rack's corner crosses the involute
    [modules]; 0 where it does not reach above the base circle.
    """
    flank = across(alpha, helix)
    base = teeth / 2 / math.cos(helix) * math.cos(flank)
    half = (math.pi / 2 + 2 * shift * math.tan(alpha)) / teeth + inv(flank)
    radius, angle = rack_fillet(1.0, teeth, shift, alpha=alpha, points=4096, helix=helix)
    above = radius > base
    radius, angle = radius[above], angle[above]
    roll = np.sqrt(np.maximum(radius**2 - base**2, 0.0))
    left = angle - (half - (roll / base - np.arctan(roll / base)))  # of the tooth, beyond its flank
    cut = np.flatnonzero(left < 0)
    if not len(cut):
        return 0.0
    last = int(cut[-1])
    if last + 1 == len(roll):
        return float(roll[last])
    a, b = left[last], left[last + 1]
    return float(roll[last] + (roll[last + 1] - roll[last]) * a / (a - b))


def rack_fillet(
    module: float, teeth: float, shift: float, alpha: float, points: int, helix: float
) -> tuple[np.ndarray, np.ndarray]:
    """(radius, half angle of the tooth [rad]) along the trochoid that the rounded corner of the
    rack leaves, root first.

    The rack's pitch line rolls on the pitch circle; the cutting point lies on the line from the
    centre of the rounding through the pitch point (Litvin, Gear Geometry and Applied Theory; from
    memory). For a helix the rounding is taken as a circle across the axis too, where it is a
    slightly longer ellipse.
    """
    wide, alpha = 1 / math.cos(helix), across(alpha, helix)
    r = module * wide * teeth / 2
    rho = (
        min(
            FILLET,
            0.99
            * (math.pi / 4 * wide - DEDENDUM * math.tan(alpha))
            / (1 / math.cos(alpha) - math.tan(alpha)),
        )
        * module
    )
    half_gap = (
        math.pi * module * wide / 4
        - (DEDENDUM * module - rho) * math.tan(alpha)
        - rho / math.cos(alpha)
    )
    depth = max(DEDENDUM * module - rho - shift * module, 1e-6 * module)
    u = np.linspace(0.0, depth / math.tan(alpha), points)
    away = np.hypot(u, depth)
    x, y = u * (1 + rho / away), r - depth * (1 + rho / away)
    rolled = (u - half_gap) / r
    return np.hypot(x, y), math.pi / teeth - (np.arctan2(x, y) - rolled)


def span_over_teeth(
    module: float,
    teeth: int,
    over: int,
    *,
    shift: float = 0.0,
    alpha: float = ALPHA_20,
    helix: float = 0.0,
) -> float:
    """Base tangent length W_k over `over` teeth = m cos α [π (k − ½) + z inv α_t] + 2 x m sin α,
    square to the flanks: a face narrower than W_k sin β_b is not wide enough to span them.

    Raises ValueError when the calipers would miss the flanks.
    """
    if not 1 <= over < teeth / 2:
        raise ValueError(f"{over} of {teeth} teeth cannot be spanned with calipers")
    turned = math.pi * (over - 0.5) + teeth * inv(across(alpha, helix))
    return module * math.cos(alpha) * turned + 2 * shift * module * math.sin(alpha)


def over_pins(
    module: float,
    teeth: int,
    pin: float,
    *,
    shift: float = 0.0,
    alpha: float = ALPHA_20,
    helix: float = 0.0,
) -> float:
    """Size over two pins or balls of diameter `pin` in opposite gaps, M = d_b/cos β + D (odd teeth:
    d_b/cos β · cos(π/2z) + D).

    inv β = inv α_t + D/(m z cos α) − π/2z + 2 x tan α/z, d_b across the axis; helical teeth are
    measured over balls. Raises ValueError when the pin does not rest on the flanks.
    """
    transverse = across(alpha, helix)
    base = module / math.cos(helix) * teeth * math.cos(transverse)
    involute = (
        inv(transverse)
        + pin / (module * teeth * math.cos(alpha))
        - math.pi / (2 * teeth)
        + 2 * shift * math.tan(alpha) / teeth
    )
    if involute <= 0:
        raise ValueError(
            f"a pin of {pin * 1e3:.2f} mm drops to the bottom of the gap; use a thicker "
            f"one, about {1.7 * module * 1e3:.2f} mm"
        )
    size = (
        base
        / math.cos(inv_inverse(involute))
        * (math.cos(math.pi / (2 * teeth)) if teeth % 2 else 1.0)
        + pin
    )
    if size < tip_diameter(module, teeth, shift, helix):
        raise ValueError(
            f"a pin of {pin * 1e3:.2f} mm lies below the tips; use a thicker one, about "
            f"{1.7 * module * 1e3:.2f} mm"
        )
    return size


def meshing_angle(z_a: int, z_b: int, angle_a: float, direction: float) -> float:
    """Angle of gear b [rad] that puts its gap on gear a's tooth; b lies at `direction` [rad] from
    a's centre.
    """
    return direction + math.pi + math.pi / z_b - (angle_a - direction) * z_a / z_b


def ring_angle(z_a: int, z_ring: int, angle_a: float, direction: float) -> float:
    """Angle of a ring round gear a [rad] (0: a space on +x) that puts its space on gear a's tooth;
    a lies at `direction`.
    """
    return direction + (angle_a - direction) * z_a / z_ring


# --- interference (Shigley, Mechanical Engineering Design, 13-7; formulas from memory) ------------


def fewest_without_interference(ratio: float, alpha: float = ALPHA_20, helix: float = 0.0) -> float:
    """Fewest pinion teeth that run with a gear `ratio` (>= 1, inf: a rack) times as large,
    unshifted (not rounded).
    """
    s2 = math.sin(across(alpha, helix)) ** 2
    if math.isinf(ratio):
        return undercut_limit(0.0, alpha, helix)
    return (
        2
        * ADDENDUM
        * math.cos(helix)
        / ((1 + 2 * ratio) * s2)
        * (ratio + math.sqrt(ratio**2 + (1 + 2 * ratio) * s2))
    )
