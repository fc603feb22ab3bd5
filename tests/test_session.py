"""The session without a window: every order of commands, answers, losses and silences, held against
what must hold always.
"""

import json
import math
import signal
import subprocess
import sys

import numpy as np
import pytest
from helpers import wait_for
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from sparring.bench.lines import Block, Event, LineReader, Tally, with_checksum
from sparring.bench.session import Session
from sparring.bench.states import MOVING
from sparring.bench.watch import UNREAD, WINDOW, LimitWatch
from sparring.cli.record import Interrupted, PlanOnBench
from sparring.core.plan import Plan
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.run import Run
from sparring.files import record_files
from sparring.logbook import Logbook
from sparring.logbook.recordings import read_stream

HEADER = b"# columns: seq, t/ms, speed/rpm, voltage/V, current/A\n"


class FakeBench:
    """A board of a few lines on a cable that can be out: it obeys at once, or is held back,
    refuses, is deaf. No thread, no clock but its own.
    """

    def __init__(self, folder):
        self.folder, self.now, self.board_time, self.seq = folder, 100.0, 0.0, 0
        self.plugged, self.mute, self.refuses = False, False, False
        self.mass, self.moving, self.heard, self.notices, self.streams = 0.0, "stop", [], [], []
        self.boot = ""  # what it answers to hello
        self.held = None  # answers that have not come yet
        self.reader = LineReader()
        self.session = Session(self.notices.append, clock=lambda: self.now)
        self.session.keep = self.keep
        self.kept = []
        self.session.attach(self, lambda: self.reader.tally)

    def keep(self, stream):
        recording, note = read_stream(stream)
        self.kept.append((note["run"], note.get("ended", "interrupted"), recording))
        return len(self.kept)

    # --- the cable ---

    def send(self, command):
        if not self.plugged:
            return False
        self.heard.append(command)
        self._obey(*command.partition(" ")[::2])
        return True

    def plug(self):
        self.plugged = True
        self.reader.reset()
        self.session.link_up()

    def pull(self):
        self.plugged, self.held = False, None
        self.session.link_down("gone")

    def say(self, text):
        if self.held is not None:
            self.held.append(text)
        elif self.plugged:
            self.session.came(self.reader.feed(text.encode() + b"\n"))

    def _obey(self, word, figure):
        if self.mute:
            return
        if word == "hello":
            self.say(HEADER.decode().strip())
            figure = self.boot
        elif self.refuses and word in ("hang", "up", "down", "drive"):
            self.say(f"> {word} refused: not now")
            return
        elif word in ("up", "down", "stop"):
            self.moving = word
        elif word == "hang":
            if self.moving != "stop":
                self.say("> hang refused: lower the hook first")
                return
            self.mass = float(figure)
        elif word == "tare":
            figure = "84000"
        self.say(f"> {word} ok {figure}".strip())

    def run(self, seconds=0.1, rpm=100.0, amps=1.0):
        """Lines for a time, then a turn of the link."""
        for _ in range(max(1, round(seconds / 0.0125))):
            self.now += 0.0125
            self.board_time += 0.0125
            self.seq += 1
            turning = self.moving != "stop"
            shown = f"{rpm if turning else 0},12,{amps if turning else 0}"
            line = f"{self.seq},{1e3 * self.board_time:.1f},{shown}"
            if self.plugged and not self.mute:
                self.session.came(self.reader.feed(with_checksum(line)))
            self.session.turn(0.0)

    def silence(self, seconds):
        waited = 0.0
        while waited < seconds:
            self.now, self.board_time, waited = (
                self.now + 0.05,
                self.board_time + 0.05,
                waited + 0.05,
            )
            self.session.turn(waited)

    # --- the tester ---

    def lift(self, mass, voltage=12.0):
        path = self.folder / f"{len(self.streams)}.arrow"
        begun = self.session.lift(Run(voltage=voltage), 1, path, ("hang", mass))
        self.streams.append(path)
        return begun

    def said(self):
        return [n.what for n in self.notices if n.kind == "said"]

    def settle(self):
        """Until everything that ended has been kept."""
        self.run(0.5)
        self.session._captures.wait()


@pytest.fixture
def bench(tmp_path):
    made = FakeBench(tmp_path)
    made.plug()
    made.run()
    assert made.heard[:3] == [
        "hello",
        "stop",
        "watchdog 2",
    ]  # whoever drove it before may have been killed
    made.heard.clear()
    yield made
    made.session.detach()


