"""Involute tooth geometry (ISO 21771:2007, basic rack ISO 53: addendum 1 m, dedendum 1.25 m). Formulas from memory.

Lengths [m], angles [rad]. Straight teeth; profile shift x in modules.
"""

from __future__ import annotations

import math

import numpy as np

ALPHA_20 = math.radians(20.0)
ADDENDUM, DEDENDUM = 1.0, 1.25


def inv(alpha: float) -> float:
    """Involute function tan α − α [rad]."""
    return math.tan(alpha) - alpha


def inv_inverse(value: float) -> float:
    """The angle whose involute is `value` [rad], by Newton from a cube-root start; 0 <= value."""
    if value < 0:
        raise ValueError(f"no angle has the involute {value:.6g}; the profile shifts are too negative")
    alpha = (3 * value) ** (1 / 3) if value < 1.8 else math.pi / 2 - 1 / (value + math.pi / 2)
    alpha = min(alpha, 1.5)
    for _ in range(40):
        step = (math.tan(alpha) - alpha - value) / math.tan(alpha) ** 2 if alpha else 0.0
        alpha -= step
        if abs(step) < 1e-15:
            break
    return alpha


def tip_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """Tip circle d_a = m (z + 2 + 2x)."""
    return module * (teeth + 2 * (ADDENDUM + shift))


def root_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """Root circle d_f = m (z − 2.5 + 2x)."""
    return module * (teeth - 2 * (DEDENDUM - shift))


def working_pressure_angle(z1: int, z2: int, x1: float = 0.0, x2: float = 0.0, alpha: float = ALPHA_20) -> float:
    """α_w without backlash: inv α_w = inv α + 2 tan α (x1 + x2)/(z1 + z2)."""
    return inv_inverse(inv(alpha) + 2 * math.tan(alpha) * (x1 + x2) / (z1 + z2))


def centre_distance(module: float, z1: int, z2: int, x1: float = 0.0, x2: float = 0.0, alpha: float = ALPHA_20) -> float:
    """Centre distance without backlash of an external pair."""
    alpha_w = working_pressure_angle(z1, z2, x1, x2, alpha)
    return module * (z1 + z2) / 2 * math.cos(alpha) / math.cos(alpha_w)


def undercut_limit(shift: float = 0.0, alpha: float = ALPHA_20) -> float:
    """Fewest teeth that a rack cuts without undercut: 2 (1 − x)/sin² α (17.1 at 20°, x = 0)."""
    return 2 * (ADDENDUM - shift) / math.sin(alpha) ** 2


def contact_ratios(
    module: float, z1: int, z2: int, x1: float = 0.0, x2: float = 0.0, opening: float = 0.0, alpha: float = ALPHA_20
) -> tuple[float, float]:
    """Tip contact ratios (ε1, ε2) of pinion and wheel; their sum is the transverse contact ratio ε_α.

    opening: centres opened beyond the distance without backlash [m].
    Raises ValueError when the teeth no longer reach each other.
    """
    a_w = centre_distance(module, z1, z2, x1, x2, alpha) + opening
    cos_w = module * (z1 + z2) / 2 * math.cos(alpha) / a_w
    if cos_w >= 1:
        raise ValueError(f"the centres are {-opening * 1e3:.2f} mm too close: the base circles overlap")
    tan_w = math.sqrt(1 - cos_w**2) / cos_w
    pitch = math.pi * module * math.cos(alpha)

    def part(z: int, x: float) -> float:
        base = module * z * math.cos(alpha) / 2
        tip = tip_diameter(module, z, x) / 2
        return (math.sqrt(max(tip**2 - base**2, 0.0)) - base * tan_w) / pitch

    e1, e2 = part(z1, x1), part(z2, x2)
    if e1 + e2 <= 0:
        raise ValueError(f"with the centres opened by {opening * 1e3:.2f} mm the teeth do not reach each other")
    return e1, e2


def backlash_from_opening(opening: float, alpha_w: float) -> float:
    """Circumferential backlash j_t ≈ 2 Δa tan α_w at the pitch circle [m]."""
    return 2 * opening * math.tan(alpha_w)


