"""A bench and its tester doing anything in any order: it never goes on turning unseen."""

import json

from fake_bench import HEADER, FakeBench, guard
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from sparring.bench.lines import LineReader
from sparring.bench.session import Session
from sparring.logbook.recordings import read_stream


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
        self.bench.session.guard = guard(current=3.0)
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
