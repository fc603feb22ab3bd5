"""Rope brake: T = (F_tight − F_slack)(r + d/2); with the speed, power and heat."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, ClassVar

from sparring.core.characterise import logged
from sparring.core.characterise.base import (
    Accuracy,
    Current,
    Force,
    Inputs,
    Judged,
    Length,
    Method,
    Reach,
    Reading,
    Result,
    Speed,
    Voltage,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q
from sparring.core.uncertainty import nominal


class BrakeReading(Reading):
    """Both ends of the rope, the speed, and what goes in."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Tight end", "tight"),
        ("Slack end", "slack"),
        ("Speed", "speed"),
        ("Voltage", "voltage"),
        ("Current", "current"),
    )

    tight: Force = Measured(20.0, 0.1)
    slack: Force = Measured(2.0, 0.1)
    speed: Speed = Measured(10.0, 0.1)
    voltage: Voltage | None = None
    current: Current | None = None


class RopeBrake(Method):
    """A rope round a drum between two spring balances."""

    ID: ClassVar[str] = "rope-brake"
    TITLE: ClassVar[str] = "Rope brake"
    PURPOSE: ClassVar[str] = (
        "Torque and power while it runs, from the two ends of a rope over a drum."
    )
    CARE: ClassVar[str] = (
        "The drum gets hot: all of the output power stays in it. Keep fingers and sleeves off the"
        " rope."
    )
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Drum diameter", "drum"),
        ("Rope diameter", "rope"),
        ("Heat the drum may take", "heat"),
        ("Balances, beyond ±", "balances"),
        ("Voltmeter, beyond ±", "voltmeter"),
        ("Ammeter, beyond ±", "ammeter"),
        ("Tachometer, beyond ±", "tachometer"),
    )
    READING: ClassVar[type[Reading]] = BrakeReading
    CHANNELS: ClassVar[tuple[str, ...]] = ("force", "force_2", "speed")
    GAINS: ClassVar[dict[str, str]] = {
        "tight": "balances",
        "slack": "balances",
        "speed": "tachometer",
        "voltage": "voltmeter",
        "current": "ammeter",
    }

    drum: Length = Measured(0.060, 1e-4)
    rope: Reach = Measured(3e-3, 2.5e-4)
    heat: Annotated[float, Q("power", "W", above=0.0)] = 30.0
    balances: Accuracy = 0.0
    voltmeter: Accuracy = 0.0
    ammeter: Accuracy = 0.0
    tachometer: Accuracy = 0.0

    def from_log(self, rec: Recording) -> list[BrakeReading]:
        """The steady end of each run with the drive on: both cells, the speed, and what goes in
        where it was recorded.
        """
        logged.need(rec, self.CHANNELS)
        found = []
        for _, on in logged.driven(rec):
            tight, slack = (logged.level(on, c) for c in ("force", "force_2"))
            tight, slack = (slack, tight) if slack.value > tight.value else (tight, slack)
            into = {c: logged.level(on, c) for c in ("voltage", "current") if rec.has(c)}
            found.append(
                BrakeReading(tight=tight, slack=slack, speed=logged.level(on, "speed"), **into)
            )
        return found

    def reduce(self, readings: Sequence[BrakeReading]) -> Judged:
        x = Inputs(self)
        radius = (x.of(self, "drum") + x.of(self, "rope")) / 2
        torques, powers, efficiencies, findings = [], [], [], []
        for n, r in enumerate(readings, start=1):
            if r.slack.value > r.tight.value:
                raise ValueError(
                    f"reading {n}: the slack end ({r.slack.value:.3g} N) pulls more than the tight"
                    f" one ({r.tight.value:.3g} N); the drum turns the other way, exchange them"
                )
            torque = (self.read(x, r, "tight", n) - self.read(x, r, "slack", n)) * radius
            power = torque * self.read(x, r, "speed", n)
            torques.append(torque)
            powers.append(power)
            if r.voltage is not None and r.current is not None:
                into = self.read(x, r, "voltage", n) * self.read(x, r, "current", n)
                if nominal(into) > 0:
                    efficiencies.append(power / into)
                    if nominal(power / into) > 1:
                        findings.append(
                            noted(
                                "output-above-input",
                                "wrong",
                                title="More comes out than goes in",
                                seen=f"Reading {n}: {{out}} at the drum from {{into}}.",
                                why="No drive does that: one of the readings is wrong.",
                                causes=(
                                    "the speed of another shaft",
                                    "a factor of ten",
                                    "the slack end was not read",
                                ),
                                out=(power, "power"),
                                into=(into, "power"),
                            )
                        )
        results = [
            over_repeats("torque", "Torque", "torque", torques),
            over_repeats("drum-power", "Power at the drum", "power", powers),
        ]
        if efficiencies:
            results.append(over_repeats("wire-to-shaft", "Wire to shaft", "ratio", efficiencies))
        hottest = max(nominal(p) for p in powers)
        if hottest > self.heat:
            findings.append(
                noted(
                    "brake-overheats",
                    "caution",
                    title="The brake takes more heat than allowed",
                    seen="{power} goes into the drum; {heat} is set as its limit.",
                    why="The rope's friction fades as it warms, and the reading drifts.",
                    remedies=("Read quickly and let it cool.", "Take a larger drum, or cool it."),
                    power=(hottest, "power"),
                    heat=(self.heat, "power"),
                )
            )
        if results[0].scatter is not None and results[0].scatter > 0.05:
            findings.append(
                noted(
                    "rope-grabs",
                    "note",
                    title="The rope grabs",
                    seen="The torque scatters by {scatter} between readings.",
                    why="Sticking and slipping makes single readings worth little.",
                    remedies=("Dust the rope with talc, or take a thinner one with more wraps.",),
                    scatter=(results[0].scatter, "ratio"),
                )
            )
        return Judged(
            (*results, Result("effective-radius", "Effective radius", "length", radius)),
            tuple(findings),
        )
