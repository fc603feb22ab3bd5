"""What is known of a drive before a run, and how each run sharpens it: its motor's and friction's
figures as one normal distribution, carried through to speed, current and stall.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO, MAGNETS, MotorReadings
from sparring.core.quantity import Measured
from sparring.core.uncertainty import Uncertain, covariance, nominal

_DRAG = 0.3
"""Standard uncertainty of the drag torques as entered, as a part of them, all alike (common
practice: grease and seals are seldom known better)."""
_RUNS = 0.05
"""Standard deviation of a train's losses from run to run, as a part of them (common practice; a
test's own repeats tell it better)."""
_MOST = 6.0  # standard uncertainties that a figure is moved by
_READINGS = (
    ("voltage", "voltage of the readings", "voltage"),
    ("no_load_speed", "no-load speed", "speed"),
    ("no_load_current", "no-load current", "current"),
    ("stall_current", "stall current", "current"),
    ("brush_drop", "brush drop", "voltage"),
)


class Parameter(NamedTuple):
    """A figure of the drive: id for files, its words, value and standard uncertainty, kind."""

    id: str
    name: str
    value: float
    u: float
    kind: str


class Load(NamedTuple):
    """What resists at the output, T = constant + slope ω [N·m, N·m·s/rad], with a voltage at the
    motor [V] and winding and case above the temperature of the motor's readings [K]; arrays of one
    shape (n,). A constant of infinity holds the output still. Of a drive without a motor `voltage`
    is the speed at which its input is turned [rad/s].
    """

    constant: np.ndarray
    slope: np.ndarray
    voltage: np.ndarray
    winding: np.ndarray
    case: np.ndarray

    @classmethod
    def of(
        cls, constant: Any, voltage: Any, *, slope: Any = 0.0, winding: Any = 0.0, case: Any = 0.0
    ) -> Load:
        """With everything as long as the longest."""
        each = np.broadcast_arrays(
            *(
                np.atleast_1d(np.asarray(x, float))
                for x in (constant, slope, voltage, winding, case)
            )
        )
        return cls(*each)


class State(NamedTuple):
    """At the output and the wires, shape (n,): speed [rad/s], torque [N·m], current [A], and the
    torque to spare at standstill, as torque of the motor [N·m]: below zero it stalls. Of a drive
    without a motor `current` is the torque at its input [N·m]. shaft: torque at the train's input,
    the motor's own friction taken off [N·m].
    """

    speed: np.ndarray
    torque: np.ndarray
    current: np.ndarray
    spare: np.ndarray
    shaft: np.ndarray


class Foretold(NamedTuple):
    """A state with the standard uncertainty of each figure for one run, and the chance that it
    stalls [0..1].
    """

    state: State
    u: State
    stalls: np.ndarray


class Seen(NamedTuple):
    """What a step measured: its load (one long), speed and current with uncertainty, and how many
    runs they are the mean of. The load's constant is `torque`'s value.
    """

    load: Load
    torque: Uncertain
    speed: Uncertain
    current: Uncertain
    runs: int = 1


