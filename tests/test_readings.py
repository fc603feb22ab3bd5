"""Readings, typed and recorded: every way of measuring gives back what went in, and says what is
wrong with the readings.
"""

import math

import numpy as np
import pytest
from readings_helpers import figure, ids, motor_rows

from sparring.core.characterise import METHODS
from sparring.core.characterise.base import local_gravity
from sparring.core.characterise.breakaway import Breakaway, BreakawayReading
from sparring.core.characterise.counting import Counting, CountReading
from sparring.core.characterise.currents import CurrentReading, Currents
from sparring.core.characterise.generator import Generator, GeneratorReading
from sparring.core.characterise.holding import Holding, HoldingReading
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.stepper import Stepper, StepReading
from sparring.core.characterise.swing import Swing, SwingReading
from sparring.core.characterise.windup import WindUp, WindUpReading
from sparring.core.finding import explain
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import changed
from sparring.core.uncertainty import nominal, std

RPM = 2 * math.pi / 60


def hold(load, moved=None, *, seconds=600.0, let_go=None):
    return HoldingReading(
        load=Measured(load, 0.002),
        watched=Measured(seconds, 1.0),
        moved=None if moved is None else Measured(math.radians(moved), math.radians(0.25)),
        let_go=None if let_go is None else Measured(let_go, 0.5),
    )


def test_a_hold_is_what_did_not_move_beyond_its_doubt_and_creep_is_told_per_minute():
    way = Holding(radius=Measured(0.025, 1e-4))
    judged = way.reduce([hold(0.2, 0.1), hold(0.4, -0.3), hold(0.6, 6.0), hold(0.9, let_go=8.0)])
    assert nominal(figure(judged, "held").value) == pytest.approx(0.4)
    assert nominal(figure(judged, "not-held").value) == pytest.approx(0.6)
    creep = figure(judged, "creep-per-minute").value
    assert math.degrees(nominal(creep)) == pytest.approx(0.6)  # 6° in 10 min
    # 2u of the angle is 0.5° in 10 min, of the time next to nothing
    assert math.degrees(2 * std(creep)) == pytest.approx(0.05, rel=0.01)
    assert nominal(figure(judged, "let-go-after").value) == pytest.approx(8.0)
    assert ids(judged) == {"lets-go", "creeps", "held-for-a-time"}
    assert "holds-not-always" in ids(way.reduce([hold(0.6, 0.1), hold(0.4, 3.0)]))
    short = way.reduce([hold(0.2, 0.0, seconds=20.0)])
    assert [f.severity for f in short.findings] == ["note"]
    # 1.2 kg on 25 mm
    weighed = HoldingReading(mass=Measured(1.2, 1e-3), moved=Measured(0.0, 0.004))
    assert nominal(figure(way.reduce([weighed]), "held").value) == pytest.approx(
        1.2 * 9.80665 * 0.025
    )
    for wrong, said in (
        (HoldingReading(moved=Measured(0.0, 0.004)), "once"),
        (HoldingReading(load=Measured(1.0)), "missing"),
        (HoldingReading(load=Measured(1.0), moved=Measured(0.0)), "±"),
    ):
        with pytest.raises(ValueError, match=said):
            way.reduce([wrong])
    with pytest.raises(ValueError, match="radius"):
        Holding().reduce([weighed])


def test_a_load_that_is_let_go_in_a_recording_is_told_with_its_moment():
    t = np.linspace(0.0, 20.0, 1601)
    rng = np.random.default_rng(2)
    angle = np.where(t < 12.0, 0.001 * t, 0.012 + 3.0 * (t - 12.0))
    rec = Recording(
        t,
        {
            "torque": 0.5 + 0.01 * rng.standard_normal(1601),
            "angle": angle + 1e-3 * rng.standard_normal(1601),
        },
    )
    (found,) = Holding().from_log(rec)
    assert found.let_go.value == pytest.approx(12.0 + math.pi / 6 / 3.0, abs=0.05)
    assert found.load.value == pytest.approx(0.5, abs=0.002)
    coarse = Recording(t, {"torque": 0.5 + 0 * t, "angle": np.round(0.0021 * t, 2)})
    (found,) = Holding().from_log(coarse)  # an encoder of 0.01 rad tells no more than its steps
    assert found.moved.value == pytest.approx(0.04, abs=2 * found.moved.u)
    assert found.moved.u >= 0.01 / math.sqrt(12)


