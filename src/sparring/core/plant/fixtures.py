"""Simulated set-ups for readings: a motor alone, a swing, a loop
of torque, a pull from rest, a drum on the bare motor.

Each runs by itself once begun, for one bench or for n at once (arrays of shape (n,)), and says what
is true of it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from sparring.core.plant.bench import Bench
from sparring.core.plant.plant import Plant
from sparring.core.recording import Recording

_HELD = 1e3  # friction [N·m] that stands for a clamped shaft
_REST = 0.6  # [s] before and between pushes
# noise (standard deviation) and resolution of each channel, SI
_NOISE: dict[str, tuple[float, float]] = {
    "voltage": (0.008, 0.004),
    "current": (0.004, 0.001),
    "speed": (0.02, 0.01),
    "motor_speed": (0.4, 0.1),
    "torque": (0.002, 0.0005),
    "angle": (4e-4, 1e-4),
}


class Fixture(ABC):
    """Begun with `begin`, it goes its way for `length` seconds. bench: true parameters, scalars or
    shape (n,).
    """

    READINGS: ClassVar[str] = ""  # id of those it serves
    KEY: ClassVar[str] = ""  # in one word, for the command line
    CHANNELS: ClassVar[tuple[str, ...]] = ()
    length: float = 10.0

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.since = -1.0  # [s] since it was begun; below 0: it stands

    def begin(self) -> None:
        self.since = 0.0

    @property
    def ended(self) -> bool:
        return self.since >= self.length

    def advance(self, dt: float) -> dict[str, Any]:
        """The true figures `dt` [s] later."""
        if self.since >= 0 and not self.ended:
            self.since += dt
        return self._at(min(max(self.since, 0.0), self.length), dt)

    @abstractmethod
    def _at(self, t: float, dt: float) -> dict[str, Any]:
        """True figures `t` [s] after it was begun."""

    @abstractmethod
    def truth(self) -> dict[str, Any]:
        """What should come out, by the id of the result."""


class MotorAlone(Fixture):
    """A motor on the table: free at three voltages, clamped for a moment at one third of the
    highest, with pauses to cool.
    """

    READINGS = "bare-motor"
    KEY = "motor"
    CHANNELS = ("voltage", "current", "motor_speed")

    def __init__(self, bench: Bench) -> None:
        super().__init__(
            replace(
                bench,
                ratio=1.0,
                up=(0.0, 0.0),
                down=(0.0, 0.0),
                cord_stiffness=1e-9,
                cord_damping=0.0,
                backlash=0.0,
                radius=1e-3,
            )
        )
        programme = [(0.0, False, 0.3)]
        for volts, held in (
            (1.0, False),
            (1 / 3, True),
            (2 / 3, False),
            (1 / 3, True),
            (1 / 3, False),
        ):
            programme += [
                (volts * self.bench.rated, held, 0.6 if held else 0.8),
                (0.0, held, 0.4),
                (0.0, False, 0.8 if held else 0.1),
            ]
        ends = np.cumsum([seconds for *_, seconds in programme])
        self._until = [
            (volts, held, float(end)) for (volts, held, _), end in zip(programme, ends, strict=True)
        ]
        self.length = float(ends[-1])
        self._plants = {
            held: Plant(replace(self.bench, friction=self.bench.friction + _HELD * held))
            for held in (False, True)
        }
        self._held = False

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        volts, held = next(((v, h) for v, h, end in self._until if t < end), (0.0, False))
        if held != self._held:
            self._plants[held].state, self._held = self._plants[self._held].state, held
            self._plants[held].state.speed[:] = 0.0  # it is clamped, and let go, while it stands
        plant = self._plants[held]
        plant.volts[:] = volts
        plant.open[:] = volts == 0.0
        plant.advance(dt)
        true = plant.truth()
        return {c: true[c] for c in self.CHANNELS}

    def truth(self) -> dict[str, Any]:
        b = self.bench
        return {"resistance": b.R, "constant": b.k, "friction": b.friction}


class OnCords(Fixture):
    """A body twisting on cords; its swings die away slowly."""

    READINGS = "swing"
    KEY = "swing"
    CHANNELS = ("angle",)

    def __init__(
        self,
        bench: Bench,
        inertia: Any = 2.2e-3,
        mass: Any = 1.2,
        radius: Any = 0.060,
        length: Any = 1.0,
    ) -> None:
        super().__init__(bench)
        self.inertia = inertia
        self.omega = np.sqrt(mass * bench.gravity * radius**2 / (inertia * length))
        self.length = 30.0

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        wide = 0.12 * np.exp(-t / 80.0)
        # wide swings take longer, by φ²/16 of the time; their phase is that of all before
        slower = 0.12**2 / 16 * 40.0 * (1 - np.exp(-t / 40.0))
        return {"angle": wide * np.cos(self.omega * (t - slower))}

    def truth(self) -> dict[str, Any]:
        return {"inertia": self.inertia}


class ToAndFro(Fixture):
    """The output wound to and fro with the input held: play, stiffness, and friction that makes a
    loop of it.
    """

    READINGS = "wind-up"
    KEY = "wind-up"
    CHANNELS = ("torque", "angle")

    def __init__(self, bench: Bench, most: float = 0.4, friction: Any = 0.01) -> None:
        super().__init__(bench)
        self.most, self.friction = most, friction
        self.length = 16.0

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        b = self.bench
        furthest = self.most / b.windup + b.backlash / 2
        phase = (t / self.length) % 1.0
        way = 1.0 if phase < 0.25 or phase >= 0.75 else -1.0
        angle = furthest * (
            4 * phase if phase < 0.25 else 2 - 4 * phase if phase < 0.75 else 4 * phase - 4
        )
        beyond = np.sign(angle) * np.maximum(np.abs(angle) - b.backlash / 2, 0.0)
        return {"torque": b.windup * beyond + way * self.friction, "angle": angle}

    def truth(self) -> dict[str, Any]:
        b = self.bench
        furthest = self.most / b.windup + b.backlash / 2
        return {
            "play": b.backlash,
            "stiffness": b.windup,
            "loop-energy": 4 * furthest * self.friction,
        }


class FromRest(Fixture):
    """The output pulled slowly from standstill, the motor's terminals open, three times."""

    READINGS = "break-away"
    KEY = "break-away"
    CHANNELS = ("torque", "angle")

    def __init__(self, bench: Bench, stick: Any = 1.3) -> None:
        super().__init__(bench)
        self.stick = stick
        self.length = 3 * 3.0 + 0.5

    def _running(self) -> Any:
        """Torque at the output that turns train and rotor slowly [N·m]."""
        a, offset = self.bench.down
        return (self.bench.friction + offset) / np.maximum(a, 1e-6)

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        turn, at = divmod(t, 3.0)
        running = self._running()
        # at no round number: a sample may come just before or just after
        breaks = 1.503 + 0.004 * turn
        turned = 0.5 * max(min(at, 2.7) - breaks, 0.0)
        if turn >= 3:
            return {"torque": 0 * running, "angle": 1.8 + 0 * running}
        part = self.stick * at / breaks if at < breaks else 1.0 if at < 2.7 else 0.0
        return {"torque": part * running, "angle": turn * 0.6 + turned + 0 * running}

    def truth(self) -> dict[str, Any]:
        running = self._running()
        return {"break-away-torque": self.stick * running, "turning-torque": running}


