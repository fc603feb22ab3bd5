"""Sizes and play of gear pairs measured on the drawn outlines, as calipers and a dial indicator
would, with Shapely as the judge.
"""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon

from sparring.core.train import outlines, teeth
from sparring.core.train.pair import Pair

MM = 1e3


def gear(pair, which):
    """The drawn gear, in millimetres; a ring as the space inside it."""
    z, x = (pair.z1, pair.x1) if which == 1 else (pair.z2, pair.x2)
    if which == 2 and pair.ring:
        return Polygon(
            outlines.ring(pair.module, z, x, pair.alpha, 16, tip=pair.radii(2)[0], helix=pair.helix)
            * MM
        )
    return Polygon(outlines.gear(pair.module, z, x, pair.alpha, 16, pair.helix) * MM)


def meshed(pair, turn=0.0, extra=0.0):
    """(gear 1, gear 2) in mesh, gear 2 turned on by `extra` [rad]."""
    first = affinity.rotate(gear(pair, 1), turn, (0, 0), use_radians=True)
    a = pair.centre_distance() * MM
    if pair.ring:
        angle = teeth.ring_angle(pair.z1, pair.z2, turn, 0.0) + extra
        return affinity.translate(first, a, 0), affinity.rotate(
            gear(pair, 2), angle, (0, 0), use_radians=True
        )
    angle = teeth.meshing_angle(pair.z1, pair.z2, turn, 0.0) + extra
    return first, affinity.translate(
        affinity.rotate(gear(pair, 2), angle, (0, 0), use_radians=True), a, 0
    )


def overlap(pair, turn=0.0, extra=0.0):
    """Area of the overlap [mm²]."""
    first, second = meshed(pair, turn, extra)
    return first.difference(second).area if pair.ring else first.intersection(second).area


pairs = st.builds(
    Pair,
    module=st.sampled_from([0.5e-3, 1e-3, 2e-3]),
    z1=st.integers(9, 40),
    z2=st.integers(12, 70),
    x1=st.floats(-0.2, 0.6),
    x2=st.floats(-0.3, 0.4),
    alpha=st.sampled_from([math.radians(d) for d in (17.5, 20, 25)]),
    helix=st.sampled_from([0.0, math.radians(15), math.radians(30)]),
)


@settings(max_examples=25)
@given(pairs, st.floats(0, 1))
def test_random_outer_pairs_touch_without_overlap(pair, part):
    assume(pair.contact_ratio() > 1.02)
    tips = pair.radii(1)[0] + pair.radii(2)[1], pair.radii(2)[0] + pair.radii(1)[1]
    # heavy shifts take the clearance at the root
    assume(max(tips) < pair.centre_distance() - 0.02 * pair.module)
    turn = part * 2 * math.pi / pair.z1
    first, second = meshed(pair, turn)
    assert first.intersection(second).area < 1e-3 * (pair.module * MM) ** 2 * 0.3
    assert first.distance(second) < 1e-3 * pair.module * MM


@settings(max_examples=20)
@given(
    st.integers(14, 40),
    st.integers(10, 50),
    st.floats(-0.2, 0.4),
    st.floats(0, 1),
    st.sampled_from([0.0, math.radians(20)]),
)
def test_random_gears_run_in_their_rings(z, between, shift, part, helix):
    pair = Pair(1e-3, z, z + between, shift, -shift, ring=True, helix=helix)
    assume(not pair.ring_tips_foul())
    assert overlap(pair, part * 2 * math.pi / z) < 1e-3


@pytest.mark.parametrize(("z1", "z2", "ring"), [(17, 43, False), (20, 20, False), (20, 60, True)])
@pytest.mark.parametrize("opening", [0.05, 0.15])
def test_play_is_what_a_dial_indicator_would_show(z1, z2, ring, opening):
    """Gear 2 turned to and fro by hand, gear 1 held: how far it goes before
    the drawings overlap."""
    pair = Pair(1e-3, z1, z2, opening=opening * 1e-3, ring=ring)

    def free(extra):
        return overlap(pair, 0.0, extra) < 1e-7

    def reach(sign):
        low, high = 0.0, 4 * pair.backlash()
        for _ in range(30):
            mid = (low + high) / 2
            low, high = (mid, high) if free(sign * mid) else (low, mid)
        return low

    assert free(0.0)
    assert reach(1) + reach(-1) == pytest.approx(pair.backlash(), rel=0.02)


