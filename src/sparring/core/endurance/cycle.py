"""What one cycle did, added up from samples as they come; and all cycles together."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from sparring.core.build import Build
from sparring.core.live import Instruments
from sparring.core.rig import Rig

_LONGEST = 0.5  # [s] between two samples over which is added up; a longer gap is none of ours
_MOVES = 0.02  # [rad/s] of the output


@dataclass
class Cycle:
    """Sums over one cycle, SI. n: its number, from 1; began: Unix time [s]; driven [s]: with the
    drive on; turns: of the output, either way; work [J]: out of it, energy [J]: into the motor;
    heat [A²s]: of the current; missed [s]: of gaps. Of what the bench does not send nothing is
    added.
    """

    n: int = 1
    began: float = 0.0
    driven: float = 0.0
    missed: float = 0.0
    turns: float = 0.0
    work: float = 0.0
    energy: float = 0.0
    heat: float = 0.0
    starts: int = 0
    peak_current: float = 0.0
    peak_torque: float = 0.0
    hottest: float = math.nan
    play: float = math.nan
    torque_known: float = 0.0
    events: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    ended: str = ""

    @property
    def efficiency(self) -> float:
        """Wire to shaft over the whole cycle, starts included; NaN where torque or power is not
        known.
        """
        known = self.torque_known > 0.9 * self.driven and self.energy > 0
        return self.work / self.energy if known else math.nan

    @property
    def speed(self) -> float:
        """Mean while driven [rad/s]."""
        return 2 * math.pi * self.turns / self.driven if self.driven else math.nan

    @property
    def current(self) -> float:
        """Root mean square while driven [A]."""
        return math.sqrt(self.heat / self.driven) if self.driven else math.nan

    def to_dict(self) -> dict[str, Any]:
        """As a line of a file has it: what is not known is null."""
        return {
            k: None if isinstance(v, float) and not math.isfinite(v) else v
            for k, v in asdict(self).items()
        }

    @classmethod
    def of_dict(cls, told: Mapping[str, Any]) -> Cycle:
        """Raises TypeError or ValueError for what is none."""
        names = cls.__dataclass_fields__
        unknown = {"hottest", "play"}
        given: dict[str, Any] = {
            k: math.nan if v is None else v
            for k, v in told.items()
            if k in names and (v is not None or k in unknown)
        }
        return cls(**given)


class Adds:
    """Adds samples to a cycle by a rig's instruments."""

    def __init__(self, build: Build, rig: Rig) -> None:
        self._method, self._instruments = rig.method, Instruments(rig)
        self._ratio = abs(build.ratio())
        self._g = rig.gravity.value
        self._last: float | None = None  # [s] of the newest sample of this run
        self._play: float | None = None  # [rad] that the motor ran ahead since it was turned round

    def begin(self, *, reversed: bool = False) -> None:
        """Another run begins: what was before it is not joined to it. reversed: the other way than
        the one before, so that its play is gone through.
        """
        self._last, self._play = None, 0.0 if reversed else None

    def add(
        self,
        cycle: Cycle,
        t: np.ndarray,
        values: np.ndarray,
        channels: tuple[str, ...],
        *,
        tare: float | None,
        load: float | None,
    ) -> None:
        """t: shape (n,) [s]; values: shape (n, channels), SI; load: the mass on it [kg]."""
        sent = dict(zip(channels, values.T, strict=True))
        x = self._figures(sent, tare, load, len(t))
        step = np.diff(t, prepend=t[0] if self._last is None else self._last)
        gap = step > _LONGEST
        cycle.missed += float(step[gap].sum())
        dt = np.where(gap, 0.0, step)
        cycle.driven += float(dt.sum())
        cycle.turns += float(np.nansum(np.abs(x["speed"]) * dt)) / (2 * math.pi)
        cycle.energy += float(np.nansum(x["power"] * dt))
        cycle.heat += float(np.nansum(x["current"] ** 2 * dt))
        out = x["torque"] * np.abs(x["speed"])
        cycle.work += float(np.nansum(out * dt))
        cycle.torque_known += float(dt[np.isfinite(out)].sum())
        for name, key in (("peak_current", "current"), ("peak_torque", "torque")):
            most = np.nanmax(np.abs(x[key])) if np.isfinite(x[key]).any() else 0.0
            setattr(cycle, name, max(getattr(cycle, name), float(most)))
        if np.isfinite(x["temperature"]).any():
            cycle.hottest = float(np.fmax(cycle.hottest, np.nanmax(x["temperature"])))
        self._last = float(t[-1])
        if self._play is not None and "motor_speed" in sent and "speed" in sent:
            self._go_through_play(cycle, np.abs(sent["motor_speed"]) / self._ratio, x["speed"], dt)

    def _go_through_play(
        self, cycle: Cycle, driving: np.ndarray, speed: np.ndarray, dt: np.ndarray
    ) -> None:
        """How far the motor ran ahead, at the output, before that followed: wind-up is in it."""
        assert self._play is not None
        follows = (np.abs(speed) > 0.5 * driving) & (driving > _MOVES)
        end = int(np.argmax(follows)) if follows.any() else len(dt)
        ahead = np.nan_to_num(driving[:end] - np.abs(speed[:end])) * dt[:end]
        self._play += float(ahead.sum())
        if follows.any():
            cycle.play, self._play = max(self._play, 0.0), None

    def _figures(
        self, sent: Mapping[str, np.ndarray], tare: float | None, load: float | None, n: int
    ) -> dict[str, np.ndarray]:
        none = np.full(n, np.nan)

        def series(key: str) -> np.ndarray:
            found = self._instruments.series(key, sent, tare)
            return none if found is None else np.asarray(found, float)

        speed = series("speed")
        if not np.isfinite(speed).any():
            speed = series("motor_speed") / self._ratio
        voltage, current = series("voltage"), series("current")
        return {
            "speed": speed,
            "current": current,
            "power": voltage * current,
            "torque": self._torque(sent, series("force"), load, n),
            "temperature": series("temperature"),
        }

    def _torque(
        self, sent: Mapping[str, np.ndarray], force: np.ndarray, load: float | None, n: int
    ) -> np.ndarray:
        method = self._method
        if np.isfinite(force).any() or "load_current" in sent:
            pull = force if np.isfinite(force).any() else None
            known = {key: sent.get(key) for key in method.CHANNELS} | {"force": pull}
            found = method.measured(method.figures(), known.get)
            if found is not None:
                return np.asarray(found, float)
        if load is not None and not method.HELD:
            return np.full(n, method.expected(load, self._g))
        return np.full(n, np.nan)


