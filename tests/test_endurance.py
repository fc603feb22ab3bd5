"""Life tests: what a cycle adds up to, what ends one, what the disk holds after a kill or a power
cut, and the process that does it.
"""

import contextlib
import json
import math
import os
import shutil
import signal
import subprocess
import sys
import time
from datetime import datetime, timedelta

import numpy as np
import pytest
from helpers import wait_for
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar
from live_helpers import Board

from sparring.bench.attended import Interrupted
from sparring.bench.devices.connecting import one_board, port_for
from sparring.bench.session import Session
from sparring.core.endurance import Cycle, Endurance, Phase, Totals, ended, stops
from sparring.core.endurance.cycle import Adds
from sparring.core.methods.brake import Brake
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.demo import hollin_yard
from sparring.endurance import journal as journals
from sparring.endurance.calendar import calendar_of
from sparring.endurance.journal import Journal, JournalError, UnderTest
from sparring.endurance.recorder import Recorder
from sparring.files import record_files
from sparring.logbook import Logbook
from sparring.logbook.recovery import recover

SPARRING = [sys.executable, "-m", "sparring"]


@pytest.fixture(scope="module")
def braked():
    rig = changed(hollin_yard.rig(), ("method",), Brake.ours(hold=20.0))
    rig = changed(rig, ("limits", "current"), 10.0)
    return changed(rig, ("care_read", "method"), "brake")


@pytest.fixture(scope="module")
def build():
    return hollin_yard.dunnock(2)


DUTY = Endurance(
    duty=(
        Phase(time=4.0, voltage=9.0, load=Measured(0.5, 5e-4)),
        Phase(time=1.0, voltage=0.0),
        Phase(time=2.0, voltage=-6.0),
    ),
    keep_every=50,
)

# --- sums -----------------------------------------------------------------------------------------


@given(st.floats(1, 30), st.floats(0.1, 5), st.floats(0.1, 12), st.integers(1, 40), st.booleans())
def test_a_cycle_adds_up_to_what_was_put_in_however_the_lines_come(
    speed, amps, force, pieces, backwards
):
    """Constant speed, current and force: the sums are plain products."""
    rig = changed(hollin_yard.rig(), ("method",), Brake.ours())
    adds, cycle = Adds(hollin_yard.dunnock(2), rig), Cycle()
    t = np.arange(801) / 80
    way = -1 if backwards else 1
    values = np.column_stack(
        [np.full(801, way * speed), np.full(801, 12.0), np.full(801, amps), np.full(801, force)]
    )
    adds.begin()
    for part in np.array_split(np.arange(801), pieces):
        channels = ("speed", "voltage", "current", "force")
        adds.add(cycle, t[part], values[part], channels, tare=None, load=None)
    assert cycle.driven == pytest.approx(10.0)
    assert cycle.turns == pytest.approx(10 * speed / (2 * math.pi))
    assert cycle.energy == pytest.approx(120.0 * amps)
    arm = rig.method.arm.value * math.cos(rig.method.angle.value)
    assert cycle.work == pytest.approx(force * arm * speed * 10)
    assert cycle.current == pytest.approx(amps)
    assert cycle.efficiency == pytest.approx(cycle.work / cycle.energy)
    assert Cycle.of_dict(json.loads(json.dumps(cycle.to_dict()))).to_dict() == cycle.to_dict()


def test_a_gap_is_counted_as_missed_and_adds_nothing():
    adds, cycle = Adds(hollin_yard.dunnock(2), hollin_yard.rig()), Cycle()
    adds.begin()
    t = np.concatenate([np.arange(81) / 80, 5 + np.arange(81) / 80])
    values = np.full((162, 1), 10.0)
    adds.add(cycle, t, values, ("speed",), tare=None, load=None)
    assert cycle.missed == pytest.approx(4.0)
    assert cycle.driven == pytest.approx(2.0)
    assert math.isnan(cycle.efficiency)  # neither power nor torque is known


