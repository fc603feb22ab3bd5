"""What a motor carries for how long: against SciPy's integrator, the duty types of IEC 60034-1 for
one body, and the thermal figures of a bench that shares no code with the program.
"""

import math

import numpy as np
import pytest
from helpers import about_95, benches
from hypothesis import given, settings
from hypothesis import strategies as st
from independent import plant, setups, ways
from scipy.integrate import solve_ivp

from sparring.core.build import Build
from sparring.core.performance.continuous import warmed
from sparring.core.performance.heat import Course, as_entered, identify
from sparring.core.reduce.warmth import Bodies

ZERO = 255.0  # [K] of copper at 20 °C (IEC 60034-1: 235 + ϑ)


def integrated(bodies, heat, times, state=(0.0, 0.0)):
    """Spans (seconds, on or off), one after the other, by their equations."""
    for seconds, on in times:

        def rates(_, y, on=on):
            winding, case = y
            power = heat * (1 + winding / ZERO) if on else 0.0
            across = (winding - case) / bodies.inner
            return [(power - across) / bodies.copper, (across - case / bodies.outer) / bodies.iron]

        state = solve_ivp(rates, (0, seconds), state, "LSODA", rtol=1e-9, atol=1e-9).y[:, -1]
    return state


BODIES = st.builds(Bodies, st.floats(2, 30), st.floats(20, 300), st.floats(1, 8), st.floats(3, 20))


@given(BODIES, st.floats(0.1, 8.0), st.floats(1.0, 5000.0))
def test_a_span_from_cold_is_that_of_the_equations(bodies, heat, seconds):
    """S2."""
    ours = [float(x[0]) for x in warmed(bodies, heat, ZERO, seconds)]
    theirs = integrated(bodies, heat, [(seconds, True)])
    if max(theirs) < 1e4:
        assert ours == pytest.approx(list(theirs), rel=1e-5, abs=1e-6)


@settings(max_examples=20, deadline=None)
@given(BODIES, st.floats(0.5, 6.0), st.floats(10.0, 200.0), st.floats(50.0, 600.0))
def test_cycles_that_follow_one_another_for_ever_come_back_to_where_they_were(
    bodies, heat, on, off
):
    """S3: one cycle further nothing has changed, and it was not so warm before."""
    ours = [float(x[0]) for x in warmed(bodies, heat, ZERO, on, off)]
    if math.isfinite(ours[0]) and max(ours) < 400:
        after = integrated(bodies, heat, [(off, False), (on, True)], ours)
        assert ours == pytest.approx(list(after), rel=1e-5, abs=1e-5)
        once = integrated(bodies, heat, [(on, True)])
        assert once[0] <= ours[0] * (1 + 1e-6)


def test_for_ever_is_all_heat_to_the_room():
    """S1, by hand: 2 W cold; ΔT = P (1 + ΔT/255) (4 + 10) → 28/(1 − 28/255)."""
    bodies = Bodies(8.0, 60.0, 4.0, 10.0)
    winding, case = (float(x[0]) for x in warmed(bodies, 2.0, ZERO, math.inf))
    assert winding == pytest.approx(28 / (1 - 28 / 255))
    assert case == pytest.approx(winding * 10 / 14)
    assert math.isinf(warmed(bodies, 20.0, ZERO, math.inf)[0][0])  # it runs away


@pytest.mark.parametrize("seconds", [60.0, 600.0, 1800.0])
def test_one_body_warms_as_short_time_duty_has_it(seconds):
    """S2 of one body: ΔT = P R (1 − e^(−t/τ)) (textbook), where the copper's own share is small."""
    bodies = Bodies(5.0, 95.0, 1e-4, 6.0)
    tau = 100.0 * 6.0
    winding = float(warmed(bodies, 1.0, 1e12, seconds)[0][0])
    assert winding == pytest.approx(6.0 * (1 - math.exp(-seconds / tau)), rel=1e-3)


@pytest.mark.parametrize("part", [0.15, 0.25, 0.4, 0.6])
def test_one_body_in_cycles_of_ten_minutes_as_intermittent_duty_has_it(part):
    """S3 of one body, cycles of 10 min (IEC 60034-1: 15, 25, 40, 60 %): the warmest is ΔT_S1 (1 −
    e^(−t_on/τ))/(1 − e^(−t/τ)) (textbook).
    """
    bodies = Bodies(5.0, 95.0, 1e-4, 6.0)
    tau, on = 600.0, 600.0 * part
    winding = float(warmed(bodies, 1.0, 1e12, on, 600.0 - on)[0][0])
    whole = 6.0 * (1 - math.exp(-on / tau)) / (1 - math.exp(-600.0 / tau))
    assert winding == pytest.approx(whole, rel=1e-3)


@pytest.mark.study
@pytest.mark.whole  # a quarter of a minute even as a sample
def test_thermal_figures_are_told_by_a_case_that_warms():
    """20 drives whose figures are 20 % off what was entered (standard deviation), loaded for ten
    minutes and left to cool for ten: the ways to the room and the iron are inside ± 2 u.
    """
    n = benches(20)
    owner = ways.Owner(np.random.default_rng(3))
    drive, builds = setups.drives(n, owner)
    load = plant.Load(lambda w, t: 0.25 + 0 * w, 1e-4)
    on = plant.run(drive, load, 12.0, 600.0, plant.cold(drive))
    inside, sharper, away = 0, 0, []
    rng = np.random.default_rng(4)
    for j in range(n):
        build = Build.model_validate(builds[j])
        few = slice(None, None, 50)
        case = on.case[few, j] + 273.15 + 0.3 * rng.standard_normal(len(on.t[few])) - 1.5
        course = Course(on.t[few], on.current[few, j], np.round(case, 1), 0.0)
        found, before = identify(build, [course]), as_entered(build)
        u = np.sqrt(np.diag(found.covariance))
        # iron and the way to the room, as products of which the case tells most
        true = np.log([np.atleast_1d(drive.iron)[j], np.atleast_1d(drive.outer)[j]])
        z = (np.log([found.bodies.iron, found.bodies.outer]) - true) / u[[1, 3]]
        away += list(z)
        inside += int((np.abs(z) <= 2).sum())
        sharper += int(u[1] < 0.6 * math.sqrt(before.covariance[1, 1]))
    assert about_95(inside / (2 * n), 2 * n)
    assert sharper > 0.8 * n
