"""Campaigns: builds against voltages in shuffled blocks, their progress, their reference."""

import json

import numpy as np
import pytest
from helpers import make_runs
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.analysis import analyse
from sparring.core.outlook.campaign import (
    Campaign,
    control,
    difference,
    done,
    next_in,
    next_trial,
    reference_of,
    trials,
)
from sparring.core.plan import ladder
from sparring.core.quantity import Measured
from sparring.core.records import RecordError
from sparring.logbook import Logbook

PLAN = ladder([Measured(0.5, 5e-4), Measured(1.0, 5e-4)], (9.0, 12.0), 2)
THREE = ("Dunnock r1", "Dunnock r2", "Wren r2")


def campaign(**fields):
    given = {"name": "grease or dry", "builds": THREE, "plan": PLAN, "blocks": 4, "seed": 7}
    return Campaign(**{**given, **fields})


def test_every_block_tries_each_cell_once_in_an_order_the_seed_tells_again():
    c = campaign(reference="Dunnock r1")
    order = trials(c)
    assert len(order) == 4 * (6 + 1)
    for block in range(1, 5):
        part = [t for t in order if t.block == block]
        assert part[0].reference
        assert part[0].cell == ("Dunnock r1", "12 V")
        assert sorted(t.cell for t in part[1:]) == sorted((b, v) for b in THREE for v in c.columns)
    assert order == trials(Campaign.from_json(c.to_json()))
    assert order != trials(campaign(reference="Dunnock r1", seed=8))
    assert [t.cell for t in order if t.block == 1][1:] != [t.cell for t in order if t.block == 2][
        1:
    ]


def test_progress_and_the_next_thing_follow_from_the_runs_that_were_made():
    c = campaign()
    made = {}
    for n, trial in enumerate(trials(c)):
        assert next_trial(c, made) == trial
        assert done(c, trial.cell, made) == trial.number - 1
        for _ in range(4):  # two loads, each twice
            lift = next_in(c, trial, made)
            runs = made.setdefault(trial.cell[0], {})
            assert lift.repeat == runs.get(lift.step, 0) + 1
            runs[lift.step] = lift.repeat
        assert next_in(c, trial, made) is None
        assert n < 24
    assert next_trial(c, made) is None
    steps = c.plan_of("Wren r2").steps
    assert {s.repeats for s in steps} == {8}


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"reference": "Knot r1"}, "none of the builds"),
        ({"builds": ("Wren r2", "Wren r2")}, "twice"),
        ({"builds": ()}, "at least 1"),
    ],
)
def test_a_campaign_that_does_not_hold_together_is_refused(fields, said):
    text = json.dumps({**json.loads(campaign().to_json()), **fields})
    with pytest.raises(RecordError, match=said):
        Campaign.from_json(text)


def test_shuffled_blocks_see_through_a_drift_that_the_plain_order_takes_for_a_difference():
    """B is 1 point below A; everything falls by 0.05 points from one trial to the next."""
    rng = np.random.default_rng(3)
    found = {"shuffled in blocks": [], "as listed": []}
    inside = 0
    for seed in range(300):
        for order, differences in found.items():
            c = campaign(
                builds=("A", "B"),
                plan=ladder([Measured(1.0)], (12.0,), 1),
                blocks=8,
                seed=seed,
                order=order,
            )
            seen = {"A": [], "B": []}
            for n, t in enumerate(trials(c)):
                true = {"A": 90.0, "B": 89.0}[t.cell[0]]
                seen[t.cell[0]].append(true - 0.05 * n + 0.3 * rng.standard_normal())
            d = difference(seen["A"], seen["B"])
            differences.append(d.value)
            if order == "shuffled in blocks":
                inside += abs(d.value - 1.0) <= 2 * d.u
    means = {order: np.mean(x) for order, x in found.items()}
    assert means["shuffled in blocks"] == pytest.approx(1.0, abs=0.03)
    assert means["as listed"] == pytest.approx(1.0 + 8 * 0.05, abs=0.03)
    assert inside / 300 == pytest.approx(0.955, abs=0.035)