@dataclass
class Totals:
    """All cycles so far: sums as those of a `Cycle`, and the efficiency of the first and of the
    newest ones that went to their end.
    """

    cycles: int = 0
    driven: float = 0.0
    missed: float = 0.0
    turns: float = 0.0
    work: float = 0.0
    energy: float = 0.0
    starts: int = 0
    hottest: float = math.nan
    play: float = math.nan
    events: int = 0
    first: list[float] = field(default_factory=list)
    newest: list[float] = field(default_factory=list)

    FIRST = 10  # cycles that tell what it was like at first, and what it is like now

    def add(self, c: Cycle) -> None:
        """A cycle is over, or a part of one is to be counted."""
        self.cycles += 1
        for name in ("driven", "missed", "turns", "work", "energy", "starts"):
            setattr(self, name, getattr(self, name) + getattr(c, name))
        self.events += len(c.events)
        self.hottest = float(np.fmax(self.hottest, c.hottest))
        if math.isfinite(c.play):
            self.play = c.play
        if math.isfinite(c.efficiency) and not c.ended:
            if len(self.first) < self.FIRST:
                self.first.append(c.efficiency)
            self.newest = [*self.newest, c.efficiency][-self.FIRST :]

    @property
    def lost(self) -> float:
        """Part of its first efficiency that it has lost [-]; NaN before both are known."""
        if len(self.first) < self.FIRST or len(self.newest) < self.FIRST:
            return math.nan
        return 1 - float(np.mean(self.newest)) / float(np.mean(self.first))

    @classmethod
    def of(cls, cycles: Iterable[Cycle]) -> Totals:
        """Of all of them."""
        made = cls()
        for c in cycles:
            made.add(c)
        return made
