"""A motor gets its own voltage: in every answer, in every plan that nobody made, on the bench."""

import json
import math
from datetime import date

import pytest
from helpers import lay, planned
from PyQt6.QtCore import Qt
from typer.testing import CliRunner
from window_helpers import choose, idle, until

from sparring.bench.attended import Interrupted
from sparring.cli.app import app
from sparring.cli.on_bench import PlanOnBench
from sparring.core.endurance import Endurance, Phase
from sparring.core.findings.setup import judge_setup
from sparring.core.instruments.devices import Device, DeviceSet
from sparring.core.outlook.foresee import first_power
from sparring.core.plan import above_rated, standard
from sparring.core.quantity import Measured
from sparring.endurance import process
from sparring.endurance.journal import JournalError
from sparring.files import log_files, log_look, record_files
from sparring.logbook import Logbook

RPM = 2 * math.pi / 60
FREE = 9200.0  # rpm


@pytest.fixture
def small(build):
    """The same drive with a 6 V motor."""
    motor = build.motor.model_copy(
        update={
            "voltage": Measured(6.0, 0.01),
            "no_load_speed": Measured(FREE * RPM, 20 * RPM),
            "no_load_current": Measured(0.11, 0.002),
            "stall_current": Measured(1.9, 0.02),
        }
    )
    return build.model_copy(update={"motor": motor, "family": "Robin", "revision": 1})


@pytest.fixture
def files(tmp_path, small, rig):
    record_files.save(tmp_path / "b.json", small)
    record_files.save(tmp_path / "r.json", rig)
    return tmp_path


def ask(*words):
    done = CliRunner().invoke(app, [str(w) for w in words])
    assert done.exit_code == 0, done.output
    return done.output


def test_a_train_answers_for_its_own_motor_and_says_at_which_voltage(files):
    told = json.loads(ask("train", files / "b.json", "--load", "0 N·m", "--json"))
    assert told["voltage_V"] == 6.0
    # nothing on it: what its own train asks for is all that it is slower by
    assert 0.8 * FREE * RPM < told["shafts"][0]["speed_rad_per_s"] < FREE * RPM
    assert "at 6" in ask("train", files / "b.json")
    assert (
        json.loads(ask("train", files / "b.json", "--voltage", "4 V", "--json"))["voltage_V"] == 4
    )


def test_a_simulated_log_is_driven_at_its_own_voltage(files):
    ask(
        *("simulate", "--build", files / "b.json", "--rig", files / "r.json"),
        *("--out", files / "log.csv"),
    )
    log, _ = log_files.read(log_look.look(files / "log.csv"), None)
    assert 5.5 < log.channels["voltage"].max() < 6.2


def test_a_motors_line_is_stated_at_the_highest_voltage_that_was_read(tmp_path):
    table = tmp_path / "m.csv"
    table.write_text("voltage [V];speed [rpm];current [A]\n6.00;9200;0.110\n2.00;0;0.640\n")
    told = {
        r["id"]: r for r in json.loads(ask("measure", "bare-motor", table, "--json"))["results"]
    }
    assert told["at-voltage"]["value"] == 6.0
    assert told["no-load-speed"]["value"] == pytest.approx(FREE * RPM, rel=1e-3)


def test_nothing_is_switched_on_for_a_step_above_it(tmp_path, small, rig):
    nowhere = DeviceSet(devices=(Device(name="b", address=f"unix:{tmp_path}/no"),))
    with Logbook(tmp_path / "book") as book:
        asked = []
        work = PlanOnBench(book, small, rig, planned(), asked.append)
        with pytest.raises(Interrupted, match=r"12 V.*is for 6 V.*Nothing was switched on"):
            work.go(nowhere, asked.append, lambda *_: None)
        assert not asked
        plan = planned(advance="by hand").model_copy(update={"above_rated": "allowed"})
        assert above_rated(small, plan) == 0.0
        assert above_rated(small, planned(voltages=(6.2,))) == 0.0  # a battery that is full
        key = book.save_build(small), book.save_rig(rig)
        duty = Endurance(duty=(Phase(voltage=12.0),))
        with pytest.raises(JournalError, match="12 V"):
            process.begin(book, key, small, rig, duty, DeviceSet(devices=(process.SIMULATED,)))


def test_it_is_an_error_before_power_and_first_power_is_a_third_of_it(small, rig):
    found = {f.id: f for f in judge_setup(small, rig, planned(), date(2026, 12, 1))}
    assert found["above-rated-voltage"].severity == "wrong"
    assert "above-rated-voltage" not in {
        f.id for f in judge_setup(small, rig, standard(small), date(2026, 12, 1))
    }
    assert first_power(small, 9).voltage == 2.0


def test_a_plan_above_it_says_so_where_it_is_made(files):
    told = ask(
        *("plan", "--build", files / "b.json", "--rig", files / "r.json"),
        *("--line", "loads 0.5 kg, at 12 V", "--json"),
    )
    found = {f["id"]: f["severity"] for f in json.loads(told)["findings"]}
    assert found["above-rated-voltage"] == "wrong"


def test_in_the_window_a_new_test_goes_with_the_motor(shown, folder, small, qtbot):
    with Logbook(folder) as book:
        book.save_build(small)
    lay(shown, folder)
    d = shown.desk
    choose(shown, "Robin r1")
    assert d.plan == standard(small)
    assert d.edit("build", ("motor", "voltage"), Measured(9.0, 0.01)) is None
    assert d.plan.voltages == (9.0,)
    d.undo.undo()
    assert d.plan.voltages == (6.0,)
    assert d.edit("plan", (), planned(), "plan") is None
    shown.go("run")
    d.edit("build", ("first_power",), {"on": "2026-12-01", "by": "A. Tester"})
    idle()
    go = shown.view("run").ladder.go
    shown.session.simulate(d.build, d.rig)
    until(lambda: shown.session.state == "ready" and shown.session.obeys)
    qtbot.keyClick(shown, Qt.Key.Key_Space)
    until(lambda: shown.session.tare is not None and "Lower the voltage" in go.text())
    shown.do("test.above-rated")
    until(lambda: "Lower the voltage" not in go.text())
    assert d.plan.above_rated == "allowed"
    d.undo.undo()
    until(lambda: "Lower the voltage" in go.text())
    shown.do("run.by-eye")  # by eye it is held up as well, and nothing is read
    until(lambda: "Lower the voltage" in go.text() and go.key == "Space")
    assert not shown.view("run").eye.keep.isEnabled()
