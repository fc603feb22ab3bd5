"""What breaks first, and what a build is told before it is tested."""

import math

import numpy as np
import pytest

from sparring.core import predict
from sparring.core.build import Build
from sparring.core.finding import explain
from sparring.core.findings.build import judge_build
from sparring.core.motor import FurtherMotor, MotorReadings
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.train import materials, strength, tooth_strength
from sparring.core.train.joints import SHEAR, Joint
from sparring.core.train.kinds import (
    BeltStage,
    ClutchStage,
    CycloidStage,
    MagneticStage,
    PlanetaryStage,
    ShiftStage,
    SplitRingStage,
    SpurStage,
    StrainWaveStage,
    WormStage,
)
from sparring.core.train.materials import Material
from sparring.core.train.pair import Pair


def found(build, id_, volts=12.0):
    return next((f for f in judge_build(build, volts) if f.id == id_), None)


def test_a_d_flat_carries_what_its_pressure_adds_up_to():
    """The torque of a pressure that rises linearly from the flat's middle to
    its edge, summed up."""
    joint = Joint(kind="D flat", diameter=6e-3, width=4e-3, length=10e-3)
    x = np.linspace(0, 2e-3, 100_001)
    summed = np.trapezoid(50e6 * x / 2e-3 * x, x) * 10e-3
    assert joint.carries(50e6, 500e6) == pytest.approx(summed, rel=1e-6)
    hexed = Joint(kind="hex", diameter=6e-3, length=10e-3)
    half = 6e-3 / math.sqrt(3) / 2
    x = np.linspace(0, half, 100_001)
    assert hexed.carries(50e6, 500e6) == pytest.approx(
        6 * np.trapezoid(50e6 * x / half * x, x) * 10e-3, rel=1e-6
    )


def test_a_round_shaft_shears_at_its_section_modulus():
    """τ = T r/J with J = π d⁴/32 (any handbook); a D flat leaves less."""
    whole = Joint(kind="one piece", diameter=5e-3)
    J = math.pi * 5e-3**4 / 32
    assert whole.shaft_carries(500e6) == pytest.approx(SHEAR * 500e6 * J / 2.5e-3)
    assert Joint(kind="D flat", diameter=5e-3, width=4e-3).shaft_carries(
        500e6
    ) < whole.shaft_carries(500e6)
    with pytest.raises(ValueError, match="wide on a shaft"):
        Joint(kind="D flat", diameter=3e-3, width=3e-3)


@pytest.mark.parametrize("kind", ["key", "pin", "press", "glue", "spline"])
def test_every_joint_carries_more_when_it_is_longer_or_thicker(kind):
    joint = Joint(kind=kind, diameter=6e-3, width=2e-3, length=8e-3)
    assert (
        0
        < joint.carries(60e6, 500e6)
        < joint.model_copy(update={"diameter": 8e-3}).carries(60e6, 500e6)
    )
    assert joint.failure()


def test_a_flank_is_crushed_at_hertz_pressure():
    """Two steel cylinders: p = √(F E'/(2 π R b)) with 1/R = 1/R1 + 1/R2 and E' = E/(1 − ν²)
    (Johnson, Contact Mechanics, 4.3).
    """
    pair = Pair(2e-3, 20, 40)
    torque, _ = tooth_strength.flank_torque(pair, 10e-3, "steel", "steel")
    steel = materials.find("steel")
    force = torque / (20e-3 * math.cos(pair.alpha))
    r1, r2 = 20e-3 * math.sin(pair.alpha), 40e-3 * math.sin(pair.alpha)
    e = steel.modulus / (1 - steel.poisson**2)
    pressure = math.sqrt(force / 10e-3 * e / 2 / math.pi * (1 / r1 + 1 / r2))
    assert pressure == pytest.approx(2.8 * 4 / math.pi * steel.strength)


def test_the_weakest_part_moves_with_what_is_made_weaker():
    strong = Build(stages=(SpurStage(material="steel"), SpurStage(material="steel", pinion=14)))
    first = strong.limits[0]
    soft = changed(strong, ("stages", 1, "wheel_material"), "PLA, printed")
    assert soft.limits[0].name == "stage 2 wheel"
    assert soft.limits[0].output < first.output
    warm = changed(soft, ("works_at",), 273.15 + 50)
    across = changed(soft, ("across_layers",), 0.5)
    assert warm.limits[0].output < soft.limits[0].output
    assert across.limits[0].output == pytest.approx(soft.limits[0].output / 2, rel=1e-6)


