"""Involute tooth geometry (ISO 21771:2007, basic rack ISO 53: addendum 1 m, dedendum 1.25 m).
Formulas from memory.

Lengths [m], angles [rad]. Module and pressure angle are those of the rack, square to the tooth
(normal section); profile shift x in modules; helix: angle β at the reference circle, 0 for straight
teeth. Either hand gives the same sizes.
"""

from __future__ import annotations

import math

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
    """Length of roll, in modules, from the base circle to where the fillet of a rack-cut tooth
    ends; 0 when undercut.
    """
    sin = math.sin(across(alpha, helix))
    depth = DEDENDUM - FILLET * (1 - sin) - shift
    return max(0.0, teeth / 2 / math.cos(helix) * sin - depth / sin)


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
            f"a pin of {pin * 1e3:.2f} mm falls to the bottom of the gap; take a thicker one, about"
            f" {1.7 * module * 1e3:.2f} mm"
        )
    size = (
        base
        / math.cos(inv_inverse(involute))
        * (math.cos(math.pi / (2 * teeth)) if teeth % 2 else 1.0)
        + pin
    )
    if size < tip_diameter(module, teeth, shift, helix):
        raise ValueError(
            f"a pin of {pin * 1e3:.2f} mm lies below the tips; take a thicker one, about"
            f" {1.7 * module * 1e3:.2f} mm"
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
