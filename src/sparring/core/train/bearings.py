"""Rolling bearings: how often their parts pass, from their sizes."""

from __future__ import annotations

import math
from typing import Annotated, NamedTuple

from pydantic import Field, model_validator

from sparring.core.records import Q, Record


class Bearing(Record):
    """A ball or roller bearing whose outer ring stands still. shaft: which it carries, as the
    build's shaft table names it.
    """

    name: Annotated[str, Field(max_length=40)] = ""
    shaft: Annotated[str, Field(max_length=40)] = "output"
    balls: Annotated[int, Field(ge=3, le=200)] = 7
    ball_diameter: Annotated[float, Q("length", "mm", above=0.0, most=0.2)] = 3.5e-3
    pitch_diameter: Annotated[float, Q("length", "mm", above=0.0, most=2.0)] = 15e-3
    contact_angle: Annotated[float, Q("angle", "deg", least=0.0, most=1.2)] = 0.0

    @model_validator(mode="after")
    def _fits(self) -> Bearing:
        if self.ball_diameter >= self.pitch_diameter:
            raise ValueError(
                f"balls of {1e3 * self.ball_diameter:.4g} mm do not fit a pitch circle of"
                f" {1e3 * self.pitch_diameter:.4g} mm; were the two interchanged?"
            )
        return self


class Passing(NamedTuple):
    """How often in one turn of the inner ring: a ball passes a place of the outer, of the inner
    ring; the cage goes round; a ball strikes a ring with one place of its own.
    """

    outer: float
    inner: float
    cage: float
    ball: float


def passing(bearing: Bearing) -> Passing:
    """Orders of a bearing's parts, of pure rolling with the outer ring held.

    n/2 (1 ∓ d/D cos α), (1 − d/D cos α)/2, D/d (1 − (d/D cos α)²) (ISO 13373-2:2016, from memory).
    Sliding lowers them by up to some per cent.
    """
    part = bearing.ball_diameter / bearing.pitch_diameter * math.cos(bearing.contact_angle)
    half = bearing.balls / 2
    size = bearing.pitch_diameter / bearing.ball_diameter
    return Passing(half * (1 - part), half * (1 + part), (1 - part) / 2, size * (1 - part * part))
