"""A set of simulated benches running in step: what is driven, what is true, whether the energy
balances.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from sparring.core.plant.bench import Bench
from sparring.core.plant.motion import FIGURES, LENGTH, TRUTHS, Motion
from sparring.core.several import own

STEP = 3.2e-3  # [s] longest step: means differ by 1e-5 from those of steps a sixth as long


class _Figure:
    """One figure of all benches, shape (n,); of the energies (n, 7)."""

    def __set_name__(self, owner: type, name: str) -> None:
        self._at = FIGURES[name]

    def __get__(self, state: State, owner: type) -> np.ndarray:
        return state.lanes[:, self._at]

    def __set__(self, state: State, value: Any) -> None:
        state.lanes[:, self._at] = value


class State:
    """What changes, one row of `lanes` a bench: motor speed [rad/s] and angle [rad], the body's
    height [m] and speed, winding temperature [K]; energies [J], 0 where they are not asked for;
    whether a tooth broke, backlash gained [rad], energy lost in landing, slipping and breaking [J],
    cord let go by slipping wheels or taken in by a freewheel [m], the body above its start [K]."""

    speed, angle, height, rise, temperature = (_Figure() for _ in range(5))
    energy, broken, worn, impact, slipped, warmed = (_Figure() for _ in range(6))

    def __init__(self, n: int) -> None:
        self.lanes = np.zeros((n, LENGTH))


class Plant:
    """Benches running in step. `volts` is the drive voltage [V], per bench, changed at will between
    advances; `open`: the drive is switched off, no current flows; `tightened`: the part of what was
    set with which brakes rub, 0 to 1; `asleep`: whose run is over, left as it is. Arrays have the
    shape (n,), one entry a bench.

    account: integrate the energies beside the state, so that `imbalance` can be asked.
    """

    def __init__(self, bench: Bench, *, height: float = 0.0, account: bool = False) -> None:
        n = self.n = bench.lanes()
        self.time = 0.0
        self.volts = np.zeros(n)
        self.open = np.zeros(n, bool)
        self.tightened = 1.0
        self.asleep = np.zeros(n, bool)
        self.account = account
        self.become(bench)
        self.state = State(n)
        self.state.height = height
        self.state.temperature = bench.ambient
        self.start_energy = self.stored()

    def become(self, bench: Bench) -> None:
        """Goes on as another bench from here, in the same state: something gave way, or jammed."""
        self.bench = bench
        self._motions = [Motion(bench.single(i)) for i in range(self.n)]

    def _driven(self) -> list[Motion]:
        """The equations of each bench, driven as is said now."""
        volts = np.broadcast_to(self.volts, (self.n,)).tolist()
        opened = np.broadcast_to(self.open, (self.n,)).tolist()
        for motion, v, o in zip(self._motions, volts, opened, strict=True):
            motion.drive(v, o, self.tightened)
        return self._motions

    def advance(self, duration: float, dt: float = STEP) -> None:
        """Runs for `duration` [s] in steps of at most `dt`."""
        lanes, motions = self.state.lanes, self._driven()
        for i in np.flatnonzero(~self.asleep).tolist():
            motions[i].advance(lanes[i], duration, dt, self.account)
        self.time += duration

    def _each(self, figure: Any) -> np.ndarray:
        """`figure(motion, lane)` of each bench, shape (n,)."""
        return np.array(
            [figure(m, y) for m, y in zip(self._driven(), self.state.lanes, strict=True)]
        )

    def wound(self) -> np.ndarray:
        """Cord wound up [m]."""
        return self._each(lambda m, lane: m.wound(lane[FIGURES["angle"]]))

    def stored(self) -> np.ndarray:
        """Kinetic, potential and elastic energy [J]."""
        return self._each(lambda m, lane: m.stored(lane))

    def imbalance(self) -> np.ndarray:
        """Energy supplied less stored and lost, as a part of what was supplied [-]; needs
        `account`.
        """
        supplied, *lost = self.state.energy.T[:6]
        rest = supplied - sum(lost) - (self.stored() - self.start_energy) - self.state.impact
        result: np.ndarray = rest / np.maximum(np.abs(supplied), 1e-9)
        return result

    def truth(self) -> dict[str, np.ndarray]:
        """The true figures now: what perfect sensors would show, and the powers in between."""
        table = np.empty((self.n, len(TRUTHS)))
        for motion, lane, told in zip(self._driven(), self.state.lanes, table, strict=True):
            motion.tell(lane, told)
        true = dict(zip(TRUTHS, table.T, strict=True))
        winding = true.pop("winding")
        b = self.bench
        for n, (k, R, g) in enumerate(b.each, start=1):
            true[own("current", n)] = (true["voltage"] - k * g * true["motor_speed"]) / (
                R * winding / b.R
            )
        return true

    def stall_torque(self) -> np.ndarray:
        """Output torque at which the drive would stall at the present voltage and winding
        temperature [N·m].
        """
        b = self.bench
        R = self._each(lambda m, lane: m.resistance(lane[FIGURES["temperature"]]))
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
