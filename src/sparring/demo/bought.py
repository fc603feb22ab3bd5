"""Two bought gearmotors of one kind, held against their data sheet at three voltages."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.care import FirstPower
from sparring.core.data_sheet import SheetLine
from sparring.core.motor import MotorReadings
from sparring.core.outlook.questions import Ask, ask
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.reduce.results import headline
from sparring.core.rig import Rig
from sparring.core.train.kinds import ClosedBoxStage
from sparring.demo.part import TARE, Part, Tested, at, keep_test, of_rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_RPM = 2 * math.pi / 60
_TESTED = datetime(2026, 11, 18, 9, 0, tzinfo=UTC)


def gearmotor(unit: int) -> Build:
    """As its buyer knows it: the ratio by counting turns, the motor by its data sheet."""
    return Build(
        family="Bought",
        revision=unit,
        title=f"12 V gearmotor, unit {unit}",
        motor=MotorReadings(
            name="inside the box",
            no_load_speed=Measured(4400 * _RPM, 90 * _RPM),
            no_load_current=Measured(0.12, 0.01),
            stall_current=Measured(2.0, 0.08),
        ),
        stages=(
            ClosedBoxStage(
                ratio_found=Measured(30.02, 0.02),
                efficiency_stated=Measured(0.72, 0.04),
                rated=0.6,
                play=math.radians(2.0),
            ),
        ),
        lubricant="greased",
        mass=Measured(0.214, 5e-4),
        data_sheet=tuple(
            SheetLine(
                voltage=volts,
                free_speed=rpm * _RPM,
                free_current=0.13,
                load=0.25,
                load_speed=loaded * _RPM,
                load_current=amps,
                stall_torque=stall,
                stall_current=held,
            )
            for volts, rpm, loaded, amps, stall, held in (
                (6.0, 72.0, 36.0, 0.62, 0.52, 1.0),
                (9.0, 109.0, 74.0, 0.61, 0.80, 1.5),
                (12.0, 145.0, 112.0, 0.60, 1.08, 2.0),
            )
        ),
        first_power=FirstPower(by="Hollin Yard", on="2026-11-12"),
    )


def parts(rig: Rig) -> list[Part]:
    """Both units with a test each; the second is weaker than its data sheet says."""
    return [
        Part(f"bought, unit {unit}", partial(_tested, rig, unit, rubs, weaker), _keep)
        for unit, rubs, weaker in ((1, 1.0, 1.0), (2, 1.25, 0.9))
    ]


def _tested(rig: Rig, unit: int, rubs: float, weaker: float) -> Tested:
    build = gearmotor(unit)
    about = Ask(build, rig, voltages=(6.0, 9.0, 12.0), load=0.25)
    plan = ask("does the data sheet hold", about)
    bench = bench_of(build, rig, friction=[f * rubs for f in build.loss_figures()])
    bench.k = bench.k * weaker
    lifts = ladder(bench, sensors_of(rig), rig, plan, seed=60 + unit)
    runs = of_rig(runs_of(lifts, rig.method, tare=TARE), rig, started=at(_TESTED))
    told = headline(analyse(build, rig, plan, runs))
    return Tested(build.name, rig.name, plan, "against its data sheet", _TESTED, runs, told)


def _keep(book: Logbook, made: Tested) -> None:
    keep_test(book, made)
