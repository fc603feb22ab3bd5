"""Every detector finds what the plant does to it, and is silent on runs in which nothing happened;
100 of each by `make study`.
"""

import json
import tempfile
import warnings
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from helpers import TARE, benches, planned
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from independent import setups, ways
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core import nan
from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.events import DETECTORS, detect, in_words, with_events
from sparring.core.happening import Happening
from sparring.core.methods import METHODS, Brake, Drawbar
from sparring.core.motor import FurtherMotor
from sparring.core.plan import Plan
from sparring.core.plant.bench import bench_of
from sparring.core.plant.lifts import ladder, one_log, runs_of
from sparring.core.plant.mishaps import MISHAPS
from sparring.core.plant.sensors import sensors_of
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.reduce.inputs import part_of
from sparring.core.reduce.split import split_runs
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.train.kinds import ClutchStage
from sparring.files import log_files, log_look, record_files


def bench_for(id, build, rig):
    """(build, rig, load [kg]) on which an event of this kind can be."""
    rig = changed(rig, ("method", "travel"), 1.6)
    if id == "motor-dropped-out":
        build = changed(build, ("further_motors",), (FurtherMotor(readings=build.motor),))
    if id == "clutch-slip":
        clutch = ClutchStage(type="slip", slips_at=3.0)
        build = changed(build, ("stages",), (*build.stages, clutch))
    if id == "traction-loss":
        rig = changed(rig, ("method",), changed(Drawbar(), ("hold",), 4.0))
    if id == "zero-drift":
        rig = changed(rig, ("method",), Brake(load="swept up and down"))
    return build, rig, {"stall": 6.5, "traction-loss": 1.0}.get(id, 1.5)


def made(id, build, rig, load, n, *, mishap=None):
    plan = planned([Measured(load, 5e-4)], (12.0,), n)
    lifts = ladder(bench_of(build, rig), sensors_of(rig), rig, plan, seed=n, mishap=mishap)
    return runs_of(lifts, rig.method, tare=TARE), lifts


@pytest.mark.study
@pytest.mark.parametrize("id", sorted(DETECTORS.keys() - {"cord-layer"}))  # test_happenings
def test_an_event_is_found_where_the_plant_caused_it(id, build, rig):
    b, r, load = bench_for(id, build, rig)
    n = 100 if benches(20) >= 200 else benches(8)
    mishap = MISHAPS[id]() if id in MISHAPS else None
    hits, others = 0, set()
    for run, recording in made(id, b, r, load, n, mishap=mishap)[0]:
        found = {e.id: e for e in detect(b, r, run, recording)}
        hits += id in found
        others |= found.keys() - {id}
        if id in found and mishap is not None and mishap.at > 0 and id not in _ALL_ALONG:
            begins = recording.t[0] + 0.3 + mishap.at
            assert found[id].at == pytest.approx(begins, abs=0.35)
            assert "{" not in in_words(found[id])
    assert hits >= 0.95 * n
    assert not others  # one thing happened


_ALL_ALONG = {"sensor-saturated", "zero-drift"}


@pytest.mark.parametrize("channel", ["cell", "current", "motor_speed"])
def test_each_sensor_is_told_by_name(channel, build, rig):
    b, r, load = bench_for("", build, rig)
    for id in ("sensor-stuck", "sensor-unplugged"):
        mishap = MISHAPS[id]().of(channel)
        ((run, recording),) = made(id, b, r, load, 1, mishap=mishap)[0]
        events = detect(b, r, run, recording)
        assert [e.id for e in events] == [id]
        word = {"cell": "Load cell", "current": "Current", "motor_speed": "Motor speed"}[channel]
        assert word in in_words(events[0])


@pytest.mark.study
@pytest.mark.parametrize("load", [0.5, 2.5])
def test_runs_in_which_nothing_happened_are_silent(load, build, rig):
    n = 100 if benches(20) >= 200 else benches(8)
    for id in ("", "traction-loss", "zero-drift", "motor-dropped-out", "clutch-slip"):
        b, r, _ = bench_for(id, build, rig)
        said = [detect(b, r, run, rec) for run, rec in made(id, b, r, load, n)[0]]
        assert sum(map(bool, said)) <= 0.01 * n


