"""Devices of one's own: columns found by example, a supply told in text, runs that follow one
another, and a limit that stops them.
"""

import random
import subprocess

import pytest
from desktop import COMMAND, Program, space
from printing import Printing

from sparring.core.instruments.devices import SUPPLY, Device, DeviceSet
from sparring.core.methods.brake import Brake
from sparring.core.plan import ladder
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard
from sparring.files import record_files
from sparring.logbook import Logbook


def said(program, text):
    return any(text in w["text"] for w in program.widgets(kind="Label"))


def test_columns_of_a_board_that_says_nothing_are_found_by_example(demo):
    acts = {"press": False}

    def figures(t):
        cell = 84000 + random.gauss(0, 8) + (6000 if acts["press"] else 0)
        return round(1000 * t), cell, 0.0, 12 + random.gauss(0, 0.005)

    board = Printing(figures, 50)
    demo.menu("Bench", "Connect devices")
    demo.until(lambda: demo.state()["dialog"] == "Devices on the bench", "it asks for them")
    demo.enter(board.port, "Tab")
    demo.press("By example")
    demo.until(lambda: demo.state()["dialog"] == "Columns of the board", "it shows the columns")
    demo.press("Find")
    demo.until(lambda: said(demo, "Now press on the load cell"), "it asks for the load cell")
    acts["press"] = True
    demo.until(lambda: said(demo, "Column 3 moved"), "it is found")
    demo.press("Use these columns")
    demo.until(lambda: demo.state()["dialog"] == "Devices on the bench", "they are taken")
    assert demo.text("Columns of the board").startswith("t/ms")
    assert "cell/counts" in demo.text("Columns of the board")
    demo.press("Connect")
    demo.until(
        lambda: demo.state()["bench"] == "ready" and demo.state()["samples"] > 30, "its lines come"
    )
    assert demo.state()["page"] == "Run"
    board.close()


@pytest.fixture
def braked(screen, tmp_path):
    """The program on a drive with a brake, its logger and its supply."""
    home = tmp_path / "home"
    folder = home / "data/sparring/logbook"
    folder.parent.mkdir(parents=True)
    build = hollin_yard.dunnock(2)
    rig = changed(hollin_yard.rig(), ("method",), Brake.ours(hold=40.0))
    rig = changed(rig, ("limits", "current"), 6.0)
    rig = changed(rig, ("care_read", "method"), "brake")
    plan = ladder((Measured(0.8, 5e-4),), (6.0, 9.0), 2, advance="when steady", measure=0.8)
    with Logbook(folder) as book:
        book.add_test(book.save_build(build), book.save_rig(rig), plan)
    record_files.save(tmp_path / "build.json", build)
    record_files.save(tmp_path / "rig.json", rig)
    bench = subprocess.Popen(
        [
            str(COMMAND),
            "bench",
            "--build",
            str(tmp_path / "build.json"),
            "--rig",
            str(tmp_path / "rig.json"),
            "--scpi",
            "0",
            "--load",
            "0.8",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    port, address = (bench.stdout.readline().strip() for _ in range(2))
    columns = "seq, t/ms, cell/counts, speed/rpm, motor_speed/rpm, x, x, temperature/°C"
    logger = Device(name="Logger", address=port, columns=columns)
    devices = DeviceSet(devices=(logger, changed(SUPPLY, ("address",), address)))
    record_files.save(tmp_path / "devices.json", devices)
    program = Program(screen, home, "open")
    program.devices = tmp_path / "devices.json"
    yield program
    program.close()
    bench.terminate()
    bench.communicate(timeout=20)


def test_one_key_does_a_plan_with_a_logger_and_a_supply_and_a_limit_ends_it(braked):
    braked.menu("Bench", "Connect devices")
    braked.until(lambda: braked.state()["dialog"] == "Devices on the bench", "it asks for them")
    braked.press("Open")
    braked.file_dialog(braked.devices)
    braked.until(lambda: braked.widget("Devices"), "they are listed")
    braked.press("Connect")
    braked.until(
        lambda: braked.state()["bench"] == "ready" and braked.state()["samples"] > 60, "they send"
    )
    space(braked, "Tare")
    braked.until(lambda: braked.state()["tared"], "it is tared")
    space(braked, "Hang 0.80 kg")
    braked.until(lambda: braked.state()["runs"] == 1, "the first run ends by itself")
    braked.until(lambda: said(braked, "Begins by itself in"), "the next is counted down to")
    braked.key("Escape")
    braked.until(lambda: not said(braked, "Begins by itself in"), "Escape holds it")
    space(braked, "Run 0.80 kg")
    braked.until(lambda: braked.state()["runs"] == 4, "the others follow one another", 90)
    records = braked.rows("SELECT record FROM runs ORDER BY id")
    assert all('"ended": "top"' in r for (r,) in records)
    braked.page("Rig")
    braked.click("Electrical power")
    braked.enter("3 W")
    braked.key("ctrl+t")
    braked.page("Run")
    space(braked, "Run 0.80 kg")
    braked.until(lambda: braked.state()["runs"] == 1, "a run is kept")
    ((last,),) = braked.rows("SELECT record FROM runs ORDER BY id DESC LIMIT 1")
    assert '"ended": "limit"' in last
    assert not said(braked, "Begins by itself in")