class Hanging(Fixture):
    """A load hangs on the drive without power, which lets it creep at a steady rate."""

    READINGS = "holding"
    KEY = "holding"
    CHANNELS = ("torque", "angle")

    def __init__(self, bench: Bench, load: Any = 0.35, creep: Any = 2e-3) -> None:
        """load [N·m]; creep [rad/s]."""
        super().__init__(bench)
        self.load, self.creep = load, creep
        self.length = 20.0

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        return {"torque": self.load + 0 * self.creep, "angle": self.creep * t + 0 * self.load}

    def truth(self) -> dict[str, Any]:
        return {"creep-per-minute": 60 * self.creep, "not-held": self.load}


class Idling(Fixture):
    """The drive turns free, with nothing on its output."""

    READINGS = "currents"
    KEY = "currents"
    CHANNELS = ("current",)

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.length = 5.0

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        return {"current": (self.bench.friction + self.bench.up[1]) / self.bench.k}

    def truth(self) -> dict[str, Any]:
        return {"current-recorded": self._at(0.0, 0.0)["current"]}


class StraightOnTheDrum(Fixture):
    """The bare motor on a hoist's drum, the gearbox left out, lifts and lowers one weight three
    times, slowly.
    """

    READINGS = "drum-friction"
    KEY = "drum"
    CHANNELS = ("speed", "current")
    SLOWLY: ClassVar[float] = 10.0  # [rad/s]
    SECONDS: ClassVar[float] = 1.5  # each way
    DRUM: ClassVar[float] = 3e-5  # inertia of a turned drum [kg·m²]

    def __init__(
        self, bench: Bench, radius: Any = 0.0255, mass: Any = 0.15, bearing: Any = 0.004
    ) -> None:
        straight = {
            "ratio": 1.0,
            "up": (1.0, 0.0),
            "down": (1.0, 0.0),
            "backlash": 0.0,
            "inertia": bench.inertia + self.DRUM,
        }
        super().__init__(replace(bench, **straight, radius=radius, mass=mass, bearing=bearing))
        self.plant = Plant(self.bench)
        self.length = 3 * (2 * self.SECONDS + _REST) + 0.3

    def _at(self, t: float, dt: float) -> dict[str, Any]:
        """The supply is turned up and down so that the drum keeps the speed that is wanted, as a
        hand at the knob does it.
        """
        turn, at = divmod(t - 0.3, 2 * self.SECONDS + _REST)
        # it stops before the weight is down
        corners = np.array([0.0, 0.2, 0.95, 1.35, 1.9, 2.0]) * self.SECONDS
        wanted = (
            self.SLOWLY * float(np.interp(at, corners, [0.0, 1.0, 1.0, -1.0, -1.0, 0.0]))
            if 0 <= turn < 3
            else 0.0
        )
        b, s = self.bench, self.plant.state
        weighs = b.mass * b.gravity * b.radius
        held = b.R * (weighs + np.sign(wanted) * (b.bearing + b.friction)) / b.k
        self.plant.volts[:] = held + b.k * wanted + 10 * b.k * (wanted - s.speed) if t > 0 else 0.0
        self.plant.advance(dt)
        true = self.plant.truth()
        return {c: true[c] for c in self.CHANNELS}

    def truth(self) -> dict[str, Any]:
        return {"drum-friction": self.bench.bearing}


