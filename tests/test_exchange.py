"""What goes in and out as open files: the lists that window and command line share."""

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.demo import hollin_yard
from sparring.exchange.exports import EXPORTS
from sparring.files import record_files
from sparring.logbook import Logbook


def call(*args, ends=0):
    done = CliRunner().invoke(app, [str(a) for a in args])
    assert done.exit_code == ends, done.output
    return done


@pytest.fixture
def files(tmp_path, build, rig, plan):
    """A build, a rig, a plan, and a log of it as another logger would have written it."""
    paths = {}
    for name, record in (
        ("build", build),
        ("rig", rig),
        ("plan", hollin_yard.plan(0.5, 1.0, 1.5, 2.0, 2.5, repeats=1)),
    ):
        paths[name] = tmp_path / f"{name}.json"
        record_files.save(paths[name], record)
    paths["log"] = tmp_path / "lifts.csv"
    records = ("--build", paths["build"], "--rig", paths["rig"], "--plan", paths["plan"])
    call("simulate", *records, "--out", paths["log"])
    return paths


@pytest.fixture
def book(files, tmp_path):
    """A logbook into which they were taken by command."""
    folder = tmp_path / "book"
    for name in ("build", "rig"):
        call("import", folder, files[name])
    done = json.loads(call("import", folder, files["log"], "--json").stdout)
    assert (done["test"], done["build"], done["rig"]) == (1, "Dunnock r2", "Hoist A")
    assert done["runs"] == 5
    assert "found in lifts.csv" in done["remarks"][0]
    return folder


def test_every_format_that_is_written_has_its_command(files, book, tmp_path):
    listed = json.loads(call("formats", "--json").stdout)
    assert [e["id"] for e in listed["exports"]] == [e.id for e in EXPORTS]
    assert {i["id"] for i in listed["imports"]} == {"text-log", "by-eye", "record-file"}
    assert "result-json" in call("formats").stdout
    out = tmp_path / "out"
    for form, ending in (("result-json", ".json"), ("result-csv", ".csv"), ("sheet", ".html")):
        said = call("export", book, out, "--as", form).stdout.strip()
        assert Path(said).suffix == ending
        assert Path(said).stat().st_size > 300
    kept = json.loads(next(out.glob("*.json")).read_text())
    assert {"id", "input", "u", "share_of_variance"} == set(kept["budget_of_best"][0])
    assert (Path(call("export", book, out).stdout.strip()) / "run-001.csv").exists()
    assert "result-json" in call("export", book, out, "--as", "png", ends=2).stderr


def test_parts_and_calibrations_are_written_by_command(files, tmp_path):
    call("draw", files["build"], "1", "pinion", tmp_path / "pinion.svg")
    assert "<svg" in (tmp_path / "pinion.svg").read_text()
    assert "has no spoke" in call("draw", files["build"], 1, "spoke", "a.svg", ends=2).stderr
    assert ".dxf" in call("draw", files["build"], 1, "pinion", "a.png", ends=2).stderr
    call("certificate", "--rig", files["rig"], tmp_path / "cell.html")
    assert "Sensitivity" in (tmp_path / "cell.html").read_text()
    none = call("certificate", "--rig", files["rig"], "m.html", "--meter", "ammeter", ends=1)
    assert "the ammeter has not been calibrated" in none.stderr
    gone = call("certificate", "--rig", files["rig"], tmp_path / "no" / "cell.html", ends=1)
    assert "could not be written" in gone.stderr


def test_records_are_taken_in_under_names_that_are_free(files, book, tmp_path):
    again = json.loads(call("import", book, files["build"], "--json").stdout)
    assert again["build"] == "Dunnock r3"
    assert json.loads(call("import", book, files["rig"], "--json").stdout)["rig"] == "Hoist A 2"
    assert "choose the build" in call("import", book, files["log"], "--build", "x", ends=1).stderr
    assert "plan" in call("import", book, files["plan"], ends=1).stderr
    with Logbook(book) as kept:
        assert [b.name for _, b in kept.builds()] == ["Dunnock r2", "Dunnock r3"]
        assert len(kept.tests()) == 1