def test_currents_are_told_by_what_was_done_and_a_drift_with_its_times():
    def read(done, amps, clock=None):
        return CurrentReading(done=done, current=Measured(amps, 0.005), clock=clock)

    readings = [
        read("At rest", 0.03, "09:00"),
        read("0.5 kg", 0.40, "09:02"),
        read("0.5 kg", 0.404, "09:04"),
        read("1 kg", 0.70, "09:05"),
        read("1 kg", 0.85, "09:40:30"),
    ]
    judged = Currents(ammeter=0.01).reduce(readings)
    assert [r.id for r in judged.results] == ["current-at-rest", "current-0-5-kg", "current-1-kg"]
    mean = figure(judged, "current-0-5-kg").value
    assert nominal(mean) == pytest.approx(0.402)
    # each reading's own ±, halved by two of them, and the ammeter's, which is one for both
    assert std(mean) == pytest.approx(math.hypot(0.005 / math.sqrt(2), 0.005 * 0.402), rel=1e-3)
    assert ids(judged) == {"current-at-rest", "current-drifts"}
    (drift,) = [f for f in judged.findings if f.id == "current-drifts"]
    assert "at 09:05 and 09:40:30" in explain(drift)
    assert Currents().typed([["{odd} words", "0.3 A", ""]])[0].clock is None
    with pytest.raises(ValueError, match="done is missing"):
        Currents().typed([["", "0.3 A", ""]])
    with pytest.raises(ValueError, match="Repeat 1, at: “noon” is not a time of day"):
        Currents().typed([["free", "0.3 A", "noon"]])


def test_the_swing_formula_against_the_exact_motion():
    """Bifilar pendulum, energy integral with SciPy: rise h(θ) = L − √(L² − 4 r² sin²(θ/2)); small
    swings give the formula.
    """
    from scipy.integrate import quad

    m, r, L, J, g = 1.2, 0.06, 1.0, 3.1e-3, 9.81

    def rise(theta):
        return L - math.sqrt(L**2 - 4 * r**2 * math.sin(theta / 2) ** 2)

    top = math.radians(8)
    # θ = top sin φ takes the pole out of the integral
    quarter = quad(
        lambda phi: (
            top * math.cos(phi) / math.sqrt(2 * m * g * (rise(top) - rise(top * math.sin(phi))) / J)
        ),
        0,
        math.pi / 2 * (1 - 1e-9),
    )[0]
    swing = Swing(mass=Measured(m), radius=Measured(r), length=Measured(L), gravity=Measured(g))
    judged = swing.reduce([SwingReading(swings=20, time=Measured(20 * 4 * quarter, 0.05))])
    assert nominal(figure(judged, "inertia").value) == pytest.approx(J, rel=3e-3)
    assert "cords-short" in ids(changed(swing, ("length",), Measured(0.2)).reduce([SwingReading()]))
    wire = Swing(hung_on="a wire", known=Measured(2e-3, 1e-5))
    on_wire = wire.reduce([SwingReading(time=Measured(30.0), known_time=Measured(20.0))])
    assert nominal(figure(on_wire, "inertia").value) == pytest.approx(2e-3 * 2.25)
    with pytest.raises(ValueError, match="reference body"):
        wire.reduce([SwingReading()])


def test_a_generator_gives_constant_resistance_and_power():
    k, R = 0.025, 2.0
    rows = [
        GeneratorReading(speed=Measured(400.0), voltage=Measured(k * 400), current=Measured(0.0))
    ]
    rows.append(
        GeneratorReading(
            speed=Measured(400.0),
            voltage=Measured(k * 400 - 1.5 * R),
            current=Measured(1.5),
            torque=Measured(0.045),
        )
    )
    judged = Generator().reduce(rows)
    assert nominal(figure(judged, "constant").value) == pytest.approx(k)
    assert nominal(figure(judged, "inner-resistance").value) == pytest.approx(R)
    assert nominal(figure(judged, "best-efficiency").value) == pytest.approx(
        1.5 * 7 / (0.045 * 400)
    )
    impossible = changed(rows[1], ("torque",), Measured(0.01))
    assert "output-above-input" in ids(Generator().reduce([rows[0], impossible]))


