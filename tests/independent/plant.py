"""A geared brushed motor under load, from the equations in docs/physics.md, by SciPy's integrators.

Many benches at once: every figure has shape (n,) or is one number. SI, temperatures in °C.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields

import numpy as np
from scipy.integrate import solve_ivp

COLD = 20.0  # [°C], at which the motor's figures hold
_COPPER = 235.0  # IEC 60034-1
STEP = 4e-3  # [s] between the instants that are kept


@dataclass(frozen=True)
class Drive:
    """k [V·s], R [Ω] at 20 °C; friction: of the rotor [N·m]; brush: both brushes' drop [V]; rotor:
    inertia [kg·m²]; gears: theirs, at the motor; ratio: motor speed over output speed. What the
    gearbox loses, as torque at the output, is drag + part · T. magnets: part of k
    lost with 1 K of the case. copper, iron: heat to warm winding and case by 1 K [J/K]; inner,
    outer: K/W from winding to case and from case to the room; room [°C].
    """

    k: np.ndarray
    R: np.ndarray
    friction: np.ndarray
    brush: np.ndarray
    rotor: float
    ratio: np.ndarray
    drag: np.ndarray
    part: np.ndarray
    gears: np.ndarray | float = 0.0
    magnets: np.ndarray | float = 0.0
    copper: np.ndarray | float = 8.0
    iron: np.ndarray | float = 60.0
    inner: np.ndarray | float = 4.0
    outer: np.ndarray | float = 10.0
    room: np.ndarray | float = COLD

    def constant(self, case: np.ndarray) -> np.ndarray:
        """k with the magnets at the case's temperature."""
        return self.k * (1 - self.magnets * (case - COLD))

    def current(self, volts, speed, winding, case) -> np.ndarray:
        """[A], at the output's speed; V = I R + brush + k ω."""
        k, R = self.constant(case), self.R * (_COPPER + winding) / (_COPPER + COLD)
        return (volts - self.brush - k * self.ratio * speed) / R

    def stall(self, volts: float) -> np.ndarray:
        """Torque at the output that it just does not turn [N·m], cold."""
        motor = self.k * (volts - self.brush) / self.R - self.friction
        return (motor * self.ratio - self.drag) / (1 + self.part)


@dataclass(frozen=True)
class Load:
    """torque: of the output, by its speed and the time [N·m]; inertia: at the output [kg·m²];
    freewheel: it runs on when the drive stops.
    """

    torque: Callable[[np.ndarray, float], np.ndarray]
    inertia: np.ndarray | float
    freewheel: bool = False


@dataclass(frozen=True)
class Course:
    """What truly happened, by time: shape (instants,) and (instants, n)."""

    t: np.ndarray
    speed: np.ndarray
    angle: np.ndarray
    current: np.ndarray
    torque: np.ndarray  # what the load took from the shaft, its own inertia's share included
    motor_torque: np.ndarray  # at the gearbox's input, freed of what its gears take to speed up
    winding: np.ndarray
    case: np.ndarray

    @property
    def warmth(self) -> tuple[np.ndarray, np.ndarray]:
        return self.winding[-1], self.case[-1]


def only(drive: Drive, j: int) -> Drive:
    """One of many drives, by itself."""
    values = {f.name: np.atleast_1d(getattr(drive, f.name)) for f in fields(drive)}
    return Drive(**{n: v[j : j + 1] if len(v) > 1 else v for n, v in values.items()})


@dataclass(frozen=True)
class Steady:
    """A cold drive that turns steadily, shape as asked: terminal voltage, current, torque and
    efficiencies, losses by cause [W].
    """

    volts: np.ndarray
    current: np.ndarray
    wire_to_shaft: np.ndarray
    gearbox: np.ndarray
    motor: np.ndarray
    copper_and_brushes: np.ndarray
    friction: np.ndarray
    gears: np.ndarray


