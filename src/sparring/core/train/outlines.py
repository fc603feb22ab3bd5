"""True outlines to draw, cut or check: involute gears with the fillet a rack leaves, rings, cycloid
discs. Closed, shape (n, 2) [m].
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from sparring.core.train.teeth import (
    ADDENDUM,
    ALPHA_20,
    DEDENDUM,
    across,
    inv,
    rack_fillet,
    undercut_limit,
)


def tooth_profile(
    module: float,
    teeth: float,
    shift: float = 0.0,
    alpha: float = ALPHA_20,
    points: int = 8,
    helix: float = 0.0,
) -> tuple[np.ndarray, np.ndarray]:
    """(radius [m], half angle of the tooth [rad]) across the axis, from root to tip: fillet, then
    involute; an undercut shows as a waist."""
    ra, rb, half = _circles(module, teeth, shift, alpha=alpha, helix=helix)
    radius_f, half_f = rack_fillet(
        module, teeth, shift, alpha=alpha, points=4 * points, helix=helix
    )
    # the trochoid crosses the involute above its start
    undercut = teeth < undercut_limit(shift, alpha, helix) and radius_f[-1] > rb
    start = min(max(rb * (1 + 1e-9), rb if undercut else radius_f[-1]), ra * (1 - 1e-9))
    roll = (
        np.linspace(math.sqrt(start**2 - rb**2), math.sqrt(max(ra**2 - rb**2, 0.0)), 2 * points)
        / rb
    )
    radius_i, half_i = rb * np.hypot(1.0, roll), np.maximum(half - (roll - np.arctan(roll)), 0.0)
    if undercut:
        half_i = np.where(
            radius_i < radius_f[-1],
            np.minimum(half_i, np.interp(radius_i, radius_f, half_f)),
            half_i,
        )
    below = radius_f < start
    return np.concatenate([radius_f[below], radius_i]), np.concatenate([half_f[below], half_i])


def _circles(
    module: float, teeth: float, shift: float, alpha: float, helix: float
) -> tuple[float, float, float]:
    """(tip radius, base radius, half angle of the tooth where its involute would start at the base
    circle).
    """
    flank = across(alpha, helix)
    rb = module / math.cos(helix) * teeth / 2 * math.cos(flank)
    ra = module * (teeth / math.cos(helix) / 2 + ADDENDUM + shift)
    return ra, rb, (math.pi / 2 + 2 * shift * math.tan(alpha)) / teeth + inv(flank)


def _around(radius: np.ndarray, angle: np.ndarray, teeth: int) -> np.ndarray:
    """One tooth's profile (polar) repeated round the circle and closed."""
    turns = 2 * math.pi / teeth * np.arange(teeth)[:, None]
    angles = (turns + angle).ravel()
    radii = np.tile(radius, teeth)
    xy = np.column_stack([radii * np.cos(angles), radii * np.sin(angles)])
    closed: np.ndarray = np.vstack([xy, xy[:1]])
    return closed


@lru_cache(maxsize=512)
def gear(
    module: float,
    teeth: int,
    shift: float = 0.0,
    alpha: float = ALPHA_20,
    points: int = 8,
    helix: float = 0.0,
) -> np.ndarray:
    """External gear, a tooth centred on +x; a helical one as cut across its axis."""
    radius, half = tooth_profile(module, teeth, shift, alpha=alpha, points=points, helix=helix)
    return _around(
        np.concatenate([radius, radius[::-1]]), np.concatenate([-half, half[::-1]]), teeth
    )


