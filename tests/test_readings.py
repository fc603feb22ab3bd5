"""Readings, typed and recorded: every way of measuring gives back what went in, and says what is
wrong with the readings.
"""

import math

import numpy as np
import pytest
from readings_helpers import figure, ids, motor_rows

from sparring.core.characterise import METHODS
from sparring.core.characterise.base import local_gravity
from sparring.core.characterise.brake import BrakeReading, RopeBrake
from sparring.core.characterise.counting import Counting, CountReading
from sparring.core.characterise.drawbar import Drawbar, DrawbarReading
from sparring.core.characterise.generator import Generator, GeneratorReading
from sparring.core.characterise.lever import Lever, LeverReading
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.runup import RunUp, RunUpReading
from sparring.core.characterise.scale import Scale, ScaleReading
from sparring.core.characterise.stepper import Stepper, StepReading
from sparring.core.characterise.swing import Swing, SwingReading
from sparring.core.characterise.windup import WindUp, WindUpReading
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.uncertainty import budget, nominal, std

RPM = 2 * math.pi / 60


def test_a_lever_counts_its_own_weight_and_brackets_the_stall():
    lever = Lever(
        arm=Measured(0.2, 1e-4),
        arm_mass=Measured(0.05),
        arm_centre=Measured(0.1),
        hook_mass=Measured(0.01),
        gravity=Measured(9.81),
    )
    judged = lever.reduce(
        [
            LeverReading(
                lifted=Measured(1.0), not_lifted=Measured(1.2), angle=Measured(math.radians(10))
            )
        ]
    )
    own = 0.05 * 0.1 + 0.01 * 0.2
    low, high = (9.81 * math.cos(math.radians(10)) * (m * 0.2 + own) for m in (1.0, 1.2))
    stall = figure(judged, "stall-torque").value
    assert nominal(figure(judged, "most-lifted").value) == pytest.approx(low)
    assert nominal(stall) == pytest.approx((low + high) / 2)
    # a rectangle's, nearly all of it
    assert std(stall) == pytest.approx((high - low) / 2 / math.sqrt(3), rel=0.02)
    assert budget(stall)[0].name == "reading 1: between lifted and not"
    assert "arm-weight-ignored" in ids(
        changed(lever, ("arm_mass",), Measured(0.0)).reduce([LeverReading()])
    )
    with pytest.raises(ValueError, match="exchange them"):
        lever.reduce([LeverReading(lifted=Measured(1.2), not_lifted=Measured(1.0))])


def test_a_scale_is_tared_and_reckoned_level():
    judged = Scale(arm=Measured(0.15), gravity=Measured(9.81)).reduce(
        [ScaleReading(shows=Measured(1.2), tare=Measured(0.2), angle=Measured(0.0))]
    )
    assert nominal(figure(judged, "torque").value) == pytest.approx(9.81 * 0.15)
    steep = Scale().reduce([ScaleReading(angle=Measured(math.radians(12)))])
    assert "lever-steep" in ids(steep)
    assert "scale-sign" in ids(
        Scale().reduce([ScaleReading(shows=Measured(0.1), tare=Measured(0.3))])
    )


def test_a_rope_brake_gives_torque_power_and_catches_the_impossible():
    brake = RopeBrake(drum=Measured(0.06), rope=Measured(0.004), heat=10.0)
    judged = brake.reduce(
        [
            BrakeReading(
                tight=Measured(30.0),
                slack=Measured(5.0),
                speed=Measured(20.0),
                voltage=Measured(12.0),
                current=Measured(1.0),
            )
        ]
    )
    assert nominal(figure(judged, "torque").value) == pytest.approx(25 * 0.032)
    assert nominal(figure(judged, "drum-power").value) == pytest.approx(16.0)
    assert ids(judged) == {"output-above-input", "brake-overheats"}
    with pytest.raises(ValueError, match="slack end"):
        brake.reduce([BrakeReading(tight=Measured(1.0), slack=Measured(5.0))])


def test_a_pull_that_grows_with_the_ballast_is_the_floors():
    sled = Drawbar(mass=Measured(2.0), gravity=Measured(9.81))
    rows = [
        DrawbarReading(pull=Measured(0.6 * 9.81 * (2 + b)), ballast=Measured(b))
        for b in (0.0, 1.0, 2.0)
    ]
    judged = sled.reduce(rows)
    assert "traction-limited" in ids(judged)
    assert nominal(figure(judged, "least-wheel-torque").value) == pytest.approx(
        0.6 * 9.81 * 4 * 0.05
    )
    flat = [DrawbarReading(pull=Measured(20.0), ballast=Measured(b)) for b in (0.0, 1.0, 2.0)]
    assert "traction-limited" not in ids(sled.reduce(flat))
    assert "peak-is-not-pull" in ids(
        sled.reduce([DrawbarReading(pull=Measured(10.0), peak=Measured(15.0))])
    )
    with pytest.raises(ValueError, match="wrong side"):
        sled.reduce([DrawbarReading(pull=Measured(10.0), peak=Measured(5.0))])


def test_inertia_behind_a_ratio_cp():
    """0.152 kg·m² behind 3:1 looks like 0.0169, behind 2.5:1 like 0.0243; 3600 rpm / 2.5 = 1440 rpm
    (cp).
    """
    for ratio, seen in ((3.0, 0.0169), (2.5, 0.0243)):
        judged = RunUp(mass=Measured(0.152), ratio=Measured(ratio)).reduce([RunUpReading()])
        assert nominal(figure(judged, "inertia-at-motor").value) == pytest.approx(seen, abs=5e-5)
    assert 3600 / 2.5 == 1440


