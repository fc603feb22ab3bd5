"""Builds, rigs and tests of Hollin Yard, made by the plant at fixed seeds."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from sparring.core import plan as plans
from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.care import CareRead, FirstPower
from sparring.core.instruments.calibration import Calibration
from sparring.core.methods import Hoist, Lever
from sparring.core.motor import MotorReadings
from sparring.core.plan import Plan
from sparring.core.plant import eye
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, runs_of
from sparring.core.plant.sensors import calibration_points, sensors_of
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.reduce.results import headline
from sparring.core.rig import Limits, Rig, Weight
from sparring.core.train.kinds.spur import SpurStage
from sparring.demo import bought, campaign, life, to_failure, worn
from sparring.demo.drives import others
from sparring.demo.part import TARE, Part, Tested, at, keep_test, of_rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook

_RPM = 2 * math.pi / 60


def motor() -> MotorReadings:
    """The 12 V motor that all demo builds share, as Hollin Yard measured it."""
    return MotorReadings(
        name="Yard 12 V, 370 size",
        voltage=Measured(12.0, 0.01),
        no_load_speed=Measured(4450 * _RPM, 12 * _RPM),
        no_load_current=Measured(0.11, 0.0015),
        stall_current=Measured(1.92, 0.015),
        inertia=1.1e-6,
        mass=0.098,
        heat_time=280.0,
        heat_resistance=14.0,
    )


_REVISIONS = {  # title, friction, drag of the output shaft, material, mass, wind-up stiffness
    1: ("POM, dry", Measured(0.36, 0.03), 12e-3, "POM", 0.262, 26.0),
    2: ("POM, greased, shaft braced", Measured(0.20, 0.02), 9e-3, "POM", 0.281, 41.0),
    3: ("brass, greased", Measured(0.19, 0.02), 9e-3, "brass", 0.418, 62.0),
}


def dunnock(revision: int) -> Build:
    """Two meshes, 30:1, in three revisions."""
    title, friction, drag, material, mass, windup = _REVISIONS[revision]
    first = SpurStage(
        pinion=12,
        wheel=60,
        module=0.8e-3,
        face_width=6e-3,
        pinion_shift=0.3,
        wheel_shift=-0.3,
        friction=friction,
        drag=2e-3,
        opening=0.1e-3,
        material=material,
    )
    second = SpurStage(
        pinion=14,
        wheel=84,
        module=1e-3,
        face_width=9e-3,
        pinion_shift=0.2,
        wheel_shift=-0.2,
        friction=friction,
        drag=drag,
        opening=0.15e-3,
        material=material,
    )
    return Build(
        family="Dunnock",
        revision=revision,
        title=title,
        motor=motor(),
        stages=(first, second),
        lubricant="dry" if revision == 1 else "greased",
        windup=windup,
        mass=Measured(mass, 5e-4),
        first_power=FirstPower(by="Hollin Yard", on="2026-11-12"),
    )


_SHELF = tuple(
    Weight(name=name, mass=Measured(kilos, u))
    for name, kilos, u in (
        ("2 kg", 2.0, 5e-4),
        ("1 kg", 1.0, 2.5e-4),
        ("500 g", 0.5, 2.5e-4),
        ("200 g, first", 0.2, 1e-4),
        ("200 g, second", 0.2, 1e-4),
        ("100 g", 0.1, 1e-4),
        ("50 g", 0.05, 1e-4),
    )
)


def rig(name: str = "Hoist A", **method: Any) -> Rig:
    """Hollin Yard's hoist: a turned drum on a steel bracket, a 5 kg cell in the cord."""
    rng = np.random.default_rng(5)
    points = calibration_points(84_120.0, 2_104.0, [0.0, 0.5, 1.0, 2.0, 3.0, 4.0], rng)
    return Rig(
        name=name,
        method=Hoist(
            drum_diameter=Measured(0.0500, 2.5e-5),
            cord_diameter=Measured(0.8e-3, 5e-5),
            hook_mass=Measured(0.047, 2.5e-4),
            travel=1.0,
            **method,
        ),
        calibration=Calibration(cell="5 kg cell", date="2026-11-12", points=points),
        gravity=Measured(9.812, 0.003),
        limits=Limits(current=3.0, speed=200 * _RPM, stalled_for=0.8),
        shelf=_SHELF if name == "Hoist A" else (),
        care_read=CareRead(by="Hollin Yard", on="2026-11-12", method="hoist"),
    )


def strong_hoist() -> Rig:
    """The third hoist, a short one with a 20 kg cell."""
    rng = np.random.default_rng(6)
    masses = [0.0, 2.0, 5.0, 10.0, 15.0]
    points = calibration_points(to_failure.ZERO, to_failure.GAIN, masses, rng, noise=6.0)
    cell = Calibration(cell="20 kg cell", date="2026-11-12", points=points)
    hoist = rig("Hoist C")
    short = hoist.method.model_copy(update={"travel": 0.3})
    return hoist.model_copy(update={"method": short, "calibration": cell})


def plan(*loads: float, repeats: int = 5) -> Plan:
    return plans.ladder([Measured(m, 2.5e-4) for m in loads], (12.0,), repeats)


@dataclass(frozen=True)
class Scene:
    """One test of the demo: records, and how the real bench differs from them. eye: nobody had a
    board: a tester watched, or read a phone as tachometer.
    """

    title: str
    build: Build
    rig: Rig
    plan: Plan
    seed: int
    bench: dict[str, Any] = field(default_factory=dict)
    sensors: dict[str, Any] = field(default_factory=dict)
    friction: float = 1.0  # true friction over the nominal one
    how: dict[str, Any] = field(default_factory=dict)  # it is run, as `lifts.lift` takes it
    eye: bool = False
    day: datetime = datetime(2026, 11, 25, 9, 0, tzinfo=UTC)