def test_planets_share_the_force_and_the_ring_of_two_is_worked_out_by_statics():
    """With three even planets a sun tooth carries a third, with uneven ones K_γ times that; torque
    balance of an ideal planetary: sun : ring : carrier = 1 : R/S : 1 + R/S.
    """
    stages = (
        PlanetaryStage(planets=n, mesh_load_factor=k, friction=Measured(0.0))
        for n, k in ((1, 1.0), (3, 1.0), (3, 1.25))
    )
    limits = [next(x for x in Build(stages=(s,)).limits if x.part == "sun") for s in stages]
    assert limits[1].output == pytest.approx(3 * limits[0].output)
    assert limits[2].output == pytest.approx(3 / 1.25 * limits[0].output)
    assert limits[0].carried(5.0) == pytest.approx(5.0 / (1 + 48 / 12))


def test_own_materials_go_before_the_table_and_unknown_ones_are_said():
    build = Build(stages=(SpurStage(material="mystery"),))
    assert found(build, "material-unknown")
    assert not build.limits
    own = Material(name="mystery", density=1200.0, modulus=2e9, strength=40e6, softens=350.0)
    known = changed(build, ("materials",), (own,))
    assert found(known, "material-unknown") is None
    assert known.limits


def test_the_fuse_part_is_checked():
    build = Build(stages=(SpurStage(face_width=2e-3), SpurStage()), fuse="stage 1 pinion")
    first = build.limits[0].name
    assert first == "stage 2 pinion"  # the second stage carries four times the torque
    assert found(build, "fuse-not-first").severity == "wrong"
    assert found(changed(build, ("fuse",), "stage 2 pinion"), "fuse-first")
    assert found(changed(build, ("fuse",), "shear pin"), "fuse-unknown")


def test_a_drive_that_can_break_itself_is_told_so_unless_a_clutch_slips_first():
    build = Build(
        stages=(SpurStage(wheel=60), SpurStage(wheel=60), SpurStage(wheel=60, face_width=3e-3))
    )
    judged = found(build, "breaks-before-stall")
    assert judged.severity == "wrong"
    assert "stage 3 pinion" in explain(judged)
    clutch = changed(build, ("stages",), (*build.stages, ClutchStage(slips_at=0.5)))
    assert found(clutch, "breaks-before-stall") is None
    assert "slips" in explain(found(clutch, "weakest-part")).casefold()