def span_over_teeth(module: float, teeth: int, across: int, *, shift: float = 0.0, alpha: float = ALPHA_20) -> float:
    """Base tangent length W_k over `across` teeth = m cos α [π (k − ½) + z inv α] + 2 x m sin α.

    Raises ValueError when the calipers would miss the flanks.
    """
    if not 1 <= across < teeth / 2:
        raise ValueError(f"{across} of {teeth} teeth cannot be spanned with calipers")
    return module * math.cos(alpha) * (math.pi * (across - 0.5) + teeth * inv(alpha)) + 2 * shift * module * math.sin(alpha)


def outline(module: float, teeth: int, shift: float = 0.0, alpha: float = ALPHA_20, points: int = 7) -> np.ndarray:
    """True outline of an external gear, a tooth centred on the +x axis, closed; shape (n, 2) [m].

    Involute flanks from the base circle (or the root circle, whichever is larger) to the tip; below the base circle
    radial lines, as the cutter's own fillet depends on the tool.
    """
    r = module * teeth / 2
    rb = r * math.cos(alpha)
    ra, rf = tip_diameter(module, teeth, shift) / 2, root_diameter(module, teeth, shift) / 2
    half = (math.pi / 2 + 2 * shift * math.tan(alpha)) / teeth + inv(alpha)  # half tooth angle at the base circle
    radii = np.linspace(max(rb, rf), ra, points)
    roll = np.arccos(np.clip(rb / radii, -1.0, 1.0))
    flank = np.maximum(half - (np.tan(roll) - roll), 0.0)
    angle = np.concatenate([[-flank[0]], -flank, flank[::-1], [flank[0]]])
    radius = np.concatenate([[min(rf, rb)], radii, radii[::-1], [min(rf, rb)]])
    turns = 2 * math.pi / teeth * np.arange(teeth)[:, None]
    all_angles = (turns + angle).ravel()
    all_radii = np.tile(radius, teeth)
    xy = np.column_stack([all_radii * np.cos(all_angles), all_radii * np.sin(all_angles)])
    closed: np.ndarray = np.vstack([xy, xy[:1]])
    return closed


def meshing_angle(z_a: int, z_b: int, angle_a: float, direction: float) -> float:
    """Angle of gear b [rad] that puts its gap on gear a's tooth; b lies at `direction` [rad] from a's centre."""
    return direction + math.pi + math.pi / z_b - (angle_a - direction) * z_a / z_b


# --- interference (Shigley, Mechanical Engineering Design, 13-7; formulas from memory) ------------------------------


def interferes(
    module: float, z1: int, z2: int, x1: float = 0.0, x2: float = 0.0, opening: float = 0.0, alpha: float = ALPHA_20
) -> tuple[bool, bool]:
    """Whether the tips of (gear 2, gear 1) reach below the other's base circle, past the end of the line of action."""
    a_w = centre_distance(module, z1, z2, x1, x2, alpha) + opening
    cos_w = module * (z1 + z2) / 2 * math.cos(alpha) / a_w
    along = a_w * math.sqrt(max(0.0, 1 - cos_w**2))

    def past(z: int, x: float) -> bool:
        return tip_diameter(module, z, x) / 2 > math.hypot(module * z / 2 * math.cos(alpha), along) * (1 + 1e-12)

    return past(z2, x2), past(z1, x1)


def fewest_without_interference(ratio: float, alpha: float = ALPHA_20) -> float:
    """Fewest pinion teeth that run with a gear `ratio` (>= 1, inf: a rack) times as large, unshifted (not rounded)."""
    s2 = math.sin(alpha) ** 2
    if math.isinf(ratio):
        return undercut_limit(0.0, alpha)
    return 2 * ADDENDUM / ((1 + 2 * ratio) * s2) * (ratio + math.sqrt(ratio**2 + (1 + 2 * ratio) * s2))


def most_without_interference(pinion: int, alpha: float = ALPHA_20) -> float:
    """Most teeth of a gear that a pinion runs with, unshifted (not rounded); inf where any, 0 where none."""
    s2 = math.sin(alpha) ** 2
    below = 4 * ADDENDUM - 2 * pinion * s2
    if below <= 0:
        return math.inf
    return max(0.0, (pinion**2 * s2 - 4 * ADDENDUM**2) / below)
