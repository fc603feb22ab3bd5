"""The bare motor from any readings of it: V = I R + k ω by least squares, friction from the
unloaded ones.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, ClassVar

import numpy as np

from sparring.core import motor as motors
from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    Accuracy,
    Current,
    Inputs,
    Judged,
    Method,
    Part,
    Reading,
    Result,
    Speed,
    Torque,
    Use,
    Voltage,
)
from sparring.core.finding import noted
from sparring.core.motor import COPPER_ZERO, MotorReadings
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import Uncertain, mean_of, nominal, std, unexplained

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig


class MotorReading(Reading):
    """One state. No load: torque left empty or 0. Stall: speed 0, held for a moment, with time to
    cool between.
    """

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Voltage", "voltage"),
        ("Speed", "speed"),
        ("Current", "current"),
        ("Torque, if loaded", "torque"),
    )

    voltage: Voltage = Measured(12.0, 0.01)
    speed: Speed = Measured(460.0, 1.0)
    current: Current = Measured(0.12, 0.002)
    torque: Torque | None = None


class BareMotor(Method):
    """Any mix of unloaded, stalled and loaded readings, at one voltage or several."""

    ID: ClassVar[str] = "bare-motor"
    PART: ClassVar[Part] = "motor"
    TITLE: ClassVar[str] = "Bare motor"
    PURPOSE: ClassVar[str] = (
        "Speed–torque line of the motor from readings at no load, stalled and loaded. At "
        "least one that turns and one with a high current."
    )
    CARE: ClassVar[str] = (
        "Stall it for two seconds at most, then let it cool: the winding heats with the "
        "square of the current."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Line stated at, if not the highest", "at_voltage"),
        ("Resistance when cold, if measured", "cold_resistance"),
        ("Winding temperature then", "cold_temperature"),
        ("Voltmeter accuracy ±", "voltmeter"),
        ("Ammeter accuracy ±", "ammeter"),
        ("Tachometer accuracy ±", "tachometer"),
    )
    READING: ClassVar[type[Reading]] = MotorReading
    INPUTS: ClassVar[dict[str, str]] = {"scatter": "scatter about the motor's line"}
    CHANNELS: ClassVar[tuple[str, ...]] = ("voltage", "current", "motor_speed")
    PICTURE: ClassVar[tuple[str, ...]] = ("current", "speed")
    GAINS: ClassVar[dict[str, str]] = {
        "voltage": "voltmeter",
        "current": "ammeter",
        "speed": "tachometer",
    }

    at_voltage: Annotated[Measured, Q("voltage", "V", above=0.0)] | None = None
    cold_resistance: Annotated[Measured, Q("resistance", "Ω", above=0.0)] | None = None
    cold_temperature: Annotated[float, Q("temperature", "°C", above=200.0, most=600.0)] = 293.15
    voltmeter: Accuracy = 0.0
    ammeter: Accuracy = 0.0
    tachometer: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[MotorReading]:
        """Each steady state under voltage: free, held or loaded; held means standing still."""
        if rec.has("speed") and not rec.has("motor_speed"):  # there is no other shaft
            rec = Recording(rec.t, {**rec.channels, "motor_speed": rec.channels["speed"]})
        logged.need(rec, self.CHANNELS)
        most = {c: float(np.nanmax(np.abs(rec.channels[c]))) for c in self.CHANNELS}
        found = []
        for part in logged.steady_parts(rec, self.CHANNELS):
            voltage, current, speed = (logged.level(part, c) for c in self.CHANNELS)
            if voltage.value < 0.04 * most["voltage"] or current.value <= 0:
                continue
            if abs(speed.value) < 0.01 * most["motor_speed"]:
                speed = Measured(0.0)
            found.append(
                MotorReading(
                    voltage=voltage, speed=Measured(abs(speed.value), speed.u), current=current
                )
            )
        if not found:
            raise ValueError("the recording holds no steady state of 0.25 s under voltage")
        return found

    def _beyond(
        self,
        R: Uncertain,
        k: Uncertain,
        V: Sequence[Uncertain],
        w: Sequence[Uncertain],
        current: Sequence[Uncertain],
    ) -> float:
        """Standard uncertainty [V] of each reading that its own does not explain: by how much the
        readings leave the line, as Student says of so few.
        """
        left = [
            nominal(v) - nominal(i) * nominal(R) - nominal(k) * nominal(s)
            for v, i, s in zip(V, current, w, strict=True)
        ]
        own = [
            std(v) ** 2 + (nominal(R) * std(i)) ** 2 + (nominal(k) * std(s)) ** 2
            for v, i, s in zip(V, current, w, strict=True)
        ]
        return unexplained(np.array(left), own, len(V) - 2)

    def line(self, readings: Sequence[MotorReading]) -> tuple[motors.Motor, list[float]]:
        """The motor with its uncertainties, and each reading's voltage less the line's [V]. Raises
        ValueError.
        """
        x = Inputs(self)
        V, w, current = (
            [self.read(x, r, f, n) for n, r in enumerate(readings, start=1)]
            for f in ("voltage", "speed", "current")
        )
        R, k = _fit(V, w, current)
        scatter = self._beyond(R, k, V, w, current)
        if scatter > 0:
            V = [v + x.further(0.0, scatter, "scatter", n) for n, v in enumerate(V, start=1)]
            R, k = _fit(V, w, current)
        free = [
            k * i
            for i, r in zip(current, readings, strict=True)
            if r.speed.value > 0 and (r.torque is None or r.torque.value == 0)
        ]
        loaded = [
            k * i - x.of(r, "torque", n)
            for n, (i, r) in enumerate(zip(current, readings, strict=True), start=1)
            if r.torque is not None and r.torque.value > 0
        ]
        if not free and not loaded:
            raise ValueError(
                "the friction is not known: add a reading at no load, or one with the torque"
            )
        friction = mean_of(free or loaded)
        residuals = [
            nominal(v) - nominal(i) * nominal(R) - nominal(k) * nominal(s)
            for v, i, s in zip(V, current, w, strict=True)
        ]
        return motors.Motor(k, R, friction), residuals

    def curve(self, readings: Sequence[MotorReading]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Speed over current at `at_voltage`, from running free to standing."""
        stated = self.stated(readings)
        motor, _ = stated.line(readings)
        V = Inputs(stated).of(stated, "at_voltage")
        current = np.linspace(nominal(motor.friction / motor.k), nominal(V / motor.R), 24)
        speed = [(V - i * motor.R) / motor.k for i in current.tolist()]
        return current, np.array([nominal(s) for s in speed]), np.array([std(s) for s in speed])

    def stated(self, readings: Sequence[MotorReading]) -> BareMotor:
        """With the voltage for which the line is told: the highest of the readings where none is
        named.
        """
        if self.at_voltage is not None or not readings:
            return self
        highest = Measured(max(r.voltage.value for r in readings), 0.0)
        return self.model_copy(update={"at_voltage": highest})

    def reduce(self, readings: Sequence[MotorReading]) -> Judged:
        return self.stated(readings)._reduced(readings)

    def _reduced(self, readings: Sequence[MotorReading]) -> Judged:
        motor, residuals = self.line(readings)
        x = Inputs(self)
        V = x.of(self, "at_voltage")
        free_current, stall_current = motor.friction / motor.k, V / motor.R
        results = [
            Result("resistance", "Resistance", "resistance", motor.R),
            Result("constant", "Constant k", "constant", motor.k),
            Result("friction", "Friction", "torque", motor.friction),
            Result("at-voltage", "Stated at", "voltage", V),
            Result("no-load-speed", "No-load speed", "speed", motor.speed(0.0, V)),
            Result("no-load-current", "No-load current", "current", free_current),
            Result("stall-torque", "Stall torque", "torque", motor.stall_torque(V)),
            Result("stall-current", "Stall current", "current", stall_current),
        ]
        if nominal(stall_current) > nominal(free_current) > 0:
            results.append(
                Result(
                    "best-efficiency",
                    "Best efficiency",
                    "ratio",
                    (1 - (free_current / stall_current) ** 0.5) ** 2,
                )
            )
        findings = []
        if self.cold_resistance is not None:
            warm = (
                (COPPER_ZERO + self.cold_temperature - 273.15)
                * motor.R
                / x.of(self, "cold_resistance")
                - COPPER_ZERO
                + 273.15
            )
            results.append(
                Result(
                    "winding-temperature",
                    "Winding temperature from resistance",
                    "temperature",
                    warm,
                )
            )
            if nominal(warm) > 393.15:
                findings.append(
                    noted(
                        "winding-hot",
                        "caution",
                        title="The winding is hot",
                        seen="From its resistance it is at {warm}.",
                        why=(
                            "Above 120 °C insulation ages quickly; brush resistance makes "
                            "this an upper bound."
                        ),
                        warm=(warm, "temperature"),
                    )
                )
        doubt = [max(3 * r.voltage.u, 0.01 * r.voltage.value) for r in readings]
        worst = max(range(len(readings)), key=lambda n: abs(residuals[n]) / doubt[n])
        if len(readings) > 2 and abs(residuals[worst]) > doubt[worst]:
            findings.append(
                noted(
                    "motor-not-a-line",
                    "caution",
                    title=f"Reading {worst + 1} does not fit the motor's line",
                    seen="Its voltage deviates by {off} from the line through all readings.",
                    why="A brushed motor follows one straight line at one winding temperature.",
                    causes=(
                        "the winding warmed between readings",
                        "the brushes lift or stick",
                        "a reading or its unit is wrong",
                        "it is not a brushed motor",
                    ),
                    remedies=("Repeat that reading with the motor cold.",),
                    off=(abs(residuals[worst]), "voltage"),
                )
            )
        return Judged(tuple(results), tuple(findings))

    def belongs(self, build: Build, rig: Rig) -> str:
        return "Use as this build's motor"

    def use(self, readings: Sequence[MotorReading], build: Build, rig: Rig) -> Use:
        value = self.as_readings(readings, build.motor)
        return Use("build", ("motor",), value, f"{build.name} now has this motor")

    def as_readings(self, readings: Sequence[MotorReading], base: MotorReadings) -> MotorReadings:
        """The line as a build's motor readings at `at_voltage`, the rest from `base`. Raises
        ValueError.
        """
        motor, _ = self.line(readings)
        at = self.stated(readings).at_voltage
        assert at is not None
        V = at.value

        def measured(value: Uncertain) -> Measured:
            return Measured(nominal(value), std(value))

        return base.model_copy(
            update={
                "voltage": at,
                "no_load_speed": measured(motor.speed(0.0, V)),
                "no_load_current": measured(motor.friction / motor.k),
                "stall_current": measured(V / motor.R),
                "stall_torque": measured(motor.stall_torque(V)),
            }
        )


def _fit(
    V: Sequence[Uncertain], w: Sequence[Uncertain], current: Sequence[Uncertain]
) -> tuple[Uncertain, Uncertain]:
    """(R [Ω], k [V·s/rad]) of V = I R + k ω by least squares, inputs kept. Raises ValueError."""
    sii, siw, sww = (
        sum(a * b for a, b in zip(p, q, strict=True))
        for p, q in ((current, current), (current, w), (w, w))
    )
    svi, svw = (sum(a * b for a, b in zip(V, q, strict=True)) for q in (current, w))
    determinant = sii * sww - siw * siw
    if (
        len(V) < 2
        or abs(nominal(determinant)) < 1e-9 * nominal(sii) * nominal(sww)
        or nominal(sii) == 0
        or nominal(sww) == 0
    ):
        raise ValueError(
            "these readings cannot separate resistance from constant: add one at no load "
            "and one stalled or well loaded"
        )
    R = (svi * sww - svw * siw) / determinant
    k = (svw * sii - svi * siw) / determinant
    if nominal(R) <= 0 or nominal(k) <= 0:
        raise ValueError(
            "the readings give a negative resistance or constant; were current and speed "
            "interchanged, or a sign lost?"
        )
    return R, k
