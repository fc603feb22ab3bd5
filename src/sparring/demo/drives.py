"""The other drives of Hollin Yard: described, not yet lifted. A vent must open against the wind and
must not fall back.
"""

from __future__ import annotations

import math

from sparring.core.build import Build, Item
from sparring.core.care import FirstPower
from sparring.core.motor import MotorReadings
from sparring.core.quantity import Measured
from sparring.core.train.joints import Joint
from sparring.core.train.kinds import (
    CycloidStage,
    PlanetaryStage,
    SplitRingStage,
    SpurStage,
    Stage,
    StrainWaveStage,
    WormStage,
)

D_SHAFT = Joint(kind="D flat", diameter=3e-3, length=6e-3, width=2.2e-3)
HEX = Joint(kind="hex", diameter=6e-3, length=8e-3)


def others(motor: MotorReadings) -> list[Build]:
    """Wren, Curlew, Plover, Siskin and Knot, all with the Yard's motor; nobody has seen Curlew
    turn. Wren and Plover also dry.
    """
    seen = {"first_power": FirstPower(by="Hollin Yard", on="2026-11-12")}
    wrens, plover = _wren(motor), _plover(motor)
    dry = [_dry(wrens[-1], 3), _dry(plover, 2)]
    turned = [*wrens, plover, *dry, _siskin(motor), _knot(motor)]
    return [_curlew(motor), *(build.model_copy(update=seen) for build in turned)]


def _wren(motor: MotorReadings) -> list[Build]:
    first = PlanetaryStage(
        sun=12,
        planet=24,
        ring=60,
        module=0.6e-3,
        face_width=6e-3,
        friction=Measured(0.12, 0.018),
        material="PA66",
        input_joint=D_SHAFT,
    )
    second = PlanetaryStage(
        sun=12,
        planet=24,
        ring=60,
        module=0.6e-3,
        face_width=10e-3,
        friction=Measured(0.12, 0.018),
        drag=8e-3,
        material="PA66",
        output_joint=HEX,
    )
    common = {"motor": motor, "expected_load": 0.9}
    return [
        Build(
            family="Wren",
            title="one ring cut through",
            stages=(first, second),
            windup=55.0,
            mass=Measured(0.242, 5e-4),
            parts=(
                Item(part="ring, PA66", price=6.4, mass=0.028),
                Item(part="planet", count=6, price=0.9, spares=2, mass=0.003),
                Item(part="motor", price=11.5),
            ),
            **common,
        ),
        Build(
            family="Wren",
            revision=2,
            title="pins held on one side",
            stages=(
                first,
                second.model_copy(update={"support": "on one side", "face_width": 8e-3}),
            ),
            windup=41.0,
            **common,
        ),
    ]


def _dry(build: Build, revision: int) -> Build:
    """The same without its grease: it rubs more, and less evenly known."""

    def rubbing(stage: Stage) -> Stage:
        name = "friction" if hasattr(stage, "friction") else "loss"
        was: Measured = getattr(stage, name)
        return stage.model_copy(update={name: Measured(1.7 * was.value, 1.7 * was.u)})

    update = {
        "revision": revision,
        "title": f"{build.title}, dry",
        "lubricant": "dry",
        "stages": tuple(map(rubbing, build.stages)),
    }
    fields = {name: getattr(build, name) for name in Build.model_fields}
    return Build(**fields | update)  # not a copy, which would keep what was worked out of the other


def _curlew(motor: MotorReadings) -> Build:
    return Build(
        family="Curlew",
        title="split ring, PLA",
        stages=(
            SplitRingStage(
                sun=15,
                planet=30,
                ring=75,
                upper_planet=27,
                upper_ring=72,
                module=0.7e-3,
                upper_module=0.7e-3,
                friction=Measured(0.18, 0.03),
                drag=15e-3,
                material="PLA, printed",
                input_joint=D_SHAFT,
            ),
        ),
        holding="must hold by itself",
        windup=30.0,
        motor=motor,
        expected_load=0.9,
    )


def _plover(motor: MotorReadings) -> Build:
    return Build(
        family="Plover",
        title="cycloid behind a spur pair",
        stages=(
            SpurStage(
                pinion=14,
                wheel=42,
                module=0.6e-3,
                face_width=5e-3,
                pinion_shift=0.2,
                wheel_shift=-0.2,
                friction=Measured(0.15, 0.02),
                opening=0.06e-3,
                input_joint=D_SHAFT,
            ),
            CycloidStage(drag=10e-3, output_joint=HEX),
        ),
        windup=70.0,
        motor=motor,
        expected_load=0.9,
    )


def _siskin(motor: MotorReadings) -> Build:
    return Build(
        family="Siskin",
        title="worm, POM wheel",
        stages=(
            WormStage(
                starts=1,
                wheel=36,
                module=0.8e-3,
                worm_diameter=12e-3,
                friction=Measured(0.12, 0.02),
                drag=6e-3,
                input_joint=D_SHAFT,
            ),
        ),
        holding="must hold by itself",
        windup=38.0,
        motor=motor,
        expected_load=0.18,  # the small vents
    )


def _knot(motor: MotorReadings) -> Build:
    return Build(
        family="Knot",
        title="belt in a printed ring",
        stages=(
            StrainWaveStage(
                flexible=90,
                ring=92,
                loss=Measured(0.009, 0.003),
                drag=20e-3,
                material="PETG, printed",
                skips_at=1.9,
            ),
        ),
        windup=18.0,
        works_at=293.15 + 5,
        fastest=6000 * 2 * math.pi / 60,
        motor=motor,
        expected_load=0.9,
    )
