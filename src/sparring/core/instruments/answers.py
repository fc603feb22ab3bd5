"""What an instrument answers, as a figure: the numeric forms of IEEE 488.2, and what a tester
expects an answer to look like.
"""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import Any

from sparring.core.quantity import kind_of, to_si

# NR1, NR2 and NR3 of IEEE 488.2-1992, 8.7.2 to 8.7.4, and the point without a digit before or
# behind it that instruments send
_FIGURE = re.compile(
    r"([-+]?(?:\d+\.?\d*|\.\d+)(?: ?[eE] ?[-+]?\d+)?)(?: ?([^\s\d.,;:+-]\S*))?", re.ASCII
)
# SCPI-1999, 7.2.1.4 and .5: 9.9E37 for infinity, 9.91E37 for what is no number
_LARGEST = 9.8e37
_NO_FIGURE = {"NAN", "INF", "NINF", "INFINITY", "OVLD", "OVERLOAD", "OVERFLOW", "OL"}
# SCPI writes suffixes in capitals, where M is milli; but for MOHM and MHZ
_PREFIXES = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "m": 1e-3, "k": 1e3, "M": 1e6, "G": 1e9}
_CAPITALS = {"P": 1e-12, "N": 1e-9, "U": 1e-6, "M": 1e-3, "K": 1e3, "G": 1e9}
_SHOWN = 60  # characters of an answer that are quoted


class AnswerError(ValueError):
    """An answer that is no figure of what was asked for; the message quotes it."""


class PatternError(ValueError):
    """A pattern that cannot be used; the message says why."""


def figure(said: str, kind: str, unit: str) -> float:
    """The figure of an answer, SI; NaN where the instrument says that it has none (overflow, no
    number).

    kind: of the quantity that was asked for; unit: of a figure without one. One that is sent with
    the figure counts (`512 mA`), with SI prefixes; in capitals as SCPI writes them. Raises
    AnswerError for whatever else is in the answer.
    """
    text = said.strip()
    if text.lstrip("+-").upper() in _NO_FIGURE:
        return math.nan
    found = _FIGURE.fullmatch(text)
    if found is None:
        raise AnswerError(f"“{shown(text)}” is not one figure")
    value = float(found[1].replace(" ", ""))
    if abs(value) >= _LARGEST:
        return math.nan
    if not found[2]:
        return to_si(value, unit, kind) if unit else value
    return value * _size(found[2], kind, unit) if kind != "temperature" else _warmth(value, text)


def agrees(said: str, sent: float, kind: str, unit: str, within: float) -> bool:
    """Whether an answer names the figure that was sent, within a part of it."""
    try:
        read = figure(said, kind, unit)
    except AnswerError:
        return False
    wanted = to_si(sent, unit, kind) if unit else sent
    return abs(read - wanted) <= within * abs(wanted) + 1e-6


def shown(said: str) -> str:
    """An answer as a message quotes it."""
    plain = "".join(c if c.isprintable() else "·" for c in said)
    return plain if len(plain) <= _SHOWN else f"{plain[:_SHOWN]} …"


@lru_cache(maxsize=256)
def _size(suffix: str, kind: str, unit: str) -> float:
    """SI value of one of an answer's units. Raises AnswerError where it is of something else."""
    names = {unit, *kind_of(kind).units} - {""}
    if suffix in names:
        return to_si(1.0, suffix, kind)
    in_capitals = suffix.isascii() and suffix.isupper()
    prefixes = _CAPITALS if in_capitals else _PREFIXES
    for name in sorted(names, key=len):  # the one without a prefix first
        spelled = name.replace("Ω", "ohm").upper() if in_capitals else name
        before = suffix.removesuffix(spelled)
        if before == "":
            return to_si(1.0, name, kind)
        if before != suffix and before in prefixes:
            size = 1e6 if suffix in ("MOHM", "MHZ") else prefixes[before]
            return size * to_si(1.0, name, kind)
    raise AnswerError(f"“{suffix}” is not a unit of {kind}")


def _warmth(value: float, text: str) -> float:
    for name in ("°C", "C", "K", "°F", "F"):
        if text.endswith(name):
            return to_si(value, name if name in ("K", "°C", "°F") else f"°{name}", "temperature")
    raise AnswerError(f"“{shown(text)}” is not a temperature")


@lru_cache(maxsize=64)
def pattern(text: str) -> Any:
    """A pattern that a whole answer is held against, small and capital letters alike; by an engine
    whose time grows with the answer alone. Raises PatternError for what it does not take.
    """
    from pydantic_core import SchemaError, SchemaValidator, core_schema

    try:
        return SchemaValidator(
            core_schema.str_schema(pattern=f"(?i)^(?:{text})$", regex_engine="rust-regex")
        )
    except SchemaError as err:
        raise PatternError(
            f"the pattern “{shown(text)}” cannot be used: brackets have to be closed, and nothing"
            " may look ahead or refer back; “1|ON” takes either"
        ) from err


def matches(text: str, said: str) -> bool:
    """Whether a whole answer is what a pattern says."""
    return bool(pattern(text).isinstance_python(said))