def test_play_at_a_reversal_is_what_the_motor_runs_ahead_before_the_output_follows():
    build = hollin_yard.dunnock(2)
    adds, cycle = Adds(build, hollin_yard.rig()), Cycle()
    t = np.arange(400) / 400
    motor = -np.minimum(t / 0.1, 1) * 60.0  # at the output: 2 rad/s
    ahead = np.cumsum(np.abs(motor)) / 400 / abs(build.ratio())
    output = np.where(ahead < 0.05, 0.0, motor / build.ratio())
    adds.begin(reversed=True)
    channels = ("motor_speed", "speed")
    adds.add(cycle, t, np.column_stack([motor, output]), channels, tare=None, load=None)
    assert cycle.play == pytest.approx(0.05, abs=0.005)
    adds.begin()
    fresh = Cycle()
    adds.add(fresh, t, np.column_stack([motor, output]), channels, tare=None, load=None)
    assert math.isnan(fresh.play)  # it was not turned round


def cycle_of(n, efficiency=0.4, **told):
    return Cycle(
        n=n,
        driven=60.0,
        turns=100.0,
        work=100.0 * efficiency,
        energy=100.0,
        torque_known=60.0,
        **told,
    )


@pytest.mark.parametrize(
    ("plan", "cycles", "said"),
    [
        ({"hours": 600.0}, [cycle_of(n) for n in range(1, 11)], "h of driving"),
        ({"turns": 1000}, [cycle_of(n) for n in range(1, 11)], "1000 turns"),
        ({"work": 400.0}, [cycle_of(n) for n in range(1, 11)], "0.4 kJ"),
        (
            {"efficiency_loss": 0.12},
            [cycle_of(n, 0.4 if n <= 10 else 0.35) for n in range(1, 21)],
            "of its first efficiency",
        ),
        ({"temperature": 353.15}, [cycle_of(1, hottest=360.0)], "87 °C"),
        ({"backlash": 0.02}, [cycle_of(1, play=0.03)], "1.72°"),
        ({}, [cycle_of(1, events=["breakage"])], "it failed: breakage"),
        ({}, [cycle_of(1, ended="stalled")], "it stalled"),
    ],
)
def test_a_life_test_ends_by_what_comes_first_and_not_before(plan, cycles, said):
    made = Endurance(duty=(Phase(voltage=12.0),), **plan)
    assert said in ended(made, Totals.of(cycles), cycles[-1])
    short = Totals.of(cycles[:-1])
    assert ended(made, short, cycles[-2] if len(cycles) > 1 else None) == ""


def test_stops_are_foreseen_by_the_pace_and_a_duty_that_never_drives_is_refused():
    plan = Endurance(duty=(Phase(time=30, voltage=9), Phase(time=30, voltage=0)), hours=3600.0)
    assert stops(plan) == [(120, 7200.0, "end")]
    plan = changed(plan, ("inspect_every",), 50)
    assert [(s.cycle, s.what) for s in stops(plan)] == [
        (50, "inspection"),
        (100, "inspection"),
        (120, "end"),
    ]
    by_turns = changed(changed(plan, ("hours",), None), ("turns",), 700.0)
    assert stops(by_turns, turns_a_cycle=10.0)[-1].cycle == 70
    with pytest.raises(RecordError, match="no phase of the cycle drives"):
        Endurance.from_json(Endurance.ours(duty=(Phase.ours(time=3.0, voltage=0.0),)).to_json())


# --- the disk -------------------------------------------------------------------------------------


def begun(folder, build, rig, plan=DUTY, port="/dev/none"):
    with Logbook(folder) as book:
        test = book.add_test(book.save_build(build), book.save_rig(rig), plan.plan(), plan.name)
        at = book.test(test).created.isoformat()
    return Journal.begin(folder, UnderTest(test, at, build, rig, plan, one_board(port)))


