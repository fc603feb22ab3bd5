"""Before a run: the load cell and its calibration, the meters, the supply they read,
local gravity."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import date

import numpy as np

from sparring.core.finding import Finding, noted, of_motor
from sparring.core.findings.setup.bench import Bench, setup_rule
from sparring.core.instruments import calibration, meters
from sparring.core.quantity import G_N
from sparring.core.uncertainty import nominal, std

_OLD = 120  # days after which a calibration is worth a word (common practice, no source)
_METER_OLD = 365  # days after which a meter's comparison is (common practice, no source)
_CROOKED = 0.01  # of its range by which a meter may leave its line
# of what the cell was calibrated to: below it the cell's own faults count (common practice, no
# source)
_FLOOR = 0.05
_DRIFTS = 5e-3  # part of the sensitivity that a new calibration may differ by
_CREEPS = 2e-3  # part of the reading that may move in a minute


@setup_rule
def second_cell(b: Bench) -> Iterable[Finding]:
    """A second cell that counts has no calibration."""
    sensors = b.rig.sensors
    if (
        b.rig.method.CELL
        and sensors.second_cell != "not used"
        and sensors.second_calibration is None
    ):
        yield noted(
            "second-cell-not-calibrated",
            "caution",
            title="The second load cell is not calibrated",
            seen=f"Its force is {sensors.second_cell}, but this rig has no calibration for it.",
            why="Unless its amplifier outputs newtons, no torque can be calculated.",
            remedies=("Choose it under Sensors and calibrate it with known masses.",),
            place="rig.sensors.second_calibration",
        )


@setup_rule
def cell_not_calibrated(b: Bench) -> Iterable[Finding]:
    """The cell is not calibrated."""
    cal, method = b.rig.calibration, b.rig.method
    if method.CELL and cal is None:
        yield noted(
            "calibration-missing",
            "caution",
            title="The load cell is not calibrated",
            seen=f"The cell {method.CELL} has no calibration.",
            why="Counts are not a force, and without known weights there is no torque.",
            remedies=("Calibrate it on this page with known masses, up and down.",),
            place="rig.calibration",
        )


@setup_rule
def cell_has_changed(b: Bench) -> Iterable[Finding]:
    """It was calibrated long ago, or has moved since, or creeps."""
    cal = b.rig.calibration
    if not b.rig.method.CELL or cal is None:
        return
    days = (b.today - date.fromisoformat(cal.date)).days
    if days > _OLD:
        yield noted(
            "calibration-old",
            "note",
            title="The calibration is old",
            seen=f"The {cal.cell} was calibrated {days} days ago.",
            why="Cells drift with time, knocks and temperature.",
            remedies=("Check it with one known mass; recalibrate if it is off.",),
            place="rig.calibration",
        )
    moved = calibration.drift(cal, b.rig.gravity.value)
    if moved is not None and abs(nominal(moved.sensitivity)) > max(
        2 * std(moved.sensitivity), _DRIFTS
    ):
        yield noted(
            "cell-drifts",
            "caution",
            title="The load cell's sensitivity has changed",
            seen=f"It has changed by {{moved}} since the calibration of {cal.earlier[-1].date}.",
            why=(
                "Results between the two may be off by as much; each run keeps the "
                "calibration of its day."
            ),
            causes=(
                "the cell was overloaded or knocked",
                "other masses, or another gravity, were entered",
                "the amplifier or its supply was changed",
            ),
            remedies=(
                "Calibrate again, with the same masses.",
                "Calibrate before and after important tests.",
            ),
            place="rig.calibration",
            moved=(moved.sensitivity, "ratio"),
        )
    if cal.creep is not None and abs(cal.creep) > _CREEPS:
        yield noted(
            "cell-creeps",
            "note",
            title="The load cell creeps",
            seen="Under a constant mass its reading changed by {creep} in a minute.",
            why="A long run reads differently at its end than at its start.",
            causes=(),
            remedies=("Tare shortly before each run, and do not leave a load on.",),
            place="rig.calibration",
            creep=(cal.creep, "ratio"),
        )


@setup_rule
def cell_against_the_plan(b: Bench) -> Iterable[Finding]:
    """It was not calibrated over the forces that will come, or does not stand them."""
    cal, method = b.rig.calibration, b.rig.method
    if not method.CELL or cal is None:
        return
    g = b.rig.gravity.value
    reached = max(p.mass.value for p in cal.points) * g
    forces = [f for t in b.torques if (f := method.cell_force(t)) is not None]
    if not forces or max(forces) <= 0:
        return
    if max(forces) > cal.capacity:
        yield noted(
            "cell-overloaded",
            "wrong",
            title="The load cell's capacity is too low for this plan",
            seen=(
                "The heaviest step loads it with about {force}; its rated capacity is {capacity}."
            ),
            why="Above its capacity a cell is permanently deformed and may break.",
            remedies=("Use a cell of higher capacity, a larger radius or lighter steps.",),
            place="rig.calibration",
            force=(max(forces), "force"),
            capacity=(cal.capacity, "force"),
        )
    elif max(forces) > 1.1 * reached:
        yield noted(
            "calibration-not-covering",
            "caution",
            title="The calibration does not reach the forces used",
            seen="It ends at {reached}; the plan goes to about {force}.",
            why="Beyond its last mass the line is an extrapolation.",
            remedies=("Calibrate with masses slightly above the heaviest step.",),
            place="rig.calibration",
            reached=(reached, "force"),
            force=(max(forces), "force"),
        )
    if max(forces) < _FLOOR * reached:
        yield noted(
            "cell-near-its-floor",
            "caution",
            title="The loads use little of the cell's range",
            seen="The heaviest step gives about {force} on a cell calibrated to {reached}.",
            why="Near zero, drift and creep are as large as the reading.",
            remedies=("Use a cell of lower capacity, or a smaller radius.",),
            place="rig.calibration",
            reached=(reached, "force"),
            force=(max(forces), "force"),
        )


@setup_rule
def gravity(b: Bench) -> Iterable[Finding]:
    """The standard value stands for the local one."""
    if abs(b.rig.gravity.value - G_N) < 1e-5 and b.rig.gravity.u < 2e-3:
        yield noted(
            "gravity-standard",
            "note",
            title="Gravity is the standard value",
            seen="{g} is entered with almost no uncertainty.",
            why=(
                "Gravity varies by up to 0.5 % with place, and all torques from weights follow it."
            ),
            remedies=(("Calculate it from your latitude (Rig ▸ Plan), or enter ± 0.03 m/s²."),),
            place="rig.gravity",
            g=(b.rig.gravity.value, "acceleration"),
        )


@setup_rule
@of_motor
def supply_averaged(b: Bench) -> Iterable[Finding]:
    """A chopped supply whose voltage and current are averaged before they are multiplied."""
    if b.rig.sensors.supply == "chopped, averaged":
        yield noted(
            "supply-averaged",
            "caution",
            title="The electrical power will be wrong",
            seen="The supply is pulsed, and voltage and current are averaged.",
            why="The product of two averages is not the mean power, often by 5 to 20 %.",
            causes=("a pulse-width speed controller between supply and meter",),
            remedies=(
                "Measure upstream of the speed controller, where the current is smooth.",
                "Use a meter that multiplies sample by sample.",
            ),
            place="rig.sensors.supply",
        )


@setup_rule
def tachometer_coarse(b: Bench) -> Iterable[Finding]:
    """Too few pulses in the window for the speed to be known to a hundredth."""
    speed, pulses = b.free_speed, b.rig.sensors.pulses
    if pulses and speed > 0 and not b.rig.method.STANDS:
        counted = speed / (2 * math.pi) * pulses * b.plan.measure
        if counted < 100:
            yield noted(
                "tachometer-coarse",
                "caution",
                title="The tachometer gives too few pulses",
                seen=(
                    f"About {counted:.0f} in a window of {{measure}} give a speed uncertainty "
                    "of {doubt} at best."
                ),
                why="A window starts and ends between two pulses.",
                causes=(),
                remedies=(
                    ("Mount it on the motor shaft, and enter the pulses per output revolution."),
                    "Measure longer.",
                ),
                place="rig.sensors.pulses",
                measure=(b.plan.measure, "time"),
                doubt=(2 / counted / math.sqrt(6), "ratio"),
            )


@setup_rule
def meters_compared(b: Bench) -> Iterable[Finding]:
    """A meter's comparison is old, does not reach what will be read, or shows a meter that is no
    straight line.
    """
    stands = b.rig.method.STANDS
    slope, offset = b.build.torque_line()
    current = b.motor.current(slope * max(b.torques, default=0.0) + offset, b.set_to)
    asked = {"tachometer": b.rig.method.top_speed(b.free_speed)}
    if b.build.has_motor:
        asked |= {"voltmeter": b.set_to, "ammeter": nominal(current)}
    for name, most in asked.items():
        comparison: meters.Comparison | None = getattr(b.rig.sensors, name)
        if comparison is None or stands:
            continue
        place, kind = f"rig.sensors.{name}", comparison.KIND
        try:
            line = meters.fit(comparison)
        except ValueError as err:
            yield noted(
                "meter-without-a-line",
                "wrong",
                title=f"The {name}'s comparison gives no straight line",
                seen=f"{str(err).capitalize()}.",
                why="No run can be reduced with it.",
                remedies=("Compare it again, or delete the readings.",),
                place=place,
            )
            continue
        true, shown = comparison.pairs()
        days = (b.today - date.fromisoformat(comparison.date)).days
        if days > _METER_OLD:
            yield noted(
                "meter-compared-long-ago",
                "note",
                title=f"The {name} was compared long ago",
                seen=f"{comparison.instrument}: {days} days ago, with {comparison.reference}.",
                why="Meters drift too, if slowly.",
                remedies=(
                    ("Check one reading against a better meter; compare again if it is off."),
                ),
                place=place,
            )
        reached = float(np.abs(true).max())
        if most > 1.2 * reached:
            yield noted(
                "meter-comparison-not-covering",
                "caution",
                title=f"The {name}'s comparison does not cover the readings",
                seen="It ends at {reached}; about {most} will be read.",
                why="Beyond its readings the line is an extrapolation.",
                remedies=("Compare it over the whole range of the runs.",),
                place=place,
                reached=(reached, kind),
                most=(most, kind),
            )
        off = float(np.abs(line.residuals).max()) / float(np.ptp(shown))
        if off > _CROOKED:
            yield noted(
                "meter-crooked",
                "caution",
                title=f"The {name} is not linear",
                seen="Its non-linearity is {off} of the range.",
                why="Only a straight line is corrected; the rest stays in the results.",
                causes=(
                    "a reading was mistyped",
                    "the meter changed its range",
                    "the value changed between the two readings",
                ),
                remedies=("Compare again, and wait at each value until both are steady.",),
                place=place,
                off=(off, "ratio"),
            )
