"""Files in and out, and the command line."""

import csv
import json
import os
import random
import re
from importlib import resources

import numpy as np
import pytest
import soundfile
from typer.testing import CliRunner

from sparring.bench.lines import LineReader
from sparring.cli.app import app
from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.core.rig import Rig
from sparring.demo import hollin_yard
from sparring.exchange.export import KeptTest
from sparring.exchange.importing import import_log
from sparring.exchange.imports import LOGS
from sparring.exchange.out import test_folder
from sparring.files import log_files, log_look, record_files, sound_files
from sparring.files.log_look import LogError
from sparring.logbook import Logbook


@pytest.fixture
def files(tmp_path, build, rig, plan):
    paths = {}
    for name, record in (
        ("build", build),
        ("rig", rig),
        ("plan", hollin_yard.plan(0.5, 1.0, 1.5, 2.0, 2.5, repeats=2)),
    ):
        paths[name] = tmp_path / f"{name}.json"
        record_files.save(paths[name], record)
    return paths


def call(*args):
    return CliRunner().invoke(app, [str(a) for a in args])


def test_records_come_back_from_their_files(files, build, rig):
    assert record_files.load(files["build"], Build).to_json() == build.to_json()
    assert record_files.load(files["rig"], Rig).to_json() == rig.to_json()
    assert '"module": "0.8 mm"' in files["build"].read_text()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('{"stages": [{"module": 1.5}]}', "stages.0.module: 1.5 is not a quantity"),
        ('{"stages": [{"friction": {}}]}', "is not a quantity"),
        ('{"stages": [{"module": "1.5"}]}', "has no unit"),
        ('{"stages": [{"module": "-1 mm"}]}', "too small"),
        ('{"motor": {"voltage": "12 A"}}', "unit of current"),
        ('{"colour": "red"}', "colour: is not a known field"),
        ('{"version": "sparring.rig/1"}', "sparring.build/1"),
        ('{"motor": {"no_load_current": "3 A", "stall_current": "1 A"}}', "interchanged"),
        ("{", "JSON"),
        ("", "JSON"),
    ],
)
def test_a_bad_record_file_is_refused_with_place_and_reason(tmp_path, text, said):
    path = tmp_path / "bad.json"
    path.write_text(text)
    with pytest.raises(RecordError, match=re.escape(said)) as caught:
        record_files.load(path, Build)
    assert str(path) in str(caught.value)


def test_what_has_no_unit_may_be_a_number():
    rig = Rig.from_json('{"method": {"kind": "run-up", "gearing": 2}}')
    assert rig.method.gearing == 2.0
    with pytest.raises(RecordError, match=r"0\.5 %"):
        Rig.from_json('{"sensors": {"voltage_accuracy": 0.5}}')  # of one, or of a hundred?


def test_shipped_schemas_are_those_of_the_code():
    for name, record in record_files.SCHEMAS.items():
        shipped = json.loads(
            resources.files("sparring.files")
            .joinpath(f"schemas/{name}.json")
            .read_text(encoding="utf-8")
        )
        assert shipped == json.loads(json.dumps(record.model_json_schema())), (
            f"{name}: run `make schemas`"
        )


def log_text(
    delimiter=",",
    decimal=".",
    header="time [ms],out speed [rpm],U (V),I (mA),load (kg),remark",
    comment="",
):
    rows = []
    for i in range(900):
        on = 100 <= i % 300 < 260
        figures = [
            f"{i * 12.5:.1f}",
            f"{118.0 if on else 0:.1f}",
            f"{12.0 if on else 0:.2f}",
            f"{800 if on else 2}",
            f"{1 + i // 300 * 0.5:.2f}",
        ]
        rows.append(delimiter.join([*(f.replace(".", decimal) for f in figures), "ok"]))
    return comment + header.replace(",", delimiter) + "\n" + "\n".join(rows) + "\n"


@pytest.mark.parametrize(
    ("delimiter", "decimal", "comment"),
    [
        (",", ".", ""),
        (";", ",", "# logger 3\n"),
        ("\t", ".", ""),
        ("\t", ",", "% made by hand\n\n"),
    ],
)
def test_logs_of_other_loggers_are_understood(tmp_path, delimiter, decimal, comment):
    path = tmp_path / "log.csv"
    path.write_text(log_text(delimiter, decimal, comment=comment))
    look = log_look.look(path)
    assert [c.channel for c in look.columns] == ["t", "speed", "voltage", "current", "mass", ""]
    recording, remarks = log_files.read(look)
    assert remarks == []
    assert len(recording) == 900
    assert recording.t[-1] == pytest.approx(899 * 0.0125)
    assert recording.channels["current"].max() == pytest.approx(0.8)
    assert recording.channels["speed"].max() == pytest.approx(118 * 2 * np.pi / 60)


