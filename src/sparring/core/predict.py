"""What a build should do before anything is measured: operating points, curves, stall, and where
the power goes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.methods import RunUp
from sparring.core.plan import Plan
from sparring.core.rig import Rig

_MOST = 10.0  # [N·m] up to which curves are drawn that nothing else ends


class Loss(NamedTuple):
    """Heat that leaves the driveline at one place [W]. estimated: not measured but divided up by
    the prediction.
    """

    cause: str
    power: float
    estimated: bool


class Station(NamedTuple):
    """One part of the driveline: power that reaches it [W], and what it loses."""

    name: str
    power: float
    losses: tuple[Loss, ...] = ()
    speed: float | None = None
    torque: float | None = None


class PowerFlow(NamedTuple):
    """The driveline's powers from supply to output, in order; where there is no motor from what
    turns it, whose speed [rad/s] and torque [N·m] stand in the place of voltage and current.
    """

    stations: tuple[Station, ...]
    voltage: float
    current: float
    power_in: float
    power_out: float
    measured: bool

    @property
    def wire_to_shaft(self) -> float:
        return self.power_out / self.power_in if self.power_in > 0 else 0.0

    @property
    def gearbox(self) -> float:
        motor_out = next(
            (s.power for s in self.stations if s.name != "supply" and s.name != "motor"), 0.0
        )
        return self.power_out / motor_out if motor_out > 0 else 0.0


@dataclass(frozen=True)
class Curve:
    """Predicted curves over output torque, arrays of shape (n,), SI; low and high: efficiencies at
    the friction's limits (k = 2).
    """

    torque: np.ndarray
    speed: np.ndarray
    current: np.ndarray
    power_out: np.ndarray
    wire_to_shaft: np.ndarray
    gearbox: np.ndarray
    stall: float
    band: dict[str, tuple[np.ndarray, np.ndarray]] = field(default_factory=dict)


def set_to(build: Build, plan: Plan) -> float:
    """What the drive is set to at the plan's highest: the voltage at its motor [V], or the speed at
    which its input is turned [rad/s] where it has none.
    """
    if build.has_motor:
        return plan.voltage(build.motor.voltage.value)
    fastest = max((s.speed or 0.0 for s in plan.todo), default=0.0)
    return fastest * abs(build.ratio()) or build.usual_input


def stall_torque(build: Build, voltage: float, friction: list[float] | None = None) -> float:
    """Output torque at which the drive stalls at a terminal voltage [N·m]; 0 when it cannot move
    itself. Without a motor the torque at which its weakest part gives way; 10 N·m where none is
    known to.
    """
    if not build.has_motor:
        return build.limits[0].output if build.limits else _MOST
    a, b = build.torque_line(friction)
    return max(0.0, float((build.motor_line().stall_torque(voltage) - b) / a))


def no_load_speed(build: Build, voltage: float) -> float:
    """Speed of the output [rad/s], without sign, with nothing on it: only the train's own drag."""
    motor = float(build.motor_line().speed(build.torque_line()[1], voltage))
    return motor / abs(build.ratio())


def curve(
    build: Build, voltage: float, points: int = 120, friction: list[float] | None = None
) -> Curve:
    """Speed, current, power and efficiencies from no load to stall, with bands from the friction's
    uncertainty.
    """
    a, b = build.torque_line(friction)
    motor = build.motor_line()
    stall = max(stall_torque(build, voltage, friction), 1e-9)
    torque = np.linspace(0.0, stall, points)
    motor_torque = a * torque + b
    motor_speed = np.maximum(motor.speed(motor_torque, voltage), 0.0)
    speed = motor_speed / abs(build.ratio())
    current = motor.current(motor_torque, voltage)
    power = torque * speed
    wire = power / (voltage * current)
    box = np.divide(
        power,
        motor_torque * motor_speed,
        out=np.zeros_like(power),
        where=motor_torque * motor_speed > 0,
    )
    box[-1] = box[-2]
    band = {}
    if friction is None:
        sides = []
        for sign in (-1, 1):
            mu = [max(0.0, s.loss_figure.value + sign * 2 * s.loss_figure.u) for s in build.stages]
            c = curve(build, voltage, points, mu)
            sides.append(
                {
                    k: np.interp(torque, c.torque, getattr(c, k), right=math.nan)
                    for k in ("speed", "wire_to_shaft", "gearbox")
                }
            )
        band = {
            k: (np.minimum(sides[0][k], sides[1][k]), np.maximum(sides[0][k], sides[1][k]))
            for k in sides[0]
        }
    return Curve(
        torque,
        speed,
        current,
        power_out=power,
        wire_to_shaft=wire,
        gearbox=box,
        stall=stall,
        band=band,
    )


def power_flow(build: Build, load: float, voltage: float) -> PowerFlow:
    """Where the power goes with `load` [N·m] at the output and `voltage` at the motor. At or beyond
    stall nothing turns.
    """
    motor = build.motor_line()
    a, b = build.torque_line()
    motor_torque = a * load + b
    speed = float(motor.speed(motor_torque, voltage))
    if speed <= 0:
        current = float(voltage / motor.R + motor.between * voltage)
        heat = (Loss("copper", voltage * current, False),)
        names = [*build.stage_names(), "output"]
        still = (
            Station("supply", voltage * current),
            Station("motor", voltage * current, heat, 0.0),
            *(Station(n, 0.0, speed=0.0) for n in names),
        )
        return PowerFlow(
            still, voltage, current, power_in=voltage * current, power_out=0.0, measured=False
        )
    current = float(motor.current(motor_torque, voltage))
    return _flow(
        build,
        motor,
        voltage,
        current=current,
        power_in=voltage * current,
        speed=speed,
        load=load,
        power_out=None,
        measured=False,
    )


