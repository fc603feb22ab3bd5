"""Worked figures of Shigley's Mechanical Engineering Design (9th ed., chapter 13), quoted from
memory.
"""

import math

import pytest

from sparring.core.train import kinematics as K
from sparring.core.train import teeth
from sparring.core.train.outlines import lewis_form_factor

DEG20 = math.radians(20)


@pytest.mark.parametrize(("ratio", "fewest"), [(1.0, 12.32), (4.0, 15.44), (math.inf, 17.097)])
def test_fewest_pinion_teeth_without_interference(ratio, fewest):
    """Eqs. 13-10, 13-11 and 13-13 at 20 deg, full depth: 12.3 -> 13 with its like, 15.4 -> 16 at
    4:1, 17.1 -> 18 with a rack.
    """
    assert teeth.fewest_without_interference(ratio, DEG20) == pytest.approx(fewest, abs=0.01)


@pytest.mark.parametrize(
    ("pinion", "largest"), [(13, 16), (14, 26), (15, 45), (16, 101), (17, 1309)]
)
def test_largest_gear_for_a_pinion(pinion, largest):
    """Table after eq. 13-12: largest gear with a specified pinion, 20 deg full depth; one tooth
    more wants a larger pinion.
    """
    assert (
        teeth.fewest_without_interference(largest / pinion, DEG20)
        <= pinion
        < teeth.fewest_without_interference((largest + 1) / pinion, DEG20)
    )


@pytest.mark.parametrize(("ratio", "fewest"), [(1.0, 8.48), (math.inf, 11.54)])
def test_fewest_helical_pinion_teeth(ratio, fewest):
    """Eq. 13-22 at 20 deg normal, 30 deg helix (22.80 deg across): 8.48 -> 9 with its like, 11.5 ->
    12 with a rack.
    """
    assert math.degrees(teeth.across(DEG20, math.radians(30))) == pytest.approx(22.80, abs=0.01)
    assert teeth.fewest_without_interference(ratio, DEG20, math.radians(30)) == pytest.approx(
        fewest, abs=0.02
    )


def test_a_stock_helical_gear():
    """Example 13-2: 18 teeth, 20 deg normal, 25 deg helix, 6 teeth an inch across: d = 3 in, 6.62
    teeth an inch square to the tooth, 21.88 deg across, axial pitch 1.123 in."""
    helix, inch = math.radians(25), 25.4e-3
    module = inch / 6 * math.cos(helix)
    assert inch / module == pytest.approx(6.620, abs=1e-3)
    assert teeth.tip_diameter(module, 18, 0.0, helix) - 2 * module == pytest.approx(
        3 * inch, rel=1e-9
    )
    assert math.degrees(teeth.across(DEG20, helix)) == pytest.approx(21.88, abs=0.01)
    assert teeth.overlap_ratio(module, 1.123 * inch, helix) == pytest.approx(1.0, abs=1e-3)


def test_virtual_teeth_come_near_the_cube_rule():
    """Eq. 13-20: N' = N/cos³ ψ, which leaves the base helix out of account."""
    for z, slant in ((18, 25), (30, 15), (12, 30)):
        helix = math.radians(slant)
        assert teeth.virtual_teeth(z, DEG20, helix) == pytest.approx(
            z / math.cos(helix) ** 3, rel=0.04
        )


def test_exact_30_to_1_in_two_steps():
    """Example 13-4: 30 = 6 x 5 exactly, with 72/12 and 60/12."""
    train = [K.external("in", "mid", 72, 12), K.external("mid", "out", 60, 12)]
    assert K.ratio(train, "in", "out") == pytest.approx(1 / 30)


def test_planetary_with_a_held_ring():
    """Example 13-6: sun 20 at 100 rev/min, planet 30, ring 80 held: the arm turns at 20, the planet
    at -33.3 rev/min.
    """
    train = [
        K.external("sun", "planet", 20, 30, "arm"),
        K.internal("planet", "ring", 30, 80, "arm"),
        K.Ground("ring"),
    ]
    speeds = K.solve_speeds(train, {"sun": 100.0})
    assert speeds["arm"] == pytest.approx(20.0)
    assert speeds["planet"] == pytest.approx(-33.333, abs=1e-3)


LEWIS = {
    12: 0.245,
    13: 0.261,
    14: 0.277,
    15: 0.290,
    16: 0.296,
    17: 0.303,
    18: 0.309,
    19: 0.314,
    20: 0.322,
    21: 0.328,
    22: 0.331,
    24: 0.337,
    26: 0.346,
}
LEWIS |= {
    28: 0.353,
    30: 0.359,
    34: 0.371,
    38: 0.384,
    43: 0.397,
    50: 0.409,
    60: 0.422,
    75: 0.435,
    100: 0.447,
    150: 0.460,
    300: 0.472,
    400: 0.480,
}


@pytest.mark.parametrize(("teeth_", "factor"), LEWIS.items())
def test_form_factor_of_the_true_tooth_against_the_table(teeth_, factor):
    """Table 14-2 (Lewis form factor Y, 20 deg full depth). Ours comes from the drawn tooth with the
    fillet of an ISO 53 rack, the table from tooth layouts with another fillet: 6 % is allowed, ours
    being the lower nearly everywhere.
    """
    assert lewis_form_factor(teeth_) == pytest.approx(factor, rel=0.06)
    assert lewis_form_factor(teeth_) < factor * 1.01
