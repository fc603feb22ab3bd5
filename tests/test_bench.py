"""The cable, the recorder and the logbook, with all that goes wrong at a bench."""

import threading
from itertools import groupby

import pytest
from helpers import wait_for
from hypothesis import given
from hypothesis import strategies as st

from sparring.bench.lines import Block, Column, Event, LineError, LineReader, Mapping, with_checksum
from sparring.bench.link import Link
from sparring.bench.simulated.board import Faults
from sparring.bench.simulated.simulator import SimulatedBench
from sparring.core.plant.bench import bench_of
from sparring.core.plant.sensors import sensors_of
from sparring.core.records import changed

HEADER = b"# columns: seq, t/ms, speed/rpm, voltage/V\n"


def samples(items):
    return [
        (t, *values)
        for i in items
        if isinstance(i, Block)
        for t, values in zip(i.t, i.values.tolist(), strict=True)
    ]


def test_lines_are_read_in_si_with_their_sequence():
    reader = LineReader()
    got = samples(reader.feed(HEADER + b"1,10.0,60,12.0\n2,22.5,60,12.0\n5,60,60,12\n"))
    assert got[0] == (pytest.approx(0.01), pytest.approx(6.283185), 12.0)
    assert (reader.tally.samples, reader.tally.lost, reader.tally.garbled) == (3, 2, 0)


def test_lines_may_come_in_pieces_and_with_spaces():
    reader = LineReader(Mapping((Column("t", "s"), Column("", ""), Column("force", "kgf"))))
    assert samples(reader.feed(b"0.5  ok? 1")) == []
    assert samples(reader.feed(b".5\n0.6 7 2.0\n"))[-1] == (0.6, pytest.approx(19.6133))


def test_a_garbled_line_is_counted_and_never_believed():
    reader = LineReader()
    good = with_checksum("1,10,60,12")
    bad = good.replace(b"60", b"61")
    assert (
        len(
            samples(
                reader.feed(HEADER + good + bad + b"2,20,60\n" + b"x" * 10_000 + b"\n3,30,60,12\n")
            )
        )
        == 2
    )
    assert reader.tally.garbled == 3


def test_a_header_that_makes_no_sense_is_refused():
    with pytest.raises(LineError, match="speed/kg"):
        Mapping.from_header("t/ms, speed/kg")
    assert Mapping.from_header("t/ms, wobble/3, speed/rpm").channels == ("speed",)


@given(st.binary(max_size=400))
def test_no_bytes_crash_the_reader(data):
    reader = LineReader()
    reader.feed(HEADER)
    for item in reader.feed(data + b"\n"):
        assert isinstance(item, Block | Event)


@pytest.fixture
def bench(build, rig, tmp_path):
    """A simulated bench on a thread, eight times as fast as real."""
    made = []

    def start(**how):
        sim = SimulatedBench(
            bench_of(build, rig),
            sensors_of(rig),
            how.pop("rig", changed(rig, ("method", "travel"), 0.5)),
            speed=how.pop("speed", 8.0),
            rate=100,
            link=tmp_path / "port",
            **how,
        )
        thread = threading.Thread(target=sim.serve, args=(30,), daemon=True)
        thread.start()
        made.append((sim, thread))
        sim.thread = thread
        return sim

    yield start
    for sim, thread in made:
        sim.leave()
        thread.join(3)
        sim.close()


def listen(port):
    got, events, states = [], [], []

    class Ear:
        def link_up(self):
            states.append((True, ""))
            link.send("hello")

        def link_down(self, why):
            states.append((False, why))

        def came(self, items):
            got.extend(samples(items))
            events.extend(i for i in items if isinstance(i, Event))

        def said(self, text):
            states.append((False, text))

        def turn(self, waited):
            pass

    link = Link(str(port), Ear())
    link.start()
    return link, got, events, states


def test_the_bench_lifts_stops_at_the_top_and_lowers(bench, tmp_path):
    bench(faults=Faults(drop=0.01, garble=0.01))
    link, got, events, _ = listen(tmp_path / "port")
    wait_for(lambda: len(got) > 20)
    for command in ("hang 1.2", "tare", "nonsense", "drive twelve"):
        link.send(command)
    wait_for(lambda: any("drive" in e.text for e in events))
    link.send("drive 12")  # it comes up with its supply at nothing
    link.send("up")
    wait_for(lambda: any(e.text == "top" for e in events))
    assert max(s[2] for s in got) > 9
    link.send("hang 2")
    link.send("down")
    wait_for(lambda: any(e.text == "bottom" for e in events))
    link.close()
    texts = [e.text for e in events]
    assert any(t.startswith("tare ok 8") for t in texts)
    assert "hang refused: lower the hook first" in texts
    assert any(t.startswith("nonsense refused") for t in texts)
    assert any(t.startswith("drive refused") for t in texts)
    assert link.reader.tally.garbled > 0
    assert link.reader.tally.lost >= link.reader.tally.garbled * 0.5


def test_the_current_limit_stops_before_a_stall_is_called(bench, rig, tmp_path):
    bench(rig=changed(rig, ("limits", "current"), 1.0))
    link, got, events, _ = listen(tmp_path / "port")
    wait_for(lambda: len(got) > 5)
    link.send("hang 9")
    link.send("drive 12")
    link.send("up")
    wait_for(lambda: any(e.kind == "happened" for e in events))
    link.close()
    # 0.3 s above it; a stall is called after 0.8 s
    assert next(e.text for e in events if e.kind == "happened") == "limit current"


def test_a_stall_below_the_current_limit_is_called(bench, rig, tmp_path):
    bench(rig=changed(rig, ("limits", "current"), 9.0))
    link, got, events, _ = listen(tmp_path / "port")
    wait_for(lambda: len(got) > 5)
    link.send("hang 9")
    link.send("drive 12")
    link.send("up")
    wait_for(lambda: any(e.kind == "happened" for e in events))
    link.close()
    assert next(e.text for e in events if e.kind == "happened") == "stalled"


def test_a_pulled_cable_comes_back_with_the_same_port(bench, tmp_path):
    first = bench()
    link, got, _, states = listen(tmp_path / "port")
    wait_for(lambda: len(got) > 20)
    first.leave()
    first.thread.join(3)
    first.close()
    wait_for(lambda: states[-1][0] is False)
    n = len(got)
    bench()
    wait_for(lambda: len(got) > n + 20)
    assert [up for up, _ in groupby(up for up, _ in states)][:3] == [True, False, True]
    link.close()


def test_a_link_to_the_port_takes_no_files_place(tmp_path, bench):
    (tmp_path / "port").write_text("a thesis")
    with pytest.raises(FileExistsError, match="not a link"):
        bench()
    assert (tmp_path / "port").read_text() == "a thesis"