def test_a_torn_line_and_a_torn_moment_lose_no_more_than_the_cycle_in_hand(tmp_path, build, braked):
    made = begun(tmp_path / "book", build, braked)
    for n in range(1, 4):
        made.now.cycle = cycle_of(n)
        made.close_cycle()
    made.now.cycle.driven, made.now.phase, made.now.elapsed = 5.0, 2, 1.5
    made.save()
    read = Journal.of(made.folder)
    assert (len(read.cycles), read.now.cycle.n, read.now.phase) == (3, 4, 2)
    assert read.totals.driven == pytest.approx(185.0)
    assert read.totals.cycles == 3
    with open(made.folder / "cycles.jsonl", "a") as f:
        f.write('{"n": 4, "dri')  # the power went
    assert len(Journal.of(made.folder).cycles) == 3
    again = Journal.of(made.folder)
    again.mend()
    again.close_cycle()
    assert [c.n for c in Journal.of(made.folder).cycles] == [1, 2, 3, 4]
    # its line was written, the moment was not: it counts once
    kept = (made.folder / "now.json").read_bytes()
    last = Journal.of(made.folder)
    last.now.cycle = cycle_of(5)
    last.close_cycle()
    (made.folder / "now.json").write_bytes(kept)
    assert Journal.of(made.folder).totals.cycles == 5
    with open(made.folder / "cycles.jsonl", "r+") as f:
        f.write("nonsense")
    with pytest.raises(JournalError, match="line 1"):
        Journal.of(made.folder)
    with pytest.raises(JournalError, match="is there already"):
        Journal.begin(tmp_path / "book", made.tested())
    with pytest.raises(JournalError, match="no life test"):
        Journal.of(tmp_path / "book")


def test_the_calendar_holds_the_stops_that_are_still_to_come(tmp_path, build, braked):
    plan = changed(changed(DUTY, ("hours",), 6.0 * 40), ("inspect_every",), 10)
    made = begun(tmp_path / "book", build, braked, plan)
    for n in range(1, 16):
        made.now.cycle = cycle_of(n, began=1000.0 + 9.0 * n)
        made.close_cycle()
    calendar = Calendar.from_ical(calendar_of(made))
    entries = [c for c in calendar.walk() if c.name == "VEVENT"]
    assert [str(e["summary"]).split(" of ")[0] for e in entries] == [
        "Inspection",
        "Inspection",
        "End",
    ]
    first = entries[0]["dtstart"].dt - entries[0]["dtstamp"].dt
    assert first == timedelta(seconds=9.0 * 5)  # the pace that was, not the plan's
    assert isinstance(entries[-1]["dtend"].dt, datetime)


# --- the process ----------------------------------------------------------------------------------