def lever() -> Rig:
    """A bar with weights hung on, read by eye."""
    arm = Lever(
        arm=Measured(0.250, 2.5e-4),
        arm_mass=Measured(0.062, 5e-4),
        arm_centre=Measured(0.118, 1e-3),
        hook_mass=Measured(0.014, 5e-4),
    )
    return Rig(
        name="Lever A",
        method=arm,
        gravity=Measured(9.812, 0.003),
        limits=Limits(current=3.0, speed=200 * _RPM, stalled_for=0.8),
        care_read=CareRead(by="Hollin Yard", on="2026-11-12", method="lever"),
    )


def by_eye(drives: Sequence[Build]) -> list[Scene]:
    """Two tests of an afternoon without the board: the worm drive on a lever until it stalls, the
    planetary one of the second revision on the hoist with a phone as tachometer; and before, the
    same on a logger fast enough to hear its planets."""
    named = {build.name: build for build in drives}
    return [
        Scene(
            "logged fast",
            named["Wren r2"],
            rig(),
            plan=plan(0.5, 1.5, repeats=3),
            seed=14,
            # a planet of the last stage runs out, and its meshes ripple
            bench={"waves": ((2.5, 0.045, 0.4), (60.0, 0.03, 1.1))},
            friction=1.04,
            how={"rate": 400.0, "dt": 6e-4},
        ),
        Scene(
            "lever to stall, by eye",
            named["Siskin r1"],
            lever(),
            plan=plan(0.1, 0.12, 0.14, 0.16, 0.18, 0.2, repeats=2),
            seed=21,
            friction=1.05,
            eye=True,
        ),
        Scene(
            "hoist, phone as tachometer",
            named["Wren r2"],
            rig(),
            plan=plan(0.5, 1.0, 1.5, 2.0, repeats=3),
            seed=22,
            friction=1.08,
            eye=True,
        ),
    ]


def scenes() -> list[Scene]:
    """What is in the demo logbook. r1's shaft bends under the last weight; r2 stalls; r3 was lifted
    on a second hoist with a long lead, whose drum diameter was entered once more as its radius."""
    ladder = (0.5, 1.0, 1.5, 2.0, 2.5)
    return [
        Scene(
            "runs, dry",
            dunnock(1),
            rig(),
            plan=plan(*ladder),
            seed=11,
            bench={"bind_from": 0.47, "bind": 0.42},
            sensors={},
            friction=1.06,
        ),
        Scene(
            "runs, greased and braced",
            dunnock(2),
            rig(),
            plan=plan(0.5, 1.25, 2.0, 2.75, 3.5, 4.75),
            seed=12,
            bench={"runout": 0.003},
            sensors={},
            friction=0.97,
        ),
        Scene(
            "runs, brass",
            dunnock(3),
            rig("Hoist B", drum_radius=Measured(0.0500, 1e-4)),
            plan=plan(*ladder),
            seed=13,
            bench={"source_resistance": 0.9},
            sensors={},
            friction=1.02,
            day=datetime(2026, 11, 25, 15, 0, tzinfo=UTC),  # the newest: it is opened with
        ),
    ]


def _tested(scene: Scene) -> Tested:
    build, rig, plan = scene.build, scene.rig, scene.plan
    truth = [f * scene.friction for f in build.loss_figures()]
    bench = bench_of(build, rig, friction=truth, **scene.bench)
    sensors = sensors_of(rig, **scene.sensors)
    lifts = ladder(bench, sensors, rig, plan, seed=scene.seed, **scene.how)
    runs = of_rig(runs_of(lifts, rig.method, tare=TARE), rig, started=at(scene.day))
    if scene.eye:
        rng = np.random.default_rng(scene.seed)
        for n, (_, _, lifted) in enumerate(lifts):
            seen, _ = eye.read(lifted, rng, method=rig.method, tachometer=True)
            known = {"source": "eye", "read": seen, "tare": None, "calibration": None}
            runs[n] = runs[n][0].model_copy(update=known), Recording.nothing()
    told = headline(analyse(build, rig, plan, runs))
    return Tested(build.name, rig.name, plan, scene.title, scene.day, runs, told)


def _keep(book: Logbook, made: Tested) -> None:
    keep_test(book, made)


def builds() -> list[Build]:
    """All of the yard's own."""
    return [worn.fit(dunnock(1)), worn.fit(dunnock(2)), dunnock(3), *others(motor())]


def rigs() -> list[Rig]:
    """All of the yard's: three hoists and a lever."""
    return [rig(), strong_hoist(), scenes()[-1].rig, lever()]


def parts() -> list[Part]:
    """All that is in the demo logbook, in the order in which it is made: what the window opens with
    comes first, then what the tour asks for.
    """
    drives, hoist = builds(), rig()
    named = {b.name: b for b in drives}
    seen = [*reversed(scenes()), *by_eye(drives)]
    tests = [Part(f"{s.title}, {s.build.name}", partial(_tested, s), _keep) for s in seen]
    return [
        *tests[:3],
        worn.part(),
        *campaign.parts(drives, hoist),
        *tests[3:],
        life.part(named["Knot r1"], hoist),
        to_failure.part(named["Curlew r1"], strong_hoist()),
        *bought.parts(hoist),
    ]
