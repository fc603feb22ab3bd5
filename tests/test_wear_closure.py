"""Wear rate and life of simulated life tests by a generator that shares no code with the program:
how often the truth is inside what is stated; and Weibull's bounds by drawn lives.
"""

import json

import numpy as np
import pytest
from helpers import about_95, benches
from independent import wearing

from sparring.core.build import Build
from sparring.core.lives import weibull
from sparring.core.wear.inspection import Inspections
from sparring.core.wear.judge import wear_of

BUILD = Build.from_json(json.dumps(wearing.build()))


@pytest.mark.study
@pytest.mark.parametrize("looks", [3, 6])
def test_rates_and_lives_hold(looks):
    n = benches(30)
    inside = {"k": [], "life": [], "thinning": []}
    for seed in range(n):
        told, true = wearing.life_test(seed + 100 * looks, looks)
        found = wear_of(BUILD, Inspections.from_json(json.dumps(told)))
        for f in found.flanks:
            part = f.flank.body
            k, thinning = true["k"][part], true["thinning"][part]
            inside["k"].append(f.k_w.low <= k <= f.k_w.high)
            inside["thinning"].append(f.thinning.low <= thinning <= f.thinning.high)
            left = max(0.0, f.allowed - thinning) / true["rate"][part]
            inside["life"].append(f.left.low <= left <= f.left.high)
    for name, of in inside.items():
        print(f"{looks} looks, {name}: {100 * np.mean(of):.1f} % of {len(of)}")
        # flanks of one drive share its turns and its running-in
        assert about_95(float(np.mean(of)), n), name


@pytest.mark.whole  # a sample of a few dozen tells nothing of bounds that hold in 93 of 100
@pytest.mark.study
@pytest.mark.parametrize("n", [5, 10, 20])
def test_weibull_bounds_hold_with_half_of_them_censored(n):
    rng = np.random.default_rng(n)
    several = benches(100)
    inside = dict.fromkeys(("shape", "scale", "b10", "b50"), 0)
    for _ in range(several):
        shape, scale = rng.uniform(0.8, 4.0), 1e5 * np.exp(rng.normal())
        t = np.sort(scale * rng.weibull(shape, n))
        failed = np.arange(n) < (n + 1) // 2
        t[~failed] = t[failed].max()  # the test ends there
        found = weibull.fit(t, failed)
        true = {
            "shape": shape,
            "scale": scale,
            "b10": scale * (-np.log(0.9)) ** (1 / shape),
            "b50": scale * np.log(2) ** (1 / shape),
        }
        for name, value in true.items():
            bound = getattr(found, name)
            inside[name] += bound.low <= value <= bound.high
    for name, count in inside.items():
        print(f"{n} specimens, {name}: {100 * count / several:.1f} %")
        assert about_95(count / several, several), name
