"""From lifts to results and judgements."""

import math

import numpy as np
import pytest
from helpers import make_runs, planned
from hypothesis import given
from hypothesis import strategies as st

from sparring.core import predict
from sparring.core.analysis import analyse
from sparring.core.finding import Peer, PeerStep, explain
from sparring.core.performance.model import Band, Curves
from sparring.core.plan import Lift, next_lift, sequence
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.reduce.inputs import inputs_of
from sparring.core.reduce.results import headline
from sparring.core.reduce.split import split_runs
from sparring.core.reduce.spread import random_part, shared_parts, size, unshared
from sparring.core.reduce.windows import find_window, mean_with_uncertainty
from sparring.core.run import Run
from sparring.core.uncertainty import nominal, std
from sparring.demo import hollin_yard


def ids(result):
    return {f.id for f in result.findings}


@pytest.fixture(scope="module")
def result(build, rig, plan, lifted):
    return analyse(build, rig, plan, lifted[0])


def test_good_lifts_give_true_figures_and_no_reproach(result, plan, rig, lifted):
    assert [len(s.points) for s in result.steps] == [3] * 5
    for step, mass in zip(result.steps, plan.loads, strict=True):
        assert nominal(step.torque) == pytest.approx(predict.load_torque(rig, mass.value), rel=1e-9)
        true = np.mean(
            [
                np.median(x.truth["power_out"][60:-40] / x.truth["motor_power"][60:-40])
                for s, _, x in lifted[1]
                if s.load == mass
            ]
        )
        assert nominal(step.gearbox) == pytest.approx(true, abs=2.5 * std(step.gearbox))
        assert nominal(step.power_in) > nominal(step.motor_power) > nominal(step.power_out)
    assert all(f.severity in ("good", "note") for f in result.findings)


def test_measured_lies_near_predicted(result, build):
    curve = predict.curve(build, 12.0)
    for step in result.lifted:
        assert nominal(step.speed) == pytest.approx(
            np.interp(nominal(step.torque), curve.torque, curve.speed), rel=0.02
        )
    assert nominal(result.stall.by_line) == pytest.approx(curve.stall, rel=0.03)


def test_stall_is_bracketed_by_the_weights(build, rig):
    plan = hollin_yard.plan(0.5, 2.0, 3.5, 4.9, repeats=2)
    runs, _ = make_runs(build, rig, plan)
    result = analyse(build, rig, plan, runs)
    assert nominal(result.stall.lifted) == pytest.approx(predict.load_torque(rig, 3.5))
    assert nominal(result.stall.not_lifted) == pytest.approx(predict.load_torque(rig, 4.9))
    half = (nominal(result.stall.not_lifted) - nominal(result.stall.lifted)) / 2
    assert std(result.stall.bracket) == pytest.approx(half / 3**0.5, rel=0.02)
    assert "stalled" in ids(result)


@pytest.mark.parametrize(
    ("finding", "rig_changes", "bench", "sensors"),
    [
        ("drum-radius-vs-diameter", {"drum_radius": Measured(0.05, 1e-4)}, {}, {}),
        ("voltage-sag", {}, {"source_resistance": 0.9}, {}),
        ("drop-at-last-weights", {}, {"bind_from": 0.55, "bind": 0.5}, {}),
        ("period-of-a-shaft", {}, {"runout": 0.06}, {}),
        ("gearbox-above-one", {"drum_diameter": Measured(0.062, 5e-5)}, {}, {}),
        ("output-above-input", {"drum_diameter": Measured(0.120, 5e-5)}, {}, {}),
        ("cell-against-weight", {}, {}, {"cell_gain": 2300.0}),
        ("motor-torques-disagree", {}, {"R": 8.5}, {}),
    ],
)
def test_planted_faults_are_found_and_explained(
    build, rig, plan, finding, rig_changes, bench, sensors
):
    runs, _ = make_runs(build, rig, plan, sensors=sensors, **bench)
    told = rig
    for name, value in rig_changes.items():
        told = changed(told, ("method", name), value)
    result = analyse(build, told, plan, runs)
    assert finding in ids(result)
    found = next(f for f in result.findings if f.id == finding)
    assert found.causes
    assert found.remedies
    assert "{" not in explain(found)


def test_a_miscounted_tooth_shows_in_the_two_speeds(build, rig, plan, lifted):
    wrong = changed(build, ("stages", 0, "wheel"), 62)
    assert "speeds-against-ratio" in ids(analyse(wrong, rig, plan, lifted[0]))


def test_volts_and_amperes_exchanged_are_told(build, rig, plan, lifted):
    swapped = []
    for run, rec in lifted[0]:
        ch = rec.channels
        other = {**ch, "voltage": ch["current"], "current": ch["voltage"]}
        swapped.append((run, Recording(rec.t, other)))
    found = {f.id: f for f in analyse(build, rig, plan, swapped).findings}
    assert found["current-beyond-the-winding"].severity == "wrong"
    assert "volts and amperes are exchanged" in found["current-beyond-the-winding"].causes
    assert "current-beyond-the-winding" not in ids(analyse(build, rig, plan, lifted[0]))


