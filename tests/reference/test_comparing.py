"""Differences, corrections, sameness and mixed models against statsmodels, SciPy and published
examples.
"""

import contextlib
import math
import warnings

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.regression.mixed_linear_model import MixedLM, VCSpec
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.weightstats import ttost_ind

from sparring.core.compare import apart
from sparring.core.compare.factors import design
from sparring.core.compare.known import Known
from sparring.core.compare.mixed import mixed
from sparring.core.compare.tradeoff import standing

# yields of PlantGrowth (Dobson 1983, An Introduction to Statistical Modelling, table 7.1; as R
# ships it, from memory)
CTRL = [4.17, 5.58, 5.18, 6.11, 4.50, 4.61, 5.17, 4.53, 5.33, 5.14]
TRT1 = [4.81, 4.17, 4.41, 3.59, 5.87, 3.83, 6.03, 4.89, 4.32, 4.69]
TRT2 = [6.31, 5.12, 5.54, 5.50, 5.37, 5.29, 4.92, 6.15, 5.80, 5.26]
# Dyestuff (Davies 1947, Statistical Methods in Research and Production): five yields of six batches
DYE = [1545, 1440, 1440, 1520, 1580, 1540, 1555, 1490, 1560, 1495, 1595, 1550, 1605, 1510, 1560]
DYE += [1445, 1440, 1595, 1465, 1545, 1595, 1630, 1515, 1635, 1625, 1520, 1455, 1450, 1480, 1445]
# oats (Yates 1935, Complex experiments): 6 blocks × 3 varieties (whole plots) × 4 nitrogen
OATS = """111 130 157 174 117 114 161 141 105 140 118 156 61 91 97 100 70 108 126 149 96 124 121 144
68 64 112 86 60 102 89 96 89 129 132 124 74 89 81 122 64 103 132 133 70 89 104 117
62 90 100 116 80 82 94 126 63 70 109 99 53 74 118 113 89 82 86 104 97 99 119 121"""


def known(y, of, **shared):
    n = len(y)
    rounds = {f"{of}{k}": float(v) for k, v in enumerate(y)}
    u = float(np.std(y, ddof=1)) / math.sqrt(n)
    return Known(float(np.mean(y)), u, n - 1.0, shared, rounds)


def test_welch_and_holm_are_those_published_for_plant_growth():
    of = [known(y, name) for name, y in (("c", CTRL), ("a", TRT1), ("b", TRT2))]
    found = apart.pairs(of, [(0, 1), (0, 2), (1, 2)])
    # R's t.test on these (from memory): t 1.1913 on 16.52, 2.134 on 16.79, 3.0101 on 14.10
    assert np.abs(found.value / found.u) == pytest.approx([1.1913, 2.134, 3.0101], abs=1e-3)
    assert found.freedom == pytest.approx([16.52, 16.79, 14.10], abs=0.01)
    pairs = [(CTRL, TRT1), (CTRL, TRT2), (TRT1, TRT2)]
    p = [stats.ttest_ind(x, y, equal_var=False).pvalue for x, y in pairs]
    assert found.p == pytest.approx(p, rel=1e-9)
    # pairwise.t.test(pool.sd = FALSE) with Holm gives 0.250, 0.096, 0.028
    assert apart.holm(found.p) == pytest.approx([0.250, 0.096, 0.028], abs=5e-4)


@given(st.lists(st.floats(0, 1), min_size=1, max_size=30))
def test_holm_is_that_of_statsmodels(p):
    assert apart.holm(p) == pytest.approx(multipletests(p, method="holm")[1], abs=1e-12)


def test_blocks_are_paired_as_scipy_does():
    rng = np.random.default_rng(4)
    block = rng.normal(0, 3, 8)
    a, b = block + rng.normal(0, 1, 8), block + rng.normal(0.7, 1, 8)
    found = apart.pairs([known(a, "block "), known(b, "block ")], [(0, 1)])
    assert found.paired[0] == 8
    assert found.p[0] == pytest.approx(stats.ttest_rel(a, b).pvalue, rel=1e-9)


