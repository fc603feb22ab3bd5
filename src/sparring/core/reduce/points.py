"""A point of a run: torque, speed, power and both efficiencies in a window, each with its
uncertainty.

Most methods have one steady window a run (`reduce.steady`); a run-up has one for each part of its
range of speed (`reduce.spins`), a brake for each of its torque (`reduce.sweeps`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from sparring.core.recording import Recording
from sparring.core.reduce.in_window import InWindow, Torques
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.pull import Pull
from sparring.core.reduce.ripple import ripple
from sparring.core.reduce.warmth import COLD, Course, Warmth
from sparring.core.reduce.windows import Window, median_of
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import Uncertain, nominal


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
    power_in: Uncertain  # electrical, or of the crank
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
    paused: bool = False  # the log's clock stood before it: what warmed it is not known
    weakened: float = 1.0  # by this its stall torque, for the warmth in the window
    lasted: float = 0.0
    source: Run | None = None  # the run as it is kept, where this is one of several points of it
    # shaft turns per output turn -> relative amplitude
    ripple: dict[float, float] = field(default_factory=dict)
    load_voltage: Uncertain = None  # at a generator's load
    load_power: Uncertain = None
    input_to_load: Uncertain = None  # that power over what went in
    shares: tuple[Uncertain, ...] = ()  # of the torque, each of several motors
    at_rest: tuple[float, float] | None = None  # of the cell before it was on [N], and its u
    dips: int = 0  # how often the speed fell within the window, and came back


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
    at = InWindow(inputs, rig, run, on=on, window=window, acceleration=acceleration, course=course)
    if speed is None and not rig.method.STANDS and not speedless:
        speed = at.speed()
    voltage, current = at.supply()
    power_in = at.power_in(voltage, current)
    torques = at.torques() if torque is None else Torques(torque)
    motor = at.motor_side(voltage, current, speed)
    turns = not stalled and speed is not None
    power_out = None
    if turns:
        force = 0.0 if torques.pull is None else nominal(torques.pull.mean)
        power_out = torques.torque * speed + at.swing_of_power(torques, force)
    motor_power = motor.torque * motor.speed if turns and motor.torque is not None else None
    if not inputs.has_motor:
        power_in = motor_power
    load_voltage, load_power = at.at_the_load() if turns else (None, None)
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
        wire_to_shaft=_quotient(power_out, power_in) if inputs.has_motor else None,
        gearbox=gearbox,
        line_torque=_steady(inputs, torques.torque, gearbox, acceleration=acceleration),
        work=torques.torque * speed * window.length if turns and window.length else None,
        temperature=at.temperature,
        torque_peak=torques.peak,
        pull=torques.pull,
        effective=at.effective.get("speed", 1.0),
        begun=None if course is None else course.begun,
        left=COLD if course is None else course.end,
        weakened=at.weakened(voltage) if stalled else 1.0,
        lasted=0.0 if course is None else float(course.t[-1] - course.t[0]),
        load_voltage=load_voltage,
        load_power=load_power,
        input_to_load=_quotient(load_power, power_in),
        shares=at.shares() if turns else (),
        dips=_dips(at.steady) if turns and not acceleration else 0,
        ripple=(
            ripple(at.steady.t, at.steady.channels["speed"], orders)
            if turns and at.steady.has("speed")
            else {}
        ),
    )


_DIP = 0.5  # of its median, below which a speed has fallen
_MANY = 20_000  # samples that tell a median


def _dips(steady: Recording) -> int:
    """How often the speed of the output fell and came back, beyond its own scatter."""
    if not steady.has("speed"):
        return 0
    speed = steady.channels["speed"]
    if len(speed) == 0:
        return 0
    if math.isnan(slowest := float(speed.min())):
        speed = speed[~np.isnan(speed)]
        if len(speed) == 0:
            return 0
        slowest = float(speed.min())
    some = speed[:: -(-len(speed) // _MANY)]
    level = median_of(some)
    scatter = 1.5 * median_of(np.abs(some - level))  # standard, whatever fell
    least = level - max((1 - _DIP) * level, 6 * scatter)
    if slowest >= least:
        return 0
    return int(np.count_nonzero(np.diff((speed < least).astype(np.int8)) == -1))


def _steady(
    inputs: Inputs, torque: Uncertain, gearbox: Uncertain, acceleration: float
) -> Uncertain:
    """Torque at the output with what rotor and gears take to speed up; None where they do not."""
    if gearbox is None or not acceleration:
        return None
    return torque + inputs.rotor * acceleration * inputs.ratio * nominal(gearbox)


def _quotient(a: Uncertain, b: Uncertain) -> Uncertain:
    return None if a is None or b is None or nominal(b) <= 0 else a / b
