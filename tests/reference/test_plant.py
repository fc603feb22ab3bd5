"""The plant against SciPy's integrators, energy, and the motor's closed forms."""

import numpy as np
import pytest
from helpers import planned
from scipy.integrate import solve_ivp

from sparring.core import motor as motors
from sparring.core.methods import METHODS
from sparring.core.plant.bench import Bench, bench_of
from sparring.core.plant.lifts import loaded
from sparring.core.plant.plant import Plant
from sparring.core.quantity import Measured
from sparring.core.records import changed


def test_a_lift_equals_scipys_integrator(build, rig):
    """The same equations of motion written out anew, integrated by DOP853 at 1e-9, from a taut cord
    to steady lifting.
    """
    b = bench_of(build, rig, mass=1.5, slack=0.0, backlash=0.0)
    plant = Plant(b)
    plant.volts[:] = 12.0
    stiffness = 1 / (1 / b.cord_stiffness + b.radius**2 / b.windup)
    a, drag = b.up

    def rates(_t, y):
        w, phi, x, v, temp = y
        R = b.R * (235 + temp - 273.15) / (235 + b.reference - 273.15)
        i = (12.0 - b.k * w) / R
        force = max(
            stiffness * (b.radius * phi / b.ratio - x)
            + b.cord_damping * (b.radius * w / b.ratio - v),
            0.0,
        )
        lifts = x > 0 or force > b.mass * b.gravity
        return [
            (b.k * i - b.friction - a * force * b.radius - drag) / b.inertia,
            w,
            v if lifts else 0.0,
            (force / b.mass - b.gravity) if lifts else 0.0,
            (i * i * R - (temp - b.ambient) / b.heat_resistance) / b.heat_capacity,
        ]

    theirs = solve_ivp(
        rates,
        (0, 1.0),
        [0, 0, 0, 0, b.ambient],
        method="DOP853",
        rtol=1e-9,
        atol=1e-12,
        max_step=1e-3,
    )
    plant.advance(1.0, 0.5e-3)
    s = plant.state
    ours = [s.speed[0], s.angle[0], s.height[0], s.rise[0], s.temperature[0]]
    assert ours == pytest.approx(theirs.y[:, -1], rel=2e-3)


@pytest.mark.parametrize(
    "fault",
    [
        {},
        {"runout": 0.05},
        {"bind_from": 0.2, "bind": 0.5},
        {"source_resistance": 1.0, "current_limit": 1.2},
        {"between": 0.05, "source_resistance": 1.0},
    ],
)
def test_energy_balances_to_a_tenth_of_a_percent(build, rig, fault):
    plant = Plant(
        Bench(
            **{**vars(bench_of(build, rig, **fault)), "mass": np.array([0.3, 1.0, 2.0, 4.0, 9.0])}
        ),
        account=True,
    )
    for volts, seconds in ((12.0, 2.0), (0.0, 0.7), (-9.0, 1.5), (12.0, 1.0)):
        plant.volts[:] = volts
        plant.advance(seconds)
        assert np.abs(plant.imbalance()).max() < 1e-3


@pytest.mark.parametrize("method", [kind() for kind in METHODS], ids=lambda m: m.kind)
def test_a_bench_alone_does_what_it_does_among_many(build, rig, method):
    """One alone runs in plain floats, twenty together as arrays: the same
    equations, to rounding."""
    rig = changed(changed(rig, ("method",), method), ("name",), "other")
    loads = planned([Measured(m) for m in (0.4, 1.2, 2.0, 6.0)])
    steps = [s.setting(method) for s in loads.on(method).steps] * 5
    many = loaded(bench_of(build, rig, load=steps[0], runout=0.02, wear_rate=1e-5), rig, steps)
    plants = [Plant(many), Plant(many.taken(1))]
    for volts, opened, seconds in ((12.0, False, 0.7), (0.0, True, 0.2), (-6.0, False, 0.3)):
        for plant in plants:
            plant.volts[:], plant.open[:] = volts, opened
            plant.advance(seconds)
    together, alone = (plant.state for plant in plants)
    for name in (
        "speed",
        "angle",
        "height",
        "rise",
        "temperature",
        "impact",
        "slipped",
        "warmed",
        "worn",
    ):
        assert getattr(alone, name)[0] == pytest.approx(
            getattr(together, name)[1], rel=1e-6, abs=1e-9
        ), name