def test_a_run_up_along_a_motor_line_gives_the_lines_torque():
    """ω = ω₀(1 − e^(−t/τ)) with drag: over a short span the torque is that of the line at its
    middle.
    """
    J, ratio, stall, top, drag = 0.02, 3.0, 1.5, 40.0, 0.05
    tau = J * top / stall

    def speed(t):
        return top * (1 - math.exp(-t / tau))

    t1, t2 = 0.2 * tau, 0.25 * tau
    middle = (speed(t1) + speed(t2)) / 2
    reading = RunUpReading(
        first=Measured(speed(t1)),
        second=Measured(speed(t2)),
        time=Measured(t2 - t1),
        coast_first=Measured(20.0),
        coast_second=Measured(19.0),
        coast_time=Measured(J * 1.0 / drag),
    )
    judged = RunUp(mass=Measured(J), rotor=Measured(1e-12), ratio=Measured(ratio)).reduce([reading])
    net = stall * (1 - middle / top)
    assert nominal(figure(judged, "mass-torque").value) == pytest.approx(net + drag, rel=1e-3)
    assert nominal(figure(judged, "drag").value) == pytest.approx(drag, rel=1e-6)
    assert "no-coast-down" in ids(RunUp().reduce([RunUpReading()]))
    assert "above-safe-speed" in ids(RunUp(safe=10.0).reduce([RunUpReading()]))
    assert "inertia-on-the-wrong-side" in ids(RunUp(mass=Measured(1e-6)).reduce([RunUpReading()]))


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
    with pytest.raises(ValueError, match="known body"):
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
    with pytest.raises(ValueError, match="held still"):
        BareMotor().reduce(motor_rows()[:1])
    hot = BareMotor(cold_resistance=Measured(2.0))
    assert "winding-hot" in ids(hot.reduce(motor_rows()))
    # (235 + ϑ)/(235 + 20) = R/R₂₀ (IEC 60034-1)
    assert nominal(figure(hot.reduce(motor_rows()), "winding-temperature").value) == pytest.approx(
        255 * 1.5 - 235 + 273.15
    )


def test_a_loop_gives_play_stiffness_and_loss():
    stiffness, play = 40.0, math.radians(1.0)
    torques = [0.0, 0.5, 1.0, 0.5, 0.1, -0.1, -0.5, -1.0, -0.5, -0.1]
    rows = [
        WindUpReading(
            torque=Measured(t),
            angle=Measured(t / stiffness + math.copysign(play / 2, t) if t else 0.0),
        )
        for t in torques
    ]
    judged = WindUp(small=0.05).reduce(rows)
    assert nominal(figure(judged, "lost-motion").value) == pytest.approx(play)
    assert nominal(figure(judged, "stiffness").value) == pytest.approx(stiffness)
    x, y = [r.angle.value for r in rows], [r.torque.value for r in rows]
    area = (
        abs(sum(x[i] * y[(i + 1) % len(x)] - x[(i + 1) % len(x)] * y[i] for i in range(len(x)))) / 2
    )
    # the loop's area by the shoelace formula
    assert nominal(figure(judged, "loop-energy").value) == pytest.approx(area, abs=1e-12)
    with pytest.raises(ValueError, match="either side"):
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
    "lever": (
        lambda d: Lever(
            arm=d(0.2, 4e-4),
            arm_mass=d(0.05, 5e-4),
            arm_centre=d(0.1, 1e-3),
            hook_mass=d(0.01, 5e-4),
            gravity=d(9.81, 1e-3),
        ),
        lambda d: LeverReading(lifted=d(1.0, 2e-3), angle=d(0.1, 0.01)),
        "most-lifted",
    ),
    "scale": (
        lambda d: Scale(arm=d(0.15, 3e-4), gravity=d(9.81, 1e-3)),
        lambda d: ScaleReading(shows=d(1.2, 3e-3), tare=d(0.2, 1e-3), angle=d(0.05, 0.01)),
        "torque",
    ),
    "brake": (
        lambda d: RopeBrake(drum=d(0.06, 1e-4), rope=d(0.003, 2e-4)),
        lambda d: BrakeReading(tight=d(30.0, 0.2), slack=d(4.0, 0.1), speed=d(20.0, 0.2)),
        "drum-power",
    ),
    "run-up": (
        lambda d: RunUp(mass=d(0.02, 2e-4), rotor=d(1e-6, 5e-8), ratio=Measured(3.0)),
        lambda d: RunUpReading(
            first=d(20.0, 0.2),
            second=d(60.0, 0.2),
            time=d(2.0, 0.02),
            coast_first=d(60.0, 0.2),
            coast_second=d(30.0, 0.2),
            coast_time=d(9.0, 0.05),
        ),
        "mass-torque",
    ),
    "swing": (
        lambda d: Swing(
            mass=d(1.2, 1e-3), radius=d(0.06, 3e-4), length=d(1.0, 2e-3), gravity=d(9.81, 1e-3)
        ),
        lambda d: SwingReading(time=d(24.0, 0.1)),
        "inertia",
    ),
}


# the most lifted is no mean
@pytest.mark.parametrize(
    ("case", "repeats"), [(c, n) for c in CASES for n in (1, 4) if (c, n) != ("lever", 4)]
)
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
        rows = [
            BrakeReading(
                tight=Measured(30 + rng.normal(0, 0.4)), slack=Measured(4.0), speed=Measured(20.0)
            )
            for _ in range(4)
        ]
        got = figure(
            RopeBrake(drum=Measured(0.06), rope=Measured(0.004)).reduce(rows), "torque"
        ).value
        inside += abs(nominal(got) - 26 * 0.032) <= 2 * std(got)
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
    with pytest.raises(ValueError, match="exchange"):
        way.reduce([StepReading(kept=Measured(0.3), lost=Measured(0.2))])
