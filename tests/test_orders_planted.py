"""Planted damage is found and named; where there is none, none is named."""

import numpy as np
import pytest
from helpers import benches
from independent.gears import Dip, Wave, logged
from independent.ripple import CASES
from independent.study import BUILDS, named, planted

from sparring.core.build import Build
from sparring.core.findings.orders import of_orders
from sparring.core.orders.lines import orders_of
from sparring.core.recording import Recording
from sparring.core.train.kinds import BeltStage, SpurStage


@pytest.mark.study
@pytest.mark.parametrize("name", CASES)
def test_damage_is_named_and_none_where_there_is_none(name):
    """In 95 of 100 of each kind, and none in 98 of 100 without (`make study`: all of them)."""
    case, many = CASES[name], min(benches(3), 100)
    right = sum(named(case, seed) == planted(case) for seed in range(many)) / many
    assert right >= (0.95 if planted(case) else 0.98)


def test_of_gears_that_turn_alike_both_are_named():
    build = Build.ours(
        stages=(SpurStage.ours(pinion=17, wheel=60), SpurStage.ours(pinion=20, wheel=20))
    )
    t, speed, _ = logged(np.random.default_rng(1), [Dip(1.0, 20, 0.04, 0.3)], rate=1600.0)
    (tooth,) = orders_of(build, Recording(t, {"speed": speed}), doubt=5e-4).teeth
    assert [g.teeth for g in tooth.gears if g.stage == "stage 2"] == [20, 20]
    assert len({g.name for g in tooth.gears if g.stage == "stage 2"}) == 2


@pytest.mark.study
def test_a_course_slower_than_any_shaft_is_no_line():
    """A drive that sways slowly: none of its parts, and nothing unknown, comes round so rarely."""
    build, strange = BUILDS["spur"], 0
    for seed in range(min(benches(4), 42)):
        rng = np.random.default_rng(seed)
        sway = np.cumsum(rng.standard_normal(40))
        at = np.linspace(0, 20, 40)
        slow = 1 + 0.02 * (sway - sway.mean()) / np.ptp(sway)
        t, speed, _ = logged(
            rng, [], rate=800.0, course=lambda x, at=at, slow=slow: 8.0 * np.interp(x, at, slow)
        )
        found = orders_of(build, Recording(t, {"speed": speed}), doubt=5e-4)
        strange += any(line.kind == "unknown" for line in found.lines)
    assert strange <= 0.02 * min(benches(4), 42)


@pytest.mark.study
@pytest.mark.parametrize("links", [90, 96])  # 96: the same tooth of the pulley meets it always
@pytest.mark.parametrize("planted", ["the belt's joint", "a pulley's tooth"])
def test_a_belts_joint_is_told_from_a_tooth_of_its_pulleys(planted, links):
    build = Build.ours(
        stages=(
            SpurStage.ours(pinion=17, wheel=60),
            BeltStage.ours(driving=16, driven=32, links=links),
        )
    )
    # turns for one of the output, by hand: the driving pulley 32/16, the belt 32 over its links
    order, teeth = (32 / links, links) if planted == "the belt's joint" else (2.0, 16)
    shaft = "the belt of stage 2" if planted == "the belt's joint" else "shaft 1"
    right, many = 0, min(benches(4), 40)
    for seed in range(many):
        rng = np.random.default_rng(seed)
        parts = [Dip(order, teeth, rng.uniform(0.03, 0.05), rng.uniform(0, 1))]
        t, speed, _ = logged(rng, parts, rate=1600.0)
        found = orders_of(build, Recording(t, {"speed": speed}), doubt=5e-4).teeth
        right += [tooth.shaft for tooth in found] == [shaft]
    assert right >= 0.95 * many


def test_what_sampling_hides_or_folds_is_said():
    """A mesh above half of the samples: unseen; a line where it folds to, at a steady speed."""

    def said(rate, waves, seed=1):
        rng = np.random.default_rng(seed)
        t, speed, _ = logged(rng, waves, rate=rate, begin=8.0, end=8.0, jitter=0.0)
        found = orders_of(BUILDS["spur"], Recording(t, {"speed": speed}), doubt=5e-4)
        return {f.id for f in of_orders(found)}

    mesh = [Wave(83.0, 0.02, 0.3)]  # 8 rad/s · 83 / 2π = 106 Hz
    assert "sampling-hides-meshes" in said(150.0, mesh)
    assert "line-may-be-folded" in said(150.0, mesh)
    plain = said(1600.0, mesh)
    assert not plain & {"sampling-hides-meshes", "line-may-be-folded"}
    assert "gear-runs-out" in said(1600.0, [Wave(83 / 14, 0.02, 0.3)])
    assert "gear-runs-out" not in plain