def test_a_broken_tooth_lets_the_weight_fall_and_energy_still_balances(build, rig):
    plant = Plant(bench_of(build, rig, mass=2.0, strength=0.4), account=True)
    plant.volts[:] = 12.0
    plant.advance(2.0)
    assert plant.state.broken.all()
    assert plant.truth()["force"][0] == 0
    assert abs(plant.imbalance()[0]) < 1e-3


@pytest.mark.parametrize("volts", [-1.0, -2.0, -4.0, 4.0, 12.0])
def test_a_drive_that_is_switched_off_comes_to_rest_and_stays_there(build, rig, volts):
    plant = Plant(bench_of(build, rig, mass=np.linspace(0.02, 0.2, 30)))
    plant.volts[:] = volts
    plant.advance(1.5)
    plant.volts[:] = 0.0
    plant.advance(3.0)
    assert np.abs(plant.state.speed).max() < 1e-6
    angle = plant.state.angle.copy()
    plant.advance(1.0)
    assert plant.state.angle == pytest.approx(angle, abs=1e-6)


def test_spin_up_of_a_free_motor_is_an_exponential(build, rig):
    """ω = ω₀ (1 − e^(−t/τ)), τ = J ω₀/T_s on a straight line (constant friction, winding cold)."""
    b = bench_of(
        build,
        rig,
        up=(0.0, 0.0),
        down=(0.0, 0.0),
        heat_capacity=1e9,
        mass=1e-6,
        cord_stiffness=1e-9,
        cord_damping=0.0,
    )
    plant = Plant(b)
    plant.volts[:] = 12.0
    motor = motors.from_readings(build.motor)
    top, tau = motor.speed(0.0, 12.0), b.inertia * motor.speed(0.0, 12.0) / motor.stall_torque(12.0)
    for n in range(1, 6):
        plant.advance(tau / 2, 1e-4)
        assert plant.state.speed[0] == pytest.approx(top * (1 - np.exp(-n / 2)), rel=1e-4)


def test_wear_opens_the_backlash_with_the_work_done(build, rig):
    plant = Plant(bench_of(build, rig, mass=1.0, wear_rate=1e-4))
    plant.volts[:] = 12.0
    plant.advance(2.0)
    work = plant.truth()["torque"][0] * plant.state.angle[0] / plant.bench.ratio
    assert plant.state.worn[0] == pytest.approx(1e-4 * work, rel=0.05)


def test_copper_factor_of_iec_60034_1():
    """(235 + 75)/(235 + 20): a winding at 75 °C has 1.2157 times its resistance at 20 °C."""
    assert pytest.approx(2.0 * 310 / 255) == motors.Motor(1.0, 2.0, 0.0, 293.15).at(348.15).R


def test_motor_behind_a_gearbox_cp():
    """350 rpm/V at 22.2 V behind 125:1 gives 62 rpm (cp)."""
    rpm = 2 * np.pi / 60
    m = motors.identify(22.2, 350 * 22.2 * rpm, 0.0, 10.0)
    assert m.speed(0.0, 22.2) / 125 / rpm == pytest.approx(62, abs=0.5)


def test_best_efficiency_is_where_the_closed_form_puts_it():
    m = motors.identify(12.0, 500.0, 0.1, 2.0)
    current = np.linspace(0.11, 1.99, 20_000)
    eta = (
        m.torque_from_current(current)
        * m.speed(m.torque_from_current(current), 12.0)
        / (12.0 * current)
    )
    assert eta.max() == pytest.approx(motors.best_efficiency(0.1, 2.0), rel=1e-6)
