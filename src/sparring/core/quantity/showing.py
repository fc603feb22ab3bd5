"""Quantities as text, written."""

from __future__ import annotations

import math
import re

from sparring.core.quantity.units import KINDS, Measured, factor, from_si, kind_of

_UNITS = "|".join(
    re.escape(u)
    for u in sorted(
        {u for k in KINDS.values() for u in k.units if u} | {"%"}, key=len, reverse=True
    )
)
_FIGURE = re.compile(rf"(?<=\d) (?=(?:{_UNITS})(?:[\s,.;:)\]]|$))| ± ")


def unbroken(text: str) -> str:
    """The text with figure, ± and unit held together, so that no line ends between them."""
    return _FIGURE.sub(lambda found: found[0].replace(" ", "\N{NO-BREAK SPACE}"), text)


def text(value: float, kind: str, unit: str | None = None) -> str:
    """`value` [SI] for a file: fifteen significant digits and the unit, so that it reads back the
    same.
    """
    unit = kind_of(kind).default if unit is None else unit
    return f"{from_si(value, unit, kind):.15g} {unit}".strip()


def measured_text(m: Measured, kind: str, unit: str | None = None) -> str:
    """As `text`, with ± (k = 2) where the uncertainty is not zero."""
    if m.u == 0:
        return text(m.value, kind, unit)
    unit = kind_of(kind).default if unit is None else unit
    half = 2 * m.u / factor(unit, kind)
    return f"{from_si(m.value, unit, kind):.15g} ± {half:.9g} {unit}".strip()


def decimals_for(spread: float, digits: int = 2) -> int:
    """Decimals that show `spread` with `digits` significant digits (at least 0)."""
    if not (spread > 0 and math.isfinite(spread)):
        return 3
    return max(0, digits - 1 - math.floor(math.log10(spread) + 1e-9))


def show(
    value: float | None,
    kind: str,
    unit: str,
    *,
    u: float | None = None,
    decimals: int | None = None,
    with_unit: bool = True,
) -> str:
    """A figure for the screen: as many decimals as the uncertainty (u, k = 1, SI) warrants, else
    four digits.

    With u, the half-width k = 2 follows: `45.8 ± 1.1 %`. A missing value is a dash.
    """
    if value is None or not math.isfinite(value):
        return "–"
    shown = from_si(value, unit, kind)
    tail = f" {unit}" if with_unit and unit else ""
    # less is rounding, not knowledge
    if u is not None and u > 1e-9 * abs(value) and math.isfinite(u):
        half = 2 * u / factor(unit, kind)
        places = decimals_for(half) if decimals is None else decimals
        return f"{fixed(shown, places)} ± {half:.{places}f}{tail}"
    if decimals is None:
        decimals = max(0, 3 - math.floor(math.log10(abs(shown)))) if shown else 0
        decimals = min(decimals, 6)
    return f"{fixed(shown, decimals)}{tail}"


def fixed(x: float, places: int) -> str:
    """With so many decimals and the sign that is printed; nothing has no sign."""
    text = f"{x:.{places}f}"
    return text.removeprefix("-") if float(text) == 0 else text.replace("-", "−")
