"""Few readings, masses and gravity that are off, angles near square: what is stated is held against
the tables and examples of JCGM 100 and against draws.
"""

import math

import numpy as np
import pytest
from helpers import planned

from sparring.core.characterise.base import over_repeats
from sparring.core.characterise.swing import Swing, SwingReading
from sparring.core.instruments import calibration
from sparring.core.instruments.calibration import Calibration, CalibrationPoint
from sparring.core.quantity import Measured
from sparring.core.uncertainty import cosine, from_measured, nominal, std, t_widening, ufloat


@pytest.mark.parametrize(
    ("freedom", "t"), [(1, 13.97), (2, 4.53), (3, 3.31), (5, 2.65), (10, 2.28), (20, 2.13)]
)
def test_few_readings_are_widened_as_student_says(freedom, t):
    """JCGM 100:2008, table G.2, p = 95.45 %."""
    assert 2 * t_widening(freedom) == pytest.approx(t, abs=6e-3)


@pytest.mark.parametrize("n", [2, 3, 5])
def test_a_mean_of_few_repeats_holds_the_truth_95_times_in_100(n):
    rng, inside, cases = np.random.default_rng(n), 0, 4000
    for _ in range(cases):
        mean = over_repeats("x", "x", "torque", [1 + 0.05 * z for z in rng.standard_normal(n)])
        inside += abs(nominal(mean.value) - 1) <= 2 * std(mean.value)
    assert 0.94 <= inside / cases <= 0.97


def test_the_cosine_of_an_angle_near_square():
    """JCGM 100:2008, F.2.4.4: for φ = 0 with u = 5°, cos φ = 0.9962 with u = 0.0053."""
    near = cosine(ufloat(0.0, math.radians(5), "angle"))
    assert (nominal(near), std(near)) == pytest.approx((0.9962, 0.0053), abs=1e-4)
    angle = ufloat(0.0, math.radians(5), "angle")
    assert std(cosine(angle) - cosine(angle)) == 0  # one angle, one cosine


def test_masses_and_gravity_that_are_off_are_in_the_force():
    """A cell calibrated with five masses, each off by its own ±, in another gravity than entered:
    the true force of a reading lies inside 95 times in 100, which the scatter alone would not."""
    rng, inside, alone, cases = np.random.default_rng(7), 0, 0, 1500
    masses, u, g = np.array([0.0, 0.5, 1.0, 2.0, 4.0]), 0.004, 9.81
    for _ in range(cases):
        true = masses * (1 + u * rng.standard_normal(5))
        local = g * (1 + 1e-3 * rng.standard_normal())
        shown = 8e4 + 2000 * true * local + 3.0 * rng.standard_normal(5)
        points = tuple(
            CalibrationPoint(mass=Measured(float(m), float(m) * u), reading=float(y))
            for m, y in zip(masses, shown, strict=True)
        )
        cal = Calibration(points=points)
        line = calibration.fit(cal, from_measured(Measured(g, 1e-3 * g), "gravity"))
        bare = calibration.fit(
            cal.model_copy(
                update={
                    "points": tuple(
                        CalibrationPoint(mass=Measured(p.mass.value), reading=p.reading)
                        for p in points
                    )
                }
            ),
            g,
        )
        for which in (line, bare):
            force = calibration.force(which, 8e4 + 2000 * 25.0)
            hit = abs(nominal(force) - 25.0) <= 2 * std(force)
            if which is line:
                inside += hit
            else:
                alone += hit
    assert 0.94 <= inside / cases <= 1.0
    assert alone < inside


def test_wide_swings_take_longer_and_the_platform_is_taken_off():
    """An exact pendulum's time at 20° (complete elliptic integral) against the same body's small
    swings; the platform's share by its own swing."""
    from scipy.special import ellipk

    way = Swing(
        mass=Measured(1.0), radius=Measured(0.06), length=Measured(1.0), platform=Measured(0.2)
    )
    g, r, length, own, plate = way.gravity.value, 0.06, 1.0, 2.0e-3, 4.0e-4

    def time(inertia, mass, amplitude):
        small = 2 * math.pi * math.sqrt(inertia * length / (mass * g * r**2))
        return 20 * small * 2 / math.pi * ellipk(math.sin(amplitude / 2) ** 2)

    wide = math.radians(20)
    reading = SwingReading(
        swings=20,
        time=Measured(time(own + plate, 1.2, wide)),
        empty_time=Measured(time(plate, 0.2, wide)),
        amplitude=Measured(wide),
    )
    found = way.reduce([reading]).results[0].value
    assert nominal(found) == pytest.approx(own, rel=5e-4)
    unknown = reading.model_copy(update={"amplitude": None})
    assert nominal(way.reduce([unknown]).results[0].value) > 1.01 * own  # 20° was no small swing
    with pytest.raises(ValueError, match="platform alone"):
        way.reduce([reading.model_copy(update={"empty_time": None})])


def test_nested_layers_of_cord_by_their_geometry():
    """Three cords that touch stand on an equilateral triangle: the upper one √3/2 d higher."""
    from sparring.core.methods import Hoist

    def radius(layers):
        hoist = Hoist(cord_diameter=Measured(d, 0.0), layers=layers)
        return hoist.radius(hoist.figures())

    d = 1e-3
    a, b = np.array([0.0, 0.0]), np.array([d, 0.0])
    top = (a + b) / 2 + np.array([0.0, math.sqrt(d**2 - (d / 2) ** 2)])
    assert radius(3) - radius(1) == pytest.approx(2 * top[1])
    assert radius(1) == pytest.approx(0.0255)


