"""Quantities as people write them: any unit of the right kind, simple arithmetic, and ±.

In memory a quantity is an SI float (radians, kelvin), or a `Measured` where its uncertainty
matters. A typed `±` is the 95 % half-width (k = 2), the same figure the application shows, so what
is shown can be typed back.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from typing import Any, NamedTuple

G_N = 9.80665
"""Standard gravity [m/s²], exact by definition (3rd CGPM, 1901). Turns the tester's kg·cm and lb
into N·m and N.
"""


class QuantityError(ValueError):
    """The text is no quantity of the kind asked for; the message says what was seen and what to
    type.
    """


@dataclass(frozen=True)
class Measured:
    """A value with its standard uncertainty (k = 1), both SI. u = 0 means: taken as exact."""

    value: float
    u: float = 0.0

    def __post_init__(self) -> None:
        if not (math.isfinite(self.value) and math.isfinite(self.u) and self.u >= 0):
            raise ValueError(
                f"a measured value needs finite numbers and u >= 0, not {self.value} and u ="
                f" {self.u}"
            )


@dataclass(frozen=True)
class Kind:
    """A kind of quantity: its name in words, its SI unit and the units offered for it (display text
    -> SI factor).
    """

    name: str
    si: str
    units: dict[str, float]
    example: str

    @cached_property
    def default(self) -> str:
        return next(iter(self.units))


_INCH, _FOOT, _POUND, _OUNCE = 0.0254, 0.3048, 0.45359237, 0.028349523125
_REV = 2 * math.pi
_TEMPERATURES = {"°C": (1.0, 273.15), "K": (1.0, 0.0), "°F": (5 / 9, 459.67 * 5 / 9)}

# Factors of what is shown every day stand here so that no window waits for the unit library;
# the tests hold each against it. Whatever else is typed goes to the library.
KINDS: dict[str, Kind] = {
    k.name: k
    for k in (
        Kind("length", "m", {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": _INCH, "ft": _FOOT}, "50 mm"),
        Kind("mass", "kg", {"kg": 1.0, "g": 1e-3, "lb": _POUND, "oz": _OUNCE}, "310 g"),
        Kind(
            "force", "N", {"N": 1.0, "kgf": G_N, "lbf": _POUND * G_N, "ozf": _OUNCE * G_N}, "10 lb"
        ),
        Kind(
            "torque",
            "N·m",
            {
                "N·m": 1.0,
                "mN·m": 1e-3,
                "N·cm": 1e-2,
                "kg·cm": G_N * 1e-2,
                "ft·lb": _FOOT * _POUND * G_N,
                "in·lb": _INCH * _POUND * G_N,
                "oz·in": _OUNCE * G_N * _INCH,
            },
            "2.5 kg·cm",
        ),
        Kind(
            "speed",
            "rad/s",
            {"rpm": _REV / 60, "rev/s": _REV, "rad/s": 1.0, "deg/s": _REV / 360},
            "120 rpm",
        ),
        Kind(
            "velocity", "m/s", {"m/s": 1.0, "mm/s": 1e-3, "mph": 0.44704, "ft/s": _FOOT}, "0.3 m/s"
        ),
        Kind("angle", "rad", {"deg": _REV / 360, "rad": 1.0, "rev": _REV}, "20 deg"),
        Kind("voltage", "V", {"V": 1.0, "mV": 1e-3}, "12 V"),
        Kind("current", "A", {"A": 1.0, "mA": 1e-3}, "0.8 A"),
        Kind("resistance", "Ω", {"Ω": 1.0, "mΩ": 1e-3}, "2.4 Ω"),
        Kind("power", "W", {"W": 1.0, "mW": 1e-3, "hp": 550 * _FOOT * _POUND * G_N}, "4.4 W"),
        Kind("energy", "J", {"J": 1.0, "Wh": 3600.0}, "12 J"),
        Kind("temperature", "K", {"°C": 1.0, "°F": 5 / 9, "K": 1.0}, "38 °C"),
        Kind("time", "s", {"s": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0}, "2 s"),
        Kind("inertia", "kg·m²", {"kg·m²": 1.0, "g·cm²": 1e-7}, "12 g·cm²"),
        Kind("stiffness", "N·m/rad", {"N·m/rad": 1.0}, "40 N·m/rad"),
        Kind(
            "pressure",
            "Pa",
            {"MPa": 1e6, "GPa": 1e9, "bar": 1e5, "psi": _POUND * G_N / _INCH**2},
            "65 MPa",
        ),
        Kind("density", "kg/m³", {"g/cm³": 1e3, "kg/m³": 1.0}, "1.41 g/cm³"),
        Kind(
            "constant", "V·s/rad", {"V·s/rad": 1.0, "mV·s/rad": 1e-3, "N·m/A": 1.0}, "0.025 V·s/rad"
        ),
        Kind("acceleration", "m/s²", {"m/s²": 1.0}, "9.81 m/s²"),
        Kind("ratio", "1", {"": 1.0, "%": 1e-2}, "0.85"),
        Kind("count", "1", {"counts": 1.0, "": 1.0}, "83922 counts"),
    )
}
_DIMENSIONS = {
    "length": "[length]",
    "mass": "[mass]",
    "force": "[length] * [mass] / [time] ** 2",
    "torque": "[length] ** 2 * [mass] / [time] ** 2",
    "speed": "1 / [time]",
    "velocity": "[length] / [time]",
    "angle": "[]",
    "voltage": "[mass] * [length] ** 2 / [current] / [time] ** 3",
    "current": "[current]",
    "resistance": "[mass] * [length] ** 2 / [current] ** 2 / [time] ** 3",
    "power": "[length] ** 2 * [mass] / [time] ** 3",
    "energy": "[length] ** 2 * [mass] / [time] ** 2",
    "time": "[time]",
    "inertia": "[length] ** 2 * [mass]",
    "stiffness": "[length] ** 2 * [mass] / [time] ** 2",
    "pressure": "[mass] / [length] / [time] ** 2",
    "density": "[mass] / [length] ** 3",
    "constant": "[mass] * [length] ** 2 / [current] / [time] ** 2",
    "acceleration": "[length] / [time] ** 2",
    "ratio": "[]",
    "count": "[]",
}
# A weight in kilograms or pounds stands for the force it makes; so kg·cm and ft·lb are torques.
_WEIGHT_FOR = {"force": "[mass]", "torque": "[mass] * [length]"}
_NOT_A = {
    "torque": ("J", "kJ", "Wh", "kWh"),
    "speed": ("Hz", "kHz"),
    "angle": ("%",),
    "ratio": ("deg", "rad", "rev"),
}
_SPELLINGS = {
    "Nm": "N·m",
    "Ncm": "N·cm",
    "mNm": "mN·m",
    "Ohm": "Ω",
    "ohm": "Ω",
    "ohms": "Ω",
    "°": "deg",
    "degC": "°C",
    "degF": "°F",
    "C": "°C",
    "F": "°F",
    '"': "in",
    "'": "ft",
    "inch": "in",
    "inches": "in",
    "lbs": "lb",
    "r/min": "rpm",
    "percent": "%",
    "lbf·in": "in·lb",
    "lbf·ft": "ft·lb",
    "ft·lbf": "ft·lb",
    "lb·in": "in·lb",
    "lb·ft": "ft·lb",
    "in·oz": "oz·in",
    "kgf·cm": "kg·cm",
    "count": "counts",
}


def kind_of(name: str) -> Kind:
    """The kind called `name`. Raises KeyError with the known names."""
    try:
        return KINDS[name]
    except KeyError:
        raise KeyError(
            f"no kind of quantity is called {name!r}; known: {', '.join(KINDS)}"
        ) from None


@cache
def _library() -> Any:
    import pint

    # a cache would be unpickled: code of whoever can write there
    return pint.UnitRegistry(cache_folder=None)


def know_units() -> None:
    """Loads the library of units, which takes a while, before somebody types one that is not among
    `KINDS`.
    """
    _library()


@lru_cache(maxsize=4096)
def factor(unit: str, kind: str) -> float:
    """SI value of one `unit` of `kind` (temperatures: of one degree).

    Raises QuantityError when the unit is unknown or of another kind.
    """
    known = kind_of(kind)
    unit = _SPELLINGS.get(unit, unit)
    if unit in known.units:
        return known.units[unit]
    want = (
        f"{'an' if kind[0] in 'aeiou' else 'a'} {kind} is wanted here, for example {known.example}"
    )
    if unit in _NOT_A.get(kind, ()) or kind == "temperature":
        raise QuantityError(f"“{unit}” is not a unit of {kind}; {want}")
    if len(unit) > _LONGEST_UNIT or not _UNIT.fullmatch(unit):
        raise QuantityError(f"“{_short(unit)}” is not a unit I know; {want}")
    expression = (
        unit.replace("·", "*")
        .replace("²", "**2")
        .replace("³", "**3")
        .replace("Ω", "ohm")
        .replace("°", "deg")
    )
    ureg = _library()
    try:
        one = ureg.Quantity(1.0, expression).to_base_units()
    except Exception as err:  # the library raises many kinds; each means: no such unit
        raise QuantityError(f"“{unit}” is not a unit I know; {want}") from err
    if one.check(_DIMENSIONS[kind]):
        return float(one.magnitude)
    if kind in _WEIGHT_FOR and one.check(_WEIGHT_FOR[kind]):
        return float(one.magnitude) * G_N
    seen = next((k for k, dims in _DIMENSIONS.items() if one.check(dims)), None)
    what = f"is a unit of {seen}" if seen else "is another kind of unit"
    raise QuantityError(f"“{unit}” {what}; {want}")


def to_si(value: float, unit: str, kind: str) -> float:
    """`value` in `unit` as SI."""
    if kind == "temperature" and (known := _TEMPERATURES.get(_SPELLINGS.get(unit, unit))):
        return value * known[0] + known[1]
    return value * factor(unit, kind)


def from_si(value: float, unit: str, kind: str) -> float:
    """SI `value` in `unit`."""
    if kind == "temperature" and (known := _TEMPERATURES.get(_SPELLINGS.get(unit, unit))):
        return (value - known[1]) / known[0]
    return value / factor(unit, kind)


# --- reading --------------------------------------------------------------------------------------

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d*)?(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?)"
    r"|(?P<pm>±|\+/-|\+-)|(?P<op>[-+*/()])"
    r"|(?P<unit>(?:[A-Za-zµμΩ°%\"'][A-Za-zµμΩ°²³]*(?:\^-?\d+|\*\*-?\d+)?)"
    r"(?:\s*[·*/]\s*[A-Za-zµμΩ°][A-Za-zµμΩ°²³]*(?:\^-?\d+|\*\*-?\d+)?|\s+[A-Za-zµμΩ°][A-Za-zµμΩ°²³]*)*))"
)


# What may be handed to the library, which works out powers of any size: names with small exponents,
# multiplied or divided.
_NAME = r"[A-Za-zµμΩ°%\"'][A-Za-zµμΩ°_]*[²³]?(?:(?:\^|\*\*)-?\d)?"
_UNIT = re.compile(rf"{_NAME}(?:[ ]?[·*/ ][ ]?{_NAME}){{0,5}}|1/{_NAME}")
_LONGEST_UNIT = 60
_LARGEST = 1e30  # SI
_LONGEST = 300  # characters of a quantity
_DEEPEST = 30  # brackets and signs one in the other


def _short(seen: str) -> str:
    return seen if len(seen) <= 60 else f"{seen[:60]} …"


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
                f"“{_short(text)}” is too long for a quantity; type for example"
                f" {kind_of(kind).example}"
            )
        self.tokens: list[tuple[str, str]] = []
        plain = text.replace("−", "-").replace("×", "*").replace("⋅", "·").replace("–", "-")
        if re.search(r"\d,\d{3}(?!\d)", plain):
            raise QuantityError(
                f"“{text}”: is the comma a decimal point or a thousands mark? Write it without"
            )
        plain = re.sub(r"(?<=\d),(?=\d)", ".", plain).strip()
        at = 0
        while at < len(plain):
            match = _TOKEN.match(plain, at)
            if not match or match.end() == at:
                raise QuantityError(
                    f"“{text}”: I cannot read “{plain[at:]}”; type for example"
                    f" {kind_of(kind).example}"
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
            f"“{self.text}”: {seen} is not expected there; type for example"
            f" {kind_of(self.kind).example}"
        )

    def with_unit(self, term: _Term) -> _Term:
        if self.peek()[0] != "unit":
            return term
        if term.unit is not None:
            raise self.fail()
        unit = re.sub(r"\s*[·*]\s*|\s+", "·", self.take()[1].replace("**", "^")).replace("^", "**")
        unit = re.sub(r"\s*/\s*", "/", unit)
        unit = _SPELLINGS.get(unit, unit)
        return _Term(to_si(term.value, unit, self.kind), unit)

    def atom(self) -> _Term:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise QuantityError(f"“{_short(self.text)}” has too many brackets one in the other")
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
            if inner.unit in _TEMPERATURES and self.kind == "temperature":
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
            raise QuantityError(f"“{self.text}”: the figure after ± must not be negative")
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
        return f"{_fixed(shown, places)} ± {half:.{places}f}{tail}"
    if decimals is None:
        decimals = max(0, 3 - math.floor(math.log10(abs(shown)))) if shown else 0
        decimals = min(decimals, 6)
    return f"{_fixed(shown, decimals)}{tail}"


def _fixed(x: float, places: int) -> str:
    """With so many decimals; nothing has no sign."""
    text = f"{x:.{places}f}"
    return text.removeprefix("-") if float(text) == 0 else text
