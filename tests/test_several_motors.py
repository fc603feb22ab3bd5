"""Several motors on one drive, each with an ammeter or a supply of its own: what they take
together, how they share.
"""

import time

import numpy as np
import pytest
from hears import Hears
from helpers import make_runs, planned, wait_for
from hypothesis import given
from hypothesis import strategies as st

from sparring.bench.devices.joined import Joined
from sparring.bench.lines import LineReader
from sparring.bench.simulated.supply import SupplyPanel
from sparring.core import several
from sparring.core.analysis import Reductions, analyse
from sparring.core.build import Build
from sparring.core.instruments.devices import SUPPLY, DeviceSet, Query
from sparring.core.live import Instruments
from sparring.core.motor import FurtherMotor
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.uncertainty import nominal, std
from sparring.files import log_files, log_look, result_files
from sparring.logbook.derived import Derived
from sparring.logbook.stored import KeptRecording

SLOWER = 0.85  # no-load speed of the second motor, of the first's


@pytest.fixture(scope="module")
def pair(build):
    slower = Measured(build.motor.no_load_speed.value * SLOWER, build.motor.no_load_speed.u)
    second = changed(build.motor, ("no_load_speed",), slower)
    return changed(build, ("further_motors",), (FurtherMotor(readings=second),))


@pytest.fixture(scope="module")
def lifted(pair, rig):
    plan = planned((Measured(1.0, 5e-4), Measured(2.0, 5e-4)), (12.0,), 3)
    runs, lifts = make_runs(pair, rig, plan)
    return plan, runs, lifts


def test_what_each_motor_takes_is_measured_and_the_shares_are_what_truly_was(pair, rig, lifted):
    """The truth by V = I R + k ω and T = k (I − I₀) of each alone, in plain arithmetic."""
    plan, runs, lifts = lifted
    result = analyse(pair, rig, plan, runs)
    assert not result.skipped
    figures = []
    for m in (pair.motor, pair.further_motors[0].readings):
        R = 12.0 / m.stall_current.value
        k = (12.0 - m.no_load_current.value * R) / m.no_load_speed.value
        figures.append((k, R, m.no_load_current.value))
    for step, load in zip(result.steps, (1.0, 2.0), strict=True):
        (truth, point), *_ = [
            (x.truth, p)
            for (s, _, x), p in zip(
                [t for t in lifts if t[0].load.value == load], step.points, strict=True
            )
        ]
        i = len(truth["speed"]) // 2
        volts, turns = truth["voltage"][i], truth["motor_speed"][i]
        given = [k * ((volts - k * turns) / R - free) for k, R, free in figures]
        expected = given[0] / sum(given)
        assert nominal(sum(step.shares)) == pytest.approx(1.0)
        assert nominal(step.shares[0]) == pytest.approx(expected, abs=2.5 * std(step.shares[0]))
        assert 0.001 < std(step.shares[0]) < 0.03
        assert nominal(step.shares[0]) > 0.55 > nominal(step.shares[1])
        assert point.shares
    (found,) = [f for f in result.findings if f.id == "motors-share-measured"]
    assert found.severity == "caution"
    assert "unequally" in found.title
    document = result_files.to_dict(result)
    shares = document["steps"][0]["torque_shares"]
    assert [sorted(x) for x in shares] == [["share", "u_share"]] * 2


def test_shares_are_kept_with_what_was_derived(pair, rig, lifted, tmp_path):
    plan, runs, _ = lifted
    stored = [
        (run, KeptRecording(str(n), lambda n: runs[int(n)][1])) for n, (run, _) in enumerate(runs)
    ]
    shelf = Derived(tmp_path)
    kept = [Reductions(shelf) for _ in range(2)]
    first, again = (analyse(pair, rig, plan, stored, reductions=x) for x in kept)
    for a, b in zip(first.steps, again.steps, strict=True):
        assert [nominal(x) for x in b.shares] == pytest.approx([nominal(x) for x in a.shares])
        assert [std(x) for x in b.shares] == pytest.approx([std(x) for x in a.shares])
    assert kept[1].reduced == 0
    assert [f.id for f in again.findings] == [f.id for f in first.findings]