@lru_cache(maxsize=512)
def ring(
    module: float,
    teeth: int,
    shift: float = 0.0,
    alpha: float = ALPHA_20,
    points: int = 8,
    tip: float | None = None,
    helix: float = 0.0,
) -> np.ndarray:
    """The toothed inside of a ring, a space centred on +x. tip: radius of its tips [m]; never below
    the base circle.
    """
    r = module / math.cos(helix) * teeth / 2
    rb = r * math.cos(across(alpha, helix))
    inner, outer = (
        max(r - module * (ADDENDUM + shift) if tip is None else tip, rb * (1 + 1e-9)),
        r + module * (DEDENDUM - shift),
    )
    half = (math.pi / 2 - 2 * shift * math.tan(alpha)) / teeth + inv(across(alpha, helix))
    roll = np.linspace(math.sqrt(inner**2 - rb**2), math.sqrt(outer**2 - rb**2), 2 * points) / rb
    space = np.maximum(half - (roll - np.arctan(roll)), 0.0)
    radius = rb * np.hypot(1.0, roll)
    return _around(
        np.concatenate([radius, radius[::-1]]), np.concatenate([-space, space[::-1]]), teeth
    )


def circle(radius: float, x: float = 0.0, y: float = 0.0, points: int = 96) -> np.ndarray:
    """A circle round (x, y)."""
    t = np.linspace(0.0, 2 * math.pi, points + 1)
    return np.column_stack([x + radius * np.cos(t), y + radius * np.sin(t)])


@lru_cache(maxsize=64)
def cycloid_disc(
    pins: int, pin_circle: float, pin_radius: float, eccentricity: float, clearance: float = 0.0
) -> np.ndarray:
    """Disc of a cycloid drive with one lobe fewer than pins, in its own frame: a hollow on +x,
    which meets the pin on +x when the eccentric points there.

    The inner parallel, by the pin's radius, of the curve on which the pins' centres run as the disc
    sees them, R e^{iτ} − e e^{iNτ}: the motion of the disc written out.
    """
    t = np.linspace(0.0, 2 * math.pi, 160 * pins + 1)
    centre = pin_circle * np.exp(1j * t) - eccentricity * np.exp(1j * pins * t)
    along = 1j * (pin_circle * np.exp(1j * t) - pins * eccentricity * np.exp(1j * pins * t))
    edge = centre + (pin_radius + clearance) * 1j * along / np.abs(along)
    return np.column_stack([edge.real, edge.imag])


def least_hollow(pins: int, pin_circle: float, eccentricity: float) -> float:
    """Smallest radius of curvature [m] of the pin centres' curve where it is hollow; a pin that is
    larger undercuts the lobes.
    """
    t = np.linspace(0.0, 2 * math.pi / pins, 721)
    d1 = 1j * (pin_circle * np.exp(1j * t) - pins * eccentricity * np.exp(1j * pins * t))
    d2 = -(pin_circle * np.exp(1j * t) - pins**2 * eccentricity * np.exp(1j * pins * t))
    bend = (np.conj(d1) * d2).imag / np.abs(d1) ** 3  # positive: bulging outwards
    bulging = bend > 0
    return float(1 / bend[bulging].max()) if bulging.any() else math.inf


@lru_cache(maxsize=1024)
def lewis_form_factor(teeth: float, shift: float = 0.0, alpha: float = ALPHA_20) -> float:
    """Lewis form factor Y of an external gear loaded at its tip, by the parabola of constant
    strength in the true tooth: Y = min t²/(6 h m), t the thickness at depth h below the point where
    the load line meets the tooth's centre line.

    Shigley, Mechanical Engineering Design, eqs. 14-2 and 14-3.
    """
    radius, half = _fine(teeth, shift, alpha)
    ra, rb, half_at_base = _circles(1.0, teeth, shift, alpha=alpha, helix=0.0)
    tip_half = half_at_base - inv(math.acos(rb / ra))
    # where the load line crosses the centre line
    at = rb / math.cos(math.acos(rb / ra) - max(tip_half, 0.0))
    below = radius < at - 0.05
    height, thickness = (
        at - radius[below] * np.cos(half[below]),
        2 * radius[below] * np.sin(half[below]),
    )
    return float(np.min(thickness**2 / (6 * height)))


@lru_cache(maxsize=512)
def _fine(teeth: float, shift: float, alpha: float) -> tuple[np.ndarray, np.ndarray]:
    return tooth_profile(1.0, teeth, shift, alpha=alpha, points=40)