def test_a_log_without_header_separated_by_spaces_takes_a_mapping(tmp_path):
    path = tmp_path / "log.txt"
    path.write_text("\n".join(f"  {i * 0.01:.2f}   {i % 7}  12.0 " for i in range(50)) + "\n")
    look = log_look.look(path)
    assert not look.has_header
    recording, _ = log_files.read(look, {0: ("t", "s"), 1: ("speed", "rpm"), 2: ("voltage", "V")})
    assert recording.channels["voltage"][0] == 12.0


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("# only\n# comments\n", "only comments"),
        ("hello world\nthis is prose\n", "no lines of numbers"),
        ("a,b\n" + "".join(f"{i},{i}\n" for i in range(20)), "no column is the time"),
        ("time,speed [rpm]\n" + "".join(f"{i},{i}\n" for i in range(20)), "has no unit"),
        (
            "time [s],speed [rpm]\n" + "".join(f"{i},{'x' if i % 2 else 1}\n" for i in range(20)),
            "not numbers, the first “x”",
        ),
        ("time [s],speed [rpm]\n" + "".join(f"{-i},{i}\n" for i in range(20)), "backwards"),
        ("time [s],speed [rpm]\n1,2\n2,3\n", "only 2 lines"),
        ("time [s],speed [rpm]\n" + "".join(f"5,{i}\n" for i in range(20)), "does not advance"),
    ],
)
def test_a_bad_log_is_refused_with_what_to_do(tmp_path, text, said):
    path = tmp_path / "log.csv"
    path.write_text(text)
    with pytest.raises(LogError, match=said) as caught:
        log_files.read(log_look.look(path))
    assert "log.csv" in str(caught.value)


def test_a_few_bad_cells_and_lines_are_left_out_and_told(tmp_path):
    path = tmp_path / "log.csv"
    lines = [f"{i * 0.01:.2f},{i % 5}.0" for i in range(400)]
    lines[50], lines[60] = "0.50,oops", "0.60,1,2,3"
    path.write_text("time [s],speed [rpm]\n" + "\n".join(lines) + "\n")
    recording, remarks = log_files.read(log_look.look(path))
    assert len(recording) == 399
    assert any("oops" in r and "line 52" in r for r in remarks)
    assert any("without 2 columns" in r for r in remarks)


def test_a_log_becomes_a_test_in_the_logbook_and_goes_out_again(tmp_path, build, rig, plan):
    path = tmp_path / "log.csv"
    path.write_text(log_text())
    with Logbook(tmp_path / "book") as book:
        ids = book.save_build(build), book.save_rig(rig)
        look = log_look.look(path)
        columns = {i: (c.channel, c.unit) for i, c in enumerate(look.columns) if c.channel}
        test, remarks = import_log(
            book, LOGS[0], look, columns, build_id=ids[0], rig_id=ids[1], plan=plan
        )
        assert remarks[0].startswith("3 runs of 3 loads")
        runs = book.runs(test)
        assert len({r.recording for r in runs}) == 1
        folder = test_folder.write(KeptTest(book, test), tmp_path / "out")
        (folder / "notes.txt").write_text("mine")
        assert test_folder.write(KeptTest(book, test), tmp_path / "out") == folder
        assert (folder / "notes.txt").read_text() == "mine"
    assert {p.name for p in folder.iterdir()} >= {
        "build.json",
        "rig.json",
        "plan.json",
        "result.json",
        "result.csv",
        "sheet.html",
        "run-003.csv",
    }
    document = json.loads((folder / "result.json").read_text())
    assert [s["lifted"] for s in document["steps"]] == [1, 1, 1]
    assert "<svg" in (folder / "sheet.html").read_text()
    with open(folder / "result.csv") as f:
        assert float(list(csv.DictReader(f))[2]["torque_Nm"]) == pytest.approx(
            document["steps"][2]["torque_Nm"]
        )


