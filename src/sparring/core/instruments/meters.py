"""Voltmeter, ammeter, tachometer: what their data sheets promise, and what a comparison with a
better instrument showed.

A comparison is a straight line, shown = zero + gain · true, through what both instruments read at
the same moment. What the meter shows is then corrected by it; the line's own uncertainty and the
reference's stay with every figure.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from sparring.core.input_quantity import declare, line_inputs
from sparring.core.instruments.calibration import Calibration, Day
from sparring.core.quantity import QuantityError, from_si, parse
from sparring.core.records import Q, Record
from sparring.core.several import MOST, own
from sparring.core.uncertainty import LineFit, Uncertain, fit_line, nominal, std, ufloat

Accuracy = Annotated[float, Q("ratio", "%", least=0.0, most=0.5)]
_MOST = 200


class Comparison(Record):
    """Base of the comparisons. date: ISO day it was made; reference: what it was compared with,
    right within `reference_accuracy` (95 % half-width of its gain). points: what both read, of a
    class of its own for the unit.
    """

    KIND: ClassVar[str] = ""
    instrument: Annotated[str, Field(max_length=60)] = "meter"
    date: Day = "2026-01-01"
    reference: Annotated[str, Field(max_length=60)] = "a better meter"
    reference_accuracy: Accuracy = 0.001

    def pairs(self) -> tuple[np.ndarray, np.ndarray]:
        """(reference, shown), SI, shape (n,)."""
        points: Any = self.points  # type: ignore[attr-defined]
        return np.array([p.reference for p in points]), np.array([p.shown for p in points])


class VoltagePoint(Record):
    """What the reference and the voltmeter read at the same moment."""

    reference: Annotated[float, Q("voltage")] = 0.0
    shown: Annotated[float, Q("voltage")] = 0.0


class CurrentPoint(Record):
    """What the reference and the ammeter read at the same moment."""

    reference: Annotated[float, Q("current")] = 0.0
    shown: Annotated[float, Q("current")] = 0.0


class SpeedPoint(Record):
    """What the reference and the tachometer read at the same moment."""

    reference: Annotated[float, Q("speed", "rpm")] = 0.0
    shown: Annotated[float, Q("speed", "rpm")] = 0.0


class Voltmeter(Comparison):
    KIND = "voltage"
    points: Annotated[tuple[VoltagePoint, ...], Field(min_length=3, max_length=_MOST)]


class Ammeter(Comparison):
    KIND = "current"
    points: Annotated[tuple[CurrentPoint, ...], Field(min_length=3, max_length=_MOST)]


class Tachometer(Comparison):
    KIND = "speed"
    points: Annotated[tuple[SpeedPoint, ...], Field(min_length=3, max_length=_MOST)]


class Sensors(Record):
    """Each accuracy is the 95 % half-width of the instrument's gain as its data sheet says, each
    zero that of what it is off by however little it reads; a comparison takes their place. How
    fine a display is, its recording tells.

    force_accuracy, force_zero: of a cell whose force comes in newtons, which has no calibration
    here.
    supply: how the drive is fed and read; of a chopped one only the samples' own v·i is the power.
    second_cell: what the force of a second load cell does to the first's, by its own calibration
    where it comes in counts. pulses: a turn of the output gives the tachometer; 0: not known.
    """

    voltage_accuracy: Accuracy = 0.005
    current_accuracy: Accuracy = 0.01
    speed_accuracy: Accuracy = 0.001
    force_accuracy: Accuracy = 0.0
    voltage_zero: Annotated[float, Q("voltage", least=0.0)] = 0.0
    current_zero: Annotated[float, Q("current", least=0.0)] = 0.0
    speed_zero: Annotated[float, Q("speed", "rpm", least=0.0)] = 0.0
    force_zero: Annotated[float, Q("force", least=0.0)] = 0.0
    voltmeter: Voltmeter | None = None
    ammeter: Ammeter | None = None
    tachometer: Tachometer | None = None
    pulses: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    supply: Literal["smooth", "chopped, in samples", "chopped, averaged"] = "smooth"
    second_cell: Literal["not used", "added", "taken off"] = "not used"
    second_calibration: Calibration | None = None


def _each(what: str) -> list[str]:
    return [own(what, n + 1) for n in range(MOST)]


METERS: dict[str, tuple[type[Comparison], type[Record], str, tuple[str, ...]]] = {
    "voltmeter": (Voltmeter, VoltagePoint, "voltage_accuracy", ("voltage", *_each("voltage"))),
    "ammeter": (Ammeter, CurrentPoint, "current_accuracy", ("current", *_each("current"))),
    "tachometer": (Tachometer, SpeedPoint, "speed_accuracy", ("speed", "motor_speed")),
}
"""By the field of `Sensors`: the comparison, a point of it, the field of the data sheet's accuracy,
the channels it reads; one comparison stands for the meters of all motors.
"""


_LINES = {name: line_inputs(name, name, "rig") for name in METERS}
_GAINS = {name: declare(f"{name}.gain", name, "rig").id for name in METERS}
_OFFSETS = {name: declare(f"{name}.offset", f"{name}, zero", "rig").id for name in METERS}
_REFERENCES = {
    name: declare(f"{name}.reference", f"{name}'s reference", "rig").id for name in METERS
}


def fit(comparison: Comparison, name: str = "voltmeter") -> LineFit:
    """shown = zero + gain · reference. Raises ValueError when the points give no line or do not
    follow the reference.
    """
    true, shown = comparison.pairs()
    line = fit_line(true, shown, inputs=_LINES[name]).widened()
    if nominal(line.slope) <= 5 * std(line.slope):
        raise ValueError(
            "the meter does not follow the reference; check that both are on the same two "
            "points, with the right polarity"
        )
    return line


@dataclass(frozen=True)
class Meter:
    """One instrument of a run. Shown values are corrected by `zero` and `gain`, plain numbers,
    before anything else; what is left in doubt is `doubt`, a factor about 1, and `rest`, about 0 in
    the quantity's own unit."""

    doubt: Uncertain
    zero: float = 0.0
    gain: float = 1.0
    rest: Uncertain = 0.0

    def correct(self, shown: np.ndarray) -> np.ndarray:
        """What a sample truly was, as far as the comparison tells. shape (n,)."""
        return shown if (self.zero, self.gain) == (0.0, 1.0) else (shown - self.zero) / self.gain

    def __call__(self, mean: Uncertain) -> Uncertain:
        """The corrected mean with the instrument's doubt in it."""
        return self.doubt * mean + self.rest