@dataclass(frozen=True)
class Drive:
    """A build's figures as they are known. mean: shape (p,), covariance: (p, p), both in standard
    uncertainties of the prior, from its values: 0 and the unit matrix before anything is measured.
    scatter: of the losses from run to run; source: resistance of supply and leads, between the
    voltage that is set and the motor [Ω].
    """

    build: Build
    mean: np.ndarray
    covariance: np.ndarray
    scatter: float = _RUNS
    source: float = 0.0

    @classmethod
    def of(cls, build: Build, scatter: float = _RUNS) -> Drive:
        """As the build's records say."""
        n = len(_parameters(build))
        return cls(build, np.zeros(n), np.eye(n), scatter)

    @cached_property
    def prior(self) -> tuple[Parameter, ...]:
        """The figures as entered."""
        return _parameters(self.build)

    @property
    def now(self) -> tuple[Parameter, ...]:
        """The figures as they are known now."""
        deviations = np.sqrt(np.diag(self.covariance))
        return tuple(
            p._replace(value=p.value + p.u * float(z), u=p.u * float(s))
            for p, z, s in zip(self.prior, self.mean, deviations, strict=True)
        )

    @cached_property
    def line(self) -> tuple[tuple[float, float], np.ndarray]:
        """(a, b) of T_motor = a T + b as entered, and its slopes towards each stage's friction,
        shape (stages, 2): straight over the ± of a friction.
        """
        entered = self.build.loss_figures()
        base = self.build.torque_line()
        slopes = np.zeros((len(entered), 2))
        for n, stage in enumerate(self.build.stages):
            if (u := stage.loss_figure.u) > 0:
                more = [mu + u * (m == n) for m, mu in enumerate(entered)]
                slopes[n] = (np.array(self.build.torque_line(more)) - base) / u
        return base, slopes

    def state(self, load: Load, z: np.ndarray | None = None, losses: float = 1.0) -> State:
        """At steady speed. z: deviations of the figures, as `mean`; losses: of the train, as a part
        of the usual.
        """
        values = [
            p.value + p.u * float(d)
            for p, d in zip(self.prior, self.mean if z is None else z, strict=True)
        ]
        own = _motors(self.build)
        many, per = len(own), len(_READINGS)
        lines = []
        for n, (r, gearing) in enumerate(own):
            volts, speed, free, stall, brush = values[n * per : (n + 1) * per]
            line = motors.identify(volts, speed, free, stall, r.winding_temperature, brush)
            lines.append((_warm(line, r, load), gearing))
        motor = motors.together(lines) if lines else motors.MOVER
        motor = motor._replace(R=motor.R + self.source)
        (a0, b0), slopes = self.line
        entered = np.array(self.build.loss_figures())
        away = np.array(values[many * per : many * per + len(entered)]) - entered
        ideal = 1 / abs(self.build.ratio())
        a = ideal + (a0 + float(away @ slopes[:, 0]) - ideal) * losses
        b = (b0 + float(away @ slopes[:, 1])) * values[-1] * losses
        k, R = motor.k, motor.R
        held = np.isinf(load.constant)
        constant = np.where(held, 0.0, load.constant)
        free = k * (load.voltage - motor.brush) / R - motor.friction - b
        spare = np.where(held, 0.0, free - a * constant)
        turns = spare / (k * k / R + a * load.slope * ideal)
        turning = np.maximum(turns, 0.0)
        torque = np.where(held, np.maximum(free, 0.0) / a, constant + load.slope * turning * ideal)
        shaft = np.where(turns > 0, a * torque + b, free + b)  # at rest it pushes with all it has
        current = motor.current(shaft, load.voltage)
        current = np.broadcast_to(current, torque.shape)
        return State(turning * ideal, torque, current, spare, shaft)

    def jacobian(self, load: Load) -> State:
        """Slopes of a state towards each figure's deviation and, last, the losses of one run in
        units of `scatter`; each shape (n, p + 1).
        """
        columns = []
        p = len(self.mean)
        for n in range(p + 1):
            step = 0.1 * (np.arange(p) == n)
            run = 0.1 * self.scatter * (n == p)
            up = self.state(load, self.mean + step, 1 + run)
            down = self.state(load, self.mean - step, 1 - run)
            columns.append([(x - y) / 0.2 for x, y in zip(up, down, strict=True)])
        return State(*(np.array(rows).T for rows in zip(*columns, strict=True)))

    def foretell(self, load: Load) -> Foretold:
        """What one run at each load will do."""
        from scipy.special import ndtr

        here, slopes = self.state(load), self.jacobian(load)
        whole = np.eye(len(self.mean) + 1)
        whole[:-1, :-1] = self.covariance
        u = State(*(np.sqrt(np.einsum("ni,ij,nj->n", s, whole, s)) for s in slopes))
        return Foretold(here, u, ndtr(-here.spare / np.maximum(u.spare, 1e-12)))

    def voltage_for(self, speed: np.ndarray, load: Load, z: np.ndarray | None = None) -> np.ndarray:
        """Voltage [V] at which the output turns at `speed` [rad/s] under a load, shape (n,): all
        lines are straight in it. z: deviations of the figures, as `mean`.
        """
        two = [load._replace(voltage=np.full_like(load.constant, v)) for v in (1e3, 2e3)]
        slow, fast = (self.state(x, z).speed for x in two)
        return np.asarray(1e3 + (speed - slow) * 1e3 / (fast - slow))

    def updated(self, seen: Sequence[Seen]) -> Drive:
        """Corrected by what was measured at the motor's own voltage (normal prior, Gauss–Newton to
        the most likely figures).

        Speeds and currents that share an instrument share its doubt; of each run the losses
        scatter. Always from the prior, with all that was seen: nothing is counted twice.
        """
        seen = [s for s in seen if s.speed is not None or s.current is not None]
        prior = Drive.of(self.build, self.scatter)
        if not seen:
            return prior
        load = Load(*(np.concatenate(x) for x in zip(*(s.load for s in seen), strict=True)))
        used = [("speed", i) for i, s in enumerate(seen) if s.speed is not None]
        used += [("current", i) for i, s in enumerate(seen) if s.current is not None]
        z = prior.mean
        for _ in range(4):
            y, h, J, noise = replace(prior, mean=z)._against(seen, load, used)
            weighted = np.linalg.solve(noise, np.column_stack([J, y - h + J @ z]))
            covariance = np.linalg.inv(np.eye(len(z)) + J.T @ weighted[:, :-1])
            z = np.clip(covariance @ (J.T @ weighted[:, -1]), -_MOST, _MOST)
        return replace(prior, mean=z, covariance=covariance)

    def _against(
        self, seen: Sequence[Seen], load: Load, used: Sequence[tuple[str, int]]
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """(measured, expected, slopes towards the figures, covariance of the measured), each of
        those `used`: (speed or current, of which of the seen).
        """
        state, slopes = self.state(load), self.jacobian(load)
        more = load._replace(constant=load.constant * 1.01 + 1e-9)
        apart = more.constant - load.constant
        along = State(*((x - y) / apart for x, y in zip(self.state(more), state, strict=True)))
        told: list[Any] = [
            # what is known of the torque is part of what is known of the speed at it
            getattr(seen[i], name)
            - float(getattr(along, name)[i]) * (seen[i].torque - nominal(seen[i].torque))
            for name, i in used
        ]
        y = np.array([nominal(v) for v in told])
        h = np.array([getattr(state, name)[i] for name, i in used])
        J = np.array([getattr(slopes, name)[i] for name, i in used])
        runs = np.array([max(seen[i].runs, 1) for _, i in used])
        same = np.equal.outer([i for _, i in used], [i for _, i in used])
        own = J[:, -1] / np.sqrt(runs)
        noise = covariance(told) + np.where(same, np.outer(own, own), 0.0)
        noise += np.diag(np.maximum(1e-9, (1e-4 * y) ** 2))
        return y, h, J[:, :-1], noise


def _motors(build: Build) -> list[tuple[MotorReadings, float]]:
    if not build.has_motor:
        return []
    return [(build.motor, 1.0), *((f.readings, f.gearing) for f in build.further_motors)]


def _warm(line: motors.Motor, readings: MotorReadings, load: Load) -> motors.Motor:
    """The line with copper and magnets warmed by so much."""
    zero = COPPER_ZERO + readings.winding_temperature - 273.15
    R = line.R * (1 + load.winding / zero)
    k = line.k * (1 - MAGNETS[readings.magnets].value * load.case)
    # what friction takes is a torque, and stays
    return line._replace(R=R, k=k)


def _parameters(build: Build) -> tuple[Parameter, ...]:
    """All that is uncertain of a drive, motor first."""
    found = []
    for n, (r, _) in enumerate(_motors(build)):
        own = f"motor-{n + 1}" if build.further_motors else "motor"
        label = f"motor {n + 1} " if build.further_motors else ""
        for field, words, kind in _READINGS:
            m: Measured = getattr(r, field)
            # two readings do not tell what brushes drop; the line goes through both whatever it is
            found.append(Parameter(f"{own}.{field}", f"{label}{words}", m.value, m.u, kind))
    for n, stage in enumerate(build.stages, start=1):
        m = stage.loss_figure
        found.append(Parameter(f"stage-{n}.friction", f"stage {n} friction", m.value, m.u, "ratio"))
    found.append(Parameter("drag", "drag torques, over those entered", 1.0, _DRAG, "ratio"))
    return tuple(found)
