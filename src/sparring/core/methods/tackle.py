"""Hoist over pulleys: the cord runs over sheaves, so that several parts of it carry the weight.

The part next to the drum pulls hardest; each sheave hands on a part η of the tension. With n parts
of line and s lead sheaves W = F η^s (1 + η + … + η^(n−1)), so F = W / (η^s Σ η^j) (statics of a
block and tackle, from memory).
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from sparring.core.methods.base import Figures
from sparring.core.methods.cord import OnDrum
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, nominal


class Tackle(OnDrum):
    """parts: of line that carry the load; lead: sheaves between them and the drum; sheave:
    efficiency of one, about 0.96 on plain bearings, 0.98 on ball bearings (common practice), or as
    `sheave_efficiency` tells it of lifting and lowering. block_mass: of hook and lower block.
    """

    TITLE: ClassVar[str] = "Hoist over pulleys"
    PURPOSE: ClassVar[str] = (
        "Weights lifted over a block and tackle: more weight than the drum could lift by itself, "
        "at a torque that the sheaves' friction enters."
    )
    CARE: ClassVar[str] = (
        "stand clear of the taut cord and from under the weight; check each sheave"
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Drum diameter", "drum_diameter"),
        ("Cord diameter", "cord_diameter"),
        ("Parts of line", "parts"),
        ("Lead sheaves", "lead"),
        ("Sheave efficiency", "sheave"),
        ("Hook and block mass", "block_mass"),
        ("Travel of the load", "travel"),
    )
    DOES: ClassVar[tuple[str, str, str]] = ("Lift", "Lifting", "Lowering")
    DONE: ClassVar[str] = "lifted"
    LETS_DOWN: ClassVar[bool] = True

    kind: Literal["tackle"] = "tackle"
    parts: Annotated[int, Field(ge=1, le=20)] = 2
    lead: Annotated[int, Field(ge=0, le=20)] = 1
    sheave: Annotated[Measured, Q("ratio", "%", above=0.3, most=1.0)] = Measured(0.96, 0.01)
    block_mass: Annotated[Measured, Q("mass", "g", least=0.0)] = Measured(0.12, 5e-4)
    travel: Annotated[float, Q("length", "m", above=0.0)] = 0.6

    def gain(self, x: Figures) -> Uncertain:
        """Weight over the pull at the drum while lifting [-]."""
        eta = x["sheave"]
        return eta**self.lead * sum(eta**j for j in range(self.parts))

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        return (load + x["block_mass"]) * g / self.gain(x) * self.radius(x)

    def turned(self, x: Figures, travel: Uncertain) -> Uncertain:
        return travel * self.parts / self.radius(x)

    def body(self, load: Any, g: Any) -> dict[str, Any]:
        """As seen at the drum: the cord runs `parts` times as far as the load rises."""
        x = self.figures()
        hung = load + x["block_mass"]
        return {
            "radius": self.radius(x),
            "mass": hung / self.parts**2,
            "weight": hung * g / self.gain(x),
        }

    @property
    def course(self) -> tuple[float, float, float]:
        return self.travel * self.parts, float("inf"), 0.0


def sheave_efficiency(lifting: Uncertain, lowering: Uncertain, parts: int, lead: int) -> Uncertain:
    """Efficiency of one sheave [-] from the pull at the drum [N] while the same load is slowly
    lifted and lowered: lifting W = F_up η^s Σ η^j, lowering W = F_down η^−s Σ η^−j.

    F_down/F_up = η^(2 s + n − 1), for Σ η^j = η^(n − 1) Σ η^−j. Raises ValueError where lowering
    pulls no less than lifting, or where there is no sheave.
    """
    passed = 2 * lead + parts - 1
    if passed < 1:
        raise ValueError("a cord that runs straight to the load passes no sheave")
    up, down = nominal(lifting), nominal(lowering)
    if not 0 < down <= up:
        raise ValueError(
            f"lowering pulls {down:.3g} N and lifting {up:.3g} N: were they interchanged?"
        )
    return (lowering / lifting) ** (1 / passed)