def test_a_motor_with_a_bad_lead_shares_otherwise_than_its_readings_promise(pair, rig, lifted):
    plan, runs, _ = lifted
    weak = []
    for run, x in runs:
        ch = dict(x.channels)
        moved = 0.5 * ch["current_2"]  # what it takes no more, the other takes
        ch |= {"current_1": ch["current_1"] + moved, "current_2": ch["current_2"] - moved}
        weak.append((run, Recording(x.t, ch)))
    (found,) = [
        f for f in analyse(pair, rig, plan, weak).findings if f.id == "motors-share-measured"
    ]
    assert found.severity == "caution"
    assert "otherwise than their readings" in found.title


def test_the_sum_stands_where_only_each_motors_current_is_logged(pair, rig, lifted, tmp_path):
    plan, runs, _ = lifted
    before = analyse(pair, rig, plan, runs).best
    alone = []
    for run, x in runs:
        left = {c: y for c, y in x.channels.items() if c != "current"}
        log_files.write(tmp_path / "log.csv", Recording(x.t, left))
        read, _ = log_files.read(log_look.look(tmp_path / "log.csv"))
        assert np.allclose(read.channels["current"], left["current_1"] + left["current_2"])
        alone.append((run, read))
    after = analyse(pair, rig, plan, alone).best
    assert nominal(after.gearbox) == pytest.approx(nominal(before.gearbox), abs=0.005)

    half = [
        (run, Recording(x.t, several.whole({c: y for c, y in x.channels.items() if c not in drop})))
        for run, x in alone
        for drop in [("current", "current_2")]
    ]
    odd = [
        (run, Recording(x.t, {c: y for c, y in x.channels.items() if c != "current_1"}))
        for run, x in runs
    ]
    skipped = analyse(pair, rig, plan, odd).skipped
    assert "current of motor 2 but not that of motor 1" in skipped[0][1]
    skipped = analyse(pair, rig, plan, half).skipped
    assert len(skipped) == len(half)  # half the current is no current of both
    assert "current of 1 motor, the build has 2 motors" in skipped[0][1]


@given(
    st.lists(st.tuples(st.floats(1, 24), st.floats(0.05, 5)), min_size=2, max_size=8),
    st.floats(0.5, 1.5),
)
def test_power_together_is_the_power_of_each(supplies, gain):
    channels = {}
    for n, (volts, amps) in enumerate(supplies, start=1):
        channels |= {f"voltage_{n}": np.full(3, volts), f"current_{n}": np.full(3, amps)}
    whole = several.whole(channels)
    power = sum(v * i for v, i in supplies)
    assert whole["voltage"] * whole["current"] == pytest.approx(np.full(3, power))
    assert min(v for v, _ in supplies) - 1e-9 <= whole["voltage"][0]
    assert whole["voltage"][0] <= max(v for v, _ in supplies) + 1e-9
    # put right one by one and summed again
    right = several.corrected(whole, lambda key, y: y * gain if key.startswith("curr") else y)
    assert right["current"] == pytest.approx(gain * whole["current"])


def test_supplies_of_unequal_voltage_count_by_what_a_volt_makes_of_torque(pair, rig, lifted):
    """Two motors alike at 12.5 and 11.5 V turn what they turn at 12 V: the torque by the speed
    line is that of the mean voltage, not of the voltage by power."""
    same = changed(pair, ("further_motors", 0, "readings"), pair.motor)
    plan = planned((Measured(1.5, 5e-4),), (12.0,), 2)
    runs, _ = make_runs(same, rig, plan)
    apart = []
    for run, x in runs:
        ch = dict(x.channels)
        on = np.where(ch["voltage"] > 1.0, 0.5, 0.0)
        R = 12.0 / same.motor.stall_current.value
        ch |= {"voltage_1": ch["voltage"] + on, "voltage_2": ch["voltage"] - on}
        ch |= {"current_1": ch["current_1"] + on / R, "current_2": ch["current_2"] - on / R}
        del ch["voltage"], ch["current"]
        apart.append((run, Recording(x.t, several.whole(ch))))
    one, other = (analyse(same, rig, plan, r).steps[0].points[0] for r in (runs, apart))
    for name in ("motor_torque_speed", "motor_torque_current"):
        assert nominal(getattr(other, name)) == pytest.approx(nominal(getattr(one, name)), rel=0.01)
    passed = 2 * 0.5**2 / R  # [W], from the one to the other and lost
    assert nominal(other.power_in) == pytest.approx(nominal(one.power_in) + passed, rel=2e-3)