def test_a_lift_goes_through_its_commands_and_is_kept(bench):
    assert bench.session.state == "ready"
    assert bench.lift(0.5)
    bench.run(1.0)
    assert bench.heard[-3:] == ["hang 0.5", "drive 12", "up"] or [
        h for h in bench.heard if "watch" not in h
    ][-3:] == ["hang 0.5", "drive 12", "up"]
    bench.say("! top")
    bench.say("! bottom")
    assert bench.session.state == "ready"
    bench.settle()
    run, ended, recording = bench.kept[0]
    assert ended == "top"
    assert recording.t[-1] - recording.t[0] == pytest.approx(1.0 + 0.25, abs=0.05)
    assert run["voltage"] == "12 V"


def test_a_refused_weight_begins_nothing_and_is_told(bench):
    bench.lift(0.5)
    bench.run(0.3)
    bench.session.stop()
    bench.moving = "up"  # the hook is still where it was
    bench.run(0.3)
    assert bench.session.state == "ready"
    ups = bench.heard.count("up")
    bench.lift(2.5)
    assert bench.session.state == "ready"
    assert bench.session.hung == 0.5
    assert bench.heard.count("up") == ups
    assert "lower the hook first" in bench.said()[-1]


def test_a_command_without_an_answer_begins_nothing(bench):
    bench.held = []
    bench.lift(0.5)
    bench.run(2.5)
    assert "up" not in bench.heard
    assert "does not answer “hang 0.5”" in bench.said()[-1]
    bench.held = None
    assert bench.session.state == "ready"


def test_a_board_that_hangs_something_else_is_not_believed(bench):
    bench.held = []
    bench.lift(0.5)
    bench.held = None
    bench.say("> hang ok 1.5 kg")
    assert "up" not in bench.heard
    assert bench.session.hung == 1.5
    assert "1.5 kg" in bench.said()[-1]


def test_a_stop_is_repeated_until_it_is_confirmed(bench):
    bench.lift(0.5)
    bench.run(0.3)
    bench.held = []
    bench.session.stop()
    bench.run(1.3)
    assert bench.heard.count("stop") >= 4
    assert bench.session.facts().stop_wanted
    assert bench.session.state == "stopping"
    assert "not confirmed" in bench.said()[-1]
    held, bench.held = bench.held, None
    bench.say(next(text for text in held if text == "> stop ok"))
    assert bench.session.state == "ready"


def test_other_columns_in_mid_lift_begin_a_stretch_of_their_own(bench):
    bench.lift(0.5)
    bench.run(0.5)
    bench.say("# columns: seq, t/ms, current/A, voltage/V, speed/rpm")
    for _ in range(60):  # as many columns, in another order
        bench.now, bench.board_time, bench.seq = (
            bench.now + 0.0125,
            bench.board_time + 0.0125,
            bench.seq + 1,
        )
        bench.session.came(
            bench.reader.feed(with_checksum(f"{bench.seq},{1e3 * bench.board_time:.1f},1.5,12,90"))
        )
        bench.session.turn(0.0)
    bench.session.stop()
    bench.now += 1
    bench.session.turn(0.0)
    bench.session._captures.wait()
    first, second = (k[2].channels for k in sorted(bench.kept, key=lambda k: k[2].t[0]))
    assert first["current"].max() == 1.0
    assert set(second["current"]) == {1.5}
    assert second["speed"][-1] == pytest.approx(90 * math.pi / 30)
    assert any("other columns" in text for text in bench.said())


def test_a_bench_that_goes_on_after_a_word_is_lost_when_it_falls_silent(bench):
    bench.lift(0.5)
    bench.run(0.3)
    bench.silence(0.7)
    assert bench.session.state == "lost"
    assert bench.heard[-1] == "stop"
    assert any(text.startswith("BENCH LOST") for text in bench.said())
    bench.run(0.3)
    assert bench.session.state == "ready"


@pytest.mark.parametrize(
    ("rpm", "amps"),
    [(100, 4.0), (100, -4.0), (700, 1.0), (-700, 1.0), (100, math.nan), (math.nan, 1.0)],
)
def test_a_limit_stops_whatever_its_sign_and_where_nothing_is_read(bench, rpm, amps):
    bench.session.limits = {"current": 3.0, "speed": 60.0}
    bench.lift(0.5)
    bench.run(0.5)
    assert bench.session.state == "lifting"
    bench.run(0.13 if math.isnan(rpm + amps) else 0.08, rpm, amps)
    assert bench.session.state in ("stopping", "ready")
    assert "stop" in bench.heard
    bench.settle()
    assert bench.kept[0][1] == "limit"


