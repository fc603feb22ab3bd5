"""Plans: steps and their order, lines, weights, repeats; against brute force, published tables,
statsmodels and log₂.
"""

import itertools
import json
import math
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sparring.core.methods import Generator, Hoist, RunUp, Scale
from sparring.core.plan import (
    Lift,
    Outcome,
    Plan,
    PlanStep,
    ladder,
    next_lift,
    remaining,
    sequence,
    what_next,
)
from sparring.core.plan.line import opened, told
from sparring.core.plan.repeats import power, repeats_for
from sparring.core.plan.weights import hang, hang_all
from sparring.core.quantity import Measured, QuantityError
from sparring.core.records import RecordError, changed
from sparring.core.rig import Weight
from sparring.core.run import Run

KILOS = [Measured(m, 5e-4) for m in (0.5, 1.0, 1.5, 2.0, 2.5)]


def shelf_of(*kilos):
    return tuple(Weight(name=f"{m:g} kg", mass=Measured(m, 2.5e-4)) for m in kilos)


# --- records --------------------------------------------------------------------------------------


def test_a_plan_of_the_first_version_is_read_as_its_ladder():
    old = '{"version": "sparring.plan/1", "loads": ["0.5 kg", "1 kg"], "repeats": 2, '
    plan = Plan.from_json(old + '"voltage": "9 V", "order": "ladder"}')
    assert [(s.id, s.mass, s.voltage, s.repeats) for s in plan.steps] == [
        (0, 0.5, 9.0, 2),
        (1, 1.0, 9.0, 2),
    ]
    assert plan.order == "as listed"
    assert json.loads(plan.to_json())["version"] == "sparring.plan/2"
    with pytest.raises(RecordError, match=r"old.json: loads.0: .*unit of length"):
        Plan.from_json('{"loads": ["0.5 m"]}', "old.json")


@pytest.mark.parametrize(
    ("step", "said"),
    [
        ('{"load": "1 kg"}', "neither voltage nor speed"),
        ('{"voltage": "6 V", "speed": "60 rpm"}', "both voltage and speed"),
        ('{"kind": "hold", "voltage": "6 V"}', "needs its time"),
        ('{"voltage": "6"}', "unit"),
    ],
)
def test_a_step_that_does_not_hold_together_is_refused_with_its_place(step, said):
    with pytest.raises(RecordError, match=said) as err:
        Plan.from_json(f'{{"steps": [{{"voltage": "12 V"}}, {step}]}}', "p.json")
    assert "p.json: steps.1" in str(err.value)


def test_an_edited_step_is_another_one_and_what_stays_keeps_its_runs():
    plan = ladder(KILOS, (6.0, 12.0), 3)
    heavier = plan.steps[2].model_copy(update={"load": Measured(3.0)})
    edited = plan.revised([*plan.steps[:2], heavier, *plan.steps[:1:-1]], used=[20])
    assert [s.id for s in edited.steps] == [0, 1, 21, 9, 8, 7, 6, 5, 4, 3, 2]
    assert edited.steps[-1] == plan.steps[2]


def test_each_method_gets_the_steps_that_it_has():
    plan = ladder(KILOS, (6.0, 12.0), 3)
    assert [s.voltage for s in plan.on(Scale()).todo] == [6.0, 12.0]
    assert len(plan.on(RunUp()).todo) == 2
    assert plan.on(Hoist()) is plan
    fitted = ladder(KILOS, (12.0,)).on(Generator(resistors=(22.0, 13.0, 8.0)))
    assert [(s.id, s.resistor) for s in fitted.todo] == [(0, 22.0), (1, 13.0), (2, 8.0)]


# --- order ----------------------------------------------------------------------------------------


def test_shuffled_rounds_make_each_step_once_and_what_prepares_stays_in_its_place():
    steps = (
        PlanStep(id=50, kind="run in", voltage=6.0, time=60.0),
        *ladder(KILOS, (6.0, 12.0), 3).steps,
        PlanStep(id=51, kind="inspect", part="pinion"),
    )
    plan = Plan(steps=steps, order="shuffled", seed=7)
    order = sequence(plan)
    assert order[0].step == 50
    assert order[-1].step == 51
    for r in range(3):
        part = order[1 + 10 * r : 11 + 10 * r]
        assert sorted(x.step for x in part) == list(range(10))
        assert {x.repeat for x in part} == {r + 1}
    assert order == sequence(Plan.from_json(plan.to_json()))
    assert order != sequence(changed(plan, ("seed",), 8))


def test_what_stalled_twice_is_given_up_with_all_that_is_heavier_at_no_more_volts():
    plan = ladder(KILOS, (6.0, 12.0), 3)
    done = [Outcome(s, stalled=False) for s in (0, 1, 2) for _ in range(3)]
    done += [Outcome(3, stalled=True)] * 2
    assert what_next(plan, done) == Lift(5, 1)  # neither 2 kg a third time nor 2.5 kg at 6 V
    assert remaining(plan, done) == 15