def test_the_bare_motor_comes_out_of_any_mix_of_readings():
    judged = BareMotor().reduce(motor_rows())
    assert nominal(figure(judged, "resistance").value) == pytest.approx(3.0)
    assert nominal(figure(judged, "constant").value) == pytest.approx(0.025)
    assert nominal(figure(judged, "friction").value) == pytest.approx(0.003)
    assert nominal(figure(judged, "stall-torque").value) == pytest.approx(0.025 * 4 - 0.003)
    bad = motor_rows()
    bad[2] = changed(bad[2], ("speed",), Measured(500.0))
    assert "motor-not-a-line" in ids(BareMotor().reduce(bad))
    with pytest.raises(ValueError, match="stalled"):
        BareMotor().reduce(motor_rows()[:1])
    hot = BareMotor(cold_resistance=Measured(2.0))
    assert "winding-hot" in ids(hot.reduce(motor_rows()))
    # (235 + ϑ)/(235 + 20) = R/R₂₀ (IEC 60034-1)
    assert nominal(figure(hot.reduce(motor_rows()), "winding-temperature").value) == pytest.approx(
        255 * 1.5 - 235 + 273.15
    )


def test_a_loop_gives_play_stiffness_and_loss():
    stiffness, play = 40.0, math.radians(1.0)
    torques = [0.0, 0.01, 0.05, 0.5, 1.0, 0.5, 0.05, 0.01]
    torques += [-t for t in torques]
    rows = [
        WindUpReading(
            torque=Measured(t),
            angle=Measured(t / stiffness + math.copysign(play / 2, t) if t else 0.0),
        )
        for t in torques
    ]
    judged = WindUp(small=0.05).reduce(rows)
    assert nominal(figure(judged, "play").value) == pytest.approx(play)
    # at 3 % of the largest torque, on both sides; by straight lines between points that lie there
    lost = figure(judged, "lost-motion")
    assert lost.label == "Lost motion at ± 0.03 N·m"
    assert nominal(lost.value) == pytest.approx(play + 2 * 0.03 / stiffness)
    stated = figure(WindUp(small=0.05, read_at=0.2).reduce(rows), "lost-motion")
    assert nominal(stated.value) == pytest.approx(play + 2 * 0.2 / stiffness)
    assert nominal(figure(judged, "stiffness").value) == pytest.approx(stiffness)
    x, y = [r.angle.value for r in rows], [r.torque.value for r in rows]
    area = (
        abs(sum(x[i] * y[(i + 1) % len(x)] - x[(i + 1) % len(x)] * y[i] for i in range(len(x)))) / 2
    )
    # the loop's area by the shoelace formula
    assert nominal(figure(judged, "loop-energy").value) == pytest.approx(area, abs=1e-12)
    with pytest.raises(ValueError, match="each side"):
        WindUp().reduce(rows[:3])


def test_gravity_at_known_places():
    """WGS 84: 9.7803253359 at the equator, 9.8321849378 at the poles (NIMA TR8350.2); 9.80620 at
    45° (normal gravity, handbook).
    """
    assert local_gravity(0.0) == pytest.approx(9.7803253359, abs=1e-9)
    assert local_gravity(math.pi / 2) == pytest.approx(9.8321849378, abs=1e-8)
    assert local_gravity(math.radians(45)) == pytest.approx(9.80620, abs=2e-5)
    assert local_gravity(math.radians(45)) - local_gravity(
        math.radians(45), 1000.0
    ) == pytest.approx(3.086e-3, rel=2e-3)  # free air


CASES = {  # truth, and how the tester's readings follow from it
    "swing": (
        lambda d: Swing(
            mass=d(1.2, 1e-3), radius=d(0.06, 3e-4), length=d(1.0, 2e-3), gravity=d(9.81, 1e-3)
        ),
        lambda d: SwingReading(time=d(24.0, 0.1)),
        "inertia",
    )
}


@pytest.mark.parametrize(("case", "repeats"), [(c, n) for c in CASES for n in (1, 4)])
def test_the_truth_lies_inside_the_stated_interval(case, repeats):
    """200 testers, each with dimensions and readings off by their uncertainty: 95 ± 4 % of the k =
    2 intervals hold the truth.
    """
    method, reading, label = CASES[case]
    rng = np.random.default_rng(1)

    def exact(value, u):
        return Measured(value)

    def seen(value, u):
        return Measured(value + rng.normal(0, u), u)

    truth = nominal(figure(method(exact).reduce([reading(exact)]), label).value)
    inside = 0
    for _ in range(200):
        got = figure(method(seen).reduce([reading(seen) for _ in range(repeats)]), label).value
        inside += abs(nominal(got) - truth) <= 2 * std(got)
    assert 0.91 <= inside / 200 <= 0.99


