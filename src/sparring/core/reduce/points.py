"""A point of a run: torque, speed, power and both efficiencies in a window, each with its
uncertainty.

Most methods have one steady window a run (`reduce.steady`); a run-up has one for each part of its
range of speed (`reduce.spins`), a brake for each of its torque (`reduce.sweeps`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core.by_eye import READ
from sparring.core.instruments.meters import Meter
from sparring.core.methods import hoist
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError
from sparring.core.reduce.pull import Pull, pull_of
from sparring.core.reduce.ripple import ripple
from sparring.core.reduce.spread import WINDOW
from sparring.core.reduce.warmth import COLD, Course, Warmth
from sparring.core.reduce.windows import (
    Window,
    block_means,
    mean_with_uncertainty,
    middle_with_uncertainty,
    unseen_between_steps,
)
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import Uncertain, from_measured, nominal, std, ufloat

# [K], standard: of a case that is measured; of a motor that stood in a room nobody measured; of
# winding, case, and winding above the case, of one that may have run just before (from memory)
_MEASURED, _ROOM, _BEFORE, _CASE_BEFORE, _WITHIN = 2.0, 3.0, 10.0, 3.0, 5.0


@dataclass(frozen=True)
class Point:
    """One operating point, or a stall. SI with uncertainty; None where a channel is missing. A
    lever's point has no speed.
    """

    run: Run
    window: Window
    stalled: bool
    torque: Uncertain
    speed: Uncertain
    cold_speed: (
        Uncertain  # what the speed would be with the motor as warm as when its line was measured
    )
    voltage: Uncertain
    current: Uncertain
    power_in: Uncertain
    power_out: Uncertain
    torque_mass: Uncertain
    torque_cell: Uncertain
    motor_speed: Uncertain
    motor_torque: Uncertain
    motor_torque_current: Uncertain
    motor_torque_speed: Uncertain
    motor_power: Uncertain
    wire_to_shaft: Uncertain
    gearbox: Uncertain
    work: Uncertain
    # torque with what rotor and gears take to speed up: that of the same speed when steady
    line_torque: Uncertain
    temperature: float | None
    torque_peak: float | None
    pull: Pull | None
    effective: float
    # how warm the motor was when its recording began and ended, after so long [s]; None: no matter
    begun: Warmth | None = None
    left: Warmth = COLD
    weakened: float = 1.0  # by this its stall torque, for the warmth in the window
    lasted: float = 0.0
    source: Run | None = None  # the run as it is kept, where this is one of several points of it
    # shaft turns per output turn -> relative amplitude
    ripple: dict[float, float] = field(default_factory=dict)
    dips: int = 0  # how often the speed fell within the window, and came back


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
class _Window:
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

    def reads(self, *names: str) -> bool:
        """Whether a person read any of these."""
        return any(getattr(self.run.read, name, None) is not None for name in names)

    def level(self, y: np.ndarray, known: np.ndarray | None = None) -> tuple[float, float, float]:
        """Of a steady signal its mean, of one that runs through the window its value in the
        middle; its standard uncertainty; effective samples. known: a course that is no noise.
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
        value, u, self.effective[key] = self.level(self.steady.channels[key], self._warming(key))
        if not math.isfinite(u):  # too few samples to know their own scatter
            return None
        steps = unseen_between_steps(self.on.channels[key], self.steady.channels[key])
        shown = ufloat(value, u, WINDOW.of(key)) + steps * self.inputs.resolution[key]
        return shown if by is None else by(shown)

    def _warming(self, key: str) -> np.ndarray | None:
        """What the motor's warming does to a speed within the window, which is a course and no
        noise.
        """
        if self.course is None or key not in ("speed", "motor_speed"):
            return None
        geared = 1.0 if key == "speed" else nominal(self.inputs.ratio)
        return -geared * slowed(self.inputs, self.steady, self.course)

    def speed(self) -> Uncertain:
        """Of the output [rad/s]. Raises ReductionError."""
        if (read := self.turned_by_eye()) is not None:
            return read
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

    def power_in(self, voltage: Uncertain, current: Uncertain) -> Uncertain:
        """Taken from the supply [W]: the mean of v·i, not mean v × mean i, which a chopped supply
        would tell apart.
        """
        if voltage is None or current is None:
            return None
        meters, ch = self.meters, self.steady.channels
        if not {"voltage", "current"} <= ch.keys() or self.reads("voltage", "current"):
            return voltage * current
        value, u, _ = self.level(ch["voltage"] * ch["current"])
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
        pull, speed = (block_means(self.steady.channels[k]) for k in (key, "speed"))
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

    @cached_property
    def temperature(self) -> float | None:
        """Mean of what is measured at the motor's case [K]."""
        if (read := self.read("temperature")) is not None:
            return nominal(read)
        found = mean_or(self.steady, "temperature", math.nan)
        return found if math.isfinite(found) else None

    def motor_side(self, voltage: Uncertain, current: Uncertain, speed: Uncertain) -> MotorSide:
        """What the motor does, by its line."""
        motor = self.motor
        measured = self.mean("motor_speed", self.meters.speed)
        turns = measured
        if measured is None and speed is not None:
            turns = speed * self.inputs.ratio
        own = self.inputs.rotor * self.acceleration  # what its rotor takes for itself
        by_current = by_speed = None
        if current is not None:
            by_current = motor.torque_from_current(current, 0.0 if voltage is None else voltage)
            by_current = by_current - own
        if voltage is not None and turns is not None:
            by_speed = motor.torque_from_speed(turns, voltage) - own
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