def test_sameness_is_that_of_statsmodels():
    found = apart.pairs([known(CTRL, "c"), known(TRT1, "a")], [(0, 1)])
    p, _, _ = ttost_ind(CTRL, TRT1, -1.0, 1.0, usevar="unequal")
    assert apart.same_within(found, 1.0)[0] == pytest.approx(p, rel=1e-6)


def test_what_two_share_drops_out_and_what_they_do_not_stays():
    drum, cell = {"drum of A": 0.01}, {"cell of A": 0.004, "drum of A": 0.01}
    a, b = known(CTRL, "c", **drum), known(TRT1, "a", **cell)
    found = apart.pairs([a, b], [(0, 1)])
    alone = apart.pairs([known(CTRL, "c"), known(TRT1, "a")], [(0, 1)])
    assert found.unshared[0] == pytest.approx(0.004)
    assert found.u[0] == pytest.approx(math.hypot(alone.u[0], 0.004))
    # the whole by Welch and Satterthwaite: what is no scatter has infinite freedom
    expected = alone.freedom[0] * (found.u[0] / alone.u[0]) ** 4
    assert found.freedom[0] == pytest.approx(expected)


def test_the_dyestuff_batches_are_those_published():
    # lme4's vignette: variances 1764.05 and 2451.25, intercept 1527.5 with 19.383, on 5 degrees
    m = mixed(DYE, np.ones((30, 1)), {"specimen": [c for c in "ABCDEF" for _ in range(5)]})
    assert m.random["specimen"] ** 2 == pytest.approx(1764.05, rel=1e-3)
    assert m.random["residual"] ** 2 == pytest.approx(2451.25, rel=1e-3)
    c = m.contrast(np.array([1.0]))
    assert (c.value, c.u, c.freedom) == pytest.approx((1527.5, 19.383, 5.0), rel=1e-3)


def test_a_split_plot_is_that_of_yates():
    y = list(map(float, OATS.split()))
    rows = [{"variety": v, "nitrogen": n} for _ in range(6) for v in "VGM" for n in "0123"]
    built, left = design(rows, ["variety", "nitrogen"], [("variety", "nitrogen")])
    assert not left
    blocks = [f"{b}" for b in range(6) for _ in range(12)]
    plots = [f"{b}{r['variety']}" for b, r in zip(blocks, rows, strict=True)]
    m = mixed(y, built.x, {"specimen": plots, "block": blocks})
    # the classical analysis: mean squares 601.33 on 10 (varieties) and 177.08 on 45 (nitrogen)
    assert m.random["residual"] ** 2 == pytest.approx(177.08, rel=1e-3)
    assert m.random["block"] == pytest.approx(14.645, rel=1e-3)
    assert m.random["specimen"] == pytest.approx(10.299, rel=1e-3)
    cells = {(v, n): built.row({"variety": v, "nitrogen": n}) for v in "VGM" for n in "0123"}
    variety = np.mean([cells["G", n] - cells["V", n] for n in "0123"], axis=0)
    c = m.contrast(variety)
    assert (c.value, c.u) == pytest.approx((6.875, math.sqrt(2 * 601.33 / 24)), rel=1e-3)
    assert c.freedom == pytest.approx(10, rel=1e-3)
    nitrogen = np.mean([cells[v, "3"] - cells[v, "0"] for v in "VGM"], axis=0)
    c = m.contrast(nitrogen)
    assert (c.value, c.u) == pytest.approx((44.0, math.sqrt(2 * 177.08 / 18)), rel=1e-3)
    assert c.freedom == pytest.approx(45, rel=1e-3)


def test_without_a_spread_of_specimens_the_model_is_least_squares():
    rng = np.random.default_rng(8)
    x = np.column_stack([np.ones(24), np.tile([0.0, 1.0], 12)])
    y = x @ [80.0, 4.0] + rng.normal(0, 0.5, 24)
    m = mixed(y, x, {})
    left = y - x @ np.linalg.lstsq(x, y, rcond=None)[0]
    c = m.contrast(np.array([0.0, 1.0]))
    assert c.u == pytest.approx(math.sqrt(float(left @ left) / 22 * (1 / 12 + 1 / 12)))
    assert c.freedom == pytest.approx(22)