@pytest.mark.parametrize("n", [1, 3, 7, 8, 15, 31, 40])
def test_bisection_takes_as_many_lifts_as_the_logarithm_says(n):
    """Mean over all places where the stall may lie: log₂(n + 1), exactly where that is whole."""
    plan = ladder([Measured(0.1 * (k + 1)) for k in range(n)], (12.0,), 1, order="bisection")
    taken = []
    for stall in range(n + 1):
        done, stalled = [], set()
        while (lift := next_lift(plan, done, stalled=stalled)) is not None:
            done.append(lift)
            if lift.step >= stall:
                stalled.add(lift.step)
        taken.append(len(done))
        assert len(done) <= math.ceil(math.log2(n + 1))
    assert remaining(plan, ()) == math.ceil(math.log2(n + 1))
    assert np.mean(taken) == pytest.approx(math.log2(n + 1), abs=0.09)


def test_bisection_closes_in_at_each_voltage_by_itself():
    plan = ladder(KILOS, (6.0, 12.0), 1, order="bisection")
    stalls = {6.0: 1.2, 12.0: 2.2}
    made = []
    while (lift := what_next(plan, made)) is not None:
        step = plan.step(lift.step)
        made.append(Outcome(lift.step, stalled=step.mass > stalls[step.voltage]))
    for v, stall in stalls.items():
        mine = [(plan.step(o.step).mass, o.stalled) for o in made if plan.step(o.step).voltage == v]
        assert max(m for m, stalled in mine if not stalled) == max(
            m.value for m in KILOS if m.value <= stall
        )


# --- the line -------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("line", "steps"),
    [
        ("loads 0.5…2.5 kg in 5, at 6, 9, 12 V, 3 times, shuffled (seed 7)", 15),
        ("weights 0.5 to 2.5 kg by 0.5 at 12 V", 5),
        ("run in 10 min at 6 V; loads 500 g, 1 lb at 60 rpm; cool down 8 min; inspect planets", 5),
        ("no load, at 6, 9, 12 V; to failure (pinion), loads 4…8 kg in 9, at 12 V", 12),
        ("hold 5 min, loads 2 kg, at 12 V, twice", 1),
    ],
)
def test_a_line_opens_into_steps_and_is_told_again(line, steps):
    found = opened(line, Hoist())
    assert len(found.steps) == steps
    plan = Plan(steps=found.steps, order=found.order or "as listed", seed=found.seed or 0)
    assert opened(told(plan, Hoist()), Hoist()).steps == found.steps
    assert opened(told(plan, Hoist(), {"mass": "g"}), Hoist()).order == found.order


def test_the_line_says_what_it_means():
    found = opened("loads 0.5…2.5 kg in 5, at 6, 9, 12 V, 3 times, shuffled (seed 7)", Hoist())
    assert [s.mass for s in found.steps[:5]] == [0.5, 1.0, 1.5, 2.0, 2.5]
    assert {s.voltage for s in found.steps} == {6.0, 9.0, 12.0}
    assert {s.repeats for s in found.steps} == {3}
    assert (found.order, found.seed) == ("shuffled", 7)
    kept = opened("loads 0.5, 1 kg at 12 V", Hoist(), [Measured(1.0, 2e-4)]).steps
    assert [s.load.u for s in kept] == [0.0, 2e-4]  # a mass that is known keeps its ±


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("loads 1 kg", "at which voltage or speed"),
        ("loads 1 m at 12 V", "unit of length"),
        ("loads 1…2 kg at 12 V", "how many values"),
        ("loads 1 kg at 12 N", "neither a voltage nor a speed"),
        ("pears at 12 V", "not understood"),
        ("loads 1,2,3 kg at 12 V", "space after each comma"),
        ("loads 1 kg at 0 V", "more than zero"),
        ("loads 1 kg at 12 V, 900 times", "1 to 100 times"),
        ("", "has no step"),
    ],
)
def test_a_line_that_is_not_understood_says_why(line, said):
    with pytest.raises(QuantityError, match=said):
        opened(line, Hoist())


@given(
    loads=st.lists(st.integers(1, 4000), min_size=1, max_size=6, unique=True),
    volts=st.lists(st.integers(10, 480), min_size=1, max_size=3, unique=True),
    repeats=st.integers(1, 100),
)
def test_any_ladder_is_told_and_read_back(loads, volts, repeats):
    plan = ladder([Measured(m / 1000) for m in loads], [v / 10 for v in volts], repeats)
    back = opened(told(plan, Hoist()), Hoist()).steps
    assert [(s.voltage, s.repeats) for s in back] == [(s.voltage, s.repeats) for s in plan.steps]
    assert [s.mass for s in back] == pytest.approx([s.mass for s in plan.steps], rel=1e-5)


# --- weights --------------------------------------------------------------------------------------


def by_brute_force(masses, load, on, allowed):
    """(moves, how far off) of the best of all subsets."""
    best = None
    for pick in itertools.product((False, True), repeat=len(masses)):
        whole = sum(m for m, p in zip(masses, pick, strict=True) if p)
        off = round(abs(whole - load), 9)  # of equal ones the fewest moves, whatever rounding says
        moves = sum(p != (n in on) for n, p in enumerate(pick))
        key = (0, moves, off) if off <= allowed else (1, off, moves)
        best = min(best or key, key)
    return best


