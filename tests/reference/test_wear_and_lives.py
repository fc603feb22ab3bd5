"""Wear, lives and load cycles against what is published, counted out or integrated elsewhere."""

import json
import math

import numpy as np
import pytest
from independent import wearing
from scipy.stats import CensoredData, weibull_min

from sparring.core.build import Build
from sparring.core.lives import few, loads, weibull
from sparring.core.lives.cycles import cycles_of
from sparring.core.train.kinds.planetary import PlanetaryStage
from sparring.core.wear import hunting
from sparring.core.wear.inspection import Size
from sparring.core.wear.parts import flanks_of, gears_of
from sparring.core.wear.thinning import thinner

BUILD = Build.from_json(json.dumps(wearing.build()))
# Lieblein and Zelen 1956, millions of turns of 23 ball bearings (from memory, as in Meeker and
# Escobar 1998); published there: shape 2.10, scale 81.9, log likelihood −113.691
BEARINGS = [
    *(17.88, 28.92, 33.0, 41.52, 42.12, 45.6, 48.48, 51.84, 51.96, 54.12, 55.56, 67.8),
    *(68.64, 68.64, 68.88, 84.12, 93.12, 98.64, 105.12, 105.84, 127.92, 128.04, 173.4),
]


def test_a_flank_wears_as_an_integration_along_its_path_of_contact_says():
    by_name = {f.body: f for f in flanks_of(BUILD)}
    load, k = 0.7, 2e-15
    for n, (stage, ratio, turns) in enumerate(zip(wearing.STAGES, (9.0, 3.0), (9, 3), strict=True)):
        depths = wearing.depths_per_turn(*stage, load / ratio, k, k)
        each = (depths[0] * turns, depths[1] * turns / 3)
        for part, depth in zip(("pinion", "wheel"), each, strict=True):
            flank = by_name[f"stage {n + 1} {part}"]
            assert k * flank.exposure(1.0, 2 * math.pi * load) == pytest.approx(depth, rel=2e-3)


def test_the_formula_of_the_guideline_by_hand():
    """W = 2π T N H_V k_w/(b z l_fl) (VDI 2736-2:2014, from memory), its factors by a calculator for
    18/54 teeth, module 1: H_V = 0.1670, l_fl = 1.670 mm.
    """
    e1, e2 = 0.7648, 0.8839  # tip contact ratios (√(10² − 8.457²) − 3.078)/2.952 and so on
    h_v = math.pi * (3 + 1) / (18 * 3) * (1 - (e1 + e2) + e1**2 + e2**2)
    base, pitch = 9 * math.cos(wearing.ALPHA), math.pi * math.cos(wearing.ALPHA)
    middle = 9 * math.sin(wearing.ALPHA)
    l_fl = ((middle + e1 * pitch) ** 2 - (middle - e2 * pitch) ** 2) / (2 * base)
    torque, turns, k_w = 0.1, 1e6, 2e-6  # N·m, of the pinion, mm³/(N·m)
    depth = 2 * math.pi * torque * turns * h_v * k_w / (6 * 18 * l_fl)  # mm
    pinion = flanks_of(BUILD)[0]
    ours = k_w * 1e-9 * pinion.exposure(turns / 9, 2 * math.pi * 0.9 * turns / 9) * 1e3
    assert ours == pytest.approx(depth, rel=2e-3)


def test_play_of_a_planetary_by_hand():
    """The gap j between sun and planets lets the carrier turn by j/(r_b,sun) · z_s/(z_s + z_r)."""
    build = Build(stages=(PlanetaryStage(),))
    sun = flanks_of(build)[0]
    base = 6e-3 * math.cos(math.radians(20))
    assert sun.lever == pytest.approx(12 / 60 / base, rel=1e-9)


@pytest.mark.parametrize("depth", [0.0, 0.02e-3, 0.12e-3])
def test_thinner_teeth_are_found_from_sizes_reckoned_elsewhere(depth):
    gear = gears_of(BUILD)[0]
    spanned = Size(
        part=gear.name, kind="span", over=3, readings=(wearing.span(18, 1e-3, 3, depth),)
    )
    pins = wearing.over_pins(18, 1e-3, wearing.PIN, depth)
    over = Size(part=gear.name, kind="over pins", pin=wearing.PIN, readings=(pins,))
    for size in (spanned, over):
        assert thinner(gear, size, size.readings[0])[0] == pytest.approx(depth, abs=2e-9)