class Living:
    """A life test in a process of its own, on a simulated bench that runs faster than time."""

    def __init__(self, tmp_path, build, rig, plan=DUTY):
        self.board = Board(build, rig, tmp_path / "port")
        self.book = tmp_path / "book"
        files = {"--build": build, "--rig": rig, "--endurance": plan}
        call = [*SPARRING, "record", "--port", str(tmp_path / "port"), "--logbook", str(self.book)]
        for name, record in files.items():
            record_files.save(tmp_path / f"{name}.json", record)
            call += [name, str(tmp_path / f"{name}.json")]
        self.process = subprocess.Popen(call, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.folder = self.book / "endurance" / "1"
        wait_for(lambda: (self.folder / "now.json").exists(), 60)

    @property
    def journal(self):
        return Journal.of(self.folder)

    def resume(self):
        self.process = subprocess.Popen(
            [*SPARRING, "record", "--resume", str(self.folder)],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def tell(self, *words):
        done = subprocess.run(
            [*SPARRING, "endurance", str(self.book), "--json", *words],
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
        assert done.returncode == 0, done.stderr
        return json.loads(done.stdout)

    def close(self):
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            self.process.wait(30)
        self.board.pull()


@pytest.fixture
def living(tmp_path, build, braked):
    made = Living(tmp_path, build, braked)
    yield made
    made.close()


def test_it_pauses_goes_on_and_ends_at_a_word_and_its_runs_come_into_the_logbook(living):
    wait_for(lambda: len(living.journal.cycles) >= 2, 120)
    assert living.tell("--pause")["state"] in ("running", "paused")
    wait_for(lambda: living.journal.now.state == "paused", 60)
    held = living.journal.totals.driven
    assert "somebody" in living.journal.now.why
    status = living.tell("--go-on")
    assert status["format"] == "sparring.endurance-status/1"
    wait_for(lambda: living.journal.totals.driven > held + 3, 60)
    living.tell("--end")
    assert living.process.wait(60) == 0
    status = living.tell()
    assert (status["state"], status["why"]) == ("ended", "somebody ended it")
    total = status["totals"]
    assert total["cycles"] == len(status["cycles"]) >= 3
    for key in ("driven", "turns", "work", "energy"):
        name = {"driven": "driven_s", "work": "work_J", "energy": "energy_J"}.get(key, key)
        assert total[name] == pytest.approx(sum(c[key] for c in status["cycles"]))
    whole = status["cycles"][1]
    assert whole["driven"] == pytest.approx(4 + 2 + 2 * 0.35, abs=0.2)  # each comes on slowly
    assert 0.1 < whole["efficiency"] < 0.6
    with Logbook(living.book) as book:
        assert recover(book)
        runs = book.runs(1)
        assert {r.recording for r in runs} >= set(status["cycles"][0]["kept"])
        assert [r.run.step for r in runs if r.run.repeat == 1] == [0, 2]


@pytest.mark.whole
def test_a_killed_recorder_loses_no_more_than_a_second_and_goes_on_where_it_was(living):
    driven = []
    for _ in range(3):
        wait_for(lambda: living.journal.now.state == "running", 60)
        before = living.journal.totals.driven
        wait_for(lambda b=before: living.journal.totals.driven > b + 6, 60)
        # of what it had seen last, which is at most a second old (8 simulated ones)
        driven.append(living.journal.totals.driven)
        living.process.send_signal(signal.SIGKILL)
        living.process.wait(10)
        kept = living.journal
        assert kept.totals.driven >= driven[-1]
        assert not kept.now.alive
        tared = kept.now.tare
        at = kept.now.cycle.n, kept.now.phase
        living.resume()
        wait_for(lambda: living.journal.now.alive, 60)
        now = living.journal.now
        assert (now.cycle.n, now.phase) >= at
        assert tared is not None
        assert now.tare == tared  # a load may hang by now
    numbers = [c.n for c in living.journal.cycles]
    assert numbers == list(range(1, len(numbers) + 1))


def test_a_breakage_ends_it_at_once_and_not_at_the_end_of_the_cycle(tmp_path, build, braked):
    plan = changed(DUTY, ("duty", 0, "time"), 3600.0)
    board = Board(build, braked, tmp_path / "port", "--mishap", "breakage")
    made = begun(tmp_path / "book", build, braked, plan, port=str(tmp_path / "port"))
    assert Recorder(made).go() == "it failed: breakage"
    read = Journal.of(made.folder)
    assert read.now.state == "ended"
    (cycle,) = read.cycles
    assert cycle.driven < 60
    assert "breakage" in cycle.events
    assert len(cycle.kept) == 1
    board.pull()


@pytest.mark.whole
def test_a_stop_is_confirmed_to_who_looks_on_no_sooner_than_by_the_bench(living):
    wait_for(lambda: living.journal.now.cycle.driven > 1, 90)
    told = []
    session = Session(told.append)
    link = port_for(one_board(living.journal.now.socket), session)
    session.attach(link, link.tally)
    link.start()
    try:
        wait_for(lambda: session.state == "ready" and session.facts().obeys)
        goes_on = living.journal.totals.driven
        wait_for(lambda: living.journal.totals.driven > goes_on + 2)  # looking stops nothing
        session.stop()
        assert session.facts().stop_wanted
        wait_for(lambda: not session.facts().stop_wanted)
        wait_for(lambda: living.journal.now.state == "paused")
    finally:
        session.detach()
        link.close()


@pytest.mark.whole
def test_one_process_at_a_time_does_it(living):
    wait_for(lambda: living.journal.now.alive, 60)
    with pytest.raises(JournalError, match="another process"):
        Recorder(living.journal).go()


@pytest.mark.whole
def test_a_bench_that_is_killed_and_comes_back_is_gone_on_with(living):
    wait_for(lambda: living.journal.totals.driven > 3, 60)
    living.board.process.kill()
    living.board.process.wait(5)
    wait_for(lambda: any("Plug it in" in str(x) for x in living.journal.logged()), 60)
    before = living.journal.totals.driven
    living.board.process.stdout.close()
    living.board.plug()
    wait_for(lambda: living.journal.totals.driven > before + 8, 120)
    assert living.journal.now.state == "running"


def as_found(source, target):
    """A file that is renamed between being listed and being copied was not there."""
    with contextlib.suppress(FileNotFoundError):
        shutil.copy2(source, target)


@pytest.mark.whole
def test_a_copy_made_in_mid_write_is_whole_and_a_second_old_at_most(living, tmp_path):
    """A power cut: what is on the disk at any moment can be gone on with."""
    wait_for(lambda: living.journal.totals.driven > 2, 60)
    for n in range(25):
        copy = tmp_path / f"copy{n}"
        began = time.time()
        shutil.copytree(living.folder, copy, copy_function=as_found)
        read = Journal.of(copy)
        assert read.tested().test == 1
        numbers = [c.n for c in read.cycles]
        assert numbers == list(range(1, len(numbers) + 1))
        assert began - read.now.written < 1.0 + 5.0  # a second, and what a slow machine adds
        time.sleep(0.05)


def test_a_full_disk_stops_the_bench_and_says_so(tmp_path, build, braked, monkeypatch):
    board = Board(build, braked, tmp_path / "port")
    made = begun(tmp_path / "book", build, braked, port=str(tmp_path / "port"))
    recorder, written = Recorder(made), journals._write
    full = {"on": False}

    def write(path, text):
        if full["on"]:
            raise OSError(28, "No space left on device")
        written(path, text)

    monkeypatch.setattr(journals, "_write", write)
    sent = []
    keeps = recorder.took

    def took(notice):
        full["on"] = full["on"] or made.now.cycle.driven > 1.0
        keeps(notice)

    recorder.took = took
    attach = recorder.session.attach

    def attached(link, tally):
        send = link.send
        link.send = lambda command: sent.append(command) or send(command)
        attach(link, tally)

    recorder.session.attach = attached
    with pytest.raises(OSError, match="No space left"):
        recorder.go()
    assert sent[-1] == "stop"
    board.pull()


def test_a_bench_that_is_not_there_is_told_and_nothing_is_lost(
    tmp_path, build, braked, monkeypatch
):
    monkeypatch.setattr("sparring.bench.attended._FIRST", 0.5)
    made = begun(tmp_path / "book", build, braked, port=str(tmp_path / "nothing"))
    with pytest.raises(Interrupted, match="no valid lines"):
        Recorder(made).go()
    assert Journal.of(made.folder).now.state == "failed"
    assert os.listdir(made.captures) == []


@pytest.mark.whole
def test_the_unit_that_begins_it_again_names_its_folder(living):
    done = subprocess.run(
        [*SPARRING, "endurance", str(living.book), "--service"],
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
    )
    assert f"record --resume {living.folder}" in done.stdout
    assert "Restart=on-failure" in done.stdout