def test_a_cancelled_import_or_export_leaves_nothing_behind(tmp_path, build, rig, plan):
    class EnoughError(Exception):
        pass

    def until(most):
        seen = []

        def progress(part):
            seen.append(part)
            if part > most:
                raise EnoughError

        return seen, progress

    path = tmp_path / "log.csv"
    path.write_text(
        "time [s],speed [rpm],voltage [V],mass [kg]\n"
        + "".join(f"{i * 0.01:.2f},60,12,1\n" for i in range(150_000))
    )
    with Logbook(tmp_path / "book") as book:
        ids = book.save_build(build), book.save_rig(rig)
        look = log_look.look(path)
        columns = {i: (c.channel, c.unit) for i, c in enumerate(look.columns)}
        seen, progress = until(0.4)
        with pytest.raises(EnoughError):
            import_log(
                book,
                LOGS[0],
                look,
                columns,
                build_id=ids[0],
                rig_id=ids[1],
                plan=plan,
                progress=progress,
            )
        assert 0.4 < seen[-1] < 0.9
        assert not book.tests()
        assert not list((tmp_path / "book" / "recordings").glob("*.parquet"))
        test, _ = import_log(
            book, LOGS[0], look, columns, build_id=ids[0], rig_id=ids[1], plan=plan
        )
        with pytest.raises(EnoughError):
            test_folder.write(KeptTest(book, test, until(0.1)[1]), tmp_path / "out")
        assert not list((tmp_path / "out").iterdir())


def test_cli_simulates_and_reduces_what_it_simulated(files, tmp_path):
    log = tmp_path / "lifts.csv"
    records = ("--build", files["build"], "--rig", files["rig"], "--plan", files["plan"])
    assert call("simulate", *records, "--out", log, "--seed", 4).exit_code == 0
    done = call("reduce", log, *records, "--json")
    assert done.exit_code == 0, done.output
    document = json.loads(done.stdout)
    assert document["format"] == "sparring.result/1"
    assert [s["lifted"] for s in document["steps"]] == [2] * 5
    assert all(
        0.7 < s["efficiency_gearbox"] < 0.95 and s["u_efficiency_gearbox"] > 0
        for s in document["steps"]
    )
    assert "gearbox %" in call("reduce", log, *records).stdout
    again = tmp_path / "again.csv"
    call("simulate", *records, "--out", again, "--seed", 4)
    assert again.read_bytes() == log.read_bytes()
    mapped = call(
        "reduce",
        log,
        *records,
        "--json",
        "--column",
        "1=t:s",
        "--column",
        "3=speed:rpm",
        "--column",
        "8=mass:kg",
    )
    assert json.loads(mapped.stdout)["steps"][0]["voltage_V"] is None


def test_cli_says_how_a_build_turns(files):
    document = json.loads(call("train", files["build"], "--load", "3 kg·cm", "--json").stdout)
    assert document["ratio"] == pytest.approx(30)
    assert document["load_Nm"] == pytest.approx(0.2942, abs=1e-4)
    assert document["shafts"][1]["speed_rad_per_s"] < 0
    assert "30:1 reduction" in call("train", files["build"]).stdout


def test_cli_exit_status_tells_bad_data_from_a_wrong_call(files, tmp_path):
    bad = tmp_path / "bad.json"
    bad.write_text("{}x")
    assert call("train", bad).exit_code == 1
    assert call("train", files["build"], "--load", "3 kg").exit_code == 1
    assert call("train").exit_code == 2
    assert call("train", tmp_path / "none.json").exit_code == 2
    assert (
        call("reduce", files["build"], "--build", files["build"], "--rig", files["rig"]).exit_code
        == 1
    )
    assert (
        call(
            "reduce",
            files["build"],
            "--build",
            files["build"],
            "--rig",
            files["rig"],
            "--column",
            "x",
        ).exit_code
        == 2
    )
    assert call("export", tmp_path / "nothing", tmp_path / "out").exit_code == 1
    assert call("--version").exit_code == 0


def mutated(data, rng):
    """One to four random cuts, swaps, repeats or replaced bytes."""
    out = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        if not out:
            break
        a, b = sorted(rng.randrange(len(out) + 1) for _ in range(2))
        b = min(b, a + 60)
        kind = rng.randrange(5)
        if kind == 0:
            del out[a:b]
        elif kind == 1:
            out[a:a] = out[a:b]
        elif kind == 2:
            out[a:b] = bytes(rng.randrange(256) for _ in range(rng.randint(0, 8)))
        elif kind == 3:
            out[a:a] = rng.choice(
                [b"nan", b"1e400", b"-0", b'"', b"{", b"\xff", b"0 mm", b",,,", b"\n\n"]
            )
        else:
            out = out[:b]
    return bytes(out)