def test_a_bench_sends_each_motors_current_and_the_window_tells_the_shares(pair, rig):
    reader = LineReader()
    (block,) = [
        b
        for b in reader.feed(
            b"# columns: seq, t/ms, speed/rpm, voltage/V, current_1/A, current_2/mA\n"
            b"1,10,100,12.0,1.5,900\n2,22,100,12.0,1.6,900\n"
        )
        if hasattr(b, "mapping")
    ]
    whole = block.whole()
    channels = dict(zip(whole.mapping.channels, whole.values.T, strict=True))
    assert channels["current"] == pytest.approx([2.4, 2.5])
    x = Instruments(rig).figures(channels, None, pair.motor_lines())
    assert x.currents == pytest.approx((1.55, 0.9))
    assert sum(x.shares) == pytest.approx(1.0)
    assert x.shares[0] > x.shares[1]
    assert Instruments(rig).figures(channels, None, Build().motor_lines()).shares == ()


def test_each_of_two_supplies_is_told_and_both_have_to_confirm():
    panels = [SupplyPanel(0, lambda n=n: (12.0, n)) for n in (1.2, 0.8)]
    told = {panel: [] for panel in panels}

    def obey():
        for panel, words in told.items():
            while not panel.orders.empty():
                order = panel.orders.get()
                words.append(order.word)
                order.done("")

    def of(n, panel):
        queries = (
            Query(ask="MEAS:VOLT?", channel=f"voltage_{n}", unit="V"),
            Query(ask="MEAS:CURR?", channel=f"current_{n}", unit="A"),
        )
        device = changed(SUPPLY, ("name",), f"Supply {n}")
        return changed(changed(device, ("address",), panel.address), ("queries",), queries)

    devices = DeviceSet(devices=tuple(of(n, p) for n, p in enumerate(panels, start=1)))
    hears = Hears()
    joined = Joined(devices, hears)
    joined.start()

    def replied(word):
        obey()
        time.sleep(0.01)
        return [e.text for e in hears.events if e.text.startswith(word)]

    try:
        wait_for(lambda: obey() or (hears.ups and len(hears.blocks) > 3))
        for command, at_the_supply in (("drive 9", "drive"), ("up", "up"), ("stop", "stop")):
            before = [words.count(at_the_supply) for words in told.values()]
            hears.events.clear()
            assert joined.send(command)
            word = command.split()[0]
            wait_for(lambda word=word: replied(f"{word} ok"))
            after = [words.count(at_the_supply) for words in told.values()]
            assert all(b > a for a, b in zip(before, after, strict=True))
            assert len(replied(f"{word} ok")) == 1
        wait_for(lambda: obey() or hears.blocks[-1].values.shape[1] == 4)
        whole = hears.blocks[-1].whole()
        newest = dict(zip(whole.mapping.channels, whole.values[-1], strict=True))
        assert newest["current"] == pytest.approx(2.0)
        assert newest["voltage"] == pytest.approx(12.0)
        panels[1]._switch = lambda _on: None  # its output stays off, whatever it is told
        told[panels[0]].clear()
        hears.events.clear()
        joined.send("up")
        wait_for(lambda: replied("up refused: Supply 2"))
        wait_for(lambda: obey() or "stop" in told[panels[0]])  # the first does not drive alone
    finally:
        joined.close()
        for panel in panels:
            panel.close()
