"""Trains turn, carry and lose as they should."""

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from sparring.core.build import MOTOR, OUTPUT, Build
from sparring.core.train import kinematics as K
from sparring.core.train.kinds.spur import SpurStage
from sparring.core.train.pair import Pair
from sparring.core.train.torque import SelfLocking, back_drive_efficiency, solve_torques

stages = st.builds(
    SpurStage,
    pinion=st.integers(12, 40),
    wheel=st.integers(12, 90),
    module=st.floats(0.5e-3, 3e-3),
    drag=st.floats(0, 0.01),
)
builds = st.builds(lambda s: Build(stages=tuple(s)), st.lists(stages, min_size=1, max_size=5))


@given(builds, st.floats(0.01, 5.0), st.floats(1.0, 1000.0))
def test_power_balances_and_efficiency_stays_below_one(build, load, speed):
    flow = build.flow(load, speed)
    lost = sum(flow.mesh_losses.values()) + sum(flow.drag_losses.values())
    assert flow.power_in == pytest.approx(flow.power_out + lost, rel=1e-9)
    assert all(loss >= -1e-12 for loss in flow.mesh_losses.values())
    assert 0 < flow.efficiency <= 1


@given(builds)
def test_every_element_is_satisfied_and_the_ratio_is_the_product(build):
    speeds = K.solve_speeds(build.elements(), {MOTOR: 100.0})
    for element in build.elements():
        assert sum(c * speeds[s] for s, c in element.row().items()) == pytest.approx(0, abs=1e-8)
    assert build.ratio() == pytest.approx(math.prod(s.ratio for s in build.stages))
    back = K.ratio(build.elements(), OUTPUT, MOTOR)
    assert back * build.ratio() == pytest.approx(1.0)


@given(builds, st.floats(0.05, 3.0))
def test_motor_torque_is_a_straight_line_over_load(build, load):
    a, b = build.torque_line()
    assert build.flow(load).driver_torque == pytest.approx(a * load + b, rel=1e-9)


def test_loose_and_doubly_tied_shafts_are_named():
    mesh = K.external("motor", "drum", 12, 48)
    with pytest.raises(K.TrainError, match=r"motor and drum"):
        K.solve_speeds([mesh], {})
    with pytest.raises(K.TrainError, match="constrained twice"):
        K.solve_speeds([mesh, K.external("motor", "drum", 12, 50)], {"motor": 1.0})
    with pytest.raises(K.TrainError, match="out does not turn"):
        K.ratio(
            [
                K.differential("motor", "out", "cage"),
                K.differential("motor", "held", "cage"),
                K.Ground("held"),
            ],
            "motor",
            "out",
        )


def test_a_worm_below_its_friction_angle_holds_by_itself():
    lead, friction = math.radians(4), math.atan(0.12)
    eta = math.tan(lead) / math.tan(lead + friction)
    back = math.tan(lead - friction) / math.tan(lead)
    worm = K.worm("motor", "output", 1, 40, eta=eta, eta_back=back)
    assert solve_torques([worm], "motor", "output", 1.0).efficiency == pytest.approx(eta)
    assert back_drive_efficiency([worm], "motor", "output") is None
    with pytest.raises(SelfLocking):
        solve_torques([worm], "output", "motor", 1.0)


def test_ratio_is_said_in_words():
    assert K.ratio_in_words(36.0) == "36:1 reduction"
    assert K.ratio_in_words(-1 / 21) == "1:21 step-up, reversing"


@given(st.integers(18, 60), st.integers(18, 90), st.floats(0.5e-3, 3e-3), st.floats(0, 0.3))
def test_opening_the_centres_lowers_the_contact_ratio(z1, z2, module, opened):
    e_closed = Pair(module, z1, z2).contact_ratio()
    try:
        e_open = Pair(module, z1, z2, opening=opened * module).contact_ratio()
    except ValueError:
        assume(False)
    assert e_open <= e_closed + 1e-12


def test_a_build_that_cannot_mesh_is_refused():
    with pytest.raises(ValueError, match="stage 1"):
        Build(stages=(SpurStage(pinion=12, wheel=12, opening=5e-3),))