@pytest.mark.whole
@pytest.mark.parametrize("part", range(4))
def test_ten_thousand_mutated_files_never_crash_or_pass_silently_wrong(files, tmp_path, part):
    rng = random.Random(part)
    build, rig, plan = (files[k].read_bytes() for k in ("build", "rig", "plan"))
    for record, data, count in (
        (Build, build, 900),
        (Rig, rig, 500),
        (record_files.SCHEMAS["plan"], plan, 200),
    ):
        for _ in range(count):
            try:
                good = record.from_json(mutated(data, rng))
            except RecordError as err:
                assert str(err)
            else:  # what is accepted holds together and can be written again
                assert record.from_json(good.to_json()).to_json() == good.to_json()
    log = log_text().encode()[:6000]
    path = tmp_path / "m.csv"
    for _ in range(400):
        path.write_bytes(mutated(log, rng))
        try:
            recording, _ = log_files.read(log_look.look(path))
        except LogError as err:
            assert str(err)
        else:
            assert np.isfinite(recording.t).all()
            assert (np.diff(recording.t) >= 0).all()
    lines = b"# columns: seq, t/ms, cell/counts, speed/rpm\n" + b"".join(
        b"%d,%d,84000,120.5\n" % (i, i * 12) for i in range(40)
    )
    for _ in range(500):
        reader = LineReader()
        data = mutated(lines, rng)
        for at in range(0, len(data), 97):
            reader.feed(data[at : at + 97])
        assert reader.tally.samples + reader.tally.garbled <= data.count(b"\n") + 2


def test_typed_uncertainty_survives_the_file(tmp_path, rig):
    told = changed(rig, ("method", "drum_diameter"), Measured(0.0512, 3e-5))
    record_files.save(tmp_path / "rig.json", told)
    found = record_files.load(tmp_path / "rig.json", Rig).method.drum_diameter
    assert (found.value, found.u) == (pytest.approx(0.0512), pytest.approx(3e-5))


def test_our_own_unchecked_figures_hold(build):
    """Templates and tables are made without checks, for a quick start: each is what the checks
    would have made.
    """
    from sparring.core.methods import METHODS
    from sparring.core.motor import FurtherMotor
    from sparring.core.plan import standard
    from sparring.core.rig import Rig
    from sparring.core.train import materials
    from sparring.core.train.kinds import KINDS

    for kind in (type(build), Rig, FurtherMotor, *METHODS, *KINDS):
        text = kind.ours().to_json()
        assert kind.ours() == kind()
        assert kind.from_json(text).to_json() == text
    plan = standard(build)
    assert type(plan).from_json(plan.to_json()).to_json() == plan.to_json()
    for material in materials.TABLE:
        assert type(material).from_json(material.to_json()) == material


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (["reduce", "LOG", "--column", "²=speed:rpm"], "NUMBER=CHANNEL"),
        (["simulate", "--out", "OUT", "--seed", "-1"], "greater than or equal to 0"),
        (["train", "BUILD", "--load", "-3 N·m"], "as a positive value"),
        (["train", "TWICE"], "occurs twice"),
        (["train", "MARKED"], "stalls at"),
        (["reduce", "/dev/zero"], "a pipe, a device"),
        (["reduce", "PIPE"], "a pipe, a device"),
    ],
)
def test_calls_that_cannot_be_are_refused_in_words(tmp_path, build, rig, call, said):
    text = build.to_json()
    files = {
        "BUILD": text,
        "TWICE": text.replace('"family"', '"family": "X", "family"', 1),
        "MARKED": "\ufeff" + text,
        "LOG": log_text(),
    }
    for name, content in files.items():
        (tmp_path / name).write_text(content, encoding="utf-8")
    record_files.save(tmp_path / "RIG", rig)
    os.mkfifo(tmp_path / "PIPE")
    call = [
        str(tmp_path / word) if (tmp_path / word).exists() or word == "OUT" else word
        for word in call
    ]
    if call[0] != "train":
        call += ["--build", str(tmp_path / "BUILD"), "--rig", str(tmp_path / "RIG")]
    done = CliRunner().invoke(app, call)
    assert said in re.sub(r"[\s│]+", " ", done.output)
    assert done.exception is None or isinstance(done.exception, SystemExit)


def test_two_microphones_wired_against_each_other_do_not_cancel(tmp_path):
    t = np.arange(8000) / 8000
    tone = 0.4 * np.sin(2 * np.pi * 440 * t)
    for name, second in (("alike", tone), ("against", -0.9 * tone)):
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, np.column_stack([tone, second]), 8000)
        assert np.abs(sound_files.read(path).samples).max() > 0.35
