"""Quantities as text, read: any unit, arithmetic, ±."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from sparring.core.quantity.units import (
    SPELLINGS,
    TEMPERATURES,
    Measured,
    QuantityError,
    factor,
    from_si,
    kind_of,
    short,
    to_si,
)

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d*)?(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?)"
    r"|(?P<pm>±|\+/-|\+-)|(?P<op>[-+*/()])"
    r"|(?P<unit>(?:[A-Za-zµμΩ°%\"'][A-Za-zµμΩ°²³]*(?:\^-?\d+|\*\*-?\d+)?)"
    r"(?:\s*[·*/]\s*[A-Za-zµμΩ°][A-Za-zµμΩ°²³]*(?:\^-?\d+|\*\*-?\d+)?"
    r"|\s+[A-Za-zµμΩ°][A-Za-zµμΩ°²³]*)*))"
)


# What may be handed to the library, which works out powers of any size: names with small exponents,
# multiplied or divided.
_LARGEST = 1e30  # SI
_LONGEST = 300  # characters of a quantity
_DEEPEST = 30  # brackets and signs one in the other


class _Term(NamedTuple):
    value: float
    # the unit the value was written in; None for a plain number. `value` is SI once it has one.
    unit: str | None
    sure: bool = True


class _Reader:
    """Recursive descent over one text. No names, no calls: nothing a text says is ever executed."""

    def __init__(self, text: str, kind: str, bare_unit: str | None) -> None:
        self.text, self.kind, self.bare, self.depth = text, kind, bare_unit, 0
        if len(text) > _LONGEST:
            raise QuantityError(
                f"“{short(text)}” is too long for a quantity; type for example"
                f" {kind_of(kind).example}"
            )
        self.tokens: list[tuple[str, str]] = []
        plain = text.replace("−", "-").replace("×", "*").replace("⋅", "·").replace("–", "-")
        if re.search(r"\d,\d{3}(?!\d)", plain):
            raise QuantityError(
                f"“{text}”: the comma may be a decimal or a thousands separator; write it "
                "without a comma"
            )
        plain = re.sub(r"(?<=\d),(?=\d)", ".", plain).strip()
        at = 0
        while at < len(plain):
            match = _TOKEN.match(plain, at)
            if not match or match.end() == at:
                raise QuantityError(
                    f"“{text}”: “{plain[at:]}” is not understood; type for example "
                    f"{kind_of(kind).example}"
                )
            name = str(match.lastgroup)
            self.tokens.append((name, match.group(name).strip()))
            at = match.end()
        self.at = 0

    def peek(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self) -> tuple[str, str]:
        token = self.peek()
        self.at += 1
        return token

    def fail(self) -> QuantityError:
        seen = self.peek()[1] or "the end"
        return QuantityError(
            f"“{self.text}”: {seen} is not expected here; type for example "
            f"{kind_of(self.kind).example}"
        )

    def with_unit(self, term: _Term) -> _Term:
        if self.peek()[0] != "unit":
            return term
        if term.unit is not None:
            raise self.fail()
        unit = re.sub(r"\s*[·*]\s*|\s+", "·", self.take()[1].replace("**", "^")).replace("^", "**")
        unit = re.sub(r"\s*/\s*", "/", unit)
        unit = SPELLINGS.get(unit, unit)
        return _Term(to_si(term.value, unit, self.kind), unit)

    def atom(self) -> _Term:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise QuantityError(f"“{short(self.text)}” has too many nested brackets")
        try:
            return self._atom()
        finally:
            self.depth -= 1

    def _atom(self) -> _Term:
        name, text = self.peek()
        if name == "op" and text in "+-":
            self.take()
            inner = self.atom()
            if text == "+":
                return inner
            # -5 °C: the sign belongs to the figure
            if inner.unit in TEMPERATURES and self.kind == "temperature":
                return _Term(
                    to_si(-from_si(inner.value, inner.unit, self.kind), inner.unit, self.kind),
                    inner.unit,
                )
            return _Term(-inner.value, inner.unit)
        if name == "op" and text == "(":
            self.take()
            inner = self.sum()
            if self.take() != ("op", ")"):
                self.at -= 1
                raise self.fail()
            return self.with_unit(inner)
        if name != "number":
            raise self.fail()
        self.take()
        value = float(text)
        if self.peek()[0] == "number" and self.tokens[self.at + 1 : self.at + 2] == [
            ("op", "/")
        ]:  # 2 1/2 in
            top = float(self.take()[1])
            self.take()
            name, text = self.take()
            if name != "number" or float(text) == 0:
                self.at -= 1
                raise self.fail()
            value += top / float(text)
        return self.with_unit(_Term(value, None))

    def product(self) -> _Term:
        left = self.atom()
        while self.peek() in (("op", "*"), ("op", "/")):
            sign = self.take()[1]
            right = self.atom()
            if sign == "/" and right.value == 0:
                raise QuantityError(f"“{self.text}”: division by zero")
            if left.unit and right.unit:
                raise QuantityError(
                    f"“{self.text}”: one factor of a product may carry a unit, not both"
                )
            if sign == "/" and right.unit:  # 1/8 in: the unit belongs to the fraction
                right = (
                    _Term(from_si(right.value, right.unit, self.kind), None)
                    if not left.unit
                    else right
                )
                unit = self.tokens[self.at - 1][1]
                left = _Term(to_si(left.value / right.value, unit, self.kind), unit)
                continue
            value = left.value * right.value if sign == "*" else left.value / right.value
            left = self.with_unit(_Term(value, left.unit or right.unit))
        return left

    def sum(self) -> _Term:
        left = self.product()
        while True:
            name, text = self.peek()
            if name == "op" and text in "+-":
                self.take()
                sign = 1 if text == "+" else -1
            elif name == "number" and left.unit:  # 5 ft 6 in
                sign = 1
            else:
                return left
            right = self.product()
            if (left.unit is None) != (right.unit is None):
                raise QuantityError(f"“{self.text}”: one of the terms has no unit")
            left = _Term(left.value + sign * right.value, left.unit)

    def quantity(self) -> tuple[Measured, str]:
        if not self.tokens:
            raise QuantityError(f"nothing typed; type for example {kind_of(self.kind).example}")
        wrapped = self.tokens[0] == ("op", "(") and any(t[0] == "pm" for t in self.tokens)
        if wrapped:  # (12.0 ± 0.1) V
            self.take()
        value = self.sum()
        spread: _Term | None = None
        if self.peek()[0] == "pm":
            self.take()
            if (
                [t[0] for t in self.tokens[self.at : self.at + 2]] == ["number", "unit"]
                and self.tokens[self.at + 1][1] == "%"
                and self.kind != "ratio"
            ):
                percent = float(self.take()[1])
                self.take()
                value = self.with_unit(value)
                spread = _Term(abs(value.value) * percent / 100, value.unit)
            else:
                spread = self.sum()
        if wrapped:
            if self.take() != ("op", ")"):
                self.at -= 1
                raise self.fail()
            if self.peek()[0] == "unit":
                unit = self.with_unit(_Term(1.0, None)).unit
                value = _Term(to_si(value.value, str(unit), self.kind), unit)
                if spread and spread.unit is None:
                    spread = _Term(spread.value * factor(str(unit), self.kind), unit)
        if self.peek()[0] != "end":
            raise self.fail()
        unit = value.unit or (spread.unit if spread else None) or self.bare
        if unit is None and "" in kind_of(self.kind).units:
            unit = ""
        if unit is None:
            raise QuantityError(
                f"“{self.text}” has no unit; type for example {self.text.strip()}"
                f" {kind_of(self.kind).default}"
            )
        centre = value.value if value.unit is not None else to_si(value.value, unit, self.kind)
        half = 0.0
        if spread:
            if spread.unit is not None and self.kind == "temperature":
                half = from_si(spread.value, spread.unit, "temperature") * factor(
                    spread.unit, "temperature"
                )
            else:
                half = (
                    spread.value
                    if spread.unit is not None
                    else spread.value * factor(unit, self.kind)
                )
        if half < 0:
            raise QuantityError(f"“{self.text}”: the value after ± must not be negative")
        if not (abs(centre) < _LARGEST and half < _LARGEST):
            raise QuantityError(f"“{self.text}” is too large")
        return Measured(centre, half / 2), unit


def parse(text: str, kind: str, bare_unit: str | None = None) -> Measured:
    """The quantity that `text` says, SI, with the standard uncertainty of a typed ± (k = 2).

    bare_unit: the unit a plain number is taken in; without it a plain number is an error that says
    which unit is wanted. Raises QuantityError (what was seen, what to type).
    """
    return parse_with_unit(text, kind, bare_unit)[0]


# records of a logbook repeat themselves: the same calibration with every run
@lru_cache(maxsize=4096)
def parse_with_unit(text: str, kind: str, bare_unit: str | None = None) -> tuple[Measured, str]:
    """As `parse`, with the unit it was typed in."""
    return _Reader(text, kind, bare_unit).quantity()


# --- writing --------------------------------------------------------------------------------------
