"""The motor's warmth against SciPy's integrator, and what follows from it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from sparring.core.analysis import begins
from sparring.core.motor import identify
from sparring.core.recording import Recording
from sparring.core.reduce.fits import loss_model
from sparring.core.reduce.step import Step
from sparring.core.reduce.warmth import COLD, Bodies, Warmth, course_of
from sparring.core.reduce.windows import mean_with_uncertainty, parabola, unseen_between_steps
from sparring.core.run import Run
from sparring.core.uncertainty import nominal, std

BODIES = Bodies(copper=8.0, iron=60.0, inner=4.0, outer=10.0)
R, TEMPERATURE = 6.0, 293.15


def integrated(t, current, begin):
    """Copper and iron by their own equations, the resistance rising as IEC 60034-1 has it."""

    def rates(at, state):
        winding, case = state
        heat = np.interp(at, t, current) ** 2 * R * (255 + winding) / 255
        across = (winding - case) / BODIES.inner
        return [(heat - across) / BODIES.copper, (across - case / BODIES.outer) / BODIES.iron]

    return solve_ivp(rates, (t[0], t[-1]), begin, rtol=1e-8, max_step=0.05).y[:, -1]


@given(st.lists(st.floats(0.0, 3.0), min_size=2, max_size=6), st.floats(0, 40), st.floats(0, 20))
def test_the_course_is_that_of_the_equations(levels, winding, case):
    t = np.linspace(0, 4.0 * len(levels), 400 * len(levels))
    current = np.interp(t, np.linspace(0, t[-1], len(levels)), levels)
    begin = Warmth(winding, case, True)
    course = course_of(BODIES, R, TEMPERATURE, Recording(t, {"current": current}), begin)
    assert course.end.whole
    assert course.end[:2] == pytest.approx(integrated(t, current, begin[:2]), abs=0.05)


def test_at_last_all_heat_goes_to_the_room_and_in_a_pause_all_is_lost():
    t = np.linspace(0, 20_000, 4000)
    course = course_of(BODIES, R, TEMPERATURE, Recording(t, {"current": np.full(4000, 0.5)}), COLD)
    heat = 0.25 * R * (255 + course.end.winding) / 255
    assert course.end.case == pytest.approx(heat * BODIES.outer, rel=1e-3)
    assert course.end.winding - course.end.case == pytest.approx(heat * BODIES.inner, rel=1e-3)
    assert BODIES.rest(course.end, 50_000)[:2] == (0.0, 0.0)


def test_a_pause_that_nobody_logged_heats_nothing():
    t = np.concatenate([np.arange(0, 3, 0.02), np.arange(60, 63, 0.02)])
    course = course_of(BODIES, R, TEMPERATURE, Recording(t, {"current": np.full(300, 1.5)}), COLD)
    before, after = (float(np.interp(at, course.t, course.winding)) for at in (2.9, 59.9))
    assert before > 4
    assert after == pytest.approx(BODIES.rest(course.mean(2.9, 2.98), 57.0).winding, rel=0.05)


def test_runs_kept_one_by_one_are_joined_by_their_clock():
    class Before:
        run, source = Run(started="2026-11-12T10:00:00+00:00", voltage=12.0), None
        left, lasted = Warmth(20.0, 5.0, False), 10.0

    after = Run(started="2026-11-12T10:00:40+00:00", voltage=12.0)
    assert begins(BODIES, after, Before) == BODIES.rest(Before.left, 30.0)
    assert begins(BODIES, Run(started="2026-11-12T10:00:05+00:00", voltage=12.0), Before) == COLD
    assert begins(BODIES, Run(voltage=12.0), Before) == COLD
    assert begins(BODIES, Run(source="import", voltage=12.0), None).whole


def test_brushes_keep_their_part_of_the_voltage():
    """V = I R + b + k ω solved for a motor of k 0.025, R 6, b 0.6: by no load and stall."""
    k, b, i0, V = 0.025, 0.6, 0.1, 12.0
    found = identify(V, (V - b - i0 * R) / k, i0, stall_current=(V - b) / R, brush=b)
    assert (found.k, found.R) == (pytest.approx(k), pytest.approx(R))
    taken_for_none = identify(V, (V - b - i0 * R) / k, i0, stall_current=(V - b) / R)
    assert taken_for_none.k == pytest.approx(k * V / (V - b))
    assert found.torque_from_speed(found.speed(0.01, V), V) == pytest.approx(0.01)
    with pytest.raises(ValueError, match="whole voltage"):
        identify(V, 400.0, i0, stall_current=1.0, brush=13.0)


@pytest.mark.parametrize(("samples", "memory"), [(20, 0.0), (20, 0.6), (40, 0.8), (200, 0.9)])
def test_short_windows_of_noise_that_hangs_together_are_covered(samples, memory):
    """Mean and slope of noise of first order; both were covered in 50 to 75 % as white noise."""
    rng, inside = np.random.default_rng(samples), np.zeros(2)
    x = np.linspace(0, 1, samples)
    for _ in range(300):
        noise = np.zeros(samples + 50)
        for n in range(1, len(noise)):
            noise[n] = memory * noise[n - 1] + rng.standard_normal()
        y = noise[50:]
        mean, u, _ = mean_with_uncertainty(y + 100)
        _, slope, _, u_slope = parabola(x, y)
        inside += [abs(mean - 100) <= 2 * u, abs(slope) <= 2 * u_slope]
    assert np.all(inside / 300 >= 0.89), inside / 300


def test_a_display_hides_what_lies_within_its_steps():
    """A still figure a/√12, as JCGM 100 F.2.2.1; noise over the steps hardly anything."""
    shown = np.round(np.full(400, 12.037) / 0.1) * 0.1
    seen = np.concatenate([[11.9], shown, [12.1]])
    assert unseen_between_steps(seen, shown) == pytest.approx(0.1 / np.sqrt(12))
    rng = np.random.default_rng(3)
    noisy = np.round((12.037 + 0.1 * rng.standard_normal(400)) / 0.1) * 0.1
    assert unseen_between_steps(noisy, noisy) < 1e-6
    assert unseen_between_steps(noisy + rng.standard_normal(400), noisy) == 0.0  # no steps
    for offset in np.linspace(0, 1, 21):  # what the steps do to a mean, at a fifth of one of noise
        y = np.round(offset + 0.2 * rng.standard_normal(20_000))
        assert abs(y.mean() - offset) <= 2 * unseen_between_steps(y, y) + 0.01


def test_a_loss_that_grows_with_the_speed_is_told_where_speeds_differ_at_one_load():
    """Planted T_c 0.02, c 0.002, ℓ 0.08: from two voltages all three come back; from one the two
    others hold the truth by their ±."""
    planted = (0.02, 0.002, 0.08)

    def step(n, torque, speed):
        loss = planted[0] + planted[1] * speed + planted[2] * torque
        out = torque * speed
        return Step(
            n,
            points=(object(),),
            stalls=(),
            torque=torque,
            speed=speed,
            power_out=out,
            motor_power=out + loss * speed,
        )

    torques = [0.1, 0.2, 0.3, 0.4]
    one = [step(n, T, 14 - 20 * T) for n, T in enumerate(torques)]
    other = [step(n + 4, T, 8 - 12 * T) for n, T in enumerate(torques)]
    both = loss_model([*one, *other])
    found = [nominal(both.constant), nominal(both.viscous), nominal(both.proportional)]
    assert found == pytest.approx(planted)
    alone = loss_model(one)
    assert alone.viscous is None
    assert abs(nominal(alone.constant) - planted[0]) <= 2 * std(alone.constant)
    assert abs(nominal(alone.proportional) - planted[2]) <= 2 * std(alone.proportional)
    assert std(alone.expected(0.25)) < 0.05 * std(alone.constant)  # on the line all is known