@pytest.mark.parametrize(
    ("z", "shift", "slant"),
    [(17, 0.0, 0), (25, 0.3, 0), (40, -0.2, 0), (12, 0.4, 0), (22, 0.1, 18), (30, 0.0, 32)],
)
def test_calipers_over_teeth_measure_the_formula(z, shift, slant):
    """Parallel jaws closed over k teeth of the drawing: the least width of the strip that holds
    them. The jaws stand square to a helical flank, the drawing is cut across the axis: cos β_b
    between them."""
    helix = math.radians(slant)
    across = max(2, round(z * math.radians(20) / math.pi + 0.5))
    drawn = outlines.gear(1e-3, z, shift, teeth.ALPHA_20, 60, helix) * MM
    angles = np.arctan2(drawn[:, 1], drawn[:, 0])
    turn = 0.0 if across % 2 else math.pi / z
    near = drawn[np.abs((angles - turn + math.pi) % (2 * math.pi) - math.pi) < across * math.pi / z]
    flanks = near[
        np.hypot(near[:, 0], near[:, 1]) > teeth.tip_diameter(1.0, z, shift, helix) / 2 - 1.6
    ]
    c, s = math.cos(turn), math.sin(turn)
    across_jaws = -s * flanks[:, 0] + c * flanks[:, 1]
    measured = (across_jaws.max() - across_jaws.min()) * math.cos(
        teeth.base_helix(teeth.ALPHA_20, helix)
    )
    assert measured == pytest.approx(
        teeth.span_over_teeth(1.0, z, across, shift=shift, helix=helix), rel=2e-3
    )


@pytest.mark.parametrize(("z", "shift"), [(20, 0.0), (31, 0.2), (16, 0.3)])
def test_pins_laid_into_the_drawing_measure_the_formula(z, shift):
    pin = 1.7
    gap = affinity.rotate(
        Polygon(outlines.gear(1e-3, z, shift, teeth.ALPHA_20, 120) * MM),
        math.pi / z,
        (0, 0),
        use_radians=True,
    )
    low, high = z / 2 - 1.0, z / 2 + 4.0
    for _ in range(50):
        mid = (low + high) / 2
        low, high = (low, mid) if gap.distance(Point(mid, 0)) >= pin / 2 else (mid, high)
    even = 2 * high if z % 2 == 0 else 2 * high * math.cos(math.pi / (2 * z))
    assert teeth.over_pins(1.0, z, pin, shift=shift) == pytest.approx(even + pin, abs=3e-3)


@pytest.mark.parametrize("z", [12, 14])
def test_an_undercut_tooth_has_a_waist_and_a_shifted_one_has_none(z):
    """The thickness of the drawn tooth over its radius: undercut, it is least between root and
    pitch circle.
    """

    def waist(shift):
        radius, half = outlines.tooth_profile(1.0, z, shift, teeth.ALPHA_20, 40)
        thickness = 2 * radius * np.sin(half)
        inner = radius < z / 2 * math.cos(teeth.ALPHA_20) + 0.3
        return thickness[inner].min() < thickness[radius > radius[inner].max()].max() and np.any(
            np.diff(thickness[inner]) > 1e-4
        )

    assert waist(0.0)
    assert not waist(1 - z * math.sin(teeth.ALPHA_20) ** 2 / 2 + 0.05)


def test_tooth_and_space_share_the_pitch_circle_evenly():
    """Unshifted: half a pitch each, on the drawing cut by the pitch circle; shifted by x: 2 x m tan
    α more tooth.
    """
    for z, shift in ((20, 0.0), (30, 0.25)):
        drawn = Polygon(outlines.gear(1e-3, z, shift, teeth.ALPHA_20, 80) * MM)
        circle = LineString(
            [
                (z / 2 * math.cos(t), z / 2 * math.sin(t))
                for t in np.linspace(0, 2 * math.pi, 40_001)
            ]
        )
        tooth = circle.intersection(drawn).length / z
        assert tooth == pytest.approx(math.pi / 2 + 2 * shift * math.tan(teeth.ALPHA_20), abs=2e-3)
