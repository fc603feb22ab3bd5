"""Every kind of stage, alone and chained."""

import math

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from sparring.core import inventory, predict
from sparring.core.build import MOTOR, OUTPUT, Build
from sparring.core.motor import FurtherMotor, MotorReadings, from_readings, shares
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.core.revise import differences, mirrored, split
from sparring.core.train import kinematics as K
from sparring.core.train.kinds import (
    KINDS,
    BeltStage,
    BevelStage,
    ClutchStage,
    CycloidStage,
    DifferentialStage,
    MagneticStage,
    PlanetaryStage,
    ShiftStage,
    SplitRingStage,
    SpurStage,
    StrainWaveStage,
    WormStage,
)
from sparring.core.train.teeth import overlap_ratio
from sparring.core.train.tooth_strength import bending_torque, flank_torque, thrust
from sparring.core.train.torque import SelfLocking, solve_torques

mu = st.floats(0, 0.3).map(lambda v: Measured(v, v / 10))
small = st.floats(0, 0.03).map(lambda v: Measured(v, v / 10))
teeth = st.integers(12, 60)
slant = st.sampled_from([0.0, 0.3, 0.6])


@st.composite
def planetary(draw):
    sun, planet = draw(st.integers(10, 40)), draw(st.integers(12, 40))
    driven, held = draw(st.permutations(["sun", "carrier", "ring"]))[:2]
    return PlanetaryStage(
        sun=sun,
        planet=planet,
        ring=sun + 2 * planet,
        driven=driven,
        held=held,
        planets=draw(st.integers(1, 6)),
        friction=draw(mu),
        helix=draw(slant),
    )


@st.composite
def magnetic(draw):
    p, q = draw(st.integers(1, 9)), draw(st.integers(10, 30))
    driven, held = draw(st.permutations(["inner", "outer", "segments"]))[:2]
    return MagneticStage(
        inner=p, outer=q, segments=p + q, driven=driven, held=held, loss=draw(small)
    )


stage = st.one_of(
    st.builds(
        SpurStage, pinion=teeth, wheel=teeth, friction=mu, drag=st.floats(0, 0.01), helix=slant
    ),
    st.builds(
        SpurStage,
        pinion=st.integers(12, 30),
        wheel=st.integers(45, 90),
        mesh=st.just("internal"),
        friction=mu,
    ),
    st.builds(BevelStage, pinion=teeth, wheel=teeth, friction=mu),
    st.builds(
        DifferentialStage,
        driven=st.just("side gear"),
        held=st.sampled_from(["cage", "other side gear"]),
        friction=mu,
    ),
    st.builds(
        WormStage,
        starts=st.integers(1, 4),
        wheel=st.integers(20, 60),
        hand=st.sampled_from(["left", "right"]),
        friction=mu,
    ),
    st.builds(BeltStage, driving=teeth, driven=teeth, links=st.just(200), loss=small),
    st.builds(StrainWaveStage, held=st.sampled_from(["ring", "flexible"]), loss=small),
    st.builds(
        CycloidStage,
        pins=st.integers(5, 20),
        eccentricity=st.just(0.8e-3),
        held=st.sampled_from(["pins", "disc"]),
        loss=small,
    ),
    st.builds(ClutchStage),
    st.builds(ShiftStage, engaged=st.integers(1, 2), friction=mu),
    st.builds(SplitRingStage, friction=mu),
    planetary(),
    magnetic(),
)
trains = st.lists(stage, min_size=1, max_size=4).map(tuple)


def build_of(stages):
    try:
        return Build(stages=stages)
    except ValueError:  # holds in the driving direction, or the teeth do not reach
        assume(False)


