"""Figures of a comparison as texts, in the tester's units."""

from __future__ import annotations

import math

from sparring.core import quantity
from sparring.core.compare.figures import Figure
from sparring.core.compare.known import Known
from sparring.ui.model.desk import Desk

_POINTS = {"ratio": "points"}


def unit_of(desk: Desk, figure: Figure) -> str:
    """Unit in which a figure stands, with what it is per."""
    if figure.kind == "count" or figure.per == ":1":
        return figure.per.strip()
    return (figure.unit or desk.units[figure.kind]) + figure.per


def cell(desk: Desk, figure: Figure, known: Known | None) -> str:
    """A figure without its unit."""
    if known is None:
        return "–"
    if math.isinf(known.value):
        return "holds"
    unit = figure.unit or desk.units[figure.kind]
    if figure.kind == "count" or figure.per == ":1":
        unit = ""
    u = known.u
    text = quantity.show(known.value, figure.kind, unit, u=u or None, with_unit=False)
    return text if known.how == "measured" else f"({text})" if known.how == "predicted" else text


def apart_unit(desk: Desk, kind: str) -> str:
    """Unit of a difference of two figures of a kind."""
    return _POINTS.get(kind, "" if kind == "count" else desk.units[kind])


def apart_factor(desk: Desk, kind: str) -> float:
    """SI of one of that unit."""
    return 1e-2 if kind == "ratio" else quantity.factor(apart_unit(desk, kind), kind)
