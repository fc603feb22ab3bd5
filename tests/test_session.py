"""The session without a window: every order of commands, answers, losses and silences, held against
what must hold always.
"""

import math

import numpy as np
import pytest
from fake_bench import HEADER, FakeBench, guard

from sparring.bench.lines import Block, Event, LineReader, Tally, with_checksum
from sparring.bench.states import MOVING


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


def test_a_stop_by_another_program_ends_the_lift_and_is_told(bench):
    assert bench.lift(0.5)
    bench.run(1.0)
    assert bench.session.state == "lifting"
    bench.say("> stop ok")
    assert bench.session.state == "ready"
    bench.settle()
    assert bench.kept[0][1] == "interrupted"
    assert any("by another program" in n.what for n in bench.notices if n.kind == "said")


def test_a_bench_that_somebody_else_drives_is_never_told_to_stop_but_by_the_tester(tmp_path):
    shared = FakeBench(tmp_path)
    obey = shared._obey
    shared._obey = lambda word, figure: (
        shared.say("# shared bench") if word == "hello" else None,
        obey(word, figure),
    )
    shared.plug()
    shared.run()
    assert shared.session.facts().obeys
    assert "stop" not in shared.heard  # it is not whoever was killed that drives it
    shared.session.detach()
    assert "stop" not in shared.heard
    shared.session.attach(shared, lambda: shared.reader.tally)
    shared.session.link_up()
    shared.run()
    shared.session.stop()
    assert shared.heard.count("stop") == 1
    shared.session.detach()


def test_a_window_that_closes_before_it_knows_whose_bench_it_is_stops_none(tmp_path):
    """A life test was stopped for good where its window was closed just after it opened."""
    bench = FakeBench(tmp_path)
    bench.held = []  # the answer to hello is still on its way
    bench.plug()
    bench.session.came(bench.reader.feed(HEADER))
    bench.run()
    assert bench.session.state == "ready"  # lines come all the same
    bench.session.detach()
    assert bench.heard == ["hello"]


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
    bench.session.guard = guard(current=3.0, speed=60.0)
    bench.lift(0.5)
    bench.run(0.5)
    assert bench.session.state == "lifting"
    bench.run(0.13 if math.isnan(rpm + amps) else 0.08, rpm, amps)
    assert bench.session.state in ("stopping", "ready")
    assert "stop" in bench.heard
    bench.settle()
    assert bench.kept[0][1] == "limit"


def test_limits_act_while_lowering_too(bench):
    bench.session.guard = guard(speed=60.0)
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
    assert any("restarted meanwhile" in text for text in bench.said())


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
    assert any("restarted meanwhile" in text for text in bench.said())
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
