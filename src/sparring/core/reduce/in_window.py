"""What is seen in a window of a run: speed, torque, the motor's side, powers, each with its
uncertainty.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core import several
from sparring.core.by_eye import READ
from sparring.core.instruments.meters import Meter
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError
from sparring.core.reduce.pull import Pull, pull_of
from sparring.core.reduce.spread import WINDOW
from sparring.core.reduce.warmth import COLD, Course
from sparring.core.reduce.windows import (
    Window,
    block_means,
    block_means_of,
    mean_with_uncertainty,
    middle_with_uncertainty,
    product_means,
    unseen_between_steps,
)
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import Uncertain, from_measured, nominal, std, ufloat

# [K], standard: of a case that is measured; of a motor that stood in a room nobody measured; of
# winding, case, and winding above the case, of one that may have run just before (from memory)
_MEASURED, _ROOM, _BEFORE, _CASE_BEFORE, _WITHIN = 2.0, 3.0, 10.0, 3.0, 5.0


class Torques(NamedTuple):
    """Torque at the output [N·m]: what counts; from the mass, from sensors; largest while the drive
    was on; and the force it was taken from.
    """

    torque: Uncertain
    by_mass: Uncertain = None
    by_sensors: Uncertain = None
    peak: float | None = None
    pull: Pull | None = None


class MotorSide(NamedTuple):
    """At the motor: speed as measured and as taken [rad/s]; torque [N·m] by current, by speed, and
    the better known of both.
    """

    measured_speed: Uncertain
    speed: Uncertain
    by_current: Uncertain
    by_speed: Uncertain
    torque: Uncertain


@dataclass
class InWindow:
    """What is seen in a window. on: the recording while the drive is on; acceleration: of the motor
    [rad/s²].
    """

    inputs: Inputs
    rig: Rig
    run: Run
    on: Recording
    window: Window
    acceleration: float
    course: Course | None = None
    effective: dict[str, float] = field(default_factory=dict)
    made: dict[str, Uncertain] = field(default_factory=dict)  # what was read, each one input

    def __post_init__(self) -> None:
        self.meters = self.inputs.meters_of(self.run)
        self.steady = self.on.span(self.window.start, self.window.stop)
        self._blocks: dict[str, np.ndarray] = {}

    def blocks(self, key: str) -> np.ndarray:
        """Block means of a channel in the window, worked out once."""
        if key not in self._blocks:
            self._blocks[key] = block_means(self.steady.channels[key])
        return self._blocks[key]

    def reads(self, *names: str) -> bool:
        """Whether a person read any of these."""
        return any(getattr(self.run.read, name, None) is not None for name in names)

    def level(self, y: np.ndarray, known: np.ndarray | None = None) -> tuple[float, float, float]:
        """Of a steady signal its mean, of one that runs through the window its value in the
        middle; its standard uncertainty; effective samples. known: block means of a course that is
        no noise.
        """
        if self.acceleration:
            return middle_with_uncertainty(self.steady.t, y)
        return mean_with_uncertainty(y, known)

    def read(self, name: str, by: Meter | None = None) -> Uncertain:
        """What a person read, as an input of its own, corrected by an instrument; None: nothing."""
        figure: Measured | None = getattr(self.run.read, name, None)
        if figure is None:
            return None
        if name in self.inputs.scales:
            return figure.value + figure.u * self.inputs.scales[name]
        if name in ("turned", "travel"):
            return self.inputs.between_marks(name, figure)
        shown: Any = self.made.setdefault(name, from_measured(figure, READ.of(name)))
        return shown if by is None else by((shown - by.zero) / by.gain)

    def mean(self, key: str, by: Meter | None = None) -> Uncertain:
        """What was read of a channel, else its level, corrected by an instrument; None where it was
        neither read nor recorded.
        """
        if (read := self.read(key, by)) is not None:
            return read
        if not self.steady.has(key):
            return None
        shown = self.steady.channels[key] if self.acceleration else self.blocks(key)
        value, u, self.effective[key] = self.level(shown, self._warming(key))
        if not math.isfinite(u):  # too few samples to know their own scatter
            return None
        steps = unseen_between_steps(self.on.channels[key], self.steady.channels[key])
        found = ufloat(value, u, WINDOW.of(key)) + steps * self.inputs.resolution[key]
        return found if by is None else by(found)

    def _warming(self, key: str) -> np.ndarray | None:
        """What the motor's warming does to a speed within the window, which is a course and no
        noise.
        """
        if self.course is None or key not in ("speed", "motor_speed"):
            return None
        geared = 1.0 if key == "speed" else nominal(self.inputs.ratio)
        return -geared * self._slowed

    @cached_property
    def _slowed(self) -> np.ndarray:
        warms = slowed(self.inputs, self.steady, self.course)
        return block_means_of(warms, self.steady.t)

    def speed(self) -> Uncertain:
        """Of the output [rad/s]. Raises ReductionError."""
        if (read := self.turned_by_eye()) is not None:
            return read
        counted = not self.inputs.has_motor and not self.seen("speed")
        if counted and (turns := self.input_speed()) is not None:
            return turns / self.inputs.ratio
        speed = self.mean("speed", self.meters.speed)
        if speed is None:
            raise ReductionError(
                "the output speed is missing in the window, or has too few samples"
                if self.run.read is None
                else (
                    "no reading gives the output speed: read a tachometer, or an angle or "
                    "a travel with its time"
                )
            )
        if self.run.read is not None and self.run.read.speed is not None:
            return speed
        pulses = self.meters.sensors.pulses
        # the window begins and ends anywhere between two pulses
        if pulses and not self.acceleration:
            u = 2 * math.pi / pulses / self.window.length / math.sqrt(6)
            speed = speed + ufloat(0.0, u, WINDOW.of("tachometer's pulses"))
        return speed

    def seen(self, channel: str) -> bool:
        """Whether a channel was recorded, or read."""
        return self.steady.has(channel) or self.reads(channel)

    def input_speed(self) -> Uncertain:
        """Of the input as measured [rad/s]: a tachometer there, or turns counted in a time; None
        where it was not.
        """
        angle, time = self.read("input_turned"), self.read("time")
        if angle is not None and time is not None:
            return angle / time
        return self.mean("motor_speed", self.meters.speed)

    def turned_by_eye(self) -> Uncertain:
        """Speed of the output [rad/s] by what it was seen to do in a time; None: nothing such was
        read. Raises ReductionError.
        """
        angle, way, time = self.read("turned"), self.read("travel"), self.read("time")
        if way is not None:
            angle = self.rig.method.turned(self.inputs.figures, way)
            if angle is None:
                raise ReductionError(
                    f"with a {self.rig.method.TITLE.lower()} the travel of the load does "
                    "not give the output angle; read the angle or the speed"
                )
        return None if angle is None or time is None else angle / time

    def supply(self) -> tuple[Uncertain, Uncertain]:
        """(voltage [V], current [A]) at the motor. None of an arm, which meets its stop before
        anything is steady, and where there is no motor.
        """
        if self.rig.method.STANDS or not self.inputs.has_motor:
            return None, None
        there, motors = several.count(self.steady.channels), len(self.inputs.lines)
        if stray := several.beyond(self.steady.channels):
            raise ReductionError(
                f"the recording has the current of motor {stray} but not that of motor {there + 1}:"
                f" call it current_{there + 1}; current alone is that of all motors"
            )
        if there not in (0, motors) and several.summed(self.steady.channels):
            raise ReductionError(
                f"the recording has the current of {_of(there)}, the build has {_of(motors)}: enter"
                " the others on the Build page, or record the current of all together"
            )
        return self.mean("voltage", self.meters.voltage), self.mean("current", self.meters.current)

    def shares(self) -> tuple[Uncertain, ...]:
        """Part of the torque that each of several motors gives, by its own current; empty where
        that of one is not known.
        """
        lines = self.inputs.lines
        if len(lines) < 2 or several.count(self.steady.channels) != len(lines):
            return ()
        amps = [
            self.mean(several.own("current", n), by)
            for n, by in enumerate(self.inputs.ammeters, start=1)
        ]
        if any(i is None for i in amps):
            return ()
        return tuple(several.shares(lines, amps) or ())

    def of_line(self, voltage: Uncertain) -> Uncertain:
        """The voltage that stands for those of several motors on their line together [V]: each
        counts by what a volt more makes of its torque.
        """
        volts = [
            mean_or(self.steady, several.own("voltage", n + 1), math.nan)
            for n in range(len(self.inputs.lines))
        ]
        if len(volts) < 2 or not np.isfinite(volts).all():
            return voltage
        weights = [nominal(g * m.k / m.R) for m, g in self.inputs.lines]
        return voltage - nominal(voltage) + float(np.average(volts, weights=weights))

    def power_in(self, voltage: Uncertain, current: Uncertain) -> Uncertain:
        """Taken from the supply [W]: the mean of v·i, not mean v × mean i, which a chopped supply
        would tell apart.
        """
        if voltage is None or current is None:
            return None
        meters, ch = self.meters, self.steady.channels
        if not {"voltage", "current"} <= ch.keys() or self.reads("voltage", "current"):
            return voltage * current
        volts, amps = ch["voltage"], ch["current"]
        value, u, _ = self.level(volts * amps if self.acceleration else product_means(volts, amps))
        if not math.isfinite(u):
            return None
        power = ufloat(value, u, WINDOW.of("power")) * meters.voltage.doubt * meters.current.doubt
        rest = nominal(voltage) * meters.current.rest + nominal(current) * meters.voltage.rest
        return power + rest

    def torques(self) -> Torques:
        """By all that the method has. Raises ReductionError, in the method's words, where it has
        nothing.
        """
        inputs, run, method = self.inputs, self.run, self.rig.method
        by_mass = None
        if run.load is not None:
            by_mass = method.known(inputs.figures, inputs.mass(run.load), inputs.gravity)
        pull = pull_of(inputs, self.rig, run, on=self.on, window=self.window, mean=self.mean)
        two_cells = self.meters.sensors.second_cell != "not used"
        hung = None if run.load is None or two_cells else inputs.mass(run.load) * inputs.gravity
        readings = {
            "force": self.mean("force") if pull is None else pull.mean,
            "rest": self.read("rest"),
            "slack": self.read("slack"),
            "hung": hung,
            **{c: self.mean(c, getattr(self.meters, c)) for c in method.CHANNELS},
        }
        by_sensors = method.measured(inputs.figures, readings.get)
        peak = None
        if pull is not None and by_sensors is not None:
            at_most = method.measured(method.figures(), {**readings, "force": pull.most}.get)
            peak = None if at_most is None else nominal(at_most)
        by_cell = self.rig.torque_from == "cell" or by_mass is None
        torque = by_sensors if by_cell else by_mass
        if torque is None:
            raise ReductionError(method.WANTS)
        return Torques(torque, by_mass, by_sensors, peak=peak, pull=pull)

    def swing_of_power(self, torques: Torques, force: float) -> Uncertain:
        """What the mean of torque times speed has beyond the product of their means [W], by the
        samples of cell and speed in the window; nothing where the torque is not the cell's.
        """
        key = next((k for k in ("force", "cell") if self.steady.has(k)), "")
        alone = self.meters.sensors.second_cell == "not used" and not self.reads("force", "speed")
        by_cell = torques.torque is torques.by_sensors and alone and not self.acceleration
        if not by_cell or not key or not self.steady.has("speed"):
            return 0.0
        pull, speed = self.blocks(key), self.blocks("speed")
        good = ~(np.isnan(pull) | np.isnan(speed))
        if good.sum() < 3:
            return 0.0
        if key == "cell":
            line = self.inputs.cell_of(self.run)
            if line is None:
                return 0.0
            pull = pull / nominal(line.slope)
        method = self.rig.method
        per_newton = [
            method.measured(method.figures(), {"force": f}.get) for f in (force, force + 1)
        ]
        if None in per_newton:
            return 0.0
        product = (pull[good] - pull[good].mean()) * (speed[good] - speed[good].mean())
        value, u, _ = mean_with_uncertainty(product)
        if not math.isfinite(u):
            return 0.0
        both = ufloat(value, u, WINDOW.of("torque and speed together"))
        return nominal(per_newton[1] - per_newton[0]) * both

    def at_the_load(self) -> tuple[Uncertain, Uncertain]:
        """(volts [V], power [W]) at a generator's load; None where not known."""
        if "load_voltage" not in self.rig.method.CHANNELS:
            return None, None
        volts = self.mean("load_voltage", self.meters.load_voltage)
        current = self.mean("load_current", self.meters.load_current)
        return volts, None if volts is None or current is None else volts * current

    @cached_property
    def temperature(self) -> float | None:
        """Mean of what is measured at the motor's case [K]."""
        if (read := self.read("temperature")) is not None:
            return nominal(read)
        found = mean_or(self.steady, "temperature", math.nan)
        return found if math.isfinite(found) else None

    def motor_side(self, voltage: Uncertain, current: Uncertain, speed: Uncertain) -> MotorSide:
        """What the motor does, by its line; without one what turns the input, by the force on its
        arm.
        """
        motor = self.motor
        measured = self.input_speed()
        turns = measured
        if measured is None and speed is not None:
            turns = speed * self.inputs.ratio
        if not self.inputs.has_motor:
            force, arm = self.mean("input_force", self.meters.force), self.inputs.arm
            torque = None if force is None or arm is None else force * arm
            return MotorSide(measured, turns, None, None, torque)
        own = self.inputs.rotor * self.acceleration  # what its rotor takes for itself
        by_current = by_speed = None
        if current is not None:
            by_current = motor.torque_from_current(current, 0.0 if voltage is None else voltage)
            by_current = by_current - own
        if voltage is not None and turns is not None:
            by_speed = motor.torque_from_speed(turns, self.of_line(voltage)) - own
        candidates = [t for t in (by_current, by_speed) if t is not None]
        best = min(candidates, key=std) if candidates else None
        return MotorSide(measured, turns, by_current, by_speed=by_speed, torque=best)

    @cached_property
    def motor(self) -> motors.Motor:
        """Its line as warm as it is in the window."""
        inputs = self.inputs
        line = inputs.motor
        winding, case = self.rises()
        per_kelvin = 1.0 / (motors.COPPER_ZERO + line.temperature - 273.15)
        return line._replace(
            R=line.R * (1 + winding * per_kelvin), k=line.k * (1 - inputs.magnets * case)
        )

    def rises(self) -> tuple[Uncertain, Uncertain]:
        """How far winding and case are above the temperature of the motor's line [K]."""
        inputs, course = self.inputs, self.course
        warm = COLD
        if course is not None:
            warm = course.mean(self.window.start, self.window.stop)
        before = 0.0 if warm.whole else inputs.before
        if self.temperature is not None:
            case = self.temperature - inputs.motor.temperature + _MEASURED * inputs.warming
            return case + inputs.heating * (warm.winding - warm.case) + _WITHIN * before, case
        room = _ROOM * inputs.warming
        return (
            room + _BEFORE * before + inputs.heating * warm.winding,
            room + _CASE_BEFORE * before + inputs.heating * warm.case,
        )

    def weakened(self, voltage: Uncertain) -> float:
        """Part of the stall torque that the motor's warmth leaves."""
        volts = self.run.voltage if voltage is None else voltage
        cold = nominal(self.inputs.motor.stall_torque(volts))
        return nominal(self.motor.stall_torque(volts)) / cold if cold > 0 else 1.0

    def cold(self, speed: Uncertain, current: Uncertain, voltage: Uncertain) -> Uncertain:
        """What the speed would be with the motor as warm as when its line was measured [rad/s]."""
        line, warm = self.inputs.motor, self.motor
        volts = self.run.voltage if voltage is None else nominal(voltage)
        torque = warm.torque_from_current(nominal(current), volts)
        return speed + (line.speed(torque, volts) - warm.speed(torque, volts)) / nominal(
            self.inputs.ratio
        )


def slowed(
    inputs: Inputs, on: Recording, course: Course | None
) -> Callable[[np.ndarray], np.ndarray]:
    """What the motor's own warming takes off the speed of the output in a recording, about [rad/s],
    as a function of the time. A drift that no waiting ends.
    """
    if course is None or len(on) == 0:
        return np.zeros_like
    motor = inputs.motor
    current = mean_or(on, "current", 0.0)
    per_kelvin = current / (motors.COPPER_ZERO + motor.temperature - 273.15)
    slope = per_kelvin * nominal(motor.R / motor.k) / nominal(inputs.ratio)
    begins = float(np.interp(on.t[0], course.t, course.winding))
    return lambda t: slope * (np.interp(t, course.t, course.winding) - begins)


def _of(motors: int) -> str:
    return f"{motors} motor" + ("" if motors == 1 else "s")


def mean_or(rec: Recording, key: str, missing: float) -> float:
    if not rec.has(key) or len(rec) == 0:
        return missing
    blocks = block_means(rec.channels[key])
    blocks = blocks[~np.isnan(blocks)]
    return float(blocks.mean()) if len(blocks) else missing