FIXTURES: dict[str, type[Fixture]] = {
    f.READINGS: f
    for f in (MotorAlone, OnCords, ToAndFro, FromRest, Hanging, Idling, StraightOnTheDrum)
}
"""By the title of the readings they serve."""


def seen(
    true: Mapping[str, Any], rng: np.random.Generator, gains: Mapping[str, Any] | None = None
) -> dict[str, np.ndarray]:
    """What the sensors show of true figures: gain, noise, resolution."""
    shown = {}
    for channel, value in true.items():
        noise, step = _NOISE[channel]
        value = np.atleast_1d(np.asarray(value, float))
        value = value * (gains or {}).get(channel, 1.0) + noise * rng.standard_normal(value.shape)
        shown[channel] = np.round(value / step) * step
    return shown


def record(
    fixture: Fixture, *, seed: int, rate: float = 80.0, gains: Mapping[str, Any] | None = None
) -> list[Recording]:
    """Runs a fixture from beginning to end; a recording for each bench."""
    rng = np.random.default_rng(seed)
    fixture.begin()
    times, rows = [], []
    while not fixture.ended:
        rows.append(seen(fixture.advance(1.0 / rate), rng, gains))
        times.append(fixture.since)
    t = np.array(times)
    n = max(v.size for v in rows[0].values())
    columns = {
        c: np.array([np.broadcast_to(row[c], (n,)) for row in rows]) for c in fixture.CHANNELS
    }
    return [Recording(t, {c: v[:, lane].copy() for c, v in columns.items()}) for lane in range(n)]
