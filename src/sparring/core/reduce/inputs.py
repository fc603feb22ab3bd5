"""What all runs of a test share: dimensions, instruments, motor line, calibrations, each one input
with uncertainty.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from sparring.core import inventory, several
from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.by_eye import MARKS, SCALES
from sparring.core.input_quantity import declare
from sparring.core.instruments import calibration
from sparring.core.instruments.meters import METERS, Meter, Sensors, by_data_sheet, meter
from sparring.core.quantity import Measured
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.pauses import Line, with_pauses
from sparring.core.reduce.warmth import Bodies, Course, Warmth, bodies_of, course_of
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import (
    LineFit,
    Propagated,
    Uncertain,
    from_measured,
    nominal,
    second_order,
    ufloat,
)

# gain and zero of instruments without a comparison, by channel
_PROMISED = {
    channel: (declare(gain, words, "rig").id, declare(zero, f"{words}, zero", "rig").id)
    for channel, gain, zero, words in (
        ("load_voltage", "voltmeter.at-load", "voltmeter.at-load.offset", "voltmeter at the load"),
        ("load_current", "ammeter.at-load", "ammeter.at-load.offset", "ammeter at the load"),
        ("force", "force-gain", "force-offset", "load cell in newtons"),
    )
}
_WEIGHT = declare("weight", "weight hung", "rig").id
_TARE = declare("tare", "tare", "rig").id
_GRAVITY = declare("gravity", "gravity", "place").id
_WINDING = declare("winding-temperature", "winding temperature", "rig").id
_HISTORY = declare("winding-before", "winding temperature before", "rig").id
_HEATING = declare("winding-warming", "self-heating by the current", "rig").id
_MAGNETS = declare("magnets", "magnets by temperature", "build").id
_ARM = declare("input-arm", "crank radius", "rig").id
_RATIO = declare("ratio", "ratio of the closed box", "build").id
_RESOLUTION = declare("resolution", "{0}, resolution", "rig")
_AMMETER = declare("ammeter.motor", "ammeter of motor {0}", "rig")
_AMMETER_ZERO = declare("ammeter.motor.offset", "ammeter of motor {0}, zero", "rig")
_ROTOR = declare("rotor-inertia", "rotor inertia", "rig").id
_WHOSE_DRAG = declare("whose-drag", "origin of the drag", "rig").id
_OTHER_DRAG = declare("other-drag", "drag at other speeds", "rig").id
_MOTOR = {
    field: (
        declare(f"motor.{field}", f"motor readings: {words}", "build"),
        declare(f"further-motor.{field}", f"motor {{0}} readings: {words}", "build"),
    )
    for field, words in (
        ("voltage", "voltage"),
        ("no_load_speed", "no-load speed"),
        ("no_load_current", "no-load current"),
        ("stall_current", "stall current"),
        ("brush_drop", "brush drop"),
    )
}


def heat_doubt(m: motors.MotorReadings) -> float:
    """Standard uncertainty of the warming by the motor's heat figures, as a part of it; those of
    the template, which nobody entered, are any motor's.
    """
    usual = motors.MotorReadings.model_fields
    entered = any(
        getattr(m, name) != usual[name].default for name in ("heat_time", "heat_resistance")
    )
    return 0.25 if entered else 0.6


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
    force: Meter  # of a cell that gives newtons
    sensors: Sensors

    def corrected(self, rec: Recording) -> Recording:
        """The recording as the instruments' comparisons say it truly was."""
        own = dict(zip(METERS, (self.voltage, self.current, self.speed), strict=True))
        if all((m.zero, m.gain) == (0.0, 1.0) for m in own.values()):
            return rec
        by = {channel: own[name] for name, (*_, read) in METERS.items() for channel in read}

        def correct(channel: str, shown: np.ndarray) -> np.ndarray:
            return by[channel].correct(shown) if channel in by else shown

        return replace(rec, channels=several.corrected(rec.channels, correct))