@settings(deadline=None)
@given(trains, st.floats(0.001, 5.0), st.floats(1.0, 500.0))
def test_any_train_satisfies_its_elements_and_balances_its_power(stages, load, speed):
    build = build_of(stages)
    elements = build.elements()
    speeds = K.solve_speeds(elements, {MOTOR: speed})
    for e in elements:
        row = e.row()
        assert (
            abs(sum(c * speeds[s] for s, c in row.items()))
            <= 1e-9 * sum(abs(c * speeds[s]) for s, c in row.items()) + 1e-9
        )
    flow = build.flow(load, speed)
    lost = sum(flow.mesh_losses.values()) + sum(flow.drag_losses.values())
    assert flow.power_in == pytest.approx(
        flow.power_out + lost, rel=1e-9, abs=1e-9 * max(1.0, sum(m.power for m in flow.meshes))
    )
    assert all(m.loss >= -1e-9 * max(m.power, 1e-12) for m in flow.meshes)
    assert 0 < flow.efficiency <= 1 + 1e-12


@settings(deadline=None)
@given(trains)
def test_input_and_output_exchanged_twice_is_the_same_train(stages):
    build = build_of(stages)
    there = K.ratio(build.elements(), MOTOR, OUTPUT)
    back = K.ratio(build.elements(), OUTPUT, MOTOR)
    assert there * back == pytest.approx(1.0)
    assert there == pytest.approx(math.prod(s.ratio for s in build.stages))
    try:
        returned = solve_torques(build.elements(), OUTPUT, MOTOR, 1e-3)
    except SelfLocking:
        return
    assert returned.power_in >= returned.power_out * (1 - 1e-12)


@settings(deadline=None, max_examples=40)
@given(trains)
def test_any_build_is_read_back_from_its_file_judged_drawn_and_weighed(stages):
    from sparring.core.findings.build import judge_build

    build = build_of(stages)
    assert Build.from_json(build.to_json()).to_json() == build.to_json()
    for finding in judge_build(build, 12.0):
        assert finding.title
        assert finding.why
        assert finding.place.startswith("build.")
    inv = inventory.take(build)
    assert inv.mass > 0
    assert inv.inertia_in > build.motor.inertia * 0.999
    assert [x.output for x in build.limits] == sorted(x.output for x in build.limits)


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.TITLE)
def test_every_template_assembles_and_asks_for_fields_it_has(kind):
    stage = kind()
    assert not [f for f in stage.faults() if f.severity == "wrong"]
    assert all(field in kind.model_fields for _, field in kind.FIELDS)
    assert {b.field for b in stage.bodies("a", "b", "s") if b.field} <= set(kind.model_fields)


def test_two_unequal_motors_share_unequally_and_make_one_line():
    first = MotorReadings()
    second = changed(first, ("no_load_speed",), Measured(first.no_load_speed.value * 0.9))
    build = Build(
        motor=first,
        further_motors=(FurtherMotor(readings=second), FurtherMotor(readings=first, gearing=2.0)),
    )
    lines = build.motor_lines()
    line = build.motor_line()
    for speed in (0.0, 100.0, 250.0):
        torques = shares(lines, speed, 12.0)
        assert sum(torques) == pytest.approx(line.torque_from_speed(speed, 12.0))
        currents = sum((12.0 - m.k * g * speed) / m.R for m, g in lines)
        assert line.current(sum(torques), 12.0) == pytest.approx(currents)
    assert torques[0] != pytest.approx(torques[1])
    assert line.between > 0
    one = Build(further_motors=(FurtherMotor(),))
    assert one.motor_line().between == pytest.approx(0.0, abs=1e-12)
    assert predict.stall_torque(one, 12.0) == pytest.approx(
        2 * predict.stall_torque(Build(), 12.0), rel=1e-9
    )
    assert one.motor_line().k == pytest.approx(from_readings(one.motor).k)


def test_the_speeds_of_a_box_are_states_of_one_build():
    build = Build(stages=(ShiftStage(), SpurStage()))
    low, high = (abs(changed(build, ("stages", 0, "engaged"), n).ratio()) for n in (1, 2))
    assert (low, high) == (pytest.approx(12), pytest.approx(16 / 3))
    with pytest.raises(RecordError, match="there are 2 pairs"):
        changed(build, ("stages", 0, "engaged"), 3)
    direct = Build(stages=(PlanetaryStage(held="locked"),))
    assert direct.ratio() == pytest.approx(1)


