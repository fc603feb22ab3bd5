"""Taking a drive apart and fitting it together: what a caliper, a count and a trial hole say."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sparring.core.quantity import Measured
from sparring.core.train import fit, takeapart, teeth
from sparring.core.train.pair import Pair

MM = 1e-3


def test_a_caliper_tells_module_from_diametral_pitch_when_it_is_fine_enough():
    fine = takeapart.module_from_tips([(Measured(18.00 * MM, 0.01 * MM), 16)])
    assert fine.candidates[0].name == "module 1"
    assert not fine.candidates[0].excluded
    assert all(c.excluded for c in fine.candidates[1:])
    pitch = takeapart.module_from_tips([(Measured(18 * 25.4 / 24 * MM, 0.01 * MM), 16)])
    assert pitch.candidates[0].name == "24 DP"
    coarse = takeapart.module_from_tips([(Measured(18.3 * MM, 0.6 * MM), 16)])
    assert {c.name for c in coarse.candidates if not c.excluded} >= {"module 1", "24 DP"}


def test_several_gears_sharpen_the_module_or_contradict_each_other():
    agreeing = [(Measured(14.02 * MM, 0.03 * MM), 12), (Measured(50.01 * MM, 0.03 * MM), 48)]
    together = takeapart.module_from_tips(agreeing)
    assert together.agree
    assert together.module.u < takeapart.module_from_tips(agreeing[:1]).module.u
    assert not takeapart.module_from_tips([*agreeing, (Measured(17.1 * MM, 0.03 * MM), 20)]).agree
    with pytest.raises(ValueError, match="no gear"):
        takeapart.module_from_tips([])


def test_module_by_weighted_mean_agrees_with_statsmodels():
    """The several-gear estimate is weighted least squares through the origin of d_a on z + 2."""
    import statsmodels.api as sm

    z, d, u = (
        np.array([10, 16, 31, 48]),
        np.array([12.05, 17.98, 33.02, 50.03]) * MM,
        np.array([0.02, 0.03, 0.02, 0.05]) * MM,
    )
    ours = takeapart.module_from_tips(
        [(Measured(a, b), int(c)) for a, b, c in zip(d, u, z, strict=True)]
    )
    theirs = sm.WLS(d, z + 2, weights=1 / u**2).fit(cov_type="fixed scale")
    assert ours.module.value == pytest.approx(theirs.params[0], rel=1e-9)
    assert ours.module.u == pytest.approx(theirs.bse[0], rel=1e-9)


def test_ratio_from_turns_and_from_speeds():
    turns = takeapart.ratio_from_turns(30, 1.0)
    assert turns.value == 30
    assert turns.u == pytest.approx(30 * 0.05 / math.sqrt(3) * math.hypot(1 / 30, 1.0))
    assert takeapart.ratio_from_speeds(Measured(600.0, 2.0), Measured(20.0, 0.1)).value == 30
    with pytest.raises(ValueError, match="did not turn"):
        takeapart.ratio_from_turns(10, 0)


def test_hidden_teeth_are_found_and_ranked():
    found = takeapart.hidden_counts(Measured(30.0, 0.05), [(12, 60), (None, 84)])
    assert found[0].stages == ((12, 60), (14, 84))
    assert sum(c.likelihood for c in found) == pytest.approx(1.0, abs=0.05)
    both = takeapart.hidden_counts(Measured(4.0, 0.001), [(None, None)])
    assert all(b / a == pytest.approx(4.0, abs=0.01) for ((a, b),) in (c.stages for c in both))
    assert [c.likelihood for c in both] == sorted((c.likelihood for c in both), reverse=True)
    with pytest.raises(ValueError, match="one or two"):
        takeapart.hidden_counts(Measured(4.0, 0.1), [(12, 48)])


def test_counted_planets_are_checked():
    assert takeapart.ring_check(12, 18, 48, 3) == []
    wrong = takeapart.ring_check(12, 18, 49, 3)
    assert "gives 48" in wrong[0]
    assert "not whole" in wrong[1]


@given(st.integers(17, 60), st.integers(17, 90), st.floats(1e-6, 0.3), st.booleans())
def test_opening_gives_play_and_play_gives_the_opening(z1, z2, opened, ring):
    pair = Pair(
        1e-3,
        z1,
        z2 + z1 + 10 if ring else z2,
        opening=opened * 1e-3 * (0.3 if ring else 1),
        ring=ring,
    )
    assert pair.opening_for(pair.backlash()) == pytest.approx(pair.opening, rel=1e-6, abs=1e-12)
    small = Pair(1e-3, 20, 40, opening=1e-6)
    assert small.backlash() == pytest.approx(2 * 1e-6 * math.tan(teeth.ALPHA_20) / 20e-3, rel=1e-3)


def test_a_fit_test_brackets_and_settles():
    """A hidden right opening is found by answering honestly."""
    module, right = 2e-3, 0.31e-3
    seen, trials = {}, fit.first_trials(module, printed=True)
    assert trials[1] == pytest.approx(0.25e-3)  # common practice at module 2
    for _ in range(12):
        opening = trials[0]
        seen[opening] = (
            "too tight"
            if opening < right - 0.03e-3
            else "too loose"
            if opening > right + 0.03e-3
            else "right"
        )
        test = fit.next_trials(module, seen)
        if test.decided is not None:
            break
        trials = [t for t in test.trials if t not in seen]
    assert test.decided == pytest.approx(right, abs=0.035e-3)
    with pytest.raises(ValueError, match="cannot be tighter"):
        fit.next_trials(module, {0.3e-3: "too tight", 0.2e-3: "too loose"})


def test_sizes_to_check_a_gear_by():
    size = fit.sizes(Pair(1e-3, 20, 60), 1)
    assert (size.across, size.span) == (3, pytest.approx(7.6604e-3, abs=1e-7))
    assert size.tip == pytest.approx(22e-3)
    assert fit.sizes(Pair(1e-3, 20, 60, ring=True), 2) is None