@given(
    masses=st.lists(st.integers(5, 400), min_size=1, max_size=7),
    load=st.integers(5, 1200),
    seed=st.integers(0, 999),
)
def test_the_fewest_weights_are_moved_as_trying_all_shows(masses, load, seed):
    """Masses in steps of 5 g, so that ties are exact."""
    kilos = [m * 5e-3 for m in masses]
    on = [n for n in range(len(kilos)) if random.Random(f"{seed}/{n}").random() < 0.4]
    found = hang(shelf_of(*kilos), load * 5e-3, on, 0.02)
    missed, a, b = by_brute_force(kilos, load * 5e-3, on, 0.02 * load * 5e-3 + 1e-9)
    moves, off = (b, a) if missed else (a, b)
    assert found.fits == (not missed)
    assert found.moves == moves
    assert abs(found.total.value - load * 5e-3) == pytest.approx(off, abs=1e-6)
    assert set(found.on) == (set(on) | set(found.hang)) - set(found.take_off)


def test_what_hangs_has_the_uncertainty_of_its_pieces_and_goes_on_from_what_hung():
    shelf = shelf_of(2.0, 1.0, 0.5, 0.2)
    first, second, nothing = hang_all(shelf, [1.5, 1.7, None])
    assert first.total.value == pytest.approx(1.5)
    assert first.total.u == pytest.approx(2.5e-4 * math.sqrt(2))
    assert (second.hang, second.take_off, second.moves) == ((3,), (), 1)
    assert nothing is None
    far = hang(shelf, 9.0)
    assert not far.fits
    assert far.total.value == pytest.approx(3.7)
    with pytest.raises(ValueError, match="shelf is empty"):
        hang((), 1.0)


# --- repeats --------------------------------------------------------------------------------------


def test_repeats_agree_with_cohens_tables():
    """Cohen, Statistical Power Analysis (1988), table 2.4.1, two-sided 0.05 (from memory): n for a
    power of 80 % at d = 0.2, 0.5, 0.8 is 393, 64, 26; his d = 0.2 is rounded (exactly 394).
    """
    assert [repeats_for(1.0, d, 0.8) for d in (0.5, 0.8)] == [64, 26]
    assert repeats_for(1.0, 0.2, 0.8) == pytest.approx(393, abs=1)


@pytest.mark.parametrize("paired", [False, True])
def test_power_agrees_with_statsmodels(paired):
    stats = pytest.importorskip("statsmodels.stats.power")
    for n in (2, 3, 5, 9, 30):
        for effect in (0.2, 0.8, 1.7, 4.0):
            test = stats.TTestPower() if paired else stats.TTestIndPower()
            first = {"nobs": n} if paired else {"nobs1": n}
            theirs = test.power(effect, alpha=0.05, **first)
            ours = power(n, 1.0, effect, paired=paired)
            if math.isfinite(theirs):  # theirs gives up where it is 1 to many places
                assert ours == pytest.approx(theirs, abs=2e-4)
            assert 0 < ours <= 1


def test_the_power_is_what_many_trials_find():
    """Two builds that differ by 1.5 points with a spread of 0.9: how often the t test says so."""
    from scipy.stats import ttest_ind

    rng = np.random.default_rng(4)
    a = rng.normal(0.0, 0.9, (4000, 6))
    b = rng.normal(1.5, 0.9, (4000, 6))
    found = np.mean(ttest_ind(a, b, axis=1).pvalue < 0.05)
    assert power(6, 0.9, 1.5) == pytest.approx(found, abs=0.025)


@pytest.mark.parametrize(("spread", "difference"), [(0.0, 1.0), (1.0, 0.0), (1.0, 1e-4)])
def test_what_cannot_be_planned_is_said(spread, difference):
    with pytest.raises(ValueError, match=r"spread|difference"):
        repeats_for(spread, difference)


def test_to_failure_each_specimen_goes_up_its_ladder_until_it_fails():
    plan = ladder([Measured(m, 5e-4) for m in (1.0, 2.0, 3.0)], (12.0,), 2)
    steps = tuple(s.model_copy(update={"kind": "to failure"}) for s in plan.steps)
    plan = plan.model_copy(update={"steps": steps})
    ids = [s.id for s in steps]
    assert sequence(plan) == [Lift(i, r) for r in (1, 2) for i in ids]

    def run(n, specimen, broke=""):
        return Run(
            step=ids[n], kind="to failure", repeat=specimen, broke=broke, voltage=12.0
        ).outcome

    made = [run(0, 1), run(1, 1, "pinion")]
    assert what_next(plan, made) == Lift(ids[0], 2)  # the second specimen, from the beginning
    assert remaining(plan, made) == 3
    made += [run(0, 2), run(1, 2)]
    assert what_next(plan, made) == Lift(ids[2], 2)
    made += [run(2, 2, "pinion")]
    assert what_next(plan, made) is None
    assert remaining(plan, made) == 0
