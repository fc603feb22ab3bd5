"""`sparring record`: a plan done from a terminal."""

import json
import signal
import subprocess
import sys

import pytest
from helpers import planned, wait_for

from sparring.bench.attended import Interrupted
from sparring.bench.devices.connecting import one_board
from sparring.cli.on_bench import PlanOnBench
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.files import record_files
from sparring.logbook import Logbook


@pytest.mark.parametrize("interrupt", [False, pytest.param(True, marks=pytest.mark.whole)])
def test_a_plan_is_done_from_a_terminal(tmp_path, build, rig, interrupt):
    files = {
        "--build": build,
        "--rig": rig,
        "--plan": planned((Measured(0.5, 5e-4), Measured(1.5, 5e-4)), repeats=2),
    }
    if interrupt:
        files["--rig"] = changed(rig, ("method", "travel"), 500.0)
    call = []
    for name, record in files.items():
        record_files.save(tmp_path / f"{name}.json", record)
        call += [name, str(tmp_path / f"{name}.json")]
    sparring = [sys.executable, "-m", "sparring"]
    bench = subprocess.Popen(
        [*sparring, "bench", *call[:4], "--speed", "8"], stdout=subprocess.PIPE, text=True
    )
    port = bench.stdout.readline().strip()
    book = tmp_path / "book"
    record = subprocess.Popen(
        [*sparring, "record", "--port", port, *call, "--logbook", str(book), "--yes", "--json"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    if interrupt:
        # a lift is being recorded
        wait_for(lambda: any(p.stat().st_size > 4000 for p in book.glob("recordings/*.arrow")))
        record.send_signal(signal.SIGINT)
    out, err = record.communicate(timeout=100)
    bench.terminate()
    bench.communicate(timeout=20)
    document = json.loads(out)
    assert (document["format"], document["whole"], record.returncode) == (
        "sparring.record/1",
        not interrupt,
        int(interrupt),
    ), err
    ended = [(r["step"], r["repeat"], r["ended"]) for r in document["runs"]]
    assert ended == (
        [(0, 1, "stopped")]
        if interrupt
        else [(0, 1, "top"), (0, 2, "top"), (1, 1, "top"), (1, 2, "top")]
    )
    best = document["best_gearbox_efficiency"]
    assert interrupt or 0.5 < best["value"] - 2 * best["u"] < best["value"] + 2 * best["u"] < 1.0
    with Logbook(book) as kept:
        runs = kept.runs(document["test"])
        assert (kept.test(document["test"]).headline or {}).get("value") == (
            best["value"] if best else None
        )
        assert [r.id for r in runs] == [r["id"] for r in document["runs"]]
        assert {r.run.source for r in runs} == {"simulated"}
        assert all(len(kept.recording(r.recording)) > 10 for r in runs)
        assert [r.run.load.value for r in runs] == [0.5, 0.5, 1.5, 1.5][: len(runs)]
    assert ("ended by its caller" in (document["why"] or "")) == interrupt


def test_a_bench_that_says_nothing_is_told_from_a_terminal(tmp_path, build, rig, monkeypatch):
    monkeypatch.setattr("sparring.bench.attended._FIRST", 0.5)
    with Logbook(tmp_path / "book") as book:
        said = []
        work = PlanOnBench(book, build, rig, planned(), said.append)
        with pytest.raises(Interrupted, match="no valid lines"):
            work.go(one_board(str(tmp_path / "nothing")), said.append, lambda *_: None)
        assert "cannot be opened" in said[0]


def test_a_plan_from_a_terminal_ends_at_the_rigs_limit(tmp_path, build, rig):
    low = changed(changed(rig, ("limits", "current"), 0.15), ("method", "travel"), 50.0)
    for name, record in (("b", build), ("r", changed(rig, ("method", "travel"), 50.0))):
        record_files.save(tmp_path / f"{name}.json", record)
    files = ["--build", str(tmp_path / "b.json"), "--rig", str(tmp_path / "r.json")]
    bench = subprocess.Popen(
        [sys.executable, "-m", "sparring", "bench", *files, "--speed", "4"],
        stdout=subprocess.PIPE,
        text=True,
    )
    with Logbook(tmp_path / "book") as book:
        said = []
        work = PlanOnBench(book, build, low, planned(), said.append)
        with pytest.raises(Interrupted, match="ended by limit"):
            work.go(one_board(bench.stdout.readline().strip()), said.append, lambda *_: None)
        assert [r.run.ended for r in book.runs(work.test)] == ["limit"]
        assert any("exceeded the rig's limit of 0.150 A" in text for text in said)
    bench.terminate()
    bench.communicate(timeout=20)


def test_a_drive_that_nobody_has_seen_turn_begins_with_first_power(tmp_path, build, rig):
    """On a bench that is no simulation; once it was seen, the plan alone is done."""
    unseen = changed(build, ("first_power",), None)
    for name, record in (("b", unseen), ("r", rig)):
        record_files.save(tmp_path / f"{name}.json", record)
    files = ["--build", str(tmp_path / "b.json"), "--rig", str(tmp_path / "r.json")]
    bench = subprocess.Popen(
        [sys.executable, "-m", "sparring", "bench", *files, "--speed", "8"],
        stdout=subprocess.PIPE,
        text=True,
    )
    port = bench.stdout.readline().strip()
    plan = planned((Measured(0.5, 5e-4),), repeats=1)
    with Logbook(tmp_path / "book") as book:
        for kinds in (["first power", "measure"], ["measure"]):
            asked = []
            work = PlanOnBench(book, unseen, rig, plan, lambda _text: None)
            facts = work.session.facts
            work.session.facts = lambda facts=facts: facts()._replace(simulated=False)
            work.go(one_board(port), asked.append, lambda *_: None)
            runs = [book.run(n).run for n in work.runs]
            assert [r.kind for r in runs] == kinds
            assert any("right way" in text for text in asked) == (len(kinds) == 2)
            assert book.builds()[0][1].first_power is not None
            assert len(book.test(work.test).plan.steps) == 1
        assert runs[0].voltage == 12.0
    bench.terminate()
    bench.communicate(timeout=20)
