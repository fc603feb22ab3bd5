"""Units of each kind of quantity, and a value with its uncertainty."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from typing import Any

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
TEMPERATURES = {"°C": (1.0, 273.15), "K": (1.0, 0.0), "°F": (5 / 9, 459.67 * 5 / 9)}

# Factors of what is shown every day stand here so that no window waits for the unit library;
# the tests hold each against it. Whatever else is typed goes to the library.
KINDS: dict[str, Kind] = {
    k.name: k
    for k in (
        Kind(
            "length",
            "m",
            {"mm": 1e-3, "µm": 1e-6, "cm": 1e-2, "m": 1.0, "in": _INCH, "ft": _FOOT},
            "50 mm",
        ),
        Kind("area", "m²", {"m²": 1.0, "cm²": 1e-4, "ft²": _FOOT**2}, "1.2 m²"),
        Kind("volume", "m³", {"L": 1e-3, "cm³": 1e-6, "m³": 1.0, "in³": _INCH**3}, "0.4 L"),
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
        Kind("points", "1", {"points": 1e-2}, "2 points"),
        Kind("count", "1", {"counts": 1.0, "": 1.0}, "83922 counts"),
    )
}
_DIMENSIONS = {
    "length": "[length]",
    "area": "[length] ** 2",
    "volume": "[length] ** 3",
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
    "points": "[]",
}
# A weight in kilograms or pounds stands for the force it makes; so kg·cm and ft·lb are torques.
_WEIGHT_FOR = {"force": "[mass]", "torque": "[mass] * [length]"}
_NOT_A = {
    "torque": ("J", "kJ", "Wh", "kWh"),
    "speed": ("Hz", "kHz"),
    "angle": ("%",),
    "ratio": ("deg", "rad", "rev"),
}
SPELLINGS = {
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
    "turn": "rev",
    "turns": "rev",
    "degrees": "deg",
    "l": "L",
    "litre": "L",
    "litres": "L",
    "m2": "m²",
    "m3": "m³",
}


NAME = r"[A-Za-zµμΩ°%\"'][A-Za-zµμΩ°_]*[²³]?(?:(?:\^|\*\*)-?\d)?"
UNIT = re.compile(rf"{NAME}(?:[ ]?[·*/ ][ ]?{NAME}){{0,5}}|1/{NAME}")
LONGEST_UNIT = 60


def short(seen: str) -> str:
    return seen if len(seen) <= 60 else f"{seen[:60]} …"


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
    unit = SPELLINGS.get(unit, unit)
    if unit in known.units:
        return known.units[unit]
    want = (
        f"{'an' if kind[0] in 'aeiou' else 'a'} {kind} is expected here, for example "
        f"{known.example}"
    )
    if unit in _NOT_A.get(kind, ()) or kind == "temperature":
        raise QuantityError(f"“{unit}” is not a unit of {kind}; {want}")
    if len(unit) > LONGEST_UNIT or not UNIT.fullmatch(unit):
        raise QuantityError(f"“{short(unit)}” is not a known unit; {want}")
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
        raise QuantityError(f"“{unit}” is not a known unit; {want}") from err
    if one.check(_DIMENSIONS[kind]):
        return float(one.magnitude)
    if kind in _WEIGHT_FOR and one.check(_WEIGHT_FOR[kind]):
        return float(one.magnitude) * G_N
    seen = next((k for k, dims in _DIMENSIONS.items() if one.check(dims)), None)
    what = f"is a unit of {seen}" if seen else "is another kind of unit"
    raise QuantityError(f"“{unit}” {what}; {want}")


def to_si(value: float, unit: str, kind: str) -> float:
    """`value` in `unit` as SI."""
    if kind == "temperature" and (known := TEMPERATURES.get(SPELLINGS.get(unit, unit))):
        return value * known[0] + known[1]
    return value * factor(unit, kind)


def from_si(value: float, unit: str, kind: str) -> float:
    """SI `value` in `unit`."""
    if kind == "temperature" and (known := TEMPERATURES.get(SPELLINGS.get(unit, unit))):
        return (value - known[1]) / known[0]
    return value / factor(unit, kind)


# --- reading --------------------------------------------------------------------------------------
