"""Motor, train and the method's load as one set of differential equations, for many benches at once.

The load of every method is one body on one spring that only pulls: a weight on a cord, an arm, a brake's drum, a sled, a
flywheel on its freewheel. It has a weight, or rubs (at rest it holds until pulled hard enough), or drags the more the
faster it goes, or makes current. Its place is the height [m] for a radius in metres, an angle [rad] for radius 1.

Each quantity is an array of shape (n,), one entry a bench, so that a closure study costs little more than one lift.
Fixed steps of classical Runge-Kutta; energies are integrated beside the state, and must balance.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.quantity import G_N
from sparring.core.rig import Rig

_REST = 0.05  # motor speed [rad/s] below which friction may hold
_STILL = 1e-4  # speed of the body [m/s, rad/s] below which rubbing may hold it
_BINDING = 5e-4  # [s] longest step while losses that grow with the square of the load act
_FINEST = 3e-4  # [s] step at which a bench that comes to rest is followed
_ENERGIES = ("supplied", "leads", "copper", "friction", "train", "cord", "lifted")


@dataclass
class Bench:
    """True parameters, SI, scalars or shape (n,). up, down: (slope, offset) of the motor torque that a load takes.

    bind_from, bind: beyond this output torque the train's losses grow with the square of the excess (a bending shaft);
    runout: relative swing of the drum's radius once a turn; strength: output torque at which a tooth breaks.

    The body: mass [kg or kg·m²]; weight [N, N·m], None: mass · gravity; reach, lean: its weight counts with the cosine of
    lean + height/reach; grip: force that rubbing takes from it, grip_rest: as much more at rest (a part); drag: force over
    speed², fade: part of the grip lost per kelvin of the body, which holds body_heat [J/K]; generates: (volts over speed,
    winding [Ω]) into `resistor` [Ω]. ratchet: 1 for a freewheel; traction: force at which wheels slip; bearing: torque
    at the output that the cell does not see; cell_arm: radius at which the cell sees the torque, None: `radius`.
    """

    k: Any
    R: Any  # at `reference`
    friction: Any
    inertia: Any
    heat_capacity: Any
    heat_resistance: Any
    ratio: Any
    up: tuple[Any, Any]
    down: tuple[Any, Any]
    radius: Any
    mass: Any = 1.0  # hung, hook included
    weight: Any = None
    reach: Any = np.inf
    lean: Any = 0.0
    grip: Any = 0.0
    grip_rest: Any = 0.15
    drag: Any = 0.0
    fade: Any = 0.0
    body_heat: Any = np.inf
    generates: tuple[Any, Any] = (0.0, 1.0)
    resistor: Any = np.inf
    ratchet: Any = 0.0
    rigid: Any = 0.0  # 1: the body pushes too when it is faster, through a shaft instead of a cord
    traction: Any = np.inf
    bearing: Any = 0.0
    cell_arm: Any = None
    windup: Any = 40.0
    backlash: Any = 0.0
    cord_stiffness: Any = 4000.0
    cord_damping: Any = 9.0
    slack: Any = 0.004
    gravity: Any = G_N
    source_resistance: Any = 0.0
    between: Any = 0.0  # current that unequal motors pass between themselves, over the voltage [A/V]
    current_limit: Any = np.inf
    ambient: Any = 293.15
    reference: Any = 293.15
    runout: Any = 0.0
    bind_from: Any = np.inf
    bind: Any = 0.0
    strength: Any = np.inf
    wear_rate: Any = 0.0  # backlash gained per work at the output [rad/J]

    def lanes(self) -> int:
        sizes = [1]
        for f in fields(self):
            value = getattr(self, f.name)
            value = 0.0 if value is None else value
            sizes += [np.size(part) for part in (value if isinstance(value, tuple) else (value,))]
        return max(sizes)


def bench_of(build: Build, rig: Rig, *, load: float = 1.0, friction: list[float] | None = None, **changed: Any) -> Bench:
    """The bench that `build` on `rig` would be if every stated figure were exact, with `load` on it (a mass [kg] or what
    the method has instead); `changed` replaces parameters."""
    motor = build.motor_line()
    up = build.torque_line(friction)
    back = build.back_drive_line(friction)
    base: dict[str, Any] = {
        "k": motor.k,
        "R": motor.R,
        "friction": motor.friction,
        "between": motor.between,
        "inertia": build.rotor_inertia(),
        "heat_capacity": build.heat_capacity(),
        "heat_resistance": build.motor.heat_resistance / (1 + len(build.further_motors)),
        "ratio": abs(build.ratio()),
        "up": up,
        "down": (0.0, up[1]) if back is None else back,
        "windup": build.windup,
        "backlash": build.backlash(),
        "gravity": rig.gravity.value,
        "reference": build.motor.winding_temperature,
    }
    return Bench(**{**base, **rig.method.body(load, rig.gravity.value), **changed})


@dataclass
class State:
    """What changes. Arrays of shape (n,): motor speed and angle, the body's height and speed, winding temperature."""

    speed: np.ndarray
    angle: np.ndarray
    height: np.ndarray
    rise: np.ndarray
    temperature: np.ndarray
    energy: np.ndarray  # (7, n), see _ENERGIES [J]; (0, n) where they are not asked for
    broken: np.ndarray
    worn: np.ndarray  # backlash gained [rad]
    impact: np.ndarray = field(default_factory=lambda: np.zeros(0))
    slipped: np.ndarray = field(default_factory=lambda: np.zeros(0))  # cord let go by slipping wheels or taken in by a freewheel
    warmed: np.ndarray = field(default_factory=lambda: np.zeros(0))  # the body above its start [K]


