"""One model through all steps of a test: motor line and loss figures as the steps have sharpened
them, what the steps leave of it, and curves at any voltage and warmth.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from sparring.core.outlook.drive import Drive, Load, State
from sparring.core.outlook.learn import learnt
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.spread import random_part
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, nominal, std, unexplained

_SPENT = 2  # figures that a test's steps settle at least: two of a straight line


class Residual(NamedTuple):
    """What a step leaves of the model: measured less expected, with the standard uncertainty of
    what was measured; speed [rad/s], current as a part of the expected.
    """

    step: int
    speed: float
    u_speed: float
    current: float
    u_current: float


class Band(NamedTuple):
    """Values and their standard uncertainties, shape (n,)."""

    value: np.ndarray
    u: np.ndarray


class Peak(NamedTuple):
    """The top of a curve: output torque [N·m], speed [rad/s], value and u, SI."""

    torque: float
    speed: float
    value: float
    u: float


@dataclass(frozen=True)
class Curves:
    """Over the output torque [N·m], from no load to stall at one voltage [V]; SI."""

    voltage: float
    torque: np.ndarray
    stall: tuple[float, float]  # torque at which it just stands, and u
    speed: Band
    current: Band
    power_out: Band
    wire_to_shaft: Band
    gearbox: Band
    motor: Band

    def peak(self, band: Band) -> Peak:
        """Where one of these is highest: by the parabola through its highest point and that on
        either side, for two points may share a top that lies between them.
        """
        n, off, more = int(np.nanargmax(band.value)), 0.0, 0.0
        before, top, after = (
            float(band.value[k]) if 0 <= k < len(self.torque) else np.nan for k in (n - 1, n, n + 1)
        )
        bend = before - 2 * top + after
        if bend < 0:  # not where it is highest at an end
            off = (before - after) / (2 * bend)
            more = off * (after - before) / 2 + off * off * bend / 2
        at = float(self.torque[n] + off * (self.torque[1] - self.torque[0]))
        speed, u = (float(np.interp(at, self.torque, x)) for x in (self.speed.value, band.u))
        return Peak(at, speed, top + more, u)


@dataclass(frozen=True)
class Performance:
    """A drive as a test knows it. misfit: standard uncertainty by which steps leave the model
    beyond their own scatter, of the speed [rad/s] and of the current, relative.
    """

    result: TestResult
    drive: Drive
    residuals: tuple[Residual, ...]
    misfit_speed: float
    misfit_current: float

    def curves(
        self, voltage: float, *, winding: float = 0.0, case: float = 0.0, points: int = 80
    ) -> Curves:
        """At a terminal voltage [V]; winding, case: above the temperature of the motor's readings
        [K].
        """
        stall, u_stall = self.stall(voltage, winding=winding, case=case)
        torque = np.linspace(0.0, max(stall, 1e-9), points)
        load = Load.of(torque, voltage, winding=winding, case=case)
        here, slopes = self.drive.state(load), self.drive.jacobian(load)
        return Curves(voltage, torque, (stall, u_stall), *self._bands(load, here, slopes))

    def _bands(self, load: Load, here: State, slopes: State) -> Iterator[Band]:
        own = self.drive.covariance
        torque, voltage = here.torque, load.voltage

        def band(value: np.ndarray, slope: np.ndarray, misfit: np.ndarray) -> Band:
            variance = np.einsum("ni,ij,nj->n", slope, own, slope)
            return Band(value, np.sqrt(variance + misfit**2))

        speed, current, shaft = here.speed, here.current, here.shaft
        by_speed, by_current, by_shaft = (
            getattr(slopes, name)[:, :-1] for name in ("speed", "current", "shaft")
        )
        column = np.newaxis
        slow, drawn = np.full_like(speed, self.misfit_speed), self.misfit_current * current
        yield band(speed, by_speed, slow)
        yield band(current, by_current, drawn)
        yield band(torque * speed, torque[:, column] * by_speed, torque * slow)
        electrical = voltage * current
        wire = torque * speed / electrical
        apart = np.hypot(torque * slow / electrical, self.misfit_current * wire)
        turning = np.maximum(speed, 1e-12)[:, column]
        relative = by_speed / turning - by_current / current[:, column]
        yield band(wire, wire[:, column] * relative, apart)
        shaft = np.maximum(shaft, 1e-12)  # a train without drag takes nothing without load
        box = torque / (shaft * abs(self.drive.build.ratio()))
        yield band(box, -box[:, column] * by_shaft / shaft[:, column], self.misfit_current * box)
        geared = shaft * abs(self.drive.build.ratio())
        motor = geared * speed / electrical
        apart = np.hypot(geared * slow / electrical, self.misfit_current * motor)
        yield band(motor, motor[:, column] * (relative + by_shaft / shaft[:, column]), apart)

    def stall(
        self, voltage: float, *, winding: float = 0.0, case: float = 0.0
    ) -> tuple[float, float]:
        """Torque at the output at which it just stands at a voltage, and its standard uncertainty
        [N·m]; what the held output takes.
        """
        load = Load.of(math.inf, voltage, winding=winding, case=case)
        here, slopes = self.drive.state(load), self.drive.jacobian(load)
        slope = slopes.torque[0, :-1]
        variance = float(slope @ self.drive.covariance @ slope)
        torque = float(here.torque[0])
        free = float(self.drive.state(Load.of(0.0, voltage)).speed[0])
        beside = self.misfit_speed * torque / free if free > 0 else 0.0
        return torque, math.hypot(math.sqrt(variance), beside)


def performance(result: TestResult) -> Performance | None:
    """The model of a test; None where nothing turned, or no motor drives it."""
    if not result.build.has_motor or not any(s.current is not None for s in result.running):
        return None
    drive = replace(learnt(result), source=0.0)  # the voltages are those at the motor
    sound = {s.index for s in result.well_running}
    rows = [(s, *_expected(drive, s)) for s in result.running if s.speed and s.current is not None]
    residuals = tuple(
        Residual(
            s.index,
            nominal(_cold(s)) - speed,
            std(_cold(s)),
            nominal(s.current) / current - 1,
            std(s.current) / current,
        )
        for s, speed, current in rows
        if s.current is not None
    )
    rows = [row for row in rows if row[0].index in sound]
    freedom = len(rows) - _SPENT

    def misfit(name: str) -> float:
        left = [getattr(r, name) for r in residuals if r.step in sound]
        own = [
            random_part(_cold(s)) if name == "speed" else random_part(s.current) / current
            for s, _, current in rows
        ]
        return unexplained(np.array(left), [u**2 for u in own], freedom)

    return Performance(result, drive, residuals, misfit("speed"), misfit("current"))


def _cold(step: Step) -> Uncertain:
    return step.speed if step.cold_speed is None else step.cold_speed


def _expected(drive: Drive, step: Step) -> tuple[float, float]:
    """(speed, current) of the model at a step's torque and the motor's own voltage."""
    volts = nominal(step.voltage) if step.voltage is not None else step.points[0].run.voltage
    here = drive.state(Load.of(nominal(step.torque), volts))
    return float(here.speed[0]), float(here.current[0])
