"""Materials: what strength, mass and warmth are reckoned with.

All figures are from memory, rounded, and typical for the named material, ± 20 %: good for finding
the weakest part, not for approving a design. A tester who knows better adds the own material to the
build.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, NamedTuple

from pydantic import Field

from sparring.core.records import Q, Record

# Hertz pressure over yield strength at which a flank is crushed: the mean pressure reaches the
# hardness, 2.8 times the yield
# strength (Tabor, The Hardness of Metals; from memory), and the peak of a line contact is 4/π times
# its mean.
_CRUSHED = 2.8 * 4 / math.pi


class Material(Record):
    """One material. strength: tensile or yield at 20 °C; softens: where half of the strength is
    left.
    """

    name: Annotated[str, Field(min_length=1, max_length=40)]
    density: Annotated[float, Q("density", "g/cm³", above=0.0)]
    modulus: Annotated[float, Q("pressure", "GPa", above=0.0)]
    strength: Annotated[float, Q("pressure", "MPa", above=0.0)]
    softens: Annotated[float, Q("temperature", "°C", above=293.15)]
    poisson: Annotated[float, Field(gt=0.0, lt=0.5)] = 0.38
    printed: bool = False
    source: str = "from memory"

    def strength_at(self, temperature: float, layers: float = 1.0) -> float:
        """Strength [Pa] at `temperature` [K]: straight from full at 20 °C to half where it softens,
        zero at twice that rise.

        layers: the tester's factor for load across the layers of a printed part [-].
        """
        warm = 1 - 0.5 * (temperature - 293.15) / (self.softens - 293.15)
        return max(0.0, min(warm, 1.2)) * self.strength * (layers if self.printed else 1.0)

    def flank_pressure(self, temperature: float) -> float:
        """Hertz pressure at which a flank is crushed [Pa]."""
        return _CRUSHED * self.strength_at(temperature)


def _m(
    name: str,
    density: float,
    modulus: float,
    strength: float,
    softens: float,
    poisson: float = 0.38,
    *,
    printed: bool = False,
) -> Material:
    return Material.ours(
        name=name,
        density=density * 1e3,
        modulus=modulus * 1e9,
        strength=strength * 1e6,
        softens=softens + 273.15,
        poisson=poisson,
        printed=printed,
    )


TABLE: tuple[Material, ...] = (
    _m("PLA, printed", 1.24, 3.0, strength=50, softens=55, printed=True),
    _m("PETG, printed", 1.27, 2.0, strength=42, softens=68, printed=True),
    _m("ABS, printed", 1.04, 2.0, strength=35, softens=85, printed=True),
    _m("PA, printed", 1.10, 1.5, strength=42, softens=80, printed=True),
    _m("PC, printed", 1.20, 2.2, strength=55, softens=105, printed=True),
    _m("resin, printed", 1.18, 2.5, strength=50, softens=60, printed=True),
    _m("POM", 1.41, 2.8, strength=65, softens=100),
    _m("PA66", 1.14, 2.8, strength=75, softens=90),
    _m("PEEK", 1.30, 3.7, strength=97, softens=150),
    _m("brass", 8.45, 100, strength=300, softens=350, poisson=0.34),
    _m("steel", 7.85, 206, strength=500, softens=500, poisson=0.30),
    _m("hardened steel", 7.85, 206, strength=1100, softens=400, poisson=0.30),
    _m("aluminium", 2.70, 70, strength=240, softens=200, poisson=0.33),
)


def find(name: str, own: Sequence[Material] = ()) -> Material | None:
    """The material of that name, the build's own first; None when nobody knows it."""
    wanted = name.strip().casefold()
    return next((m for m in (*own, *TABLE) if m.name.casefold() == wanted), None)


class Setting(NamedTuple):
    """What the strength of all parts depends on. temperature [K]; layers: factor for load across
    printed layers [-].
    """

    temperature: float = 293.15
    layers: float = 1.0
    own: tuple[Material, ...] = ()

    def material(self, name: str) -> Material | None:
        return find(name, self.own)


ROOM = Setting()