def test_scatter_and_single_lifts_are_told(build, rig, plan, lifted):
    single = [r for r in lifted[0] if r[0].repeat == 1]
    assert "no-repeats" in ids(analyse(build, rig, plan, single))
    runs = []
    for n, (run, rec) in enumerate(lifted[0]):
        factor = 1 + 0.12 * (n % 3 - 1)
        runs.append(
            (run, Recording(rec.t, {**rec.channels, "current": rec.channels["current"] * factor}))
        )
    assert "spread-of-repeats" in ids(analyse(build, rig, plan, runs))


def test_builds_too_close_to_tell_are_named_with_the_lifts_it_would_take(
    build, rig, plan, lifted, result
):
    step = result.steps[2]
    own = shared_parts(step.gearbox)
    near = Peer(
        "Dunnock r9",
        (PeerStep(nominal(step.torque), nominal(step.gearbox) + 0.0004, 0.002, 3, own),),
        same_rig=True,
    )
    far = Peer(
        "Dunnock r8", (PeerStep(nominal(step.torque), nominal(step.gearbox) - 0.2, 0.002, 3, own),)
    )
    elsewhere = Peer(
        "Dunnock r7", (PeerStep(nominal(step.torque) * 1.5, nominal(step.gearbox), 0.002, 3, own),)
    )
    told = [
        f
        for f in analyse(build, rig, plan, lifted[0], [near, far, elsewhere]).findings
        if f.id == "too-few-repeats"
    ]
    assert [f.title for f in told] == ["Not distinguishable from Dunnock r9"]


def test_a_meter_stays_the_same_input_whatever_else_of_the_sensors_changes(build, rig):
    inputs = inputs_of(build, rig)
    counted = changed(rig.sensors, ("pulses",), 60)
    better = changed(rig.sensors, ("voltage_accuracy",), 0.001)
    same, other = (
        inputs.meters_of(Run(sensors=counted, voltage=12.0)),
        inputs.meters_of(Run(sensors=better, voltage=12.0)),
    )
    assert std(same.voltage.doubt - inputs.meters.voltage.doubt) == 0
    assert same.sensors.pulses == 60
    assert std(other.voltage.doubt - inputs.meters.voltage.doubt) > std(inputs.meters.voltage.doubt)
    assert std(other.current.doubt - inputs.meters.current.doubt) == 0


def test_what_two_tests_share_drops_out_of_their_difference(build, rig, plan, lifted, result):
    """A gap that the repeats can tell on one rig cannot be told from one rig to another, whose drum
    and meters are its own.
    """
    step = result.steps[2]
    own = shared_parts(step.gearbox)
    assert size(own.values()) ** 2 + random_part(step.gearbox) ** 2 == pytest.approx(
        std(step.gearbox) ** 2
    )
    here, elsewhere = (
        size(u for _, u in unshared(own, own, same_rig=same)) for same in (True, False)
    )
    assert here == 0
    assert 0 < elsewhere < math.sqrt(2) * size(own.values())  # the motor stays the same one
    gap = 1.5 * elsewhere
    assert gap > 3 * math.hypot(random_part(step.gearbox), 0.001)

    def told(same_rig):
        peer = Peer(
            "Dunnock r9",
            (PeerStep(nominal(step.torque), nominal(step.gearbox) + gap, 0.001, 3, own),),
            same_rig=same_rig,
        )
        return [
            f
            for f in analyse(build, rig, plan, lifted[0], [peer]).findings
            if f.id == "too-few-repeats"
        ]

    assert told(True) == []
    (finding,) = told(False)
    assert "Test both on one rig" in finding.remedies[0]
    assert "do not share the same ammeter" in finding.remedies[0]


def test_one_long_log_is_split_into_the_same_lifts(build, rig, plan, lifted, result):
    from sparring.core.plant.lifts import one_log

    log = one_log(lifted[1], rig.method)
    runs = split_runs(log, plan)
    assert [(r.step, r.repeat) for r in runs] == [(s.id, r) for s, r, _ in lifted[1]]
    again = analyse(build, rig, plan, [(r, log) for r in runs])
    for a, b in zip(result.steps, again.steps, strict=True):
        assert nominal(a.gearbox) == pytest.approx(nominal(b.gearbox), rel=5e-3)
    by_force = Recording(log.t, {k: v for k, v in log.channels.items() if k != "mass"})
    assert [r.step for r in split_runs(by_force, plan)] == [r.step for r in runs]