@pytest.mark.parametrize(
    ("stage", "id_"),
    [
        (PlanetaryStage(ring=50), "not-coaxial"),
        (PlanetaryStage(sun=13, ring=49), "unequal-spacing"),
        (PlanetaryStage(planets=6), "planets-collide"),
        (PlanetaryStage(support="on one side"), "planets-unsupported"),
        (SplitRingStage(upper_ring=64), "not-coaxial"),
        (SplitRingStage(), "planet-phases"),
        (SpurStage(wheel_module=1.0583e-3), "does-not-mesh"),
        (SpurStage(pinion=9), "undercut"),
        (SpurStage(pinion=20, wheel=20, opening=1.2e-3), "contact-ratio"),
        (SpurStage(pinion=30, wheel=35, mesh="internal"), "tips-foul"),
        (StrainWaveStage(ring=93), "nodes-do-not-fit"),
        (CycloidStage(eccentricity=2.2e-3), "cycloid-loops"),
        (CycloidStage(pin_diameter=9.6e-3, eccentricity=1.8e-3), "cycloid-undercut"),
        (CycloidStage(pins=36, pin_diameter=6e-3, eccentricity=0.4e-3), "pins-touch"),
        (CycloidStage(discs=1), "one-disc"),
        (MagneticStage(segments=11), "segments-do-not-fit"),
        (BeltStage(links=30), "belt-too-short"),
        (BeltStage(driving=10, driven=60, links=70), "few-teeth-engaged"),
        (ShiftStage(distance=29e-3), "pair-does-not-fit-axes"),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_what_does_not_assemble_or_mesh_is_said_where_it_is(stage, id_):
    build = Build(stages=(SpurStage(pinion=18, wheel=36), stage))
    judged = found(build, id_)
    assert judged is not None
    assert judged.place.startswith("build.stages.1.")
    assert judged.place.rpartition(".")[2] in type(stage).model_fields
    assert judged.title.startswith("Stage 2: ")
    assert explain(judged)


def test_holding_is_judged_by_what_is_wanted():
    worm = Build(stages=(WormStage(),))
    assert found(worm, "holds").severity == "note"
    assert found(changed(worm, ("holding",), "must turn back"), "holds").severity == "wrong"
    spur = Build(holding="must hold by itself")
    assert found(spur, "turns-back").severity == "wrong"
    dragging = Build(stages=(SpurStage(), SpurStage(drag=0.0), SpurStage()))
    stiff = changed(dragging, ("stages", 0, "drag"), 2e-3)
    needs = [found(b, "turns-back").facts["needs"].value for b in (dragging, stiff)]
    assert needs[0] == pytest.approx(0.0, abs=1e-9)
    # carried to the output it grew with the ratio, and by the losses on the way
    assert needs[1] > 2e-3 * 16


def test_speed_range_sharing_and_convention_are_judged():
    assert found(Build(fastest=300.0), "over-speed")
    assert found(Build(fastest=3000.0), "over-speed") is None
    stall = predict.stall_torque(Build(), 12.0)
    for share, id_ in ((1.1, "load-stalls-motor"), (0.6, "motor-overloaded"), (0.01, "motor-idle")):
        assert found(Build(expected_load=share * stall), id_)
    assert found(Build(expected_load=0.2 * stall), "motor-overloaded") is None
    assert found(Build(stages=(SpurStage(pinion=48, wheel=12),)), "step-up")
    slow = MotorReadings(no_load_speed=Measured(300.0, 1.0))
    assert found(Build(further_motors=(FurtherMotor(readings=slow),)), "motors-share").severity in (
        "caution",
        "wrong",
    )
    turned = Build(stages=(ClutchStage(type="one-way", drives="backwards"),))
    assert found(turned, "one-way-runs-free").severity == "wrong"


def test_circulating_power_is_told_with_its_size():
    """In the planet–turning ring mesh of a split ring, power over input is that of the closed
    form's denominators.
    """
    told = found(Build(stages=(SplitRingStage(),)), "power-circulates")
    assert told is not None
    assert found(Build(stages=(PlanetaryStage(),)), "power-circulates") is None
    ideal = Build(stages=(SplitRingStage(friction=Measured(0.0)),)).flow(1.0)
    carrier, out = ideal.speeds["stage 1 carrier"], ideal.speeds["output"]
    last = next(m for m in ideal.meshes if m.mesh.contact == "planet–turning ring")
    # load times the ring's speed as the carrier sees it
    assert last.power == pytest.approx(abs(1.0 * (out - carrier)))


def test_teeth_warm_with_power_and_friction():
    """VDI 2736-2's form: proportional to power, friction and loss factor, falling with the 0.75th
    power of the speed.
    """
    base = strength.tooth_temperature(5.0, 0.2, 0.2, 8e-3, 20, 1.0, 1e-3)
    assert base > 293.15
    assert strength.tooth_temperature(
        10.0, 0.2, 0.2, 8e-3, 20, 1.0, 1e-3
    ) - 293.15 == pytest.approx(2 * (base - 293.15))
    assert strength.tooth_temperature(5.0, 0.2, 0.2, 8e-3, 20, 2.0, 1e-3) - 293.15 == pytest.approx(
        (base - 293.15) / 2**0.75
    )
    assert strength.tooth_temperature(0.0, 0.2, 0.2, 8e-3, 20, 0.0, 1e-3) == 293.15


@pytest.mark.parametrize(
    "stage",
    [
        WormStage(material="yard resin"),
        CycloidStage(material="yard resin"),
        SpurStage(material="yard resin"),
    ],
    ids=lambda s: s.kind,
)
def test_own_materials_and_warmth_count_in_every_kind(stage):
    """A limit that is no tooth pair depends on the build's own materials and on its temperature
    like the others.
    """
    own = Material(
        name="yard resin", density=1200.0, modulus=2e9, strength=40e6, softens=343.15, printed=True
    )
    cold = Build(stages=(stage,), materials=(own,))
    limits = {x.part: x.output for x in cold.limits}
    warm = {x.part: x.output for x in changed(cold, ("works_at",), 333.15).limits}
    across = {x.part: x.output for x in changed(cold, ("across_layers",), 0.5).limits}
    part = {"worm": "wheel", "cycloid": "disc", "spur": "pinion"}[stage.kind]
    assert warm[part] < 0.75 * limits[part]
    assert across[part] == pytest.approx(limits[part] / 2, rel=1e-3)


def test_every_named_material_must_be_known():
    build = Build(
        stages=(
            CycloidStage(pin_material="glass"),
            SpurStage(wheel_material="oak", input_joint=Joint(shaft="ash")),
        )
    )
    told = explain(found(build, "material-unknown"))
    assert all(name in told for name in ("glass", "oak", "ash"))


def test_a_fuse_is_the_part_of_that_whole_name_where_there_is_one():
    """“stage 1 pinion” is not also its mesh, “stage 1 pinion–wheel”."""
    build = Build(stages=(SpurStage(material="steel"),), fuse="stage 1 pinion")
    assert [x.part for x in build.limits if build.is_fuse(x)] == ["pinion"]
    assert {x.part for x in build.limits if changed(build, ("fuse",), "wheel").is_fuse(x)} == {
        "wheel",
        "pinion–wheel",
    }