def test_which_teeth_meet_by_turning_every_pair_up_to_60_teeth():
    for z1 in range(6, 61):
        for z2 in range(6, 61):
            g, seen, i, j = hunting.factor(z1, z2), set(), 0, 0
            while (i, j) not in seen:  # tooth after tooth, until the first two meet again
                seen.add((i, j))
                i, j = (i + 1) % z1, (j - 1) % z2
            assert len(seen) == z1 * z2 // g
            met = sorted(b + 1 for a, b in seen if a == 3)
            assert hunting.meets(4, z2, z1, meeting=(1, 1), ring=False) == met
            bad = {a + 1 for a, b in seen if b == 0}  # by one bad tooth of the mate
            expected = g if 1 < g < z1 else None
            assert hunting.period(bad, z1, z2) == expected


def test_hunting_ratios_have_no_common_factor_and_stay_close():
    for x in hunting.hunting_near(14, 84):
        assert math.gcd(x.z1, x.z2) == 1
    assert abs(hunting.hunting_near(14, 84)[0].change) < 0.03


def test_weibull_of_a_published_test_of_ball_bearings():
    found = weibull.fit(BEARINGS, [True] * 23)
    assert found.shape.value == pytest.approx(2.10, abs=0.005)
    assert found.scale.value == pytest.approx(81.9, abs=0.05)
    assert found.log_likelihood == pytest.approx(-113.691, abs=0.001)


@pytest.mark.whole
@pytest.mark.parametrize("last", [23, 15, 8])
def test_weibull_as_scipy_fits_it_with_censored_lives(last):
    t, failed = np.array(BEARINGS), np.arange(23) < last
    t = np.minimum(t, t[last - 1])
    ours = weibull.fit(t, failed)
    shape, _, scale = weibull_min.fit(CensoredData(uncensored=t[failed], right=t[~failed]), floc=0)
    assert ours.shape.value == pytest.approx(shape, rel=1e-4)
    assert ours.scale.value == pytest.approx(scale, rel=1e-4)
    # the bounds by χ²: where twice the log likelihood has fallen by 3.841, by SciPy's density
    best = _likelihood(t, failed, shape, scale)
    for edge in ours.b10.usual:
        held = max(
            _likelihood(t, failed, b, edge / (-math.log(0.9)) ** (1 / b))
            for b in np.geomspace(shape / 4, shape * 4, 4001)
        )
        assert 2 * (best - held) == pytest.approx(3.8415, abs=2e-3)


def _likelihood(t, failed, shape, scale):
    law = weibull_min(shape, scale=scale)
    return law.logpdf(t[failed]).sum() + law.logsf(t[~failed]).sum()


def test_median_ranks_of_ten_with_one_taken_out():
    """Bernard's (i − 0.3)/(n + 0.4): 6.73, 16.35, 25.96 % of ten; Johnson's corrected ranks after
    a suspension at the third place: 3.125, 4.25 (worked by hand).
    """
    ranks = weibull.median_ranks([1, 2, 3, 4, 5, *[6] * 5], [1, 1, 0, 1, 1, *[0] * 5])
    assert [p for _, p in ranks[:2]] == pytest.approx([0.0673, 0.1635], abs=1e-4)
    assert [p * 10.4 + 0.3 for _, p in ranks[2:]] == pytest.approx([3.125, 4.25])


def test_survivors_alone():
    """22 survivors show 90 % with 90 %; 59 show 95 % with 95 % (common tables of success runs)."""
    assert (few.needed(0.9, 0.9), few.needed(0.95, 0.95)) == (22, 59)
    assert few.success_run(22, 1e6).reliability == pytest.approx(0.9, abs=0.002)


def test_cycles_of_the_example_in_astm_e1049():
    """Figure 6 and its table: ranges 3, 4, 6, 8, 9 with ½, 1½, ½, 1, ½ cycles (from memory)."""
    found = cycles_of(np.array([-2, 1, -3, 5, -1, 3, -4, 4, -2.0]))
    assert {r: n for r, _, _, n in found.by_range()} == {3: 0.5, 4: 1.5, 6: 0.5, 8: 1.0, 9: 0.5}


def test_a_load_life_line_and_miners_sum_of_planted_lives():
    rng = np.random.default_rng(5)
    inside = 0
    for _ in range(40):
        load = np.repeat([0.5, 0.7, 1.0], 6)
        t = 1e6 * load**-3.0 * rng.weibull(2.0, 18)
        line = loads.fit(np.minimum(t, 8e6), t < 8e6, load)
        inside += abs(line.slope - 3.0) <= 2 * line.u_slope
    assert inside >= 33  # of 40 at 95 %, the normal interval of few lives being short
    log = np.tile([0.0, 0.7], 100)
    damage = loads.miner(cycles_of(np.append(log, 0.0)), line)
    assert damage.sum == pytest.approx(100 / line.life(0.7)[0], rel=1e-6)
    assert damage.outside == 0.0