def steady(drive: Drive, torque: np.ndarray, speed: np.ndarray) -> Steady:
    """At an output torque [N·m] and speed [rad/s], by the equations of the head of this file."""
    shaft = (drive.drag + (1 + drive.part) * torque) / drive.ratio
    current = (shaft + drive.friction) / drive.k
    volts = current * drive.R + drive.brush + drive.k * drive.ratio * speed
    motor_speed = drive.ratio * speed
    return Steady(
        volts,
        current,
        torque * speed / (volts * current),
        torque / (shaft * drive.ratio),
        shaft * motor_speed / (volts * current),
        current**2 * drive.R + current * drive.brush,
        drive.friction * motor_speed,
        shaft * motor_speed - torque * speed,
    )


def cold(drive: Drive) -> tuple[np.ndarray, np.ndarray]:
    """As it stood in its room."""
    begins = np.broadcast_to(np.asarray(drive.room, float), drive.k.shape)
    return begins.copy(), begins.copy()


def run(
    drive: Drive,
    load: Load,
    volts: float | Callable[[float], float],
    seconds: float,
    warmth: tuple[np.ndarray, np.ndarray],
    factor: np.ndarray | float = 1.0,
) -> Course:
    """From rest at `volts`, which may be of the time. factor: of the gearbox's losses in this
    run.
    """
    n = len(drive.k)
    fed = volts if callable(volts) else lambda _: volts
    drag, part = factor * drive.drag, factor * drive.part
    own = (drive.rotor + drive.gears) * drive.ratio**2

    def moves(t, speed, winding, case):
        current = drive.current(fed(t), speed, winding, case)
        shaft = (drive.constant(case) * current - drive.friction) * drive.ratio
        against = load.torque(speed, t)
        push = shaft - drag - (1 + part) * against
        gains = push / (own + (1 + part) * load.inertia)
        stands = (speed <= 0) & (gains < 0)  # what is driven then just holds
        holds = np.maximum((shaft - drag) / (1 + part), 0.0)
        against, gains = np.where(stands, holds, against), np.where(stands, 0.0, gains)
        return current, shaft / drive.ratio, against, gains

    def rates(t, state):
        speed, _, winding, case = state.reshape(4, n)
        current, _, _, gains = moves(t, speed, winding, case)
        heat = current**2 * drive.R * (_COPPER + winding) / (_COPPER + COLD)
        across = (winding - case) / drive.inner
        warms = (heat - across) / drive.copper
        follows = (across - (case - drive.room) / drive.outer) / drive.iron
        return np.concatenate([gains, speed, warms, follows])

    begin = np.concatenate([np.zeros(2 * n), *warmth])
    at = np.arange(0, seconds, STEP)
    most = 0.02 if callable(volts) else np.inf  # what happens within no step is not seen
    found = solve_ivp(
        rates, (0, seconds), begin, "DOP853", t_eval=at, rtol=1e-6, atol=1e-8, max_step=most
    )
    assert found.success, found.message
    speed, angle, winding, case = found.y.reshape(4, n, -1).transpose(0, 2, 1)
    seen = [moves(t, *now) for t, *now in zip(at, speed, winding, case, strict=True)]
    current, motor, against, gains = (np.array(x) for x in zip(*seen, strict=True))
    return Course(
        at,
        speed,
        angle,
        current,
        against + load.inertia * gains,
        motor - (drive.rotor + drive.gears) * drive.ratio * gains,
        winding,
        case,
    )


def rests(drive: Drive, warmth: tuple[np.ndarray, np.ndarray], seconds: float):
    """Winding and case after a pause [°C]."""
    n = len(drive.k)

    def rates(_, state):
        winding, case = state.reshape(2, n)
        across = (winding - case) / drive.inner
        return np.concatenate(
            [-across / drive.copper, (across - (case - drive.room) / drive.outer) / drive.iron]
        )

    found = solve_ivp(rates, (0, seconds), np.concatenate(warmth), rtol=1e-6)
    winding, case = found.y[:, -1].reshape(2, n)
    return winding, case


def coasts(load: Load, speed: np.ndarray, seconds: float) -> tuple[np.ndarray, np.ndarray]:
    """(times, speeds) of a load that runs on alone; shape (instants,), (instants, n)."""
    at = np.arange(0, seconds, STEP)

    def rates(t, speed):
        return np.where(speed > 0, -load.torque(speed, t) / load.inertia, 0.0)

    found = solve_ivp(rates, (0, seconds), speed, "DOP853", t_eval=at, rtol=1e-6, atol=1e-8)
    return at, found.y.T
