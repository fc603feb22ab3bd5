"""A set of simulated benches running in step: what is driven, what is true, whether the energy
balances.
"""

from __future__ import annotations

import numpy as np

from sparring.core.plant.bench import Bench
from sparring.core.plant.motion import FEW, REST, Arrays, Floats, Motion, State, one_by_one
from sparring.core.several import own

_ENERGIES = ("supplied", "leads", "copper", "friction", "train", "cord", "lifted")

STEP = 3.2e-3  # [s] longest step: means differ by 1e-5 from those of steps a sixth as long


class Plant:
    """Benches running in step. `volts` is the drive voltage [V], per bench, changed at will between
    advances; `open`: the drive is switched off, no current flows; `tightened`: the part of what was
    set with which brakes rub, 0 to 1; `asleep`: whose run is over, left as it is. Arrays have the
    shape (n,), one entry a bench.

    account: integrate the energies beside the state, so that `imbalance` can be asked; a third
    slower.
    """

    def __init__(self, bench: Bench, *, height: float = 0.0, account: bool = False) -> None:
        self.bench = bench
        n = self.n = bench.lanes()
        self.time = 0.0
        self.volts = np.zeros(n)
        self.open = np.zeros(n, bool)
        self.tightened = 1.0
        self.asleep = np.zeros(n, bool)
        self._all = Motion(bench, Arrays)
        self._some: tuple[np.ndarray, Motion] | None = None
        self._alone: dict[int, Motion] = {}

        def zeros() -> np.ndarray:
            return np.zeros(n)

        self.state = State(
            speed=zeros(),
            angle=zeros(),
            height=zeros() + height,
            rise=zeros(),
            temperature=zeros() + bench.ambient,
            broken=np.zeros(n, bool),
            worn=zeros(),
            impact=zeros(),
            slipped=zeros(),
            warmed=zeros(),
            energy=[zeros() for _ in _ENERGIES] if account else [],
        )
        self.start_energy = self.stored()

    def become(self, bench: Bench) -> None:
        """Goes on as another bench from here, in the same state: something gave way, or jammed."""
        self.bench = bench
        self._all = Motion(bench, Arrays)
        self._some = None
        self._alone.clear()

    def _motion(self) -> Motion:
        return self._all.drive(self.volts, self.open, self.tightened)

    def advance(self, duration: float, dt: float = STEP) -> None:
        """Runs for `duration` [s] in steps of at most `dt`."""
        awake = np.flatnonzero(~self.asleep)
        if len(awake) == self.n > FEW:
            self._motion().advance(self.state, duration, dt)
        elif len(awake) > FEW:
            if self._some is None or not np.array_equal(self._some[0], awake):
                self._some = awake, Motion(self.bench.taken(awake), Arrays)
            part = self.state.taken(awake)
            self._some[1].drive(self.volts[awake], self.open[awake], self.tightened).advance(
                part, duration, dt
            )
            self.state.put(awake, part)
        else:
            driven = zip(
                awake.tolist(), self.volts[awake].tolist(), self.open[awake].tolist(), strict=True
            )
            alone = one_by_one(
                [self._single(i).drive(v, o, self.tightened) for i, v, o in driven],
                self.state.taken(awake),
                duration,
                dt,
            )
            if len(awake) == self.n:
                self.state = alone
            else:
                self.state.put(awake, alone)
        self.time += duration

    def _single(self, i: int) -> Motion:
        """Bench `i` by itself, in floats."""
        if i not in self._alone:
            self._alone[i] = Motion(self.bench.single(i), Floats)
        return self._alone[i]

    def wound(self) -> np.ndarray:
        """Cord wound up [m]."""
        return np.asarray(self._motion().wound(self.state.angle))

    def stored(self) -> np.ndarray:
        """Kinetic, potential and elastic energy [J]."""
        s, b, motion = self.state, self.bench, self._motion()
        spring = motion.sprung(motion.cord(s, s.angle, s.speed, s.height, s.rise)[1])
        total: np.ndarray = (
            0.5 * b.inertia * s.speed**2
            + 0.5 * b.mass * s.rise**2
            + motion.raised(s.height)
            + spring
        )
        return total

    def imbalance(self) -> np.ndarray:
        """Energy supplied less stored and lost, as a part of what was supplied [-]; needs
        `account`.
        """
        supplied, *lost = self.state.energy[:6]
        rest = supplied - sum(lost) - (self.stored() - self.start_energy) - self.state.impact
        result: np.ndarray = rest / np.maximum(np.abs(supplied), 1e-9)
        return result

    def truth(self) -> dict[str, np.ndarray]:
        """The true figures now: what perfect sensors would show, and the powers in between."""
        s, b, motion = self.state, self.bench, self._motion()
        current = motion.current(s.speed, s.temperature)
        terminal = motion.terminal(current, s.speed, s.temperature)
        force, *_, radius = motion.cord(s, s.angle, s.speed, s.height, s.rise)
        uneven = 1 + motion.unevenness(s.angle)
        radius, turned = radius / uneven, s.speed / b.ratio * uneven
        shaft = b.k * current - b.friction
        torque = force * radius + b.bearing * (s.speed > REST)
        warm = motion.resistance(s.temperature) / b.R
        of_each = {
            own("current", n): (terminal - k * g * s.speed) / (R * warm)
            for n, (k, R, g) in enumerate(b.each, start=1)
        }
        k, winding = b.generates
        generated = np.asarray(k * s.rise / (np.asarray(winding, float) + b.resistor))
        return {
            **of_each,
            "force": force if b.cell_arm is None else force * radius / b.cell_arm,
            "torque": torque,
            "speed": turned,
            "motor_speed": s.speed.copy(),
            "voltage": terminal,
            "current": current + b.between * terminal,
            "power_in": terminal * (current + b.between * terminal),
            "motor_torque": shaft,
            "power_out": torque * turned,
            "motor_power": shaft * s.speed,
            "temperature": s.temperature.copy(),
            "height": s.height.copy(),
            "rise": s.rise.copy(),
            "load_current": generated,
            "load_voltage": generated * np.where(np.isfinite(b.resistor), b.resistor, 0.0),
        }

    def stall_torque(self) -> np.ndarray:
        """Output torque at which the drive would stall at the present voltage and winding
        temperature [N·m].
        """
        b = self.bench
        R = self._motion().resistance(self.state.temperature)
        current = np.minimum(self.volts / (R + b.source_resistance), b.current_limit)
        available = b.k * current - b.friction - b.up[1]
        low = np.maximum(available / b.up[0], 0.0)
        if np.all(np.isinf(b.bind_from)):
            return np.asarray(low)
        c = np.asarray(b.bind)
        start = np.minimum(b.bind_from, 1e9)
        rest = available - b.up[0] * start
        bound = start + (
            -b.up[0] + np.sqrt(b.up[0] ** 2 + 4 * c * np.maximum(rest, 0.0))
        ) / np.maximum(2 * c, 1e-300)
        stalled: np.ndarray = np.where((low > b.bind_from) & (c > 0), bound, low)
        return stalled
