"""The equations of motion of one bench: motor, train and the method's load; and one step of them.

Plain Python in floats. `make` builds it with Cython, the types being in motion.pxd: the same file
then runs some fifty times as fast. Without a C compiler it is run as it stands.
"""

from __future__ import annotations

from array import array
from math import ceil, cos, inf, sin
from typing import Any

from sparring.core import motor as motors
from sparring.core.plant.bench import Bench

_REST = 0.05  # motor speed [rad/s] below which friction may hold
_STILL = 1e-4  # speed of the body [m/s, rad/s] below which rubbing may hold it
_SETTLING = 2.5e-3  # [s] in which what friction holds loses the rest of its speed
# [s] longest step while losses that grow with the square of the load act: beside a stall they are
# stiff
_BINDING = 7e-4
_FINEST = 3e-4  # [s] step at which a bench that comes to rest is followed

# What changes, in this order in a bench's state. Integrated: motor speed and angle, the body's
# height and speed, winding temperature, and the energies [J] (supplied, leads, copper, friction,
# train, cord, lifted). After them: whether a tooth broke, backlash gained [rad], energy lost in
# landing, slipping and breaking [J], cord let go by slipping wheels or taken in by a freewheel [m],
# the body above its start [K].
SPEED, ANGLE, HEIGHT, RISE, TEMPERATURE = range(5)
ENERGY, ENERGIES = 5, 7
BROKEN, WORN, IMPACT, SLIPPED, WARMED = range(12, 17)
SIZE = 17
# Names for other modules: what has a C type here is not seen from outside.
FIGURES: dict[str, Any] = {
    "speed": SPEED,
    "angle": ANGLE,
    "height": HEIGHT,
    "rise": RISE,
    "temperature": TEMPERATURE,
    "energy": slice(ENERGY, ENERGY + ENERGIES),
    "broken": BROKEN,
    "worn": WORN,
    "impact": IMPACT,
    "slipped": SLIPPED,
    "warmed": WARMED,
}
LENGTH: int = SIZE

TRUTHS = (
    *("force", "torque", "speed", "motor_speed", "voltage", "current", "power_in", "motor_torque"),
    *("power_out", "motor_power", "temperature", "height", "rise", "load_current", "load_voltage"),
    "winding",
)
"""What `Motion.tell` gives, in its order; the last is the winding's resistance [Ω]."""


def _room(n: int) -> Any:
    return array("d", bytes(8 * n))