def test_a_stage_is_split_mirrored_and_compared():
    whole = SpurStage(pinion=12, wheel=108)
    first, second = split(whole)
    assert first.wheel / first.pinion * second.wheel / second.pinion == pytest.approx(9, rel=0.01)
    with pytest.raises(ValueError, match="spur"):
        split(WormStage())
    build = Build(title="left", stages=(WormStage(), ClutchStage(type="one-way")))
    other = mirrored(build)
    assert other.ratio() == pytest.approx(-build.ratio())
    assert mirrored(other) == build
    assert ("stage 1, hand", "right", "left") in differences(build, other)


def test_a_stage_of_an_unknown_kind_or_a_held_driver_is_refused_in_words():
    with pytest.raises(RecordError, match=r"stages\.0: this kind of stage is not known"):
        Build.from_json('{"stages": [{"kind": "wurm"}]}')
    with pytest.raises(ValueError, match="both input and fixed"):
        PlanetaryStage(driven="ring", held="ring")


WILD = [
    "1e-12 mm",
    "0.1 mm",
    "1 mm",
    "20 mm",
    "90 mm",
    "9 m",
    "10 deg",
    "35 deg",
    "0",
    "0.01",
    "0.5",
    "1",
    "-0.9",
    "1.4",
    "0.001 mN·m",
    "900 N·m",
    "1 %",
    "89 %",
]


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.TITLE)
def test_wild_figures_are_refused_in_words_or_carried_through(kind):
    """Any figures in any field: either a RecordError, or everything that Build shows can be worked
    out.
    """
    import json
    import random

    from sparring.core.findings.build import judge_build

    rng = random.Random(kind.TITLE)
    plain = json.loads(kind().model_dump_json())
    taken = 0
    for _ in range(40):
        wild = dict(plain)
        for name in rng.sample(sorted(plain), min(3, len(plain))):
            old = plain[name]
            if isinstance(old, bool) or name in ("kind", "pairs"):
                continue
            if isinstance(old, int):
                wild[name] = rng.choice([1, 2, 4, 5, 7, 12, 13, 40, 181, 1999])
            elif isinstance(old, float):
                wild[name] = rng.choice([-1.0, -0.4, 0.0, 0.6, 1.2, 1.5])
            elif isinstance(old, str) and old[:1].isdigit():
                wild[name] = rng.choice(WILD)
        try:
            build = Build.from_json(json.dumps({"stages": [wild]}))
        except RecordError as err:
            assert str(err)
            continue
        taken += 1
        for finding in judge_build(build, 12.0):
            assert finding.title
        flow = predict.power_flow(build, predict.stall_torque(build, 12.0) * 0.4, 12.0)
        assert math.isfinite(flow.wire_to_shaft)
        assert all(math.isfinite(x.output) for x in build.limits)
        assert math.isfinite(inventory.take(build).mass)
    assert taken > 2


def test_a_helix_makes_a_pair_wider_smoother_and_stronger_and_pushes_along_its_shaft():
    """Beside straight teeth of the same rack: centres over cos β, less loss, the overlap of b sin
    β/(π m), and a thrust whose power the mesh does not feel."""
    straight = SpurStage(pinion=20, wheel=60, face_width=10e-3)
    helical = changed(straight, ("helix",), math.radians(20))
    p, q = straight.pair(), helical.pair()
    assert q.centre_distance() == pytest.approx(p.centre_distance() / math.cos(math.radians(20)))
    assert q.contact_ratio() < p.contact_ratio()  # across the axis alone
    assert q.contact_ratio() + overlap_ratio(q.module, 10e-3, q.helix) > p.contact_ratio() + 0.8
    assert helical.efficiency() > straight.efficiency()
    for strength in (
        lambda pair: bending_torque(pair, 1, 10e-3, "POM")[0],
        lambda pair: flank_torque(pair, 10e-3, "POM", "POM")[0],
    ):
        assert strength(q) > strength(p)
    force = 1.5 / (q.across_module * 20 / 2)
    assert thrust(q, 1.5) == pytest.approx(force * math.tan(math.radians(20)))
    assert thrust(q, 4.5, gear=2) == pytest.approx(thrust(q, 1.5))
    assert thrust(p, 1.5) == 0