def test_limits_act_while_lowering_too(bench):
    bench.session.limits = {"speed": 60.0}
    bench.lift(0.5)
    bench.run(0.3)
    bench.say("! top")
    assert bench.session.state == "lowering"
    assert bench.heard[-2:] == [
        "drive 4.8",
        "down",
    ]  # at the lift's voltage the load would run down faster than it was lifted
    bench.run(0.1, -900.0)
    assert "stop" in bench.heard
    assert bench.session.state == "ready"
    assert bench.session.facts().hook_up


def test_a_board_that_is_switched_off_and_on_in_mid_lift_ends_it(bench):
    bench.lift(0.5)
    bench.run(0.5)
    bench.board_time, bench.seq, bench.moving, bench.heard = 0.0, 0, "stop", []
    bench.run(0.2)
    assert "watchdog 2" in bench.heard  # it has forgotten that, too
    assert bench.heard.index("hello") < bench.heard.index("watchdog 2")
    assert bench.session.state == "ready"
    assert bench.session.hung is None
    bench.settle()
    assert bench.kept[0][1] == "interrupted"
    assert any("began anew" in text for text in bench.said())


def test_a_board_that_says_by_another_figure_that_it_began_anew_is_believed(bench):
    """Its clock looks as if it had run on: it was off for about as long as it had been on."""
    bench.boot = "1"
    bench.session.link_up()
    bench.lift(0.5)
    bench.run(0.5)
    bench.pull()
    bench.boot, bench.moving, bench.mass, bench.heard = "2", "stop", 0.0, []
    bench.plug()
    bench.run(0.2)
    assert "stop" in bench.heard
    assert bench.session.state == "ready"
    assert bench.session.hung is None
    assert any("began anew" in text for text in bench.said())
    bench.settle()
    assert bench.kept[0][1] == "interrupted"


def test_a_board_that_stops_itself_while_lowering_leaves_the_hook_to_the_tester(bench):
    bench.lift(0.5)
    bench.run(0.3)
    bench.say("! top")
    bench.say("! limit current")
    assert bench.session.state == "ready"
    assert bench.session.facts().hook_up
    assert bench.session.lower()
    assert bench.heard[-2:] == ["drive 4.8", "down"]
    bench.session.stop()  # it did not move so gently
    bench.run(0.1)
    assert bench.session.lower()
    assert bench.heard[-2:] == ["drive 12", "down"]
    assert bench.session.state == "lowering"
    bench.say("! bottom")
    assert not bench.session.facts().hook_up


def test_a_chopped_current_and_a_missing_reading_hide_nothing():
    t = np.arange(400) * 0.002
    chopped = np.where(np.arange(400) % 10 == 0, 30.0, 0.0)
    assert "current" in LimitWatch({"current": 3.0}).look(("current",), t, chopped[:, None])
    holes = np.where(np.arange(400) % 20 == 0, np.nan, 3.3)
    assert "current" in LimitWatch({"current": 3.0}).look(("current",), t, holes[:, None])
    assert (
        LimitWatch({"current": 3.0}).look(
            ("current",), t, np.where(np.isnan(holes), np.nan, 2.9)[:, None]
        )
        == ""
    )