class Motion:
    """The equations of one bench, driven as `drive` says."""

    def __init__(self, b: Bench) -> None:
        """b: a bench by itself, in plain floats."""
        self._k, self._friction, self._inertia = b.k, b.friction, b.inertia
        self._ratio, self._radius, self._mass = b.ratio, b.radius, b.mass
        self._up, self._up_offset = b.up
        self._down, self._down_offset = b.down
        self._heat_capacity, self._heat_resistance = b.heat_capacity, b.heat_resistance
        self._ambient = b.ambient
        # what stays the same through all steps is worked out once
        zero = motors.COPPER_ZERO - 273.15
        self._between = b.between
        self._shared = 1.0 + b.between * b.source_resistance
        self._r_slope = b.R / (zero + b.reference)
        self._r_zero = self._r_slope * zero
        self._r_circuit = self._r_zero + b.source_resistance / self._shared
        self._current_limit = b.current_limit
        self._stiffness = 1.0 / (1.0 / b.cord_stiffness + b.radius * b.radius / b.windup)
        self._damping = b.cord_damping
        self._per_angle = b.radius / b.ratio
        self._play = b.slack + b.backlash * b.radius
        self._weight = b.mass * b.gravity if b.weight is None else b.weight
        self._reach, self._lean = min(b.reach, 1e12), b.lean
        self._leans = b.reach < inf
        k, winding = b.generates
        self._generates, self._load_circuit = k, winding + b.resistor
        self._resistor = b.resistor if b.resistor < inf else 0.0
        self._viscous = k * k / self._load_circuit
        self._drag = b.drag
        self._grip, self._grip_rest, self._fade = b.grip, b.grip_rest, b.fade
        self._rubs, self._body_heat = b.grip > 0, b.body_heat
        self._pushes = b.rigid > 0
        self._traction, self._ratchet = min(b.traction, 1e12), b.ratchet > 0
        self._slips = b.traction < inf
        self._lets_go = self._slips or self._ratchet
        self._bearing = b.bearing
        # the load never drives by more than it asks
        self._one_way = not (self._pushes or b.bearing != 0)
        self._binds, self._bind, self._bind_from = b.bind > 0, b.bind, b.bind_from
        self._wear_rate, self._strength = b.wear_rate, b.strength
        self._wears, self._breaks = b.wear_rate > 0, b.strength < inf
        self._runout = b.runout
        self._waves = array("d", [figure for wave in b.waves for figure in wave])
        self._uneven = b.runout != 0 or len(b.waves) > 0
        self._cell_arm = 0.0 if b.cell_arm is None else b.cell_arm
        self._state, self._stage, self._after = _room(SIZE), _room(SIZE), _room(SIZE)
        self._k1, self._k2, self._k3, self._k4 = _room(SIZE), _room(SIZE), _room(SIZE), _room(SIZE)
        self.drive(0.0, False, 1.0)

    def drive(self, volts: float, opened: bool, tightened: float) -> None:
        """Sets the drive voltage [V], whether it is switched off so that no current flows, and the
        part of what was set with which a brake rubs."""
        self._volts, self._opened, self._tightened = volts, opened, tightened
        self._feed = volts / self._shared

    def advance(self, lane: Any, duration: float, dt: float, account: bool) -> None:
        """Runs a state of shape (SIZE,) on for `duration` [s] in steps of at most `dt`, in place.
        account: its energies too."""
        s = self._state
        for i in range(SIZE):
            s[i] = lane[i]
        self._integrated = ENERGY + (ENERGIES if account else 0)
        self._go(duration, dt)
        for i in range(SIZE):
            lane[i] = s[i]

    def _go(self, duration: float, dt: float) -> None:
        if self._binds:
            dt = min(dt, _BINDING)
        steps = max(1, ceil(duration / dt - 1e-9))
        for _ in range(steps):
            self._step(duration / steps)

    def unevenness(self, angle: float) -> float:
        """By how much the output is faster at a motor's angle than the ratio has it, by gears that
        are not true, as a part."""
        waves, turned, faster = self._waves, angle / self._ratio, 0.0
        for i in range(0, len(waves), 3):
            faster += waves[i + 1] * cos(waves[i] * turned + waves[i + 2])
        return faster

    def _radius_at(self, angle: float) -> float:
        """Cord wound up for each turn of the output that the ratio has, over 2π [m], with the
        drum's run-out.
        """
        if not self._uneven:
            return self._radius
        out = self._runout * cos(angle / self._ratio)
        return self._radius * (1 + out + self.unevenness(angle))

    def wound(self, angle: float) -> float:
        """Cord wound up [m]: the integral of the radius over the drum's angle."""
        wound = self._per_angle * angle
        if not self._uneven:
            return wound
        waves, turned = self._waves, angle / self._ratio
        ahead = self._runout * sin(turned)
        for i in range(0, len(waves), 3):
            ahead += waves[i + 1] / waves[i] * sin(waves[i] * turned + waves[i + 2])
        return wound + self._radius * ahead

    def _stretch(self, angle: float, height: float) -> float:
        s = self._state
        return self.wound(angle) - height - self._play - s[SLIPPED] - s[WORN] * self._radius

    def _cord(self, angle: float, speed: float, height: float, rise: float) -> None:
        """Works out the force in the cord [N], its elastic part [N], the speed at which it is
        stretched [m/s] and the radius [m].
        """
        held = self._state[BROKEN] == 0
        radius = self._radius_at(angle)
        stretch = self._stretch(angle, height)
        rate = radius * speed / self._ratio - rise
        pushes = self._pushes
        elastic = self._stiffness * (stretch if pushes else max(stretch, 0.0)) if held else 0.0
        force = elastic + self._damping * rate
        if not (pushes and held):
            force = max(force, 0.0) if elastic > 0 else 0.0
        if self._slips:
            force = min(force, self._traction)
        self._force, self._elastic, self._rate, self._radius_now = force, elastic, rate, radius

    def resistance(self, temperature: float) -> float:
        """Winding resistance [Ω] at a temperature [K]."""
        return self._r_zero + self._r_slope * temperature

    def _current(self, speed: float, temperature: float) -> float:
        """Current that makes torque [A] at a motor speed."""
        if self._opened:
            return 0.0
        current = (self._feed - self._k * speed) / (self._r_circuit + self._r_slope * temperature)
        return max(min(current, self._current_limit), -self._current_limit)

    def _terminal(self, current: float, speed: float, temperature: float) -> float:
        """Voltage [V] at the motor's terminals."""
        return current * self.resistance(temperature) + self._k * speed

    def _rates(self, y: Any, dy: Any) -> None:
        """Puts the time derivatives of `y` into `dy`, those of the energies where they are asked
        for.
        """
        speed, rise, temperature = y[SPEED], y[RISE], y[TEMPERATURE]
        current = self._current(speed, temperature)
        self._cord(y[ANGLE], speed, y[HEIGHT], rise)
        force = self._force
        load = force * self._radius_now
        asked, driving = load + self._bearing, load - self._bearing
        # a mass that is faster drives the train, and the train's losses take from it
        slope = self._down if self._pushes and asked < 0 else self._up
        resist_up = slope * asked + self._up_offset
        if self._binds:
            over = max(load - self._bind_from, 0.0)
            resist_up += self._bind * over * over
        drive = self._k * current
        can_rise = drive - self._friction - resist_up
        moving, resisted, accelerate = True, resist_up, can_rise / self._inertia
        if not (speed > _REST or (speed >= -_REST and can_rise > 0)):
            driven = driving if self._one_way else max(driving, 0.0)
            resisted = self._down * driven - self._down_offset
            can_fall = drive + self._friction - resisted
            moving = speed < -_REST or can_fall < 0
            accelerate = can_fall / self._inertia if moving else -speed / _SETTLING
        weight = self._weight
        if self._leans:
            weight *= cos(self._lean + y[HEIGHT] / self._reach)
        lost = self._viscous * rise + self._drag * rise * abs(rise)
        gain = (force - weight - lost) / self._mass
        if self._rubs:
            rubbed = self._rubbed(force - weight - lost, rise)
            gain = (
                -rise / _SETTLING if self._sticks else (force - weight - lost - rubbed) / self._mass
            )
            lost += rubbed
        climbs = rise
        if y[HEIGHT] <= 0 and force <= weight:  # on the floor it stays until pulled
            climbs = gain = 0.0
        terminal = self._terminal(current, speed, temperature)
        heat = (
            current * current * self.resistance(temperature) + self._between * terminal * terminal
        )
        cooled = (temperature - self._ambient) / self._heat_resistance
        dy[SPEED], dy[ANGLE], dy[HEIGHT], dy[RISE] = accelerate, speed, climbs, gain
        dy[TEMPERATURE] = (heat - cooled) / self._heat_capacity
        if self._integrated == ENERGY:
            return
        drawn = current + self._between * terminal
        dy[ENERGY] = self._volts * drawn
        dy[ENERGY + 1] = (self._volts - terminal) * drawn
        dy[ENERGY + 2] = heat
        dy[ENERGY + 3] = self._friction * abs(speed) if moving else 0.0
        # the train's, and the bearing's
        dy[ENERGY + 4] = ((resisted if moving else 0.0) - load / self._ratio) * speed
        dy[ENERGY + 5] = (force - self._elastic) * self._rate + lost * rise
        dy[ENERGY + 6] = force * rise

    def _grips(self) -> float:
        """Force that rubbing takes from the body now [N, N·m]: it falls as it warms."""
        return self._grip * self._tightened * max(1.0 - self._fade * self._state[WARMED], 0.1)

    def _rubbed(self, pull: float, rise: float) -> float:
        """Force that rubbing takes of a body; whether it holds it at rest, as long as that is not
        pulled hard enough, is noted in `_sticks`.
        """
        grip, moving = self._grips(), abs(rise) > _STILL
        self._sticks = not (moving or abs(pull) > grip * (1 + self._grip_rest))
        if self._sticks:
            return 0.0
        way = rise if moving else pull
        return grip if way > 0 else -grip if way < 0 else 0.0

    def _step(self, h: float) -> None:
        """One step of classical Runge-Kutta, and what happens at once: a stop, a landing, a slip, a
        break.
        """
        s, stage, after, n = self._state, self._stage, self._after, self._integrated
        k1, k2, k3, k4 = self._k1, self._k2, self._k3, self._k4
        self._rates(s, k1)
        for i in range(n):
            stage[i] = s[i] + h / 2 * k1[i]
        self._rates(stage, k2)
        for i in range(n):
            stage[i] = s[i] + h / 2 * k2[i]
        self._rates(stage, k3)
        for i in range(n):
            stage[i] = s[i] + h * k3[i]
        self._rates(stage, k4)
        for i in range(n):
            after[i] = s[i] + h / 6 * (k1[i] + 2 * (k2[i] + k3[i]) + k4[i])
        speed = s[SPEED]
        # also where it would turn over within the step, and the step's own stages undo that
        turns = abs(speed) > _REST and speed * (speed + h * k1[SPEED]) < 0
        if speed * after[SPEED] < 0 or turns:
            # friction turns over within this step: it is taken in small ones
            if h > _FINEST:
                self._go(h, h / 8)
                return
            self._come_to_rest(h)
        before = s[RISE]
        for i in range(n):
            s[i] = after[i]
        if self._rubs:
            if before * s[RISE] < 0 and abs(before) > _STILL:  # rubbing does not push back
                self._halt()
            s[WARMED] += self._grips() * abs(s[RISE]) * h / self._body_heat
        if self._lets_go:
            self._let_go()
        if s[HEIGHT] <= 0 and s[RISE] <= 0:
            s[IMPACT] += self.raised(s[HEIGHT])
            s[HEIGHT] = 0.0
            self._halt()
        if self._wears or self._breaks:
            self._cord(s[ANGLE], s[SPEED], s[HEIGHT], s[RISE])
            load = self._force * self._radius_now
            s[WORN] += self._wear_rate * load * abs(s[SPEED] / self._ratio) * h
            if load > self._strength and s[BROKEN] == 0:
                s[IMPACT] += self._sprung()
                s[BROKEN] = 1.0

    def _halt(self) -> None:
        """The body loses its speed at once."""
        s = self._state
        s[IMPACT] += 0.5 * self._mass * s[RISE] * s[RISE]
        s[RISE] = 0.0

    def _sprung(self) -> float:
        """Energy [J] that the cord holds."""
        return 0.5 * self._elastic * self._elastic / self._stiffness

    def _let_go(self) -> None:
        """Wheels that slip hold the cord's pull at what traction gives; a freewheel takes in what
        would be slack.
        """
        s = self._state
        stretch = self._stretch(s[ANGLE], s[HEIGHT])
        most = self._traction / self._stiffness
        slips = max(stretch - most, 0.0)
        s[IMPACT] += self._stiffness * (most + slips / 2) * slips
        s[SLIPPED] += slips
        if self._ratchet and stretch < 0:
            s[SLIPPED] += stretch

    def raised(self, height: float) -> float:
        """Potential energy of the body [J], from height 0."""
        if not self._leans:
            return self._weight * height
        swung = sin(self._lean + height / self._reach) - sin(self._lean)
        return self._weight * self._reach * swung

    def _come_to_rest(self, h: float) -> None:
        """A bench whose speed went through zero and that friction then holds stops there instead of
        shooting past.
        """
        s, k1, after, stage, n = self._state, self._k1, self._after, self._stage, self._integrated
        for i in range(n):
            stage[i] = s[i]
        stage[SPEED] = 0.0
        self._rates(stage, self._k2)
        if self._k2[SPEED] != 0:
            return
        part = 1.0
        if k1[SPEED] != 0:
            part = min(max(-s[SPEED] / (k1[SPEED] * h), 0.0), 1.0)
        for i in range(n):
            after[i] = s[i] + part * h * k1[i]
        after[SPEED] = 0.0
        # the mean speed while stopping is half of that at its start: so is what the speed turned
        # over
        for i in (ANGLE, ENERGY, ENERGY + 3, ENERGY + 4):
            if i < n:
                after[i] = s[i] + part * h * k1[i] / 2

    def stored(self, lane: Any) -> float:
        """Kinetic, potential and elastic energy [J] of a state."""
        s = self._state
        for i in range(SIZE):
            s[i] = lane[i]
        self._cord(s[ANGLE], s[SPEED], s[HEIGHT], s[RISE])
        moving = self._inertia * s[SPEED] * s[SPEED] + self._mass * s[RISE] * s[RISE]
        return 0.5 * moving + self.raised(s[HEIGHT]) + self._sprung()

    def tell(self, lane: Any, out: Any) -> None:
        """The true figures of a state, into `out` in the order of TRUTHS."""
        s = self._state
        for i in range(SIZE):
            s[i] = lane[i]
        speed, rise, temperature = s[SPEED], s[RISE], s[TEMPERATURE]
        current = self._current(speed, temperature)
        terminal = self._terminal(current, speed, temperature)
        self._cord(s[ANGLE], speed, s[HEIGHT], rise)
        uneven = 1 + self.unevenness(s[ANGLE])
        torque, turned = self._force * self._radius_now / uneven, speed / self._ratio * uneven
        shaft, drawn = self._k * current - self._friction, current + self._between * terminal
        out[0] = torque / self._cell_arm if self._cell_arm > 0 else self._force
        torque += self._bearing if speed > _REST else 0.0
        out[1], out[2], out[3], out[4], out[5] = torque, turned, speed, terminal, drawn
        out[6], out[7], out[8], out[9] = terminal * drawn, shaft, torque * turned, shaft * speed
        out[10], out[11], out[12] = temperature, s[HEIGHT], rise
        out[13] = self._generates * rise / self._load_circuit
        out[14], out[15] = out[13] * self._resistor, self.resistance(temperature)
