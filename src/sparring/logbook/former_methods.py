"""Readings by eye that versions before kept under a build, made into tests.

Their ways were methods in all but name: lever, arm on a scale, rope brake, drawbar, run-up. What
stood in them is frozen here: columns in the order they were typed, dimensions by their fields.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sparring.core import quantity
from sparring.core.by_eye import ByEye
from sparring.core.methods import Drawbar, Lever, MethodBase, RopeBrake, RunUp, Scale
from sparring.core.plan import ladder
from sparring.core.plan.record import LOADS
from sparring.core.quantity import Measured
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.logbook.characterised import Characterisation
from sparring.logbook.database import LogbookError
from sparring.logbook.store import Logbook

_COLUMNS: dict[str, tuple[tuple[str, str, str], ...]] = {
    "lever": (("lifted", "mass", "g"), ("not_lifted", "mass", "g"), ("angle", "angle", "deg")),
    "scale": (("shows", "mass", "g"), ("tare", "mass", "g"), ("angle", "angle", "deg")),
    "rope-brake": (
        ("tight", "force", "N"),
        ("slack", "force", "N"),
        ("speed", "speed", "rpm"),
        ("voltage", "voltage", "V"),
        ("current", "current", "A"),
    ),
    "drawbar": (
        ("pull", "force", "N"),
        ("least", "force", "N"),
        ("peak", "force", "N"),
        ("ballast", "mass", "g"),
    ),
    "run-up": (
        ("first", "speed", "rpm"),
        ("second", "speed", "rpm"),
        ("time", "time", "s"),
        ("coast_first", "speed", "rpm"),
        ("coast_second", "speed", "rpm"),
        ("coast_time", "time", "s"),
    ),
}
_NEEDED: dict[str, set[str]] = {
    "lever": set(),
    "scale": {"shows"},
    "rope-brake": {"tight"},
    "drawbar": {"pull"},
    "run-up": {"first", "second", "time"},
}
_TITLES = {
    "lever": "Lever",
    "scale": "Arm on a scale",
    "rope-brake": "Rope brake",
    "drawbar": "Drawbar",
    "run-up": "Run-up",
}
_Row = Mapping[str, Measured]


def adopt_methods(book: Logbook) -> list[str]:
    """Makes tests of readings that a version before kept; one sentence each. What cannot be made
    one stays as it is, and is told once.
    """
    said = []
    for kept in book.characterisations(part="method"):  # type: ignore[arg-type]
        what = f"Readings of an earlier version, {_TITLES[kept.way].lower()} of {kept.name}"
        try:
            test = _test_of(book, kept)
            told, note = f"{what}, have been converted to a test.", f"made test {test}"
        except (LogbookError, ValueError) as err:
            told = (
                f"{what}, cannot be converted to a test: {err}. They remain in the "
                "logbook's database."
            )
            note = f"no test could be created: {err}"
        book.save_characterisation(replace(kept, note=note, struck=True))
        said.append(told)
    return said


def _test_of(book: Logbook, kept: Characterisation) -> int:
    """The number of the new test. Raises LogbookError, or ValueError where nothing can be read."""
    rows = [
        {
            name: quantity.parse(text, kind, unit)
            for (name, kind, unit), text in zip(_COLUMNS[kept.way], column, strict=False)
            if text
        }
        for column in kept.readings
    ]
    rows = [row for row in rows if _NEEDED[kept.way] <= row.keys()]  # others were not finished
    if not rows:
        raise ValueError("no reading is complete")
    dimensions = _Dimensions(kept.dimensions)
    ratio = abs(book.build(kept.owner).ratio())
    method, runs = _MAKE[kept.way](dimensions, rows, ratio)
    if not runs:
        raise ValueError("no reading is complete")
    rig = Rig.ours(name=f"{_TITLES[kept.way]}, {kept.name}"[:60], method=method)
    if (gravity := dimensions.get("gravity", "acceleration", "m/s²")) is not None:
        rig = rig.model_copy(update={"gravity": gravity})
    weights = sorted({r.load.value: r.load for r in runs if r.load is not None}.items())
    places = {value: n for n, (value, _) in enumerate(weights)}
    repeats: dict[int, int] = {}
    numbered = []
    volts = book.build(kept.owner).motor.voltage.value  # nobody kept what it was driven at
    for run in runs:
        step = places[run.load.value] if run.load is not None else 0
        repeats[step] = repeats.get(step, 0) + 1
        numbered.append(
            run.model_copy(update={"step": step, "repeat": repeats[step], "voltage": volts})
        )
    loads = tuple(load for value, load in weights if value > 0)
    plan = ladder(loads or LOADS, (volts,), max(repeats.values()))
    test = book.add_test(kept.owner, book.save_rig(rig), plan, "readings of an earlier version")
    for run in numbered:
        book.add_run(test, run)
    return test


class _Dimensions:
    """What the readings shared, by field, as file text."""

    def __init__(self, told: Mapping[str, Any]) -> None:
        self.told = told

    def get(self, name: str, kind: str, unit: str) -> Measured | None:
        value = self.told.get(name)
        return None if value is None else quantity.parse(str(value), kind, unit)

    def into(self, **fields: tuple[str, str, str]) -> dict[str, Any]:
        """Those that are there, by the field they become."""
        found = {new: self.get(*told) for new, told in fields.items()}
        return {new: value for new, value in found.items() if value is not None}

    def accuracy(self, name: str) -> float:
        """95 % half-width of an instrument's gain [-]."""
        found = self.get(name, "ratio", "%" if "%" in str(self.told.get(name)) else "")
        return 0.0 if found is None else found.value


