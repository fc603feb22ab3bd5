"""Quantities as people write them: any unit of the right kind, simple arithmetic, and ±.

In memory a quantity is an SI float (radians, kelvin), or a `Measured` where its uncertainty
matters. A typed `±` is the 95 % half-width (k = 2), the same figure the application shows, so what
is shown can be typed back.
"""

from sparring.core.quantity.parsing import parse, parse_with_unit
from sparring.core.quantity.showing import decimals_for, fixed, measured_text, show, text, unbroken
from sparring.core.quantity.units import (
    G_N,
    KINDS,
    Kind,
    Measured,
    QuantityError,
    factor,
    from_si,
    kind_of,
    know_units,
    to_si,
)

__all__ = [
    "G_N",
    "KINDS",
    "Kind",
    "Measured",
    "QuantityError",
    "decimals_for",
    "factor",
    "fixed",
    "from_si",
    "kind_of",
    "know_units",
    "measured_text",
    "parse",
    "parse_with_unit",
    "show",
    "text",
    "to_si",
    "unbroken",
]
