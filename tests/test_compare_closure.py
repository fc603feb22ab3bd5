"""How often comparisons say what is so: no difference where there is none, effects inside their
intervals, power as promised; by a generator that shares no code with the program.
"""

import json
import math
from itertools import combinations

import numpy as np
import pytest
from helpers import about_95, benches
from independent import campaigning

from sparring.core.compare import apart
from sparring.core.compare.effects import effects_of
from sparring.core.compare.figures import At
from sparring.core.compare.known import Known
from sparring.core.plan.repeats import power
from sparring.demo import hollin_yard
from sparring.exchange.exported import subjects_in


def known(y, rounds):
    n = len(y)
    u = float(np.std(y, ddof=1)) / math.sqrt(n)
    return Known(float(np.mean(y)), u, n - 1.0, {}, dict(zip(rounds, map(float, y), strict=True)))


@pytest.mark.parametrize(
    ("builds", "rounds", "paired"), [(6, 4, True), (6, 4, False), (4, 3, True), (2, 5, False)]
)
def test_campaigns_without_any_effect_claim_one_in_at_most_one_of_twenty(builds, rounds, paired):
    rng = np.random.default_rng(builds + 10 * rounds + paired)
    pairs, claimed, campaigns = list(combinations(range(builds), 2)), 0, 1000
    for _ in range(campaigns):
        block = rng.normal(0, 2.0, rounds) if paired else np.zeros(rounds)
        of = [
            known(
                block + rng.normal(0, 1.0, rounds),
                [f"block {k}" if paired else f"{n}.{k}" for k in range(rounds)],
            )
            for n in range(builds)
        ]
        found = apart.pairs(of, pairs)
        claimed += bool((apart.holm(found.p) < apart.LEVEL).any())
    print(f"{builds} builds, {rounds} rounds: {100 * claimed / campaigns:.1f} % claim something")
    # 0.05 and three standard deviations of a thousand
    assert claimed / campaigns <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / campaigns)


@pytest.mark.parametrize(
    ("builds", "rounds", "most"), [(2, 2, 0.07), (2, 3, 0.07), (6, 2, 0.09), (6, 3, 0.07)]
)
def test_one_that_scatters_ten_times_as_much_is_seldom_said_to_differ(builds, rounds, most):
    """Of few runs nobody can tell a scatter well: Welch's own test claims 5.7 to 6.7 %."""
    rng = np.random.default_rng(10 * builds + rounds)
    claimed, cases = 0.0, 2000
    for _ in range(cases):
        of = [
            known(rng.normal(0, 1.0 if n else 10.0, rounds), [f"{n}.{k}" for k in range(rounds)])
            for n in range(builds)
        ]
        found = apart.pairs(of, [(0, n) for n in range(1, builds)])
        claimed += float(np.mean(found.p < apart.LEVEL))
    print(f"{builds} builds, {rounds} rounds: {100 * claimed / cases:.1f} % of the pairs")
    assert claimed / cases <= most + 3 * math.sqrt(most * (1 - most) / cases)


@pytest.mark.parametrize(
    ("n", "difference", "paired"),
    [(5, 2.2, False), (8, 1.5, False), (5, 2.2, True), (8, 1.2, True)],
)
def test_a_difference_is_found_as_often_as_the_plan_promises(n, difference, paired):
    rng = np.random.default_rng(n + paired)
    told, cases = 0, 2000
    for _ in range(cases):
        block = rng.normal(0, 2.0, n) if paired else np.zeros(n)
        spread = math.sqrt(0.5) if paired else 1.0  # of the pairs' differences 1 then
        of = [
            known(
                block + rng.normal(shift, spread, n),
                [f"block {k}" if paired else f"{shift} {k}" for k in range(n)],
            )
            for shift in (0.0, difference)
        ]
        told += float(apart.pairs(of, [(0, 1)]).p[0]) < apart.LEVEL
    promised = power(n, 1.0, difference, paired=paired)
    print(f"{n} of each, paired {paired}: {told / cases:.3f}, promised {promised:.3f}")
    assert abs(told / cases - promised) <= 0.03 + 2 * math.sqrt(0.2 * 0.8 / cases)


@pytest.mark.study
@pytest.mark.parametrize("sizes", [(0.010, 0.006, 0.004), (0.003, 0.0, 0.006)])
def test_effects_lie_inside_their_intervals(sizes, tmp_path):
    build, rig, plan = (
        json.loads(x.to_json())
        for x in (hollin_yard.dunnock(1), hollin_yard.rig(), hollin_yard.plan(0.5, repeats=4))
    )
    inside, n = [], benches(30)
    for seed in range(n):
        folder = tmp_path / f"{seed}"
        told = campaigning.exported(1000 * int(1e3 * sizes[0]) + seed, sizes=sizes)
        campaigning.write(folder, told, build, rig, plan)
        found = effects_of(subjects_in(folder), At(12.0, campaigning.AT))
        assert set(found.factors) == {"lubricant", "material"}
        assert found.specimens == 12
        truth = {"greased": 0.03, "dry": -0.03, "POM": 0.05, "PA66": -0.05}
        inside += [e.low <= truth[e.level] <= e.high for e in found.effects]
    print(f"specimens {sizes[0]}: {100 * np.mean(inside):.1f} % of {len(inside)}")
    assert about_95(float(np.mean(inside)), len(inside))