def test_shared_inputs_that_all_have_add_nothing_to_an_effect():
    x = np.column_stack([np.ones(12), np.repeat([0.0, 1.0], 6)])
    y = x @ [0.8, 0.05] + np.tile([0.001, -0.001], 6)
    m = mixed(y, x, {})
    alike, apart_ = np.full((12, 1), 0.02), np.repeat([[0.02], [0.0]], 6, axis=0)
    weights = np.array([0.0, 1.0])
    assert m.contrast(weights, alike).u == pytest.approx(m.contrast(weights).u)
    assert m.contrast(weights, apart_).u == pytest.approx(
        math.hypot(m.contrast(weights).u, 0.02), rel=1e-9
    )
    assert m.contrast(np.array([1.0, 0.0]), alike).u == pytest.approx(
        math.hypot(m.contrast(np.array([1.0, 0.0])).u, 0.02)
    )


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=12))
def test_the_undominated_are_those_found_one_by_one(points):
    across, up = ([Known(float(v)) for v in row] for row in zip(*points, strict=True))
    found = standing(across, up, (1, -1))
    for k, (x, y) in enumerate(points):
        beaten = any(a >= x and b <= y and (a > x or b < y) for a, b in points)
        assert found.undominated[k] == (not beaten)
        assert found.chance[k] == float(not beaten)


def test_a_chance_to_be_undominated_is_that_of_the_difference():
    # one figure alike: the better in the other is undominated, by P(N(d, u) > 0)
    across = [Known(1.0), Known(1.0)]
    up = [Known(10.0, 1.0), Known(11.0, 1.0)]
    found = standing(across, up, (1, 1))
    expected = stats.norm.cdf(1 / math.sqrt(2))
    assert found.chance == pytest.approx([1 - expected, expected], abs=0.03)
    shared = [Known(10.0, shared={"cell": 5.0}), Known(11.0, shared={"cell": 5.0})]
    assert standing(across, shared, (1, 1)).chance == pytest.approx([0.0, 1.0])


@pytest.mark.parametrize("seed", range(20))
def test_variances_are_where_the_restricted_likelihood_is_highest(seed):
    """The likelihood written out in whole matrices is nowhere higher than at ours: not at the
    estimates of statsmodels, which near a variance of nothing often ends before it is there.
    """
    rng = np.random.default_rng(seed)
    n, q = int(rng.integers(10, 50)), rng.integers(2, 6, 2)
    of = [rng.integers(0, k, n) for k in q]
    x = np.column_stack([np.ones(n), rng.integers(0, 2, n)])
    spread = rng.uniform(0, 1.5, 2) * rng.integers(0, 2, 2)
    y = x @ [1.0, 0.5] + rng.normal(0, 0.5, n)
    y += sum(s * rng.normal(size=k)[g] for s, k, g in zip(spread, q, of, strict=True))
    groups = {name: [str(g) for g in o] for name, o in zip(("specimen", "block"), of, strict=True)}
    found = mixed(y, x, groups)
    z = [np.array([[float(g == k) for k in set(o)] for g in o]) for o in groups.values()]

    def likelihood(variances, residual):
        v = residual * np.eye(n) + sum(s * m @ m.T for s, m in zip(variances, z, strict=True))
        inverse = np.linalg.inv(v)
        inner = x.T @ inverse @ x
        p = inverse - inverse @ x @ np.linalg.inv(inner) @ x.T @ inverse
        return -0.5 * (np.linalg.slogdet(v)[1] + np.linalg.slogdet(inner)[1] + y @ p @ y)

    ours = [found.random[name] ** 2 for name in groups], found.random["residual"] ** 2
    best = likelihood(*ours)
    for turn in np.vstack([np.eye(3), -np.eye(3)]):
        variances = [s * np.exp(0.02 * t) for s, t in zip(ours[0], turn, strict=False)]
        assert likelihood(variances, ours[1] * np.exp(0.02 * turn[2])) <= best + 1e-9
    spec = VCSpec([*groups], [[[str(k) for k in range(m.shape[1])]] for m in z], [[m] for m in z])
    with warnings.catch_warnings(), contextlib.suppress(np.linalg.LinAlgError):
        warnings.simplefilter("ignore")
        theirs = MixedLM(y, x, groups=np.ones(n), exog_vc=spec).fit(reml=True)
        assert likelihood(np.maximum(theirs.vcomp, 0.0), theirs.scale) <= best + 1e-5