def test_power_is_the_mean_of_torque_times_speed(build, rig):
    """Torque and speed that swing against each other: 10 W is not 9.8 W."""
    from sparring.core.analysis import analyse
    from sparring.core.methods import Brake
    from sparring.core.recording import Recording
    from sparring.core.records import changed
    from sparring.core.run import Run

    t = np.arange(0, 6, 0.01)
    on = (t > 0.3) & (t < 5.7)
    wave = np.sin(2 * math.pi * 3.0 * t)
    log = Recording(
        t,
        {
            "force": on * (1 + 0.2 * wave) / 0.1,
            "speed": on * (10 - 2 * wave),
            "voltage": on * 12.0,
            "current": on * 1.5,
        },
    )
    brake = changed(rig, ("method",), Brake(arm=Measured(0.1), angle=Measured(0.0)))
    step = analyse(build, brake, planned(), [(Run(voltage=12.0), log)]).steps[0]
    window = on & (t > 1)
    true = float(np.mean(((1 + 0.2 * wave) * (10 - 2 * wave))[window]))
    assert true == pytest.approx(9.8, abs=0.02)
    assert nominal(step.power_out) == pytest.approx(true, abs=0.03)
    assert nominal(step.torque * step.speed) == pytest.approx(10.0, abs=0.05)


def test_brushes_that_scatter_are_in_the_motors_resistance():
    """Six readings, 0.05 V of brush scatter that nobody stated: R and k lie inside 95 times in 100
    or more; by the stated ± alone they did in 62."""
    from sparring.core.characterise.motor import BareMotor, MotorReading

    rng, R, k, cases = np.random.default_rng(3), 3.0, 0.025, 400
    hits = np.zeros(2)
    currents = np.array([0.1, 0.1, 0.8, 1.6, 2.4, 3.2])
    volts = np.array([6.0, 12.0, 9.0, 9.0, 9.0, 9.6])
    for _ in range(cases):
        speeds = np.maximum((volts - R * currents) / k, 0.0)
        speeds[-1] = 0.0
        seen = R * currents + k * speeds + 0.05 * rng.standard_normal(6)
        readings = [
            MotorReading(
                voltage=Measured(float(v), 0.005),
                speed=Measured(float(w)),
                current=Measured(float(i)),
            )
            for v, w, i in zip(seen, speeds, currents, strict=True)
        ]
        motor, _ = BareMotor().line(readings)
        hits += [abs(nominal(x) - true) <= 2 * std(x) for x, true in ((motor.R, R), (motor.k, k))]
    assert (hits / cases >= 0.92).all()
    assert (hits / cases <= 0.995).all()


def a_log(weights, seconds=2.0, period=0.02, pause=3.0, logged_pauses=True):
    """Lifts one after another, the weight in a column of its own."""
    from sparring.core.recording import Recording

    t, mass, on = [], [], []
    now = 0.0
    for w in weights:
        for length, drives in ((0.3, False), (seconds, True), (0.3, False)):
            n = round(length / period)
            t += list(now + period * np.arange(n))
            mass, on = mass + [w] * n, on + [drives] * n
            now += length
        if logged_pauses:
            n = round(pause / period)
            t += list(now + period * np.arange(n))
            mass, on = mass + [w] * n, on + [False] * n
        now += pause
    drives = np.array(on, float)
    channels = {"mass": np.array(mass), "speed": 10 * drives, "voltage": 12 * drives}
    return Recording(np.array(t), channels)


def test_weights_that_were_entered_are_one_step_only_where_they_are_equal():

    from sparring.core.reduce.split import split_runs

    plan = planned((Measured(1.0, 0.005), Measured(1.03, 0.01)))
    runs = split_runs(a_log([1.0, 1.03, 1.0]), plan)
    assert [r.step for r in runs] == [0, 1, 0]
    assert [r.load.u for r in runs] == pytest.approx([0.005, 0.01, 0.005])  # as well as the plan's


def test_a_span_begins_where_it_does_although_the_clock_ran_on():
    """Between lifts nothing was logged for a minute: half of a mean interval is no good step."""
    from sparring.core.reduce.windows import powered_spans

    log = a_log([1.0, 1.0, 1.0], pause=60.0, logged_pauses=False)
    spans = powered_spans(log.t, log.channels["voltage"], None, None)
    assert [start for start, _ in spans] == pytest.approx([0.3, 62.9, 125.5], abs=0.03)


def test_a_cell_in_newtons_is_as_good_as_its_data_sheet(build, rig):
    from sparring.core.analysis import analyse
    from sparring.core.methods import Brake
    from sparring.core.recording import Recording
    from sparring.core.records import changed
    from sparring.core.run import Run

    t = np.arange(0, 4, 0.01)
    on = ((t > 0.3) & (t < 3.7)).astype(float)
    log = Recording(t, {"force": 10 * on, "speed": 10 * on, "voltage": 12 * on, "current": on})
    exact = changed(rig, ("method",), Brake(arm=Measured(0.1), angle=Measured(0.0)))
    within = changed(exact, ("sensors", "force_accuracy"), 0.01)
    torques = [
        analyse(build, r, planned(), [(Run(voltage=12.0), log)]).steps[0].torque
        for r in (exact, within)
    ]
    assert std(torques[0]) == 0.0
    assert 2 * std(torques[1]) == pytest.approx(0.01 * nominal(torques[1]))


def test_a_window_of_one_sample_gives_no_figure():
    from sparring.core.reduce.windows import mean_with_uncertainty

    value, u, _ = mean_with_uncertainty(np.array([3.0]))
    assert (value, u) == (3.0, math.inf)
    from sparring.core.characterise import logged
    from sparring.core.recording import Recording

    with pytest.raises(ValueError, match="too few samples"):
        logged.level(Recording(np.array([0.0]), {"speed": np.array([3.0])}), "speed")
