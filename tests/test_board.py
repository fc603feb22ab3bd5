"""The board's program, as MicroPython runs it, on simulated pins: it is read like any board."""

import json
import os
import select
import shutil
import subprocess
import sys
import time
import tty
from pathlib import Path

import pytest
from helpers import planned

from sparring.bench.lines import LineReader
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.files import record_files

ROOT = Path(__file__).parents[1]
MICROPYTHON = shutil.which("micropython", path=str(Path(sys.executable).parent))
SPARRING = [sys.executable, "-m", "sparring"]
CARE = {"by": "A. Tester", "on": "2026-11-27", "method": "hoist"}


class Board:
    """The program on one end of a pair of ports; `port` is the other."""

    def __init__(self):
        assert MICROPYTHON is not None, "make test installs it"
        self.ours, theirs = os.openpty()
        tty.setraw(theirs)
        self.port, self._theirs = os.ttyname(theirs), theirs
        self.reader = LineReader()
        self.program = subprocess.Popen(
            [MICROPYTHON, ROOT / "tests" / "board" / "run.py", ROOT / "board"],
            stdin=self.ours,
            stdout=self.ours,
            stderr=subprocess.PIPE,
        )

    def close(self):
        self.program.kill()
        self.program.communicate(timeout=20)
        os.close(self.ours)
        os.close(self._theirs)

    def send(self, line):
        os.write(self._theirs, line.encode() + b"\n")

    def until(self, wanted, seconds=30):
        """Waits for a reply, or an event (`! top`), that begins with `wanted`."""
        words, end = [], time.monotonic() + seconds
        while time.monotonic() < end:
            if not select.select([self._theirs], [], [], 0.2)[0]:
                continue
            for item in self.reader.feed(os.read(self._theirs, 4096)):
                if hasattr(item, "text"):
                    words.append("! " * (item.kind == "happened") + item.text)
                    if words[-1].startswith(wanted):
                        return
        raise AssertionError(f"no “{wanted}”; it said {words}")

    def sample(self):
        """The next line that it sends, in SI."""
        end = time.monotonic() + 30
        while time.monotonic() < end:
            if select.select([self._theirs], [], [], 0.2)[0]:
                for item in self.reader.feed(os.read(self._theirs, 4096)):
                    if hasattr(item, "values"):
                        return item.values[-1]
        raise AssertionError("it sends nothing any more")


@pytest.fixture
def board():
    made = Board()
    yield made
    made.close()


pytestmark = pytest.mark.skipif(
    MICROPYTHON is None and os.uname().machine != "x86_64",
    reason="no MicroPython is packaged for this machine",
)


@pytest.mark.whole
def test_a_plan_is_run_on_the_board_from_a_terminal_and_its_figures_are_the_benchs(
    board, tmp_path, build, rig
):
    plan = planned((Measured(0.5, 5e-4), Measured(1.0, 5e-4)), repeats=1)
    rig = changed(changed(rig, ("method", "travel"), 0.45), ("care_read",), CARE)
    call = []
    for name, record in (("--build", build), ("--rig", rig), ("--plan", plan)):
        record_files.save(tmp_path / f"{name}.json", record)
        call += [name, str(tmp_path / f"{name}.json")]
    book = ["--logbook", str(tmp_path / "book")]
    recorded = subprocess.run(
        [*SPARRING, "record", "--port", board.port, *call, *book, "--yes", "--json"],
        capture_output=True,
        text=True,
        timeout=110,
    )
    document = json.loads(recorded.stdout or "{}")
    assert recorded.returncode == 0, recorded.stderr + str(document.get("why"))
    assert [r["ended"] for r in document["runs"]] == ["top"] * 2
    out = tmp_path / "out"
    subprocess.run([*SPARRING, "export", book[1], out], check=True, capture_output=True)
    result = json.loads(next(out.rglob("result*.json")).read_text(encoding="utf-8"))
    for step, mass in zip(result["steps"], (0.5, 1.0), strict=True):
        torque = mass * 9.81 * 0.025  # the bench's own figures, in tests/board/machine.py
        rpm, amps = 120.0 - 30.0 * torque, 0.15 + 0.9 * torque
        assert abs(step["speed_rad_per_s"] / (rpm * 0.10472) - 1) < 0.02
        assert abs(step["power_in_W"] / (12.0 * amps) - 1) < 0.02


def test_the_board_answers_and_refuses_in_words(board):
    for line, answer in (
        ("hello", "hello ok"),
        ("tare", "tare"),
        ("drive 6", "drive ok 6"),
        ("drive 40", "drive refused: the supply gives 12 V"),
        ("drive x", "drive refused: x is not a number"),
        ("dance", "dance refused: not a command"),
        ("down", "down refused: it is at that end"),
        ("hang 1", "hang ok 1"),
        ("up", "up ok"),
        ("hang 2", "hang refused: stop first"),
        ("stop", "stop ok"),
    ):
        board.send(line)
        board.until(answer)
    assert board.reader.tally.garbled == 0


@pytest.mark.parametrize(
    ("commands", "said"),
    [
        (("watchdog 0.4", "hang 1", "drive 3", "up"), "! watchdog"),
        (("hang 4", "drive 12", "up"), "! limit current"),
        (("hang 1", "drive 0", "up"), "! stalled"),
        (("hang 1", "drive 12", "up"), "! top"),
    ],
)
def test_the_board_stops_by_itself(board, commands, said):
    for line in commands:
        board.send(line)
    board.until(said)
    board.send("hello")
    board.until("hello ok")
    assert board.sample()[-1] == 0.0  # no current flows any more
