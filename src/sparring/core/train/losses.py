"""Loss in one mesh: basic efficiency η₀ = 1 − μ H_V (Niemann; VDI 2736-2:2014); H_V is
`Pair.loss_factor`.
"""

from __future__ import annotations


def basic_efficiency(friction: float, h_v: float) -> float:
    """η₀ = 1 − μ H_V of one mesh; never below zero."""
    return max(0.0, 1.0 - friction * h_v)