def meter(sensors: Sensors, name: str) -> Meter:
    """The instrument `name` of METERS. Raises ValueError as `fit` does."""
    comparison: Comparison | None = getattr(sensors, name)
    if comparison is None:
        gain, zero = by_data_sheet(sensors, name)
        return Meter(
            ufloat(1.0, gain / 2, _GAINS[name]), rest=ufloat(0.0, zero / 2, _OFFSETS[name])
        )
    line = fit(comparison, name)
    zero, gain = nominal(line.intercept), nominal(line.slope)
    reference = ufloat(1.0, comparison.reference_accuracy / 2, _REFERENCES[name])
    return Meter(gain / line.slope * reference, zero, gain, (zero - line.intercept) / line.slope)


def by_data_sheet(sensors: Sensors, name: str) -> tuple[float, float]:
    """95 % half-widths of an instrument's gain [-] and zero [SI]."""
    field = METERS[name][2]
    return getattr(sensors, field), getattr(sensors, field.replace("accuracy", "zero"))


_COUNTS = re.compile(r"(\d+) *(?:counts?|digits?)(?: +of +(.+))?", re.IGNORECASE)


def of_data_sheet(text: str, kind: str, unit: str) -> tuple[float, float]:
    """95 % half-widths of gain [-] and zero [SI] of a data sheet's line: `0.5 %`,
    `0.5 % + 0.03 V`, `0.5 % + 3 counts of 0.01 V`. kind, unit: of what the instrument reads. Raises
    QuantityError.
    """
    gain = zero = 0.0
    for part in text.replace("±", " ").split("+"):
        part = part.strip()
        if counts := _COUNTS.fullmatch(part):
            if counts[2] is None:
                whole = f"{counts[1]} counts of 0.01 {unit}"
                raise QuantityError(
                    f"“{part}”: the size of one count is missing; write for example {whole}"
                )
            zero += int(counts[1]) * parse(counts[2], kind, unit).value
        elif part.endswith("%"):
            gain += parse(part, "ratio", "%").value
        else:
            zero += parse(part, kind, unit).value
    return gain, zero


def as_data_sheet(gain: float, zero: float, kind: str, unit: str) -> str:
    """As `of_data_sheet` reads it."""
    beside = f" + {from_si(zero, unit, kind):.4g} {unit}" if zero else ""
    return f"{100 * gain:.4g} %{beside}"


def accuracy(sensors: Sensors, name: str) -> float:
    """95 % half-width of an instrument's gain [-]; what is left in doubt of
    its zero is not in it."""
    return 2 * std(meter(sensors, name).doubt)