def instruments_of(sensors: Sensors, made: dict[Any, Meter] | None = None) -> Instruments:
    """made: the meters so far; the same one stays the same input. Raises ReductionError when a
    comparison gives no line.
    """
    made = {} if made is None else made

    def one(name: str) -> Meter:
        key = (name, by_data_sheet(sensors, name), getattr(sensors, name))
        if key not in made:
            made[key] = meter(sensors, name)
        return made[key]

    def promised(what: str, gain: float, zero: float) -> Meter:
        """One that nothing was compared with."""
        first, second = _PROMISED[what]
        found = Meter(ufloat(1.0, gain / 2, first), rest=ufloat(0.0, zero / 2, second))
        return made.setdefault((what, gain, zero), found)

    try:
        voltage, current, speed = (one(name) for name in METERS)
    except ValueError as err:
        raise ReductionError(f"a meter's comparison: {err}") from err
    return Instruments(
        voltage,
        current,
        speed,
        load_voltage=promised("load_voltage", *by_data_sheet(sensors, "voltmeter")),
        load_current=promised("load_current", *by_data_sheet(sensors, "ammeter")),
        force=promised("force", sensors.force_accuracy, sensors.force_zero),
        sensors=sensors,
    )


@dataclass(frozen=True)
class Inputs:
    """What all runs of a test share, as inputs with uncertainty; made once, so correlations are
    kept.
    """

    ratio: Uncertain
    figures: dict[str, Uncertain]  # the method's dimensions, by field
    bent: tuple[Uncertain, ...]  # what the second order of their cosines adds
    gravity: Uncertain
    meters: Instruments
    motor: motors.Motor
    lines: tuple[tuple[motors.Motor, float], ...]  # of each motor, with its gearing
    ammeters: tuple[Meter, ...]  # each motor's own
    warming: Uncertain  # 0 ± 1: of the motor's temperature, where the warming begins
    before: Uncertain  # 0 ± 1: of what warmed it before, where nobody knows
    magnets: Uncertain  # part of k lost with a kelvin of the case
    cell: LineFit | None
    bodies: Bodies  # that the current warms
    heating: Uncertain  # 1: how well those tell the warming
    # 0 ± 1: of a channel's display, what is lost by its steps
    resolution: Mapping[str, Uncertain]
    rotor: Uncertain  # inertia of all rotors, and gears, at the motor [kg·m²], doubtful by a tenth
    whose_drag: Uncertain  # 0 ± 1: of a run-up's drag, the part that is the mass's own
    other_drag: (
        Uncertain  # 0, rectangular within ± 1: how drag goes on beyond the speeds it was seen at
    )
    # 0 ± 1: what a scale that a person reads is off by, by the figure read off it
    scales: dict[str, Uncertain]
    has_motor: bool = True
    arm: Uncertain = None  # at which the force on the input is weighed [m]; None: it is not
    marks: dict[tuple[str, Measured], Uncertain] = field(default_factory=dict)
    masses: dict[Measured, Uncertain] = field(default_factory=dict)
    tares: dict[Any, Uncertain] = field(default_factory=dict)
    cells: dict[tuple[tuple[str, str], calibration.Calibration], LineFit] = field(
        default_factory=dict
    )
    made: dict[Any, Meter] = field(default_factory=dict)
    sets: dict[Sensors, Instruments] = field(default_factory=dict)
    # the newest: the runs of one log ask for the same
    courses: list[tuple[np.ndarray, Warmth, Course | None]] = field(default_factory=list)

    def course_of(self, recording: Recording, begin: Warmth) -> Course | None:
        """How warm the motor became in a recording, whole."""
        for t, begun, course in self.courses:
            if t is recording.t and begun == begin:
                return course
        motor = self.motor
        R = nominal(motor.R)
        course = course_of(self.bodies, R, motor.temperature, recording, begin)
        if course is not None and begin.whole and self.has_motor:
            by_output = nominal(motor.k) * nominal(self.ratio)
            line = Line(
                by_output, R, nominal(motor.brush), nominal(self.magnets), motor.temperature
            )
            course = with_pauses(line, self.bodies, recording, course)
        self.courses[:] = [(recording.t, begin, course)]
        return course

    def cell_of(self, run: Run) -> LineFit | None:
        """The line of the calibration in force at the run; one input for all runs of one
        calibration.
        """
        if run.calibration is None:
            return self.cell
        return self.line_of(run.calibration, calibration.CELL)

    def second_cell_of(self, run: Run) -> LineFit | None:
        """The same of the second cell; it counts from its calibration's own zero."""
        cal = self.meters_of(run).sensors.second_calibration
        return None if cal is None else self.line_of(cal, calibration.SECOND_CELL)

    def line_of(self, cal: calibration.Calibration, which: calibration.Line) -> LineFit:
        """The line of a calibration; masses and gravity are those of the runs."""
        if (which, cal) not in self.cells:
            self.cells[which, cal] = calibration.fit(cal, self.gravity, which, self.mass)
        return self.cells[which, cal]

    def meters_of(self, run: Run) -> Instruments:
        """The instruments in force at the run; the same one is the same input in every run."""
        if run.sensors is None:
            return self.meters
        if run.sensors not in self.sets:
            self.sets[run.sensors] = instruments_of(run.sensors, self.made)
        return self.sets[run.sensors]

    def mass(self, m: Uncertain) -> Uncertain:
        """The same weight is the same input in every run."""
        return self.masses.setdefault(m, from_measured(m, _WEIGHT))

    def between_marks(self, name: str, figure: Measured) -> Uncertain:
        """A way or an angle that was read; the same figure is the same input in every run."""
        return self.marks.setdefault((name, figure), from_measured(figure, MARKS.of(name)))

    def tare(self, reading: Measured) -> Uncertain:
        """One tare serves all lifts until the next: the same reading is the same input in every
        run.
        """
        return self.tares.setdefault(reading, from_measured(reading, _TARE))