@given(
    st.floats(20, 1000),
    st.floats(1.02, 30),
    st.lists(st.integers(1, 40), min_size=1, max_size=8),
    st.sampled_from([1.0, -1.0]),
)
def test_whatever_comes_over_a_limit_trips_within_a_tenth_of_a_second(rate, over, pieces, sign):
    """Whatever the rate and in whatever pieces the lines come."""
    t = np.arange(int(rate * 0.5) + 60) / rate
    begins = t[len(t) // 3]
    x = np.where(t >= begins, sign * over, 0.5)
    watch, at, k = LimitWatch({"speed": 1.0}), 0, 0
    while at < len(t):
        n = pieces[k % len(pieces)]
        if watch.look(("speed",), t[at : at + n], x[at : at + n, None]):
            break
        at, k = at + n, k + 1
    first_seen = t[min(at, len(t) - 1)]
    assert first_seen >= begins - max(pieces) / rate  # never before
    assert first_seen - begins <= WINDOW + 1 / rate + 1e-9  # in the piece that begins by then


def test_unread_channels_are_told_only_after_a_while():
    t = np.arange(40) * 0.0125
    x = np.full(40, np.nan)
    x[:8] = 1.0
    watch = LimitWatch({"current": 3.0})
    trips = [watch.look(("current",), t[i : i + 1], x[i : i + 1, None]) for i in range(40)]
    first = next(i for i, text in enumerate(trips) if text)
    assert UNREAD < t[first] - t[7] < UNREAD + 0.02


@pytest.mark.parametrize(
    "line",
    [
        b"5,1e303,1,12,1",
        b"5,3600000,1,12,1",
        b"%d,62.5,1,12,1" % 10**40,
        b"900000,62.5,1,12,1",
        b"5,62.5,inf,12,1",
        b"5,62.5,1e300,12,1",
        b"5,nan,1,12,1",
    ],
)
def test_one_line_that_cannot_be_changes_nothing(line):
    reader = LineReader()
    reader.feed(HEADER)
    blocks = [
        i
        for i in reader.feed(b"".join(b"%d,%.1f,60,12,1\n" % (i, 12.5 * i) for i in range(1, 5)))
        if isinstance(i, Block)
    ]
    reader.feed(line + b"\n")
    blocks += [
        i
        for i in reader.feed(b"".join(b"%d,%.1f,60,12,1\n" % (i, 12.5 * i) for i in range(6, 12)))
        if isinstance(i, Block)
    ]
    t = np.concatenate([b.t for b in blocks])
    assert t.tolist() == pytest.approx([0.0125 * i for i in (1, 2, 3, 4, *range(6, 12))])
    assert (reader.tally.garbled, reader.tally.lost) == (1, 1)


def test_a_clock_that_begins_anew_or_was_silent_is_believed_once_three_lines_agree():
    reader = LineReader()
    lines = (
        [(i, 0.0125 * i) for i in range(1, 9)]
        + [(i, 0.0125 * i) for i in range(1, 6)]
        + [(i, 9 + 0.0125 * i) for i in range(6, 11)]
    )
    blocks = [
        i
        for i in reader.feed(
            HEADER + b"".join(b"%d,%.1f,60,12,1\n" % (i, 1e3 * t) for i, t in lines)
        )
        if isinstance(i, Block)
    ]
    assert [len(b) for b in blocks] == [8, 5, 5] or sum(len(b) for b in blocks) == len(lines)
    assert reader.tally.garbled == 0


class AnyOrder(RuleBasedStateMachine):
    """A tester, a board and a cable that do what they like. What is held against the session is
    what the board itself knows.
    """

    @initialize()
    def begin(self):
        import tempfile
        from pathlib import Path

        self.bench = FakeBench(Path(tempfile.mkdtemp()))
        self.lifts = 0
        # how much the board had heard when the tester last pressed STOP, until a lift is asked for
        # again
        self.since_stop = None

    @rule()
    def plug(self):
        if not self.bench.plugged:
            self.bench.plug()
            if self.bench.session.facts().stop_wanted:
                assert "stop" in self.bench.heard[-3:]

    @rule()
    def pull(self):
        if self.bench.plugged:
            self.bench.pull()

    @rule()
    def killed(self):
        """The program dies without a word; what it had written is there, and another one connects
        to a board that goes on.
        """
        b = self.bench
        b.session.link = None
        b.session._captures.end("interrupted")
        b.session._captures.close()
        b.session._captures.wait()
        b.session = Session(b.notices.append, clock=lambda: b.now)
        b.session.keep = b.keep
        b.reader = LineReader()
        moving, before = b.moving, len(b.heard)
        b.session.attach(b, lambda: b.reader.tally)
        self.since_stop = None
        if b.plugged:
            b.plug()
            if moving != "stop" and not b.mute and b.held is None:
                assert "stop" in b.heard[before:]

    @rule(seconds=st.sampled_from([0.05, 0.4, 1.5]))
    def lines(self, seconds):
        self.bench.run(seconds)

    @rule(seconds=st.sampled_from([0.2, 0.8, 3.0]))
    def silence(self, seconds):
        self.bench.silence(seconds)

    @rule(seconds=st.sampled_from([0.5, 5.0]))
    def over(self, seconds):
        self.bench.session.limits = {"current": 3.0}
        self.bench.run(seconds, 100.0, 9.0)

    @rule(mass=st.sampled_from([0.5, 1.0, 2.5]))
    def lift(self, mass):
        if self.bench.lift(mass):
            self.since_stop = None
            self.lifts += 1

    @rule()
    def lower(self):
        if self.bench.session.lower():
            self.since_stop = None

    @rule()
    def tare(self):
        self.bench.session.zero("hang 0")

    @rule()
    def stop(self):
        self.bench.session.stop()
        self.since_stop = len(self.bench.heard)

    @rule(word=st.sampled_from(["top", "stalled", "bottom", "limit", "nonsense"]))
    def happens(self, word):
        if word != "nonsense":
            self.bench.moving = "stop"
        self.bench.say(f"! {word}")

    @rule()
    def hold_answers(self):
        if self.bench.held is None:
            self.bench.held = []

    @rule(lose=st.booleans())
    def answers_come(self, lose):
        held, self.bench.held = self.bench.held or [], None
        if not lose:
            for text in held:
                self.bench.say(text)

    @rule(how=st.sampled_from(["mute", "refuses"]), on=st.booleans())
    def moods(self, how, on):
        setattr(self.bench, how, on)

    @precondition(lambda self: self.bench.plugged)
    @rule()
    def other_columns(self):
        self.bench.say("# columns: seq, t/ms, speed/rpm, voltage/V, current/A, temperature/°C")
        self.bench.say(HEADER.decode().strip())

    @invariant()
    def nothing_lifts_after_a_stop(self):
        if self.since_stop is not None:
            assert not {"up", "down"} & {h.split()[0] for h in self.bench.heard[self.since_stop :]}
            assert self.bench.session.state != "lifting"

    @invariant()
    def a_weight_is_known_only_as_the_board_has_it(self):
        hung = self.bench.session.hung
        if hung is not None and self.bench.held is None and self.bench.session.state == "lifting":
            assert hung == self.bench.mass

    @invariant()
    def whoever_is_over_is_told_to_stop(self):
        s = self.bench.session
        if s.state == "lifting":
            assert not s.stop_wanted

    def teardown(self):
        b = self.bench
        b.session.detach()
        for path in b.streams:
            if path.exists():
                _, note = read_stream(path)
                assert "run" in note
        opened = len({json.dumps(k[0], sort_keys=True) for k in b.kept})
        assert opened <= self.lifts
        ups = sum(h == "up" for h in b.heard)
        said = sum("refuses “up”" in text for text in b.said())
        assert len(b.kept) >= ups - said  # every begun run is kept, or it is said that it was none


TestAnyOrder = AnyOrder.TestCase
TestAnyOrder.settings = settings(
    max_examples=40, stateful_step_count=40, deadline=None, suppress_health_check=list(HealthCheck)
)


def test_garbled_events_change_nothing(bench):
    tally = Tally()
    bench.session.came(
        [
            Event("reply", ""),
            Event("reply", "tare ok abc"),
            Event("happened", ""),
            Event("reply", "hang ok nan"),
        ]
    )
    assert bench.session.tare is None
    assert bench.session.hung is None
    assert tally.samples == 0
    assert bench.session.state not in MOVING


@pytest.mark.parametrize("interrupt", [False, True])
def test_a_plan_is_done_from_a_terminal(tmp_path, build, rig, interrupt):
    files = {
        "--build": build,
        "--rig": rig,
        "--plan": Plan(loads=(Measured(0.5, 5e-4), Measured(1.5, 5e-4)), repeats=2),
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
    assert ("ended by whoever started it" in (document["why"] or "")) == interrupt


def test_a_bench_that_says_nothing_is_told_from_a_terminal(tmp_path, build, rig, monkeypatch):
    monkeypatch.setattr("sparring.cli.record._FIRST", 0.5)
    with Logbook(tmp_path / "book") as book:
        said = []
        work = PlanOnBench(book, build, rig, Plan(), said.append)
        with pytest.raises(Interrupted, match="no lines that are understood"):
            work.go(str(tmp_path / "nothing"), said.append, lambda *_: None)
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
        work = PlanOnBench(book, build, low, Plan(), said.append)
        with pytest.raises(Interrupted, match="ended by limit"):
            work.go(bench.stdout.readline().strip(), said.append, lambda *_: None)
        assert [r.run.ended for r in book.runs(work.test)] == ["limit"]
        assert any("current was above the rig's limit" in text for text in said)
    bench.terminate()
    bench.communicate(timeout=20)
