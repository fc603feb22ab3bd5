"""The limits of a rig, held against samples."""

import numpy as np
import pytest
from fake_bench import FakeBench, guard
from hypothesis import given
from hypothesis import strategies as st

from sparring.bench.watch import GRACE, NEAR, WINDOW, LimitWatch, at_rest
from sparring.core.guard import guard_of
from sparring.core.methods.scale import Scale
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.demo import hollin_yard


def test_a_chopped_current_and_a_missing_reading_hide_nothing():
    t = np.arange(400) * 0.002
    chopped = np.where(np.arange(400) % 10 == 0, 30.0, 0.0)
    assert "current" in LimitWatch(guard(current=3.0)).look(("current",), t, chopped[:, None])
    holes = np.where(np.arange(400) % 20 == 0, np.nan, 3.3)
    assert "current" in LimitWatch(guard(current=3.0)).look(("current",), t, holes[:, None])
    assert (
        LimitWatch(guard(current=3.0)).look(
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
    watch, at, k = LimitWatch(guard(speed=1.0)), 0, 0
    while at < len(t):
        n = pieces[k % len(pieces)]
        if watch.look(("speed",), t[at : at + n], x[at : at + n, None]):
            break
        at, k = at + n, k + 1
    first_seen = t[min(at, len(t) - 1)]
    assert first_seen >= begins - max(pieces) / rate  # never before
    assert first_seen - begins <= WINDOW + 1 / rate + 1e-9  # in the piece that begins by then


def test_a_limit_that_comes_near_is_warned_of_once():
    t = np.arange(40) / 100.0
    watch = LimitWatch(guard(current=3.0))
    said = []
    for part, amps in ((slice(0, 10), 2.6), (slice(10, 20), 2.8), (slice(20, 30), 2.8)):
        assert watch.look(("current",), t[part], np.full((10, 1), amps)) == ""
        said.append(watch.near)
    assert said == ["", "current 2.80 A is over 90 % of the rig's limit of 3.00 A", ""]
    assert "exceeded" in watch.look(("current",), t[30:], np.full((10, 1), 3.2))


def test_unread_channels_are_told_only_after_a_while():
    t = np.arange(40) * 0.0125
    x = np.full(40, np.nan)
    x[:8] = 1.0
    watch = LimitWatch(guard(current=3.0))
    trips = [watch.look(("current",), t[i : i + 1], x[i : i + 1, None]) for i in range(40)]
    first = next(i for i, text in enumerate(trips) if text)
    assert 0.1 < t[first] - t[7] < 0.12


def rig_with(**limits):
    rig = hollin_yard.rig()
    for name, most in limits.items():
        rig = changed(rig, ("limits", name), most)
    return rig


def held(rig, figures, seconds=1.0, tare=None, rate=100):
    """What is said of constant figures, sample by sample, and when."""
    watch, said = LimitWatch(guard_of(rig)), []
    for i in range(int(seconds * rate)):
        row = np.array([list(figures.values())])
        if wrong := watch.look(tuple(figures), np.array([i / rate]), row, tare):
            return wrong, i / rate
        said += [watch.near] if watch.near else []
    return said, seconds


def test_each_limit_of_a_rig_stops_a_bench_and_is_told_with_its_figures_and_near_it():
    arm = Scale.ours(arm=Measured(0.1))
    for name, most, figures, excess in (
        ("power", 20.0, {"voltage": 12.0, "current": 1.0}, "electrical power 24.0 W"),
        ("temperature", 353.15, {"temperature": 343.15}, "motor temperature 90.0 °C"),
        ("force", 9.0, {"force": 4.5}, "load cell force 9.50 N"),
        ("torque", 0.9, {"force": 4.5}, "output torque 0.950 N·m"),
    ):
        rig = changed(rig_with(**{name: most}), ("method",), arm)
        (key,) = {"force": ["force"], "torque": ["force"]}.get(name, list(figures)[-1:])
        assert held(rig, figures) == ([], 1.0)
        near = {"power": 1.55, "temperature": 348.15, "force": 8.5, "torque": 8.5}[name]
        said, _ = held(rig, figures | {key: near})
        assert len(said) == 1
        assert f"is over {100 * NEAR:.0f} % of the rig's limit of" in said[0]
        over = {"power": 2.0, "temperature": 363.15, "force": 9.5, "torque": 9.5}[name]
        wrong, at = held(rig, figures | {key: over})
        assert wrong.startswith(excess + " exceeded the rig's limit of ")
        assert at == 0.0


def test_the_load_cell_carries_its_rated_capacity_and_no_more_by_its_own_calibration():
    rig = rig_with()
    cal = rig.calibration
    none, most = (pick(cal.points, key=lambda p: p.mass.value) for pick in (min, max))
    per_newton = (most.reading - none.reading) / (most.mass.value * rig.gravity.value)
    tare = 1000.0
    for share, stops in ((0.98, False), (1.05, True)):
        counts = {"cell": tare + share * cal.capacity * per_newton}
        said, _ = held(rig, counts, tare=tare)
        assert ("load cell force" in said and "exceeded" in said) == stops
    # without a calibration counts tell no force, and that is said
    blind = LimitWatch(guard_of(changed(rig_with(force=9.0), ("calibration",), None)))
    assert "load cell force" in blind.unwatched(("cell", "speed", "current"))
    assert "current" not in blind.unwatched(("cell", "speed", "current"))


@pytest.mark.parametrize("pushes", [True, False])
def test_an_output_that_stands_while_driven_is_stopped_after_the_time_at_stall(pushes):
    guard = guard_of(rig_with(stalled_for=0.8))
    watch = LimitWatch(guard, volts=12.0)
    t = np.arange(400) / 100
    speed = np.where(t < 1.0, 10.0, 0.0)
    volts = np.full(400, 12.0 if pushes else 0.0)
    x = np.column_stack([speed, volts])
    first = next(
        (i for i in range(400) if watch.look(("speed", "voltage"), t[i : i + 1], x[i : i + 1])),
        None,
    )
    if pushes:
        assert t[first] == pytest.approx(1.0 + 0.8 + GRACE, abs=0.03)
        assert watch.stalled
    else:
        assert first is None


def test_a_board_without_a_stop_of_its_own_is_stopped_at_a_stall_and_the_run_says_so(tmp_path):
    bench = FakeBench(tmp_path)
    bench.plug()
    bench.run()
    bench.session.guard = guard(speed=60.0)._replace(stalled_for=0.8)
    bench.lift(0.5)
    bench.run(0.5)
    bench.run(2.0, 0.0)
    assert bench.moving == "stop"
    assert bench.session.facts().hook_up
    bench.settle()
    assert bench.kept[0][1] == "stalled"
    assert any("the output stood still for 1.3 s while driven" in text for text in bench.said())
    marks = bench.kept[0][2].marks
    assert [text.startswith("the output stood still") for _, text in marks] == [True]
    bench.session.detach()


def test_a_limit_for_which_the_bench_sends_nothing_is_said_once(tmp_path):
    bench = FakeBench(tmp_path)
    bench.plug()
    bench.run()
    bench.session.guard = guard_of(rig_with(temperature=353.15))
    for _ in range(2):
        bench.lift(0.5)
        bench.run(0.3)
        bench.say("! top")
        bench.say("! bottom")
        bench.settle()
    said = [text for text in bench.said() if text.startswith("Not watched")]
    assert len(said) == 1
    assert "motor temperature" in said[0]
    bench.session.detach()


@pytest.mark.parametrize("duty", [1.0, 0.5])
@pytest.mark.parametrize(("read", "said"), [(12.0, False), (11.0, False), (0.51, True)])
def test_a_voltage_that_is_not_the_one_that_was_set_is_told_once(read, said, duty):
    """Also of a chopped drive, whose samples are all or nothing."""
    watch, told = LimitWatch(guard(), volts=12.0 * duty), []
    for k in range(40):
        t = k * 0.1 + np.arange(20) * 0.005
        volts = np.where(np.arange(20) % 4 < 4 * duty, read, 0.0)
        assert watch.look(("voltage", "speed"), t, np.column_stack([volts, np.ones(20)])) == ""
        told += [watch.near] if watch.near else []
    assert len(told) == said
    assert not told or "readings are mixed up" in told[0]


def test_a_bench_at_rest_that_shows_more_than_the_rig_allows_is_told(tmp_path):
    bench = FakeBench(tmp_path)
    bench.session.guard = guard(current=3.0)
    t = np.arange(20) * 0.01
    said = at_rest(bench.session.guard, ("current",), t, np.full((20, 1), 5120.0))
    assert "exceeded the rig's limit" in said
    assert at_rest(bench.session.guard, ("current",), t, np.full((20, 1), 0.2)) == ""
    assert at_rest(bench.session.guard, ("speed",), t, np.zeros((20, 1))) == ""
