"""Centre distance, backlash and size checks of one gear pair; and the fit test that finds the right
spacing with few trials.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal, NamedTuple

from sparring.core.train import teeth
from sparring.core.train.pair import Pair

Verdict = Literal["too tight", "right", "too loose"]


class FitTest(NamedTuple):
    """Trial openings of the centres [m], ascending; decided: the opening to build with, or None
    while a trial is to be made.
    """

    trials: tuple[float, ...]
    decided: float | None = None
    text: str = ""


def first_trials(module: float, printed: bool) -> tuple[float, ...]:
    """Three openings that bracket the right one: for printed gears 1/16, 1/8, 3/16 of the module,
    so that module 2 has 0.25 mm in the middle (common practice); for cut or moulded ones 0.02, 0.04
    and 0.08 of it."""
    return tuple(f * module for f in ((0.0625, 0.125, 0.1875) if printed else (0.02, 0.04, 0.08)))


def next_trials(module: float, seen: Mapping[float, Verdict]) -> FitTest:
    """What to try after the verdicts so far, opening [m] -> verdict. Settles at a "right" one, or
    at the middle of a bracket under 1/50 of a module. Raises ValueError when the verdicts
    contradict each other."""
    tight = [o for o, v in seen.items() if v == "too tight"]
    loose = [o for o, v in seen.items() if v == "too loose"]
    right = sorted(o for o, v in seen.items() if v == "right")
    for lower, upper in ((tight, right), (right, loose), (tight, loose)):
        if lower and upper and max(lower) >= min(upper):
            raise ValueError(
                f"an offset of {max(lower) * 1e3:.2f} mm cannot be tighter than one of "
                f"{min(upper) * 1e3:.2f} mm; try both again, turning the gears through all "
                "their teeth"
            )
    if right:
        chosen = right[len(right) // 2]
        return FitTest((), chosen, f"Build with a centre offset of {chosen * 1e3:.2f} mm.")
    if tight and loose:
        low, high = max(tight), min(loose)
        if high - low < module / 50:
            return FitTest(
                (),
                (low + high) / 2,
                f"Between {low * 1e3:.2f} and {high * 1e3:.2f} mm: build with "
                f"{(low + high) / 2 * 1e3:.2f} mm.",
            )
        return FitTest(
            (low + (high - low) / 3, low + 2 * (high - low) / 3),
            None,
            "The right value lies between; try two more.",
        )
    if tight:
        step = max(max(tight) * 0.5, module / 16)
        return FitTest(
            (max(tight) + step, max(tight) + 2 * step), None, "All too tight: increase further."
        )
    if loose:
        least = min(loose)
        return FitTest((least / 3, 2 * least / 3), None, "All too loose: decrease.")
    return FitTest(first_trials(module, True), None, "Try these three.")


class Size(NamedTuple):
    """Sizes to check a gear by [m]. across: teeth spanned by the calipers; pin: diameter."""

    tip: float
    root: float
    across: int
    span: float
    pin: float
    over_pins: float


def sizes(pair: Pair, gear: int) -> Size | None:
    """What calipers should show on gear 1 or 2; None for a ring, which they do not reach."""
    if gear == 2 and pair.ring:
        return None
    z, x = (pair.z1, pair.x1) if gear == 1 else (pair.z2, pair.x2)
    across = max(
        1,
        min(
            round(
                teeth.virtual_teeth(z, pair.alpha, pair.helix) * pair.alpha / math.pi
                + 0.5
                + 2 * x / math.pi
            ),
            (z - 1) // 2,
        ),
    )
    pin = 1.7 * pair.module
    try:
        over = teeth.over_pins(pair.module, z, pin, shift=x, alpha=pair.alpha, helix=pair.helix)
    except ValueError:
        over = float("nan")
    return Size(
        teeth.tip_diameter(pair.module, z, x, pair.helix),
        teeth.root_diameter(pair.module, z, x, pair.helix),
        across,
        span=teeth.span_over_teeth(
            pair.module, z, across, shift=x, alpha=pair.alpha, helix=pair.helix
        ),
        pin=pin,
        over_pins=over,
    )
