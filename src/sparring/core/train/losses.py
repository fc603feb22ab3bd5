"""Loss in one mesh: basic efficiency η₀ = 1 − μ H_V from true contact ratios (Niemann; VDI 2736-2:2014)."""

from __future__ import annotations

import math

from sparring.core.train.teeth import ALPHA_20, contact_ratios

# Mean coefficients of friction (VDI 2736-2 gives ranges of this size; these figures are from memory, ±30 %).
FRICTION = {"dry": 0.20, "greased": 0.09, "oiled": 0.06}


def loss_factor(module: float, z1: int, z2: int, x1: float = 0.0, x2: float = 0.0, opening: float = 0.0, alpha: float = ALPHA_20) -> float:
    """H_V = π (u + 1)/(z1 u cos β_b) (1 − ε_α + ε1² + ε2²), external spur pair (β_b = 0), u = z2/z1 with z2 >= z1."""
    e1, e2 = contact_ratios(module, z1, z2, x1, x2, opening, alpha)
    small, large = sorted((z1, z2))
    u = large / small
    return math.pi * (u + 1) / (small * u) * (1 - (e1 + e2) + e1**2 + e2**2)


def basic_efficiency(friction: float, h_v: float) -> float:
    """η₀ = 1 − μ H_V of one mesh; never below zero."""
    return max(0.0, 1.0 - friction * h_v)