def _ammeters(sensors: Sensors, motors: int) -> tuple[Meter, ...]:
    """One for each motor, by the data sheet; nothing says that they err alike."""
    gain, zero = by_data_sheet(sensors, "ammeter")
    return tuple(
        Meter(
            ufloat(1.0, gain / 2, _AMMETER.of(n)), rest=ufloat(0.0, zero / 2, _AMMETER_ZERO.of(n))
        )
        for n in range(1, motors + 1)
    )


def _ratio_of(build: Build) -> Uncertain:
    """Motor speed over output speed, without sign."""
    ratio, doubt = abs(build.ratio()), build.ratio_doubt()
    return ufloat(ratio, doubt * ratio, _RATIO) if doubt else ratio


def inputs_of(build: Build, rig: Rig) -> Inputs:
    """Inputs shared by all runs of `build` on `rig`. Raises ReductionError when a record
    contradicts itself.
    """
    m = build.motor

    def line(readings: motors.MotorReadings, n: int) -> motors.Motor:
        def figure(name: str) -> Uncertain:
            first, further = _MOTOR[name]
            return from_measured(getattr(readings, name), first.id if n == 1 else further.of(n))

        return motors.identify(
            figure("voltage"),
            figure("no_load_speed"),
            figure("no_load_current"),
            stall_current=figure("stall_current"),
            temperature=readings.winding_temperature,
            brush=figure("brush_drop"),
        )

    lines = [(motors.MOVER, 1.0)]
    try:
        if build.has_motor:
            further = enumerate(build.further_motors, start=2)
            lines = [(line(m, 1), 1.0), *((line(f.readings, n), f.gearing) for n, f in further)]
        motor = motors.together(lines)
    except ValueError as err:
        raise ReductionError(str(err)) from err
    made: dict[Any, Meter] = {}
    figures = rig.method.shared()
    inputs = Inputs(
        ratio=_ratio_of(build),
        figures=figures,
        bent=tuple(second_order(x) for x in figures.values() if isinstance(x, Propagated)),
        gravity=from_measured(rig.gravity, _GRAVITY),
        meters=instruments_of(rig.sensors, made),
        made=made,
        motor=motor,
        lines=tuple(lines),
        ammeters=_ammeters(rig.sensors, len(lines)),
        has_motor=build.has_motor,
        arm=None if build.input_arm is None else from_measured(build.input_arm, _ARM),
        warming=ufloat(0.0, 1.0, _WINDING),
        before=ufloat(0.0, 1.0, _HISTORY),
        magnets=from_measured(motors.MAGNETS[m.magnets], _MAGNETS),
        bodies=bodies_of(build),
        heating=ufloat(1.0, heat_doubt(m), _HEATING),
        resolution={c: ufloat(0.0, 1.0, _RESOLUTION.of(c)) for c in CHANNELS},
        cell=None,
        whose_drag=ufloat(0.0, 1.0, _WHOSE_DRAG),
        scales={name: ufloat(0.0, 1.0, tag) for name, tag in SCALES.items()},
        other_drag=ufloat(0.0, 1 / math.sqrt(3), _OTHER_DRAG),
        # gears count where they are sped up or slowed down
        rotor=(
            inventory.take(build).inertia_in if rig.method.ACCELERATES else build.rotor_inertia()
        )
        * ufloat(1.0, 0.1, _ROTOR),
    )
    if rig.calibration is None:
        return inputs
    try:
        return replace(inputs, cell=inputs.line_of(rig.calibration, calibration.CELL))
    except ValueError as err:
        raise ReductionError(str(err)) from err


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