@pytest.mark.parametrize(
    "method", [*(m() for m in METHODS), Brake(load="swept up and down")], ids=str
)
def test_every_method_is_silent_where_nothing_happened(method, build, rig):
    rig = changed(rig, ("method",), method)
    plan = planned([Measured(0.5, 5e-4), Measured(1.5, 5e-4)], (12.0,), 3).on(method)
    lifts = ladder(bench_of(build, rig), sensors_of(rig), rig, plan, seed=3)
    for run, recording in runs_of(lifts, method, tare=TARE):
        assert not [in_words(e) for e in detect(build, rig, run, recording)]


def test_what_was_meant_to_happen_is_no_finding(build, rig):
    """A jam in a run to failure is what was asked for; in any other it is said, once for each kind
    also where voltages differ."""
    b, r, load = bench_for("jam", build, rig)
    runs, _ = made("jam", b, r, load, 3)
    runs = [(run.model_copy(update={"repeat": n}), x) for n, (run, x) in enumerate(runs, start=1)]
    event = Happening(
        id="skip", title="Skipped", severity="wrong", at=1.0, until=1.4, seen="It fell."
    )
    jam = event.model_copy(update={"id": "jam", "title": "Jammed", "until": 2.0})

    def told(*runs):
        found = analyse(b, r, planned(), runs).findings
        return sorted(f.title for f in found if f.id == "happened")

    (one, x), (two, y), (three, z) = runs
    skipped = one.model_copy(update={"events": (event,)})
    jammed = two.model_copy(update={"events": (jam,), "voltage": 9.0, "step": 1})
    assert told((skipped, x), (three, z)) == ["Skipped during a run"]
    assert len(told((skipped, x), (jammed, y))) == 2
    assert told((skipped.model_copy(update={"kind": "to failure"}), x)) == []