def expected_flow(build: Build, plan: Plan, load: float) -> PowerFlow:
    """What a plan's highest setting does with `load` [N·m] at the output; with half of its stall
    torque where that load, looked at with another build, is more than this one turns.
    """
    drive = set_to(build, plan)
    stall = stall_torque(build, drive)
    return power_flow(build, load if load < stall else stall / 2, drive)


def measured_flow(
    build: Build, voltage: float, current: float, power_in: float, output_speed: float, load: float
) -> PowerFlow:
    """The same from measured figures: the electrical and mechanical ends are measured, the motor's
    share follows from its line, and what the gears lose is divided among the stages as predicted
    (marked estimated).
    """
    motor = build.motor_line()
    speed = max(0.0, output_speed) * abs(build.ratio())
    return _flow(
        build,
        motor,
        voltage,
        current=current,
        power_in=power_in,
        speed=speed,
        load=load,
        power_out=max(0.0, output_speed) * load,
        measured=True,
    )


def _flow(
    build: Build,
    motor: motors.Motor,
    voltage: float,
    current: float,
    power_in: float,
    speed: float,
    load: float,
    power_out: float | None,
    *,
    measured: bool,
) -> PowerFlow:
    train = build.flow(load, speed=max(speed, 1e-9))
    friction = float(motor.friction * speed)
    if power_out is None:
        power_out = train.power_out
        shaft = train.power_in
        copper = power_in - friction - shaft
        scale = 1.0
    else:
        # with unequal motors what they pass between them stays in the copper
        copper = min(power_in, current**2 * motor.R)
        shaft = max(power_in - copper - friction, 0.0)
        predicted = sum(train.mesh_losses.values()) + sum(train.drag_losses.values())
        scale = max(shaft - power_out, 0.0) / predicted if predicted > 0 else 0.0
    if build.has_motor:
        stations = [Station("supply", power_in)]
        own = (Loss("copper", copper, False), Loss("friction and iron", friction, measured))
        stations.append(Station("motor", power_in, own, speed))
    else:  # what turns it gives all that it takes
        stations = [Station("supply", power_in, (), speed, current)]
        shaft = power_in
    left = shaft
    shafts = build.shafts()
    for name, into, out in zip(build.stage_names(), shafts[:-1], shafts[1:], strict=True):
        lost = (train.mesh_losses[name] + train.drag_losses.get(out, 0.0)) * scale
        stations.append(
            Station(
                name,
                left,
                (Loss(name, lost, measured),),
                speed=abs(train.speeds[into]),
                torque=train.shaft_torques[into],
            )
        )
        left -= lost
    stations.append(
        Station("output", power_out, (), speed=abs(train.speeds["output"]), torque=load)
    )
    return PowerFlow(
        tuple(stations), voltage, current, power_in=power_in, power_out=power_out, measured=measured
    )


def load_torque(rig: Rig, mass: float) -> float:
    """Output torque that a step's mass asks for [N·m]: exact for weights, about right for brakes
    and sleds.
    """
    return rig.method.expected(mass, rig.gravity.value)


def stall_likelihood(build: Build, rig: Rig, mass: float, voltage: float) -> float:
    """Chance [0..1] that the weight stalls the drive, from the friction's and the motor's
    uncertainty (normal).
    """
    nominal_stall = stall_torque(build, voltage)
    worse = stall_torque(
        build, voltage, [s.loss_figure.value + s.loss_figure.u for s in build.stages]
    )
    m = build.motor
    relative = math.hypot(
        m.stall_current.u / m.stall_current.value, m.no_load_speed.u / m.no_load_speed.value
    )
    u = math.hypot(nominal_stall - worse, nominal_stall * relative) or 1e-9
    return 0.5 * (1 + math.erf((load_torque(rig, mass) - nominal_stall) / (u * math.sqrt(2))))


class SpinPlan(NamedTuple):
    """What a run-up would be at several gearings, each an array. SI."""

    gearing: np.ndarray
    mass_speed: np.ndarray  # without load
    felt: np.ndarray  # inertia at the motor
    time: np.ndarray  # to nine tenths of that speed
    stress: np.ndarray  # in the rim at it


def spin_plan(build: Build, method: RunUp, voltage: float, gearings: np.ndarray) -> SpinPlan:
    """Speed of the mass, inertia the motor feels, spin-up time and rim stress over the gearing from
    output to mass.

    ω = ω₀ (1 − e^(−t/τ)), τ = J ω₀/T_s on a straight motor line; an inertia behind ratio i counts
    by 1/i².
    """
    ratio = abs(build.ratio())
    free = no_load_speed(build, voltage)
    at_output = method.inertia.value * gearings**2
    stall = stall_torque(build, voltage)
    tau = (
        (at_output + build.rotor_inertia() * ratio**2) * free / stall
        if stall > 0
        else np.full_like(gearings, np.inf)
    )
    return SpinPlan(
        gearings,
        free * gearings,
        at_output / ratio**2,
        time=tau * math.log(10),
        stress=method.rim_stress(free * gearings),
    )
