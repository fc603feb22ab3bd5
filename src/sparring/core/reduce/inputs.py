"""What all runs of a test share: dimensions, instruments, motor line, calibrations, each one input
with uncertainty.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.rig import Rig, Sensors, calibration
from sparring.core.rig.meters import METERS, Meter, meter
from sparring.core.run import Run
from sparring.core.uncertainty import LineFit, from_measured, ufloat

_CELL = "load cell"


class ReductionError(ValueError):
    """A recording that cannot be reduced; the message says why and what to do."""


@dataclass(frozen=True)
class Instruments:
    """The meters of a run; load_voltage, load_current: those at a generator's load."""

    voltage: Meter
    current: Meter
    speed: Meter
    load_voltage: Meter
    load_current: Meter
    sensors: Sensors

    def corrected(self, rec: Recording) -> Recording:
        """The recording as the instruments' comparisons say it truly was."""
        by_channel = {
            "voltage": self.voltage,
            "current": self.current,
            "speed": self.speed,
            "motor_speed": self.speed,
        }
        if all((m.zero, m.gain) == (0.0, 1.0) for m in by_channel.values()):
            return rec
        return replace(
            rec,
            channels={
                c: by_channel[c].correct(v) if c in by_channel else v
                for c, v in rec.channels.items()
            },
        )


def instruments_of(sensors: Sensors, made: dict[Any, Meter] | None = None) -> Instruments:
    """made: the meters so far; the same one stays the same input. Raises ReductionError when a
    comparison gives no line.
    """
    made = {} if made is None else made

    def one(name: str) -> Meter:
        key = (name, getattr(sensors, METERS[name][2]), getattr(sensors, name))
        if key not in made:
            made[key] = meter(sensors, name)
        return made[key]

    def at_the_load(name: str, accuracy: float) -> Meter:
        return made.setdefault(
            (name, accuracy), Meter(ufloat(1.0, accuracy / 2, f"{name} at the load"))
        )

    try:
        voltage, current, speed = (one(name) for name in METERS)
    except ValueError as err:
        raise ReductionError(f"a meter's comparison: {err}") from err
    load_voltage = at_the_load("voltmeter", sensors.voltage_accuracy)
    load_current = at_the_load("ammeter", sensors.current_accuracy)
    return Instruments(voltage, current, speed, load_voltage, load_current, sensors)


@dataclass(frozen=True)
class Inputs:
    """What all runs of a test share, as inputs with uncertainty; made once, so correlations are
    kept.
    """

    ratio: float
    figures: dict[str, Any]  # the method's dimensions, by field
    gravity: Any
    meters: Instruments
    motor: motors.Motor
    warming: Any  # R rises by this factor - 1 per kelvin; carries the winding's doubt
    cell: LineFit | None
    heat_capacity: float  # of the winding [J/K]
    heating: Any  # 1, doubtful by a quarter: how well that capacity tells the warming within a lift
    rotor: Any  # inertia of all rotors [kg·m²], doubtful by a tenth
    whose_drag: Any  # 0 ± 1: of a run-up's drag, the part that is the mass's own
    other_drag: Any  # 0, rectangular within ± 1: how drag goes on beyond the speeds it was seen at
    masses: dict[float, Any] = field(default_factory=dict)
    tares: dict[Any, Any] = field(default_factory=dict)
    cells: dict[tuple[str, calibration.Calibration], LineFit] = field(default_factory=dict)
    made: dict[Any, Meter] = field(default_factory=dict)
    sets: dict[Sensors, Instruments] = field(default_factory=dict)

    def cell_of(self, run: Run, gravity: float) -> LineFit | None:
        """The line of the calibration in force at the run; one input for all runs of one
        calibration.
        """
        if run.calibration is None:
            return self.cell
        return self._line(run.calibration, gravity, _CELL)

    def second_cell_of(self, run: Run, gravity: float) -> LineFit | None:
        """The same of the second cell; it counts from its calibration's own zero."""
        cal = self.meters_of(run).sensors.second_calibration
        return None if cal is None else self._line(cal, gravity, "second load cell")

    def _line(self, cal: calibration.Calibration, gravity: float, tag: str) -> LineFit:
        if (tag, cal) not in self.cells:
            self.cells[tag, cal] = calibration.fit(cal, gravity, tag)
        return self.cells[tag, cal]

    def meters_of(self, run: Run) -> Instruments:
        """The instruments in force at the run; the same one is the same input in every run."""
        if run.sensors is None:
            return self.meters
        if run.sensors not in self.sets:
            self.sets[run.sensors] = instruments_of(run.sensors, self.made)
        return self.sets[run.sensors]

    def mass(self, m: Any) -> Any:
        """The same weight is the same input in every run."""
        return self.masses.setdefault(m.value, from_measured(m, "weight hung"))

    def tare(self, reading: Measured) -> Any:
        """One tare serves all lifts until the next: the same reading is the same input in every
        run.
        """
        return self.tares.setdefault(reading, from_measured(reading, "tare"))


def inputs_of(build: Build, rig: Rig) -> Inputs:
    """Inputs shared by all runs of `build` on `rig`. Raises ReductionError when a record
    contradicts itself.
    """
    m = build.motor

    def line(readings: motors.MotorReadings, whose: str) -> motors.Motor:
        return motors.identify(
            from_measured(readings.voltage, f"{whose} readings: voltage"),
            from_measured(readings.no_load_speed, f"{whose} readings: no-load speed"),
            from_measured(readings.no_load_current, f"{whose} readings: no-load current"),
            from_measured(readings.stall_current, f"{whose} readings: stall current"),
            readings.winding_temperature,
        )

    try:
        further = [
            (line(f.readings, f"motor {n}"), f.gearing)
            for n, f in enumerate(build.further_motors, start=2)
        ]
        motor = motors.together([(line(m, "motor"), 1.0), *further])
        cell = (
            calibration.fit(rig.calibration, rig.gravity.value, _CELL) if rig.calibration else None
        )
    except ValueError as err:
        raise ReductionError(str(err)) from err
    made: dict[Any, Meter] = {}
    return Inputs(
        ratio=abs(build.ratio()),
        figures=rig.method.shared(),
        gravity=from_measured(rig.gravity, "gravity"),
        meters=instruments_of(rig.sensors, made),
        made=made,
        motor=motor,
        warming=ufloat(0.0, 1.0, "winding temperature"),
        heat_capacity=build.heat_capacity(),
        heating=ufloat(1.0, 0.25, "warming during the lift"),
        cell=cell,
        cells={(_CELL, rig.calibration): cell} if rig.calibration and cell else {},
        whose_drag=ufloat(0.0, 1.0, "whose drag it is"),
        other_drag=ufloat(0.0, 1 / math.sqrt(3), "drag at other speeds"),
        rotor=build.rotor_inertia() * ufloat(1.0, 0.1, "rotor inertia"),
    )


def part_of(run: Run, recording: Recording) -> Recording:
    """The run's own part of a recording that may hold several."""
    if run.start is None and run.stop is None:
        return recording
    return recording.span(
        run.start if run.start is not None else -math.inf,
        run.stop if run.stop is not None else math.inf,
    )


def seen(inputs: Inputs, run: Run, recording: Recording) -> Recording:
    """The run's own part, as its instruments' comparisons say it truly was."""
    return inputs.meters_of(run).corrected(part_of(run, recording))