class Plant:
    """A set of benches running in step. `volts` is the drive voltage [V], per bench, changed at will between advances.

    account: integrate the energies beside the state, so that `imbalance` can be asked; a third slower.
    """

    def __init__(self, bench: Bench, *, height: float = 0.0, account: bool = False) -> None:
        self.bench = bench
        n = self.n = bench.lanes()
        self.time = 0.0
        self.volts = np.zeros(n)
        self.open = np.zeros(n, bool)  # the drive is switched off, no current flows
        zero = np.zeros(n)
        self.state = State(
            zero.copy(),
            zero.copy(),
            zero + height,
            zero.copy(),
            zero + bench.ambient,
            np.zeros((len(_ENERGIES) if account else 0, n)),
            np.zeros(n, bool),
            zero.copy(),
            zero.copy(),
            zero.copy(),
            zero.copy(),
        )
        self._prepare()
        self.start_energy = self.stored()

    def _prepare(self) -> None:
        """Constants of the equations, worked out once: a live bench has about a millisecond for a millisecond."""
        b = self.bench
        zero = motors.COPPER_ZERO - 273.15
        self._r_slope = np.asarray(b.R / (zero + np.asarray(b.reference, float)))
        self._r_zero = self._r_slope * zero
        self._stiffness = np.asarray(1.0 / (1.0 / np.asarray(b.cord_stiffness) + np.asarray(b.radius) ** 2 / b.windup))
        self._limited = bool(np.any(np.isfinite(b.current_limit)))
        self._binds = bool(np.any(np.asarray(b.bind) > 0))
        self._uneven = bool(np.any(np.asarray(b.runout) != 0))
        self._weight = np.asarray(b.mass, float) * b.gravity if b.weight is None else np.asarray(b.weight, float)
        self._pushes = bool(np.any(np.asarray(b.rigid) > 0))
        self._leans = bool(np.any(np.isfinite(b.reach)))
        self._rubs = bool(np.any(np.asarray(b.grip) > 0))
        self._lets_go = bool(np.any(np.isfinite(b.traction)) or np.any(np.asarray(b.ratchet) > 0))
        k, winding = b.generates
        self._viscous = np.asarray(k, float) ** 2 / (np.asarray(winding, float) + b.resistor)
        self._drags = bool(np.any(self._viscous > 0) or np.any(np.asarray(b.drag) > 0))

    # --- the equations -----------------------------------------------------------------------------------

    def drum_radius(self, angle: np.ndarray) -> Any:
        """Radius at which the cord leaves the drum [m], with its run-out."""
        if not self._uneven:
            return self.bench.radius
        return self.bench.radius * (1 + self.bench.runout * np.cos(angle / self.bench.ratio))

    def wound(self, angle: np.ndarray) -> Any:
        """Cord wound up [m]: the integral of the radius over the drum's angle."""
        turned = angle / self.bench.ratio
        if not self._uneven:
            return self.bench.radius * turned
        return self.bench.radius * (turned + self.bench.runout * np.sin(turned))

    def _cord(
        self, angle: np.ndarray, speed: np.ndarray, height: np.ndarray, rise: np.ndarray, broken: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        b = self.bench
        radius = self.drum_radius(angle)
        stiffness = self._stiffness
        stretch = self.wound(angle) - self.state.slipped - height - b.slack - (b.backlash + self.state.worn) * b.radius
        pull_rate = radius * speed / b.ratio - rise
        pulls = np.maximum(stretch, 0.0)
        if self._pushes:
            pulls = np.where(np.asarray(b.rigid) > 0, stretch, pulls)
        elastic = stiffness * np.where(broken, 0.0, pulls)
        force = np.where(elastic > 0, np.maximum(elastic + b.cord_damping * pull_rate, 0.0), 0.0)
        if self._pushes:
            force = np.where(np.asarray(b.rigid) > 0, elastic + b.cord_damping * pull_rate * ~broken, force)
        if self._lets_go:
            force = np.minimum(force, b.traction)
        return force, radius, (force - elastic) * pull_rate, 0.5 * elastic * elastic / stiffness

    def electrical(self, speed: np.ndarray, temperature: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(current that makes torque, terminal voltage, winding resistance) at a motor speed."""
        b = self.bench
        R = self._r_zero + self._r_slope * temperature
        shared = 1.0 + b.between * b.source_resistance
        current = (self.volts / shared - b.k * speed) / (R + b.source_resistance / shared)
        if self.open.any():
            current = np.where(self.open, 0.0, current)
        if self._limited:
            current = np.maximum(np.minimum(current, b.current_limit), -np.asarray(b.current_limit))
        return current, current * R + b.k * speed, R

    def _rates(self, y: np.ndarray, broken: np.ndarray) -> np.ndarray:
        b = self.bench
        speed, angle, height, rise, temperature = y[:5]
        current, terminal, R = self.electrical(speed, temperature)
        force, radius, damped, _ = self._cord(angle, speed, height, rise, broken)
        load = force * radius
        asked = load + b.bearing
        resist_up = b.up[0] * asked + b.up[1]
        if self._pushes:  # a mass that is faster drives the train, and the train's losses take from it
            resist_up = np.where(asked < 0, b.down[0] * asked + b.up[1], resist_up)
        if self._binds:
            resist_up = resist_up + b.bind * np.maximum(load - b.bind_from, 0.0) ** 2
        resist_down = b.down[0] * np.maximum(load - b.bearing, 0.0) - b.down[1]
        drive = b.k * current
        can_rise, can_fall = drive - b.friction - resist_up, drive + b.friction - resist_down
        moving_up = (speed > _REST) | ((speed >= -_REST) & (can_rise > 0))
        moving_down = ~moving_up & ((speed < -_REST) | (can_fall < 0))
        moving = moving_up | moving_down
        net = np.where(moving_up, can_rise, can_fall)
        accelerate = np.where(moving, net / b.inertia, -speed / 1e-3)
        weight = self._weight * np.cos(b.lean + height / b.reach) if self._leans else self._weight
        pull, lost = force - weight, np.zeros_like(force)
        if self._drags:
            lost = self._viscous * rise + b.drag * rise * np.abs(rise)
        lifted = (height > 0) | (force > weight)
        gain = (pull - lost) / b.mass
        if self._rubs:
            gain, rubbed = self._rub(pull - lost, rise)
            lost = lost + rubbed
        dy = np.empty_like(y)
        dy[0] = accelerate
        dy[1] = speed
        dy[2] = np.where(lifted, rise, 0.0)
        dy[3] = np.where(lifted, gain, 0.0)
        dy[4] = (current**2 * R + b.between * terminal**2 - (temperature - b.ambient) / b.heat_resistance) / b.heat_capacity
        if len(y) == 5:
            return dy
        train = (np.where(moving_up, resist_up, resist_down) * moving - load / b.ratio) * speed  # the bearing's too
        drawn = current + b.between * terminal
        dy[5] = self.volts * drawn
        dy[6] = (self.volts - terminal) * drawn
        dy[7] = current**2 * R + b.between * terminal**2
        dy[8] = b.friction * np.abs(speed) * moving
        dy[9] = train
        dy[10] = damped + lost * rise
        dy[11] = force * rise
        return dy

    def grips(self) -> Any:
        """Force that rubbing takes from the body now [N, N·m]: it falls as it warms."""
        return self.bench.grip * np.maximum(1.0 - self.bench.fade * self.state.warmed, 0.1)

    def _rub(self, pull: np.ndarray, rise: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(acceleration, force that rubbing takes) of a body that rubs: at rest it holds until pulled hard enough."""
        b = self.bench
        grip = self.grips()
        moving = np.abs(rise) > _STILL
        breaks_away = np.abs(pull) > grip * (1 + b.grip_rest)
        taken = np.where(moving, np.sign(rise) * grip, np.where(breaks_away, np.sign(pull) * grip, pull))
        return np.where(moving | breaks_away, (pull - taken) / b.mass, -rise / 1e-3), np.where(moving | breaks_away, taken, 0.0)

    def advance(self, duration: float, dt: float = 2e-3) -> None:
        """Runs for `duration` [s] in steps of at most `dt`."""
        if self._binds:
            dt = min(dt, _BINDING)
        steps = max(1, int(np.ceil(duration / dt - 1e-9)))
        for _ in range(steps):
            self._step(duration / steps)

    def _step(self, h: float) -> None:
        s, b = self.state, self.bench
        y = np.vstack([s.speed, s.angle, s.height, s.rise, s.temperature, s.energy])
        k1 = self._rates(y, s.broken)
        k2 = self._rates(y + h / 2 * k1, s.broken)
        k3 = self._rates(y + h / 2 * k2, s.broken)
        k4 = self._rates(y + h * k3, s.broken)
        after = y + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4)
        crossed = (y[0] * after[0] < 0) & (np.abs(y[0]) > 0)
        if crossed.any():
            if h > _FINEST:  # friction turns over within this step: take it in small ones
                for _ in range(8):
                    self._step(h / 8)
                return
            after = self._come_to_rest(y, after, k1, h, crossed)
        y = after
        if self._rubs:
            stops = (s.rise * y[3] < 0) & (np.abs(s.rise) > _STILL)  # rubbing does not push back
            if stops.any():
                s.impact = s.impact + np.where(stops, 0.5 * b.mass * y[3] ** 2, 0.0)
                y[3] = np.where(stops, 0.0, y[3])
            s.warmed = s.warmed + self.grips() * np.abs(y[3]) * h / b.body_heat
        if self._lets_go:
            self._let_go(y)
        landed = (y[2] <= 0) & (y[3] <= 0)
        if landed.any():
            s.impact = s.impact + np.where(landed, 0.5 * b.mass * y[3] ** 2 + self._raised(y[2]), 0.0)
            y[2] = np.where(landed, 0.0, y[2])
            y[3] = np.where(landed, 0.0, y[3])
        force, radius, _, spring = self._cord(y[1], y[0], y[2], y[3], s.broken)
        load = force * radius
        breaks = (load > b.strength) & ~s.broken
        if breaks.any():
            s.impact = s.impact + np.where(breaks, spring, 0.0)
        s.worn = s.worn + b.wear_rate * load * np.abs(y[0] / b.ratio) * h
        s.broken = s.broken | breaks
        s.speed, s.angle, s.height, s.rise, s.temperature, s.energy = y[0], y[1], y[2], y[3], y[4], y[5:]
        self.time += h

    def _let_go(self, y: np.ndarray) -> None:
        """Wheels that slip hold the cord's pull at what traction gives; a freewheel takes in what would be slack."""
        s, b = self.state, self.bench
        stretch = self.wound(y[1]) - s.slipped - y[2] - b.slack - (b.backlash + s.worn) * b.radius
        most = np.where(np.isfinite(b.traction), b.traction, 1e12) / self._stiffness
        slips = np.maximum(stretch - most, 0.0)
        s.impact = s.impact + self._stiffness * (most + slips / 2) * slips
        caught = np.where((np.asarray(b.ratchet) > 0) & (stretch < 0), stretch, 0.0)
        s.slipped = s.slipped + slips + caught

    def _raised(self, height: np.ndarray) -> Any:
        """Potential energy of the body [J], from height 0."""
        if not self._leans:
            return self._weight * height
        b = self.bench
        swung = np.where(np.isfinite(b.reach), b.reach * (np.sin(b.lean + height / b.reach) - np.sin(b.lean)), height)
        return self._weight * swung

    def _come_to_rest(self, y: np.ndarray, after: np.ndarray, k1: np.ndarray, h: float, crossed: np.ndarray) -> np.ndarray:
        """Benches whose speed went through zero and that friction then holds stop there instead of shooting past."""
        still = y.copy()
        still[0] = 0.0
        held = crossed & (self._rates(still, self.state.broken)[0] == 0)
        with np.errstate(divide="ignore", invalid="ignore"):
            part = np.clip(np.where(k1[0] != 0, -y[0] / (k1[0] * h), 1.0), 0.0, 1.0)
        stopped = y + part * h * k1
        # the mean speed while stopping is half of that at its start: so is what the speed turned over
        for row in (1, 5, 8, 9) if len(y) > 5 else (1,):
            stopped[row] = y[row] + part * h * k1[row] / 2
        stopped[0] = 0.0
        return np.where(held, stopped, after)

    # --- what can be seen and what is true ------------------------------------------------------------------

    def stored(self) -> np.ndarray:
        """Kinetic, potential and elastic energy [J]."""
        s, b = self.state, self.bench
        spring = self._cord(s.angle, s.speed, s.height, s.rise, s.broken)[3]
        total: np.ndarray = 0.5 * b.inertia * s.speed**2 + 0.5 * b.mass * s.rise**2 + self._raised(s.height) + spring
        return total

    def imbalance(self) -> np.ndarray:
        """Energy supplied less stored and lost, as a part of what was supplied [-]; needs `account`."""
        supplied, *lost = self.state.energy[:6]
        rest = supplied - sum(lost) - (self.stored() - self.start_energy) - self.state.impact
        result: np.ndarray = rest / np.maximum(np.abs(supplied), 1e-9)
        return result

    def truth(self) -> dict[str, np.ndarray]:
        """The true figures now: what perfect sensors would show, and the powers in between."""
        s, b = self.state, self.bench
        current, terminal, _ = self.electrical(s.speed, s.temperature)
        force, radius, *_ = self._cord(s.angle, s.speed, s.height, s.rise, s.broken)
        shaft = b.k * current - b.friction
        torque = force * radius + b.bearing * (s.speed > _REST)
        k, winding = b.generates
        generated = np.asarray(k * s.rise / (np.asarray(winding, float) + b.resistor))
        return {
            "force": force if b.cell_arm is None else force * radius / b.cell_arm,
            "torque": torque,
            "speed": s.speed / b.ratio,
            "motor_speed": s.speed,
            "voltage": terminal,
            "current": current + b.between * terminal,
            "power_in": terminal * (current + b.between * terminal),
            "motor_torque": shaft,
            "power_out": torque * s.speed / b.ratio,
            "motor_power": shaft * s.speed,
            "temperature": s.temperature.copy(),
            "height": s.height.copy(),
            "rise": s.rise.copy(),
            "load_current": generated,
            "load_voltage": generated * np.where(np.isfinite(b.resistor), b.resistor, 0.0),
        }

    def stall_torque(self) -> np.ndarray:
        """Output torque at which the drive would stall at the present voltage and winding temperature [N·m]."""
        b = self.bench
        R = self._r_zero + self._r_slope * self.state.temperature
        current = np.minimum(self.volts / (R + b.source_resistance), b.current_limit)
        available = b.k * current - b.friction - b.up[1]
        low = np.maximum(available / b.up[0], 0.0)
        if np.all(np.isinf(b.bind_from)):
            return np.asarray(low)
        c = np.asarray(b.bind)
        start = np.minimum(b.bind_from, 1e9)
        rest = available - b.up[0] * start
        bound = start + (-b.up[0] + np.sqrt(b.up[0] ** 2 + 4 * c * np.maximum(rest, 0.0))) / np.maximum(2 * c, 1e-300)
        stalled: np.ndarray = np.where((low > b.bind_from) & (c > 0), bound, low)
        return stalled