@pytest.mark.study
@pytest.mark.parametrize(
    "way", [w if w == "hoist" else pytest.param(w, marks=pytest.mark.whole) for w in ways.METHODS]
)
def test_a_strangers_logs_are_silent(way):
    """Of the independent bench: other rates, noise, steps, lost and doubled lines."""
    for setup in setups.make(way, max(benches(20) // 5, 3), 77):
        with tempfile.TemporaryDirectory() as name:
            for file, text in setup.files.items():
                (Path(name) / file).write_text(text)
            b, r, p = (
                record_files.load(Path(name) / f"{kind.__name__.lower()}.json", kind)
                for kind in (Build, Rig, Plan)
            )
            recording, _ = log_files.read(log_look.look(Path(name) / "log.csv"))
        for run in split_runs(recording, p, method=r.method):
            assert not detect(b, r, run, recording)
            assert not detect(b, r, run, part_of(run, recording))


def test_what_a_run_leaves_behind_is_found_in_a_log_of_several(build, rig):
    """A log is taken apart at its pauses; what tells these two lies in the pause."""
    b, r, load = bench_for("breaker-trip", build, rig)
    for mishap, wanted in ((MISHAPS["breaker-trip"](), ["breaker-trip"] * 3), (None, [])):
        _, lifts = made("breaker-trip", b, r, load, 3, mishap=mishap)
        log = one_log(lifts, r.method, pause=2.0)
        assert found_in(log, b, r, load) == wanted
    b, r, load = bench_for("zero-drift", build, rig)
    log = one_log(made("zero-drift", b, r, load, 3)[1], r.method, pause=2.0)
    assert found_in(log, b, r, load) == []
    cell = log.channels["cell"]
    third = (log.t[-1] - log.t[0]) / 3  # in the middle run
    moved = np.clip((log.t - log.t[0] - 1.2 * third) / (0.6 * third), 0, 1)
    moved *= 0.06 * (np.median(cell) - np.min(cell))
    drifted = replace(log, channels={**log.channels, "cell": np.round(cell + moved)})
    assert found_in(drifted, b, r, load) == ["zero-drift"]


def found_in(log, build, rig, load):
    plan = planned([Measured(load, 5e-4)], (12.0,), 3)
    runs = split_runs(log, plan, method=rig.method)
    return [e.id for run in runs for e in detect(build, rig, run, log)]


def test_events_are_kept_with_the_run_and_told_by_command(build, rig, tmp_path):
    b, r, load = bench_for("jam", build, rig)
    ((run, recording),), lifts = made("jam", b, r, load, 1, mishap=MISHAPS["jam"]())
    kept = with_events(b, r, run, recording)
    assert [e.id for e in kept.events] == ["jam"]
    assert "rpm" in kept.events[0].seen
    assert Run.from_json(kept.to_json()) == kept
    log_files.write(tmp_path / "log.csv", one_log(lifts, r.method))
    record_files.save(tmp_path / "b.json", b)
    record_files.save(tmp_path / "r.json", r)
    both = ["--build", str(tmp_path / "b.json"), "--rig", str(tmp_path / "r.json")]
    told = CliRunner().invoke(app, ["events", str(tmp_path / "log.csv"), *both, "--json"])
    assert told.exit_code == 0, told.output
    document = json.loads(told.stdout)
    (event,) = document["runs"][0]["events"]
    assert (document["format"], event["id"]) == ("sparring.events/1", "jam")
    assert event["at_s"] == pytest.approx(1.5, abs=0.2)
    assert event["facts"]["speed"]["value"] == pytest.approx(
        float(np.nanmedian(recording.channels["speed"][60:110])), rel=0.1
    )
    told = CliRunner().invoke(app, ["events", str(tmp_path / "log.csv"), *both])
    assert "Jammed" in told.output


def test_a_detector_that_fails_costs_no_run(build, rig, monkeypatch):
    ((run, recording),), _ = made("", build, rig, 1.5, 1)
    bad = DETECTORS["jam"]._replace(find=lambda _w: 1 / 0)
    monkeypatch.setitem(DETECTORS, "jam", bad)
    with pytest.warns(UserWarning, match="not looked for"):
        assert with_events(build, rig, run, recording) == run
    nothing = {c: np.full(len(recording), np.nan) for c in recording.channels}
    monkeypatch.undo()
    assert detect(build, rig, run, Recording(recording.t, nothing)) == []


@given(arrays(float, st.integers(0, 40), elements=st.floats(-1e6, 1e6) | st.just(np.nan)))
def test_what_was_not_read_is_left_out_without_a_word(y):
    """As NumPy's own functions do, which warn where nothing was read."""
    ours = [nan.most(y), nan.least(y), nan.mean(y), nan.deviation(y), nan.median(y)]
    if np.isnan(y).all():
        assert np.isnan([*ours, nan.quantile(y, 0.9), nan.scatter(y)]).all()
        return
    numpys = [f(y) for f in (np.nanmax, np.nanmin, np.nanmean, np.nanstd, np.nanmedian)]
    assert ours == pytest.approx(numpys, rel=1e-9, abs=1e-6)
    assert nan.quantile(y, 0.9) == pytest.approx(np.nanquantile(y, 0.9))
    rows = np.array([y, np.full(len(y), np.nan)])
    np.testing.assert_array_equal(nan.medians(rows), [np.nanmedian(y), np.nan])


def test_a_run_in_which_sensors_fell_silent_is_looked_at_whatever_else_runs(
    build, rig, monkeypatch
):
    """Runs that end are looked at in threads of their own. All share one filter of warnings, which
    another may have put back: here nobody can change it.
    """
    ((run, recording),), _ = made("", build, rig, 1.5, 1)
    channels = {c: y.copy() for c, y in recording.channels.items()}
    for n, y in enumerate(channels.values()):
        y[40 + 10 * n : 160 + 10 * n] = np.nan
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        monkeypatch.setattr(warnings, "simplefilter", lambda *_, **__: None)
        kept = with_events(build, rig, run, Recording(recording.t, channels))
    assert "sensor-unplugged" in [e.id for e in kept.events]