def test_the_control_chart_of_the_handbook():
    """NIST/SEMATECH e-Handbook of Statistical Methods, 6.3.2.2: ten flow rates of a batch process;
    mean 50.81, mean moving range 1.8778, limits 55.8041 and 45.8159 (from memory).
    """
    x = [49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1]
    found = control(x, range(10))
    assert np.mean(x) + found.limit == pytest.approx(55.8041, abs=2e-3)
    assert found.outside == ()
    assert found.drift is None  # all within an hour
    days = [86_400.0 * n for n in range(10)]
    drift, u = control(x, days).drift
    slope, intercept = np.polyfit(range(10), x, 1)
    assert drift == pytest.approx(slope)
    assert u > 0
    assert intercept > 0
    assert control([1.0, 2.0], [0, 1]) is None
    assert control([0.0, 0.1, 0.0, 0.1, 5.0], range(5)).outside == (4,)


def test_the_references_drift_is_read_off_its_own_loads(build, rig):
    c = campaign(
        builds=("Dunnock r2",),
        reference="Dunnock r2",
        blocks=3,
        plan=ladder([Measured(0.5, 5e-4), Measured(1.0, 5e-4)], (12.0,), 1),
    )
    plan = c.plan_of("Dunnock r2")
    runs, _ = make_runs(build, rig, plan)
    days = [
        (r.model_copy(update={"started": f"2026-11-{10 + r.repeat:02}T08:00:00+00:00"}), rec)
        for r, rec in runs
    ]
    chart = reference_of(c, analyse(build, rig, plan, days))
    assert len(chart.values) == 3
    assert abs(chart.values.mean()) < 1e-9
    assert chart.drift is not None


def test_a_campaign_is_kept_and_told_by_command(tmp_path, build, rig):
    c = campaign(builds=(build.name,), blocks=1, plan=ladder([Measured(0.5, 5e-4)], (12.0,), 2))
    (tmp_path / "c.json").write_text(c.to_json(), encoding="utf-8")
    with Logbook(tmp_path / "book") as book:
        owner, on = book.save_build(build), book.save_rig(rig)
    told = CliRunner().invoke(
        app, ["campaign", str(tmp_path / "book"), "--add", str(tmp_path / "c.json"), "--json"]
    )
    assert told.exit_code == 0, told.output
    (one,) = json.loads(told.stdout)["campaigns"]
    assert one["next"] == {"build": build.name, "column": "12 V", "block": 1, "reference": False}
    assert one["cells"] == [{"build": build.name, "column": "12 V", "done": 0, "of": 1}]
    with Logbook(tmp_path / "book") as book:
        ((key, kept),) = book.campaigns()
        with pytest.MonkeyPatch.context() as m:  # a full disk: both are kept, or neither
            m.setattr(Campaign, "to_json", lambda _: 1 / 0)
            with pytest.raises(ZeroDivisionError):
                book.begin_trial(key, build.name, owner, on, kept.plan_of(build.name))
        assert book.tests() == []
        test = book.begin_trial(key, build.name, owner, on, kept.plan_of(build.name))
        ((_, kept),) = book.campaigns()
        runs, _ = make_runs(build, rig, kept.plan_of(build.name))
        for run, recording in runs:
            book.add_run(test, run.model_copy(update={"ended": "interrupted"}), recording)
        assert next_trial(kept, book.runs_made(kept)) is not None  # interrupted ones are no repeats
        for run, recording in runs:
            book.add_run(test, run, recording)
        assert next_trial(kept, book.runs_made(kept)) is None
    told = CliRunner().invoke(app, ["campaign", str(tmp_path / "book"), "--json"])
    (one,) = json.loads(told.stdout)["campaigns"]
    assert one["next"] is None
    assert one["cells"][0]["done"] == 1
    unknown = campaign(builds=("Nobody r1",)).to_json()
    (tmp_path / "c.json").write_text(unknown, encoding="utf-8")
    told = CliRunner().invoke(
        app, ["campaign", str(tmp_path / "book"), "--add", str(tmp_path / "c.json")]
    )
    assert told.exit_code == 1
    assert "no build Nobody r1" in told.output