def test_a_run_that_cannot_be_reduced_is_set_aside_with_its_reason(build, rig, plan, lifted):
    t = np.arange(100) / 80.0
    dead = Recording(
        t, {"speed": np.zeros(100), "voltage": np.zeros(100), "current": np.zeros(100)}
    )
    blind = Recording(t, {"voltage": np.full(100, 12.0)})

    def missing():
        raise ValueError("recording gone")

    result = analyse(
        build,
        rig,
        plan,
        [
            *lifted[0],
            (Run(step=1, voltage=12.0), dead),
            (Run(step=1, voltage=12.0), blind),
            (Run(step=1, voltage=12.0), missing),
        ],
    )
    assert len(result.steps) == 5
    reasons = " ".join(why for _, why in result.skipped)
    assert all(word in reasons for word in ("never on", "no output speed", "recording gone"))


def test_window_skips_the_settling_and_reports_drift():
    t = np.arange(800) / 80.0
    rng = np.random.default_rng(0)
    y = 10 * (1 - np.exp(-t / 0.5)) + 0.01 * rng.standard_normal(800)
    window = find_window(t, y, 0.3, 1.0)
    assert window.steady
    assert window.start > 1.5
    ramp = find_window(t, 5 + t, 0.3, 1.0)
    assert not ramp.steady
    assert ramp.length == pytest.approx(1.0, abs=0.05)
    with pytest.raises(ValueError, match="settling"):
        find_window(t, y, 20.0, 1.0)


def test_slow_noise_is_not_taken_for_many_samples():
    rng = np.random.default_rng(2)
    slow = np.repeat(rng.standard_normal(50), 40)
    _, u, effective = mean_with_uncertainty(slow)
    assert effective < 120
    assert u > slow.std() / len(slow) ** 0.5 * 3


def test_the_plan_is_followed_in_order_and_shuffled_the_same_way_each_time():
    plan = planned(repeats=2)
    assert sequence(plan)[:3] == [Lift(0, 1), Lift(0, 2), Lift(1, 1)]
    shuffled = changed(plan, ("order",), "shuffled")
    assert sorted(sequence(shuffled), key=lambda x: (x.step, x.repeat)) == sequence(plan)
    assert sequence(shuffled) == sequence(shuffled)
    assert next_lift(plan, [Lift(0, 1)], skip=[0]) == Lift(1, 1)
    assert next_lift(plan, sequence(plan)) is None


def test_power_flow_adds_up_from_supply_to_output(build):
    for load in (0.0, 0.1, 0.5, 3.0):
        flow = predict.power_flow(build, load, 12.0)
        assert flow.power_in == pytest.approx(
            flow.power_out + sum(x.power for s in flow.stations for x in s.losses), rel=1e-9
        )
    assert flow.power_out == 0


def test_likelihood_of_a_stall_rises_with_the_weight(build, rig):
    chances = [predict.stall_likelihood(build, rig, m, 12.0) for m in (1.0, 4.5, 4.8, 8.0)]
    assert chances == sorted(chances)
    assert chances[0] < 0.01
    assert chances[-1] > 0.99


def test_headline_carries_what_derived_it(result):
    line = headline(result)
    assert line["derived_by"]
    assert line["value"] == pytest.approx(nominal(result.best.gearbox))


def test_a_run_keeps_the_calibration_it_was_made_with(build, rig, lifted, plan):
    """The cell calibrated anew, to another sensitivity: runs that carry theirs stay, those without
    follow the rig.
    """
    runs, _ = lifted
    kept = [(r.model_copy(update={"calibration": rig.calibration}), rec) for r, rec in runs]
    points = tuple(
        p.model_copy(update={"reading": p.reading * 1.05}) for p in rig.calibration.points
    )
    anew = changed(rig, ("calibration", "points"), points)
    before = analyse(build, rig, plan, runs).steps[2].points[0].torque_cell
    after = analyse(build, anew, plan, kept).steps[2].points[0].torque_cell
    moved = analyse(build, anew, plan, runs).steps[2].points[0].torque_cell
    assert nominal(after) == pytest.approx(nominal(before), rel=1e-9)
    assert nominal(moved) != pytest.approx(nominal(before), rel=0.02)


@given(st.floats(0.5, 50), st.floats(0.01, 20), st.integers(5, 120))
def test_the_top_of_a_curve_is_told_where_it_lies_between_two_points(free, steep, points):
    """Of P = T (ω₀ − b T), which is a parabola: ω₀²/4b at half of the stall torque. Which of two
    equal points is higher is a matter of rounding, and their uncertainties are not equal.
    """
    torque = np.linspace(0.0, free / steep, points)
    speed = free - steep * torque
    power, no = Band(torque * speed, 0.01 + torque), Band(speed, 0.0 * torque)
    curves = Curves(12.0, torque, (free / steep, 0.0), no, no, power, no, no, no)
    top = curves.peak(power)
    assert top.value == pytest.approx(free**2 / (4 * steep), rel=1e-9)
    assert top == pytest.approx(
        (free / steep / 2, free / 2, top.value, 0.01 + top.torque), rel=1e-6
    )
    assert curves.peak(no)[:3] == pytest.approx((0.0, free, free))