def test_scatter_that_nobody_stated_is_found_in_the_repeats():
    """Readings typed without ±: the scatter of four repeats alone gives a 95 ± 4 % interval."""
    rng = np.random.default_rng(2)
    inside = 0
    for _ in range(600):
        rows = [BreakawayReading(starts=Measured(0.25 + rng.normal(0, 0.01))) for _ in range(4)]
        got = figure(Breakaway().reduce(rows), "break-away-torque").value
        inside += abs(nominal(got) - 0.25) <= 2 * std(got)
    assert 0.91 <= inside / 600 <= 0.99


def test_every_way_asks_for_fields_it_has():
    for kind in METHODS:
        assert kind.TITLE
        assert kind.PURPOSE
        assert all(name in kind.model_fields for _, name in kind.FIELDS)
        assert all(name in kind.READING.model_fields for _, name in kind.READING.FIELDS)
        assert kind.from_json(kind().to_json()).to_json() == kind().to_json()


def test_counted_speeds_are_as_coarse_as_their_counts():
    """A gate of 1 s with 20 pulses is known to about 1 in 20, the time of 20 pulses far better
    (rectangular ends, JCGM 100 4.3.7).
    """
    gate = Counting().reduce([CountReading(counted=20, time=Measured(1.0))])
    timed = Counting(way="time of so many pulses").reduce(
        [CountReading(counted=20, time=Measured(1.0, 1e-4))]
    )
    for judged in (gate, timed):
        assert nominal(figure(judged, "wanted-speed").value) == pytest.approx(2 * math.pi * 20)
    assert std(figure(gate, "wanted-speed").value) == pytest.approx(
        2 * math.pi / math.sqrt(6), rel=1e-3
    )
    assert std(figure(timed, "wanted-speed").value) < 0.05
    assert ids(gate) == {"speed-coarse"}
    geared = Counting(way="time of so many pulses", pulses=4, gear=30.0).reduce(
        [CountReading(counted=40, time=Measured(2.0))]
    )
    assert nominal(figure(geared, "wanted-speed").value) == pytest.approx(2 * math.pi * 5 / 30)
    film = Counting(way="frames of a film", rate=240.0)
    assert nominal(
        figure(film.reduce([CountReading(counted=3, frames=720)]), "wanted-speed").value
    ) == pytest.approx(2 * math.pi)
    assert "film-too-slow" in ids(film.reduce([CountReading(counted=100, frames=240)]))
    assert "taps-too-quick" in ids(
        Counting(way="tapped with a finger").reduce([CountReading(counted=50, time=Measured(6.0))])
    )
    with pytest.raises(ValueError, match="frames"):
        film.reduce([CountReading(counted=3, time=Measured(1.0))])
    with pytest.raises(ValueError, match="time is missing"):
        Counting().reduce([CountReading(counted=3, frames=9)])


def test_a_stepper_falls_out_between_kept_and_lost():
    way = Stepper(steps=200, micro=2, inertia=Measured(2e-5))
    rows = [
        StepReading(rate=Measured(r), kept=Measured(k), lost=Measured(k + 0.02), ramp=Measured(5.0))
        for r, k in ((800.0, 0.3), (80.0, 0.2))
    ]
    judged = way.reduce(rows)
    assert judged.results[0].label == "Pull-out torque at 12 rpm"
    assert nominal(judged.results[0].value) == pytest.approx(0.21)
    assert std(judged.results[0].value) == pytest.approx(
        math.hypot(0.02 / math.sqrt(12), 0.002 / math.sqrt(2) * 0), rel=0.1
    )
    assert nominal(judged.results[3].value) == pytest.approx(0.31 * 4 * math.pi)
    assert ids(judged) == {"stepper-resonance"}
    assert "accelerated-too-quickly" in ids(
        way.reduce([changed(rows[0], ("ramp",), Measured(1e-3))])
    )
    with pytest.raises(ValueError, match="interchange"):
        way.reduce([StepReading(kept=Measured(0.3), lost=Measured(0.2))])
