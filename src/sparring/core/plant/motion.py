"""The equations of motion of motor, train and the method's load, and one step of them.

Written once for a whole set of benches (arrays of shape (n,), so that a closure study costs little
more than one lift) and for one alone (plain floats: a live bench has about a millisecond for a
millisecond, and arrays of one entry would take most of it). `Arrays` and `Floats` are the few
operations in which the two differ.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np

from sparring.core import motor as motors
from sparring.core.plant.bench import Bench

REST = 0.05  # motor speed [rad/s] below which friction may hold
_STILL = 1e-4  # speed of the body [m/s, rad/s] below which rubbing may hold it
_SETTLING = 2.5e-3  # [s] in which what friction holds loses the rest of its speed
FEW = 8  # so many benches are run sooner one by one than together
# [s] longest step while losses that grow with the square of the load act: beside a stall they are
# stiff
_BINDING = 7e-4
_FINEST = 3e-4  # [s] step at which a bench that comes to rest is followed


@dataclass
class State:
    """What changes; each an array of shape (n,), or a float of one bench: motor speed and angle,
    the body's height and speed, winding temperature; energies [J], none where they are not asked
    for."""

    speed: Any
    angle: Any
    height: Any
    rise: Any
    temperature: Any
    broken: Any
    worn: Any  # backlash gained [rad]
    impact: Any  # energy lost in landing, slipping and breaking [J]
    slipped: Any  # cord let go by slipping wheels or taken in by a freewheel [m]
    warmed: Any  # the body above its start [K]
    energy: list[Any] = field(default_factory=list)

    def taken(self, lanes: Any) -> State:
        """A copy of the benches where `lanes` (n, bool) holds."""
        figures = {name: getattr(self, name)[lanes].copy() for name in _FIGURES}
        return State(**figures, energy=[e[lanes].copy() for e in self.energy])

    def apart(self) -> list[State]:
        """Each bench by itself, in floats."""
        figures: Any = zip(*(getattr(self, name).tolist() for name in _FIGURES), strict=True)
        energies: Any = (
            zip(*(e.tolist() for e in self.energy), strict=True)
            if self.energy
            else [()] * len(self.speed)
        )
        return [State(*(*f, list(e))) for f, e in zip(figures, energies, strict=True)]

    @staticmethod
    def joined(alone: list[State]) -> State:
        """The opposite of `apart`."""
        figures = {name: np.array([getattr(s, name) for s in alone]) for name in _FIGURES}
        return State(
            **figures, energy=[np.array(e) for e in zip(*(s.energy for s in alone), strict=True)]
        )

    def put(self, lanes: Any, other: State) -> None:
        """Takes the lanes of `other` in."""
        for name in _FIGURES:
            getattr(self, name)[lanes] = getattr(other, name)
        for own, new in zip(self.energy, other.energy, strict=True):
            own[lanes] = new


_FIGURES = [f.name for f in fields(State) if f.name != "energy"]


class Arrays:
    """What the equations ask of arrays."""

    where, maximum, minimum = (
        staticmethod(np.where),
        staticmethod(np.maximum),
        staticmethod(np.minimum),
    )
    cos, sin, sign, no = (
        staticmethod(np.cos),
        staticmethod(np.sin),
        staticmethod(np.sign),
        staticmethod(np.logical_not),
    )

    @staticmethod
    def some(condition: Any) -> bool:
        return bool(np.count_nonzero(condition))

    @staticmethod
    def every(condition: Any) -> bool:
        return bool(condition.all())

    @staticmethod
    def along(y: Any, h: float, k: Any) -> Any:
        return y + h * k

    @staticmethod
    def blend(y: Any, h: float, k1: Any, k2: Any, k3: Any, k4: Any) -> Any:
        return y + h / 6 * (k1 + 2 * (k2 + k3) + k4)

    rows = staticmethod(np.array)


class Floats:
    """The same of plain floats."""

    cos, sin, some, every = (
        staticmethod(math.cos),
        staticmethod(math.sin),
        staticmethod(bool),
        staticmethod(bool),
    )
    maximum, minimum = staticmethod(max), staticmethod(min)

    @staticmethod
    def where(condition: bool, then: float, otherwise: float) -> float:
        return then if condition else otherwise

    @staticmethod
    def sign(x: float) -> float:
        return (x > 0) - (x < 0)

    @staticmethod
    def no(condition: bool) -> bool:
        return not condition

    @staticmethod
    def rows(y: list[float]) -> list[float]:
        return y

    @staticmethod
    def along(y: list[float], h: float, k: list[float]) -> list[float]:
        return [a + h * b for a, b in zip(y, k, strict=True)]

    @staticmethod
    def blend(
        y: list[float], h: float, k1: list[float], k2: list[float], k3: list[float], k4: list[float]
    ) -> list[float]:
        return [
            a + h / 6 * (p + 2 * (q + r) + t)
            for a, p, q, r, t in zip(y, k1, k2, k3, k4, strict=True)
        ]


class Motion:
    """The equations of one set of benches, driven as `drive` says."""

    def __init__(self, bench: Bench, maths: type[Arrays] | type[Floats]) -> None:
        b = self.bench = bench
        self.maths: Any = maths
        # what stays the same through all steps is worked out once
        zero = motors.COPPER_ZERO - 273.15
        self._shared = 1.0 + b.between * b.source_resistance
        self._r_slope = b.R / (zero + b.reference)
        self._r_zero = self._r_slope * zero
        self._r_circuit = self._r_zero + b.source_resistance / self._shared
        self.stiffness = 1.0 / (1.0 / b.cord_stiffness + b.radius * b.radius / b.windup)
        self._per_angle = b.radius / b.ratio
        self._play = b.slack + b.backlash * b.radius
        self.weight = b.mass * b.gravity if b.weight is None else b.weight
        k, winding = b.generates
        self._viscous = k * k / (winding + b.resistor)
        # what no bench of the set has is left out of every step
        some = self.maths.some
        self._limited = some(b.current_limit < np.inf)
        self._binds = some(b.bind > 0)
        self._uneven = some(b.runout != 0) or bool(b.waves)
        self._pushes = some(b.rigid > 0)
        self._leans = some(b.reach < np.inf)
        self._rubs = some(b.grip > 0)
        self._slips = some(b.traction < np.inf)
        self._lets_go = self._slips or some(b.ratchet > 0)
        self._drags = some(self._viscous > 0) or some(b.drag > 0)
        self._beside = some(b.between != 0)
        self._bears = some(b.bearing != 0)
        self._wears = some(b.wear_rate > 0)
        self._breaks = some(b.strength < np.inf)
        # the load never drives by more than it asks
        self._one_way = not (self._pushes or self._bears)

    def drive(self, volts: Any, opened: Any, tightened: float = 1.0) -> Motion:
        """Sets the drive voltage [V], whether it is switched off so that no current flows, and the
        part of what was set with which a brake rubs."""
        self.volts, self.open = volts, opened
        self.tightened, self._grip = tightened, self.bench.grip * tightened
        self._feed = volts / self._shared
        self._opened = self.maths.some(opened)
        return self

    def advance(self, state: State, duration: float, dt: float) -> None:
        """Runs `state` on for `duration` [s] in steps of at most `dt`."""
        if self._binds:
            dt = min(dt, _BINDING)
        steps = max(1, math.ceil(duration / dt - 1e-9))
        for _ in range(steps):
            self.step(state, duration / steps)

    def unevenness(self, angle: Any) -> Any:
        """By how much the output is faster at a motor's angle than the ratio has it, by gears that
        are not true, as a part."""
        turned, cos = angle / self.bench.ratio, self.maths.cos
        return sum(a * cos(order * turned + phase) for order, a, phase in self.bench.waves)

    def _radius(self, angle: Any) -> Any:
        """Cord wound up for each turn of the output that the ratio has, over 2π [m], with the
        drum's run-out.
        """
        b = self.bench
        if not self._uneven:
            return b.radius
        out = b.runout * self.maths.cos(angle / b.ratio)
        return b.radius * (1 + out + self.unevenness(angle))

    def wound(self, angle: Any) -> Any:
        """Cord wound up [m]: the integral of the radius over the drum's angle."""
        b = self.bench
        wound = self._per_angle * angle
        if not self._uneven:
            return wound
        turned, sin = angle / b.ratio, self.maths.sin
        ahead = sum(a / order * sin(order * turned + phase) for order, a, phase in b.waves)
        return wound + b.radius * (b.runout * sin(turned) + ahead)

    def _stretch(self, s: State, angle: Any, height: Any) -> Any:
        stretch = self.wound(angle) - height - self._play
        if self._lets_go:
            stretch = stretch - s.slipped
        return stretch - s.worn * self.bench.radius if self._wears else stretch

    def cord(
        self, s: State, angle: Any, speed: Any, height: Any, rise: Any
    ) -> tuple[Any, Any, Any, Any]:
        """(force in the cord [N], its elastic part [N], speed at which it is stretched [m/s],
        radius [m]).
        """
        b, maths = self.bench, self.maths
        radius = self._radius(angle)
        stretch = self._stretch(s, angle, height)
        pull_rate = (radius * speed / b.ratio if self._uneven else self._per_angle * speed) - rise
        pulls = maths.maximum(stretch, 0.0)
        if self._pushes:
            pulls = maths.where(b.rigid > 0, stretch, pulls)
        elastic = self.stiffness * pulls
        if self._breaks:
            elastic = maths.where(s.broken, 0.0, elastic)
        whole = elastic + b.cord_damping * pull_rate
        force = maths.maximum(whole, 0.0) * (elastic > 0)
        if self._pushes:
            force = maths.where((b.rigid > 0) & maths.no(s.broken), whole, force)
        if self._slips:
            force = maths.minimum(force, b.traction)
        return force, elastic, pull_rate, radius

    def sprung(self, elastic: Any) -> Any:
        """Energy [J] that the cord holds with this elastic force."""
        return 0.5 * elastic * elastic / self.stiffness

    def resistance(self, temperature: Any) -> Any:
        """Winding resistance [Ω] at a temperature [K]."""
        return self._r_zero + self._r_slope * temperature

    def current(self, speed: Any, temperature: Any) -> Any:
        """Current that makes torque [A] at a motor speed."""
        b, maths = self.bench, self.maths
        current = (self._feed - b.k * speed) / (self._r_circuit + self._r_slope * temperature)
        if self._opened:
            current = maths.where(self.open, 0.0, current)
        if self._limited:
            current = maths.maximum(maths.minimum(current, b.current_limit), -b.current_limit)
        return current

    def terminal(self, current: Any, speed: Any, temperature: Any) -> Any:
        """Voltage [V] at the motor's terminals."""
        return current * self.resistance(temperature) + self.bench.k * speed

    def rates(self, s: State, y: Any) -> Any:
        """Time derivatives of speed, angle, height, rise and temperature, and of the energies where
        y has them.
        """
        b, maths = self.bench, self.maths
        where = maths.where
        speed, angle, height, rise, temperature = y[:5]
        current = self.current(speed, temperature)
        force, elastic, pull_rate, radius = self.cord(s, angle, speed, height, rise)
        load = force * radius
        asked, driving = (load + b.bearing, load - b.bearing) if self._bears else (load, load)
        resist_up = b.up[0] * asked + b.up[1]
        # a mass that is faster drives the train, and the train's losses take from it
        if self._pushes:
            resist_up = where(asked < 0, b.down[0] * asked + b.up[1], resist_up)
        if self._binds:
            over = maths.maximum(load - b.bind_from, 0.0)
            resist_up = resist_up + b.bind * over * over
        drive = b.k * current
        can_rise = drive - b.friction - resist_up
        if maths.every(speed > REST):
            moving = moving_up = True
            resisted, accelerate = resist_up, can_rise / b.inertia
        else:
            resist_down = (
                b.down[0] * (driving if self._one_way else maths.maximum(driving, 0.0)) - b.down[1]
            )
            can_fall = drive + b.friction - resist_down
            moving_up = (speed > REST) | ((speed >= -REST) & (can_rise > 0))
            moving = moving_up | (speed < -REST) | (can_fall < 0)
            accelerate = where(
                moving, where(moving_up, can_rise, can_fall) / b.inertia, -speed / _SETTLING
            )
            resisted = where(moving_up, resist_up, resist_down)
        weight = self.weight * maths.cos(b.lean + height / b.reach) if self._leans else self.weight
        pull, lost = force - weight, 0.0
        if self._drags:
            lost = self._viscous * rise + b.drag * rise * abs(rise)
        gain = (pull - lost) / b.mass
        if self._rubs:
            gain, rubbed = self._rub(s, pull - lost, rise)
            lost = lost + rubbed
        climbs = rise
        if not maths.every(height > 0):  # on the floor it stays until pulled
            lifted = (height > 0) | (pull > 0)
            climbs, gain = rise * lifted, gain * lifted
        heat = current * current * self.resistance(temperature)
        if self._beside:
            heat = heat + b.between * self.terminal(current, speed, temperature) ** 2
        dy = [
            accelerate,
            speed,
            climbs,
            gain,
            (heat - (temperature - b.ambient) / b.heat_resistance) / b.heat_capacity,
        ]
        if len(y) == 5:
            return maths.rows(dy)
        terminal = self.terminal(current, speed, temperature)
        drawn = current + b.between * terminal
        damped = (force - elastic) * pull_rate
        energies = [
            self.volts * drawn,
            (self.volts - terminal) * drawn,
            heat,
            b.friction * abs(speed) * moving,
            (resisted * moving - load / b.ratio) * speed,  # the train's, and the bearing's
            damped + lost * rise,
            force * rise,
        ]
        return maths.rows([*dy, *energies])

    def grips(self, s: State) -> Any:
        """Force that rubbing takes from the body now [N, N·m]: it falls as it warms."""
        return self._grip * self.maths.maximum(1.0 - self.bench.fade * s.warmed, 0.1)

    def _rub(self, s: State, pull: Any, rise: Any) -> tuple[Any, Any]:
        """(acceleration, force that rubbing takes) of a body that rubs: at rest it holds until
        pulled hard enough.
        """
        b, maths = self.bench, self.maths
        grip = self.grips(s)
        moving = abs(rise) > _STILL
        goes = moving | (abs(pull) > grip * (1 + b.grip_rest))
        taken = maths.sign(maths.where(moving, rise, pull)) * grip
        return maths.where(goes, (pull - taken) / b.mass, -rise / _SETTLING), maths.where(
            goes, taken, 0.0
        )

    def step(self, s: State, h: float) -> None:
        """One step of classical Runge-Kutta, and what happens at once: a stop, a landing, a slip, a
        break.
        """
        b, maths = self.bench, self.maths
        some, where = maths.some, maths.where
        y = maths.rows([s.speed, s.angle, s.height, s.rise, s.temperature, *s.energy])
        k1 = self.rates(s, y)
        k2 = self.rates(s, maths.along(y, h / 2, k1))
        k3 = self.rates(s, maths.along(y, h / 2, k2))
        k4 = self.rates(s, maths.along(y, h, k3))
        after = maths.blend(y, h, k1, k2, k3, k4)
        # also where it would turn over within the step, and the step's own stages undo that
        turns = (abs(y[0]) > REST) & (y[0] * (y[0] + h * k1[0]) < 0)
        crossed = (y[0] * after[0] < 0) | turns
        finely = None
        if some(crossed):
            # friction turns over within this step: those benches take it in small ones
            if h > _FINEST:
                finely = self._in_small_steps(s, crossed, h)
                if finely is s:
                    return
            else:
                after = self._come_to_rest(s, y, after, k1=k1, h=h, crossed=crossed)
        before = s.rise
        s.speed, s.angle, s.height, s.rise, s.temperature, *s.energy = after
        if self._rubs:
            stops = (before * s.rise < 0) & (abs(before) > _STILL)  # rubbing does not push back
            if some(stops):
                s.impact = s.impact + where(stops, 0.5 * b.mass * s.rise * s.rise, 0.0)
                s.rise = where(stops, 0.0, s.rise)
            s.warmed = s.warmed + self.grips(s) * abs(s.rise) * h / b.body_heat
        if self._lets_go:
            self._let_go(s)
        landed = (s.height <= 0) & (s.rise <= 0)
        if some(landed):
            s.impact = s.impact + where(
                landed, 0.5 * b.mass * s.rise * s.rise + self.raised(s.height), 0.0
            )
            s.height = where(landed, 0.0, s.height)
            s.rise = where(landed, 0.0, s.rise)
        if self._wears or self._breaks:
            force, elastic, _, radius = self.cord(s, s.angle, s.speed, s.height, s.rise)
            load = force * radius
            breaks = (load > b.strength) & maths.no(s.broken)
            s.impact = s.impact + where(breaks, self.sprung(elastic), 0.0)
            s.worn = s.worn + b.wear_rate * load * abs(s.speed / b.ratio) * h
            s.broken = s.broken | breaks
        if finely is not None:
            s.put(crossed, finely)

    def _in_small_steps(self, s: State, lanes: Any, h: float) -> State:
        """The state of these lanes after `h`, taken in eighths; the others are left alone."""
        if self.maths is Floats:
            self.advance(s, h, h / 8)
            return s
        volts, opened, bench = self.volts[lanes], self.open[lanes], self.bench.taken(lanes)
        part = s.taken(lanes)
        if len(volts) <= FEW:
            driven = enumerate(zip(volts.tolist(), opened.tolist(), strict=True))
            alone = [
                Motion(bench.single(i), Floats).drive(v, o, self.tightened) for i, (v, o) in driven
            ]
            return one_by_one(alone, part, h, h / 8)
        Motion(bench, Arrays).drive(volts, opened, self.tightened).advance(part, h, h / 8)
        return part

    def _let_go(self, s: State) -> None:
        """Wheels that slip hold the cord's pull at what traction gives; a freewheel takes in what
        would be slack.
        """
        b, maths = self.bench, self.maths
        stretch = self._stretch(s, s.angle, s.height)
        most = maths.minimum(b.traction, 1e12) / self.stiffness
        slips = maths.maximum(stretch - most, 0.0)
        s.impact = s.impact + self.stiffness * (most + slips / 2) * slips
        s.slipped = s.slipped + slips + maths.where((b.ratchet > 0) & (stretch < 0), stretch, 0.0)

    def raised(self, height: Any) -> Any:
        """Potential energy of the body [J], from height 0."""
        if not self._leans:
            return self.weight * height
        b, maths = self.bench, self.maths
        reach = maths.minimum(b.reach, 1e12)
        swung = reach * (maths.sin(b.lean + height / reach) - maths.sin(b.lean))
        return self.weight * maths.where(b.reach < np.inf, swung, height)

    def _come_to_rest(self, s: State, y: Any, after: Any, k1: Any, h: float, crossed: Any) -> Any:
        """Benches whose speed went through zero and that friction then holds stop there instead of
        shooting past.
        """
        maths = self.maths
        held = crossed & (self.rates(s, maths.rows([0.0 * y[0], *y[1:]]))[0] == 0)
        slows = maths.where(k1[0] != 0, k1[0], 1.0)
        part = maths.where(
            k1[0] != 0, maths.minimum(maths.maximum(-y[0] / (slows * h), 0.0), 1.0), 1.0
        )
        stopped = maths.along(y, part * h, k1)
        # the mean speed while stopping is half of that at its start: so is what the speed turned
        # over
        for row in (1, 5, 8, 9) if len(y) > 5 else (1,):
            stopped[row] = y[row] + part * h * k1[row] / 2
        stopped[0] = 0.0 * y[0]
        return maths.rows([maths.where(held, a, b) for a, b in zip(stopped, after, strict=True)])


def one_by_one(motions: list[Motion], state: State, duration: float, dt: float) -> State:
    """The state of a few benches `duration` [s] later, each run by itself in floats."""
    alone = state.apart()
    for lane, motion in zip(alone, motions, strict=True):
        motion.advance(lane, duration, dt)
    return State.joined(alone)