def _run(ended: str = "top", load: Measured | None = None, **read: Any) -> Run:
    figures = {name: value for name, value in read.items() if value is not None}
    seen = ByEye.model_validate(figures)
    return Run.model_validate(
        {"source": "eye", "ended": ended, "load": load, "voltage": 0.0, "read": seen}
    )


def _within(value: Measured | None, accuracy: float) -> Measured | None:
    """With its instrument's accuracy in its ±."""
    if value is None:
        return None
    return Measured(value.value, math.hypot(value.u, value.value * accuracy / 2))


def _lever(d: _Dimensions, rows: Sequence[_Row], ratio: float) -> tuple[MethodBase, list[Run]]:
    fields = d.into(
        arm=("arm", "length", "mm"),
        arm_mass=("arm_mass", "mass", "g"),
        arm_centre=("arm_centre", "length", "mm"),
        hook_mass=("hook_mass", "mass", "g"),
    )
    angle = next((r["angle"] for r in rows if "angle" in r), Measured(0.0, 0.01))
    runs = []
    for row in rows:
        runs += [_run(load=row["lifted"])] if "lifted" in row else []
        runs += [_run("stalled", row["not_lifted"])] if "not_lifted" in row else []
    return Lever.model_validate({**fields, "start": angle, "top": angle}), runs


def _scale(d: _Dimensions, rows: Sequence[_Row], ratio: float) -> tuple[MethodBase, list[Run]]:
    angle = next((r["angle"] for r in rows if "angle" in r), Measured(0.0, 0.01))
    fields = d.into(arm=("arm", "length", "mm"))
    g, accuracy = quantity.G_N, d.accuracy("scale")
    gravity = d.get("gravity", "acceleration", "m/s²")
    g = g if gravity is None else gravity.value

    def force(mass: Measured) -> Measured:
        return Measured(abs(mass.value) * g, mass.u * g)

    runs = []
    for row in rows:
        shows, tare = row["shows"], row.get("tare", Measured(0.0))
        if shows.value < tare.value:  # it pulled: the scale showed less than the arm alone
            shows, tare = tare, shows
        runs.append(_run("stalled", force=_within(force(shows), accuracy), rest=force(tare)))
    return Scale.model_validate({**fields, "angle": angle}), runs


def _rope(d: _Dimensions, rows: Sequence[_Row], ratio: float) -> tuple[MethodBase, list[Run]]:
    fields = d.into(drum_diameter=("drum", "length", "mm"), rope_diameter=("rope", "length", "mm"))
    accuracy = d.accuracy("balances")
    runs = [
        _run(
            force=_within(row["tight"], accuracy),
            slack=_within(row.get("slack"), accuracy),
            speed=row.get("speed"),
            voltage=row.get("voltage"),
            current=row.get("current"),
        )
        for row in rows
    ]
    return RopeBrake.model_validate(fields), runs


def _drawbar(d: _Dimensions, rows: Sequence[_Row], ratio: float) -> tuple[MethodBase, list[Run]]:
    wheel = d.get("wheel", "length", "mm")
    fields = d.into(on_wheels=("mass", "mass", "kg"))
    if wheel is not None:
        fields["wheel_diameter"] = Measured(2 * wheel.value, 2 * wheel.u)
    # the ballast lay on the vehicle: it set nothing that the method counts
    runs = [_run(force=row["pull"]) for row in rows]
    return Drawbar.model_validate({**fields, "rolls": Measured(0.0)}), runs


def _run_up(d: _Dimensions, rows: Sequence[_Row], ratio: float) -> tuple[MethodBase, list[Run]]:
    fields = d.into(inertia=("mass", "inertia", "kg·m²"))
    safe = d.get("safe", "speed", "rpm")
    if safe is not None:
        fields["safe_speed"] = safe.value
    runs = [
        _run(
            first_speed=row["first"],
            second_speed=row["second"],
            time=row["time"],
            coast_first=row.get("coast_first"),
            coast_second=row.get("coast_second"),
            coast_time=row.get("coast_time"),
        )
        for row in rows
    ]
    # the ratio was that of the motor to the mass
    to_motor = d.get("ratio", "ratio", "")
    gearing = 1.0 if to_motor is None else ratio / to_motor.value
    return RunUp.model_validate({**fields, "gearing": gearing}), runs


_MAKE = {
    "lever": _lever,
    "scale": _scale,
    "rope-brake": _rope,
    "drawbar": _drawbar,
    "run-up": _run_up,
}