def point_at(
    inputs: Inputs,
    rig: Rig,
    run: Run,
    *,
    on: Recording,
    window: Window,
    stalled: bool = False,
    orders: tuple[float, ...] = (),
    torque: Uncertain = None,
    speed: Uncertain = None,
    acceleration: float = 0.0,
    speedless: bool = False,
    course: Course | None = None,
) -> Point:
    """The point of a window. on: the recording, corrected (`seen`), while the drive is on; course:
    of the motor's warmth.

    torque, speed: of the output, where the method works them out itself; acceleration of the motor
    [rad/s²]: what its rotor takes for itself does not arrive at the gearbox; speedless: nobody saw
    how fast it turned. Raises ReductionError when torque or speed cannot be known.
    """
    at = _Window(inputs, rig, run, on=on, window=window, acceleration=acceleration, course=course)
    stands = rig.method.STANDS
    if speed is None and not stands and not speedless:
        speed = at.speed()
    voltage = current = None
    if not stands:  # an arm meets its stop before anything is steady: no electrical figure counts
        voltage = at.mean("voltage", at.meters.voltage)
        current = at.mean("current", at.meters.current)
    power_in = at.power_in(voltage, current)
    torques = at.torques() if torque is None else Torques(torque)
    motor = at.motor_side(voltage, current, speed)
    turns = not stalled and speed is not None
    power_out = None
    if turns:
        force = 0.0 if torques.pull is None else nominal(torques.pull.mean)
        power_out = hoist.power(torques.torque, speed) + at.swing_of_power(torques, force)
    motor_power = motor.torque * motor.speed if turns and motor.torque is not None else None
    gearbox = _quotient(power_out, motor_power)
    return Point(
        run=run,
        window=window,
        stalled=stalled,
        torque=torques.torque,
        speed=speed,
        cold_speed=at.cold(speed, current, voltage) if turns and current is not None else speed,
        voltage=voltage,
        current=current,
        power_in=power_in,
        power_out=power_out,
        torque_mass=torques.by_mass,
        torque_cell=torques.by_sensors,
        motor_speed=motor.measured_speed,
        motor_torque=motor.torque,
        motor_torque_current=motor.by_current,
        motor_torque_speed=motor.by_speed,
        motor_power=motor_power,
        wire_to_shaft=_quotient(power_out, power_in),
        gearbox=gearbox,
        line_torque=_steady(inputs, torques.torque, gearbox, acceleration=acceleration),
        work=hoist.work(torques.torque, speed * window.length) if turns and window.length else None,
        temperature=at.temperature,
        torque_peak=torques.peak,
        pull=torques.pull,
        effective=at.effective.get("speed", 1.0),
        begun=None if course is None else course.begun,
        left=COLD if course is None else course.end,
        weakened=at.weakened(voltage) if stalled else 1.0,
        lasted=0.0 if course is None else float(course.t[-1] - course.t[0]),
        dips=_dips(at.steady) if turns and not acceleration else 0,
        ripple=(
            ripple(at.steady.t, at.steady.channels["speed"], orders)
            if turns and at.steady.has("speed")
            else {}
        ),
    )


_DIP = 0.5  # of its median, below which a speed has fallen


def _dips(steady: Recording) -> int:
    """How often the speed of the output fell and came back, beyond its own scatter."""
    if not steady.has("speed"):
        return 0
    speed = steady.channels["speed"]
    speed = speed[~np.isnan(speed)]
    if len(speed) == 0:
        return 0
    level = float(np.median(speed))
    scatter = 1.5 * float(np.median(np.abs(speed - level)))  # standard, whatever fell
    low = speed < level - max((1 - _DIP) * level, 6 * scatter)
    return int(np.count_nonzero(np.diff(low.astype(np.int8)) == -1))


def slowed(inputs: Inputs, on: Recording, course: Course | None) -> np.ndarray:
    """What the motor's own warming takes off the speed of the output in a recording, by time, about
    [rad/s]; shape (n,). A drift that no waiting ends.
    """
    if course is None or len(on) == 0:
        return np.zeros(len(on))
    motor = inputs.motor
    current = mean_or(on, "current", 0.0)
    per_kelvin = current / (motors.COPPER_ZERO + motor.temperature - 273.15)
    winding = np.interp(on.t, course.t, course.winding)
    lost: np.ndarray = (winding - winding[0]) * per_kelvin * nominal(motor.R / motor.k)
    return lost / nominal(inputs.ratio)


def _steady(
    inputs: Inputs, torque: Uncertain, gearbox: Uncertain, acceleration: float
) -> Uncertain:
    """Torque at the output with what rotor and gears take to speed up; None where they do not."""
    if gearbox is None or not acceleration:
        return None
    return torque + inputs.rotor * acceleration * inputs.ratio * nominal(gearbox)


def mean_or(rec: Recording, key: str, missing: float) -> float:
    if not rec.has(key) or len(rec) == 0:
        return missing
    blocks = block_means(rec.channels[key])
    blocks = blocks[~np.isnan(blocks)]
    return float(blocks.mean()) if len(blocks) else missing


def _quotient(a: Uncertain, b: Uncertain) -> Uncertain:
    return None if a is None or b is None or nominal(b) <= 0 else a / b
