"""Uncertainty against the GUM's own examples, Monte Carlo, and a statistics library."""

import numpy as np
import pytest
import statsmodels.api as sm
import uncertainties
from hypothesis import given
from hypothesis import strategies as st
from uncertainties import umath

from sparring.core.reduce.inputs import inputs_of
from sparring.core.reduce.windows import autocorrelation_time, mean_with_uncertainty
from sparring.core.uncertainty import (
    budget,
    cosine,
    covariance,
    fit_line,
    linear,
    logarithm,
    nominal,
    sine,
    std,
    ufloat,
)


def test_calibration_line_of_jcgm_100_h3():
    """JCGM 100:2008, H.3, table H.6: y1 = −0.1712(29), y2 = 0.00218(67), r = −0.930, b(30 °C) =
    −0.1494(41).
    """
    t = [21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.010, 26.511]
    b = [-0.171, -0.169, -0.166, -0.159, -0.164, -0.165, -0.156, -0.157, -0.159, -0.161, -0.160]
    line = fit_line(np.array(t), np.array(b), x0=20.0)
    assert (nominal(line.intercept), std(line.intercept)) == (
        pytest.approx(-0.1712, abs=5e-5),
        pytest.approx(0.0029, abs=5e-5),
    )
    assert (nominal(line.slope), std(line.slope)) == (
        pytest.approx(0.00218, abs=5e-6),
        pytest.approx(0.00067, abs=5e-6),
    )
    both = covariance([line.intercept, line.slope])
    r = both[0][1] / np.sqrt(both[0][0] * both[1][1])
    assert r == pytest.approx(-0.930, abs=5e-4)
    at_30 = line(30.0)
    assert (nominal(at_30), std(at_30)) == (
        pytest.approx(-0.1494, abs=5e-5),
        pytest.approx(0.0041, abs=5e-5),
    )


def test_line_equals_the_statistics_library():
    """statsmodels' OLS, itself held against NIST's certified regression data sets."""
    rng = np.random.default_rng(3)
    x = np.linspace(0, 40, 12)
    y = 84_000 + 2_100 * x + rng.normal(0, 15, 12)
    ours, theirs = fit_line(x, y), sm.OLS(y, sm.add_constant(x)).fit()
    assert [nominal(ours.intercept), nominal(ours.slope)] == pytest.approx(theirs.params, rel=1e-9)
    assert [std(ours.intercept), std(ours.slope)] == pytest.approx(theirs.bse, rel=1e-9)


def test_norris_of_nist():
    """NIST StRD, Norris, linear regression of the lower difficulty (36 points; certified values
    from memory of the published page): intercept −0.262323073774029, slope 1.00211681802045."""
    x = np.array(
        (
            "0.2 337.4 118.2 884.6 10.1 226.5 666.3 996.3 448.6 777.0 558.2 0.4 0.6 775.5 666.9 "
            "338.0 447.5 11.6 556.0 228.1 995.8 887.6 120.2 0.3 0.3 556.8 339.1 887.2 999.0 779.0 "
            "11.1 118.3 229.2 669.1 448.9 0.5 "
        ).split(),
        float,
    )
    y = np.array(
        (
            "0.1 338.8 118.1 888.0 9.2 228.1 668.5 998.5 449.1 778.9 559.2 0.3 0.1 778.1 668.8 "
            "339.3 448.9 10.8 557.7 228.3 998.0 888.8 119.6 0.3 0.6 557.6 339.3 888.0 998.5 778.9 "
            "10.2 117.6 228.9 668.4 449.2 0.2 "
        ).split(),
        float,
    )
    line = fit_line(x, y)
    assert nominal(line.intercept) == pytest.approx(-0.262323073774029, rel=1e-9)
    assert nominal(line.slope) == pytest.approx(1.00211681802045, rel=1e-11)
    assert std(line.slope) == pytest.approx(0.000429796848199937, rel=1e-8)


def test_propagation_agrees_with_monte_carlo(build, rig):
    """JCGM 101: the gearbox efficiency's standard uncertainty and 95 % interval from a million
    draws of all inputs.
    """
    inputs = inputs_of(build, rig)
    mass, omega, current = 1.5, 10.4, 0.72
    torque = rig.method.known(inputs.figures, mass, inputs.gravity)
    eta = (
        torque
        * omega
        / (
            inputs.motor.torque_from_current(current * inputs.meters.current.doubt)
            * inputs.ratio
            * omega
        )
    )
    n, rng = 1_000_000, np.random.default_rng(8)
    m, h, s = build.motor, rig.method, rig.sensors

    def draw(q):
        return rng.normal(q.value, q.u, n)

    V, w0, i0, i_s = (
        draw(m.voltage) - draw(m.brush_drop),
        draw(m.no_load_speed),
        draw(m.no_load_current),
        draw(m.stall_current),
    )
    k = (V - i0 * V / i_s) / w0  # V: what the brushes leave
    T = (
        (mass + draw(h.hook_mass))
        * draw(rig.gravity)
        * (draw(h.drum_diameter) + draw(h.cord_diameter))
        / 2
    )
    sample = T / (k * (current * rng.normal(1, s.current_accuracy / 2, n) - i0) * inputs.ratio)
    assert nominal(eta) == pytest.approx(sample.mean(), rel=1e-3)
    assert std(eta) == pytest.approx(sample.std(), rel=0.01)
    low, high = np.quantile(sample, [0.025, 0.975])
    assert (nominal(eta) - 2 * std(eta), nominal(eta) + 2 * std(eta)) == (
        pytest.approx(low, rel=2e-3),
        pytest.approx(high, rel=2e-3),
    )


def test_budget_adds_up_and_ranks(build, rig):
    inputs = inputs_of(build, rig)
    rows = budget(rig.method.known(inputs.figures, 1.0, inputs.gravity))
    assert sum(r.share for r in rows) == pytest.approx(1.0)
    assert [r.u for r in rows] == sorted((r.u for r in rows), reverse=True)
    assert rows[0].name == "cord diameter"


@pytest.mark.parametrize("memory", [0.0, 0.6, 0.9])
def test_mean_of_correlated_samples_is_covered_as_stated(memory):
    """AR(1) noise has τ = (1 + φ)/(1 − φ); the stated interval holds the true mean in about 95 of
    100 records.
    """
    rng = np.random.default_rng(int(10 * memory))
    inside, taus = 0, []
    for _ in range(300):
        e = rng.standard_normal(2200)
        y = np.empty(2000)
        last = e[0]
        for i in range(200):
            last = memory * last + e[i]
        for i in range(2000):
            last = memory * last + e[200 + i]
            y[i] = last
        mean, u, _ = mean_with_uncertainty(y)
        inside += abs(mean) <= 2 * u
        taus.append(autocorrelation_time(y))
    assert 0.91 <= inside / 300 <= 0.99
    assert np.mean(taus) == pytest.approx((1 + memory) / (1 - memory), rel=0.12)


def test_the_end_gauge_of_jcgm_100():
    """JCGM 100:2008 H.1 (figures from memory): l = l_s + d − l_s (δα θ + α_s δθ); u_c = 32 nm to
    first order, of which the standard has 25 nm, the comparison 9.7 nm, the temperature difference
    16.6 nm and the expansions 2.9 nm.
    """
    nm, mm = 1e-9, 1e-3
    l_s, d = ufloat(50.000623 * mm, 25 * nm, "standard"), ufloat(215 * nm, 9.7 * nm, "comparison")
    alpha, theta = ufloat(11.5e-6, 1.2e-6, "expansion"), ufloat(-0.1, 0.41, "temperature")
    d_alpha, d_theta = (
        ufloat(0.0, 0.58e-6, "difference of expansions"),
        ufloat(0.0, 0.029, "difference of temperatures"),
    )
    length = l_s + d - l_s * (d_alpha * theta + alpha * d_theta)
    assert nominal(length) == pytest.approx(50.000838 * mm, abs=0.5 * nm)
    assert std(length) == pytest.approx(31.7 * nm, abs=0.2 * nm)
    shares = {row.name: row.u for row in budget(length)}
    assert shares["difference of temperatures"] == pytest.approx(16.6 * nm, rel=0.01)
    assert shares["difference of expansions"] == pytest.approx(2.9 * nm, rel=0.01)
    assert next(iter(shares)) == "standard"


def test_the_additive_model_of_jcgm_101():
    """JCGM 101:2008 9.2 (figures from memory): four rectangular inputs of unit variance give u =
    2.0; the interval of 95 % is ± 3.88 by Monte Carlo, ± 3.92 by the law of propagation: k = 2
    covers a little more than it says.
    """
    total = sum(ufloat(0.0, 1.0, f"x{n}") for n in range(4))
    assert std(total) == pytest.approx(2.0)
    rng = np.random.default_rng(3)
    draws = rng.uniform(-np.sqrt(3), np.sqrt(3), (4, 1_000_000)).sum(axis=0)
    low, high = np.quantile(draws, [0.025, 0.975])
    assert (low, high) == (pytest.approx(-3.88, abs=0.02), pytest.approx(3.88, abs=0.02))
    assert np.mean(np.abs(draws) <= 2 * std(total)) == pytest.approx(0.957, abs=0.004)


def test_an_input_is_known_by_its_id_and_told_in_words():
    import sparring.core.characterise  # noqa: F401  (its modules make theirs known)
    from sparring.core.input_quantity import declare, whose, words

    assert words("hoist.drum_diameter") == "drum diameter"
    assert words("reading-break-away.starts:3") == "reading 3: break-away at"
    assert words("window:power_in") == "power in within the window"
    assert [whose(t) for t in ("window:speed", "repeats", "gravity", "motor.voltage", "tare")] == [
        "run", "repeats", "place", "build", "rig",
    ]  # fmt: skip
    with pytest.raises(ValueError, match="used by another"):
        declare("gravity", "the pull of the earth", "place")


NUMBERS = st.floats(0.2, 5.0)
STEPS = st.lists(st.tuples(st.sampled_from("+-*/|^nsla"), st.integers(0, 40), NUMBERS), max_size=12)


def done(what, a, b, number, functions):
    sin, log = functions
    match what:
        case "+":
            return a + b + number
        case "-":
            return number - (a - b)
        case "*":
            return a * b * number
        case "/":
            return a / b
        case "|":
            return number / abs(a) / number
        case "^":
            return abs(a) ** number
        case "n":
            return -a + number * b
        case "s":
            return sin(a)
        case "l":
            return log(abs(a))
    return linear([(number, a), (2.0, b)], 1.0) if sin is sine else number * a + 2.0 * b + 1.0


@given(st.lists(st.tuples(NUMBERS, st.floats(1e-4, 0.2)), min_size=2, max_size=4), STEPS)
def test_arithmetic_propagates_as_a_reference_library_does(inputs, steps):
    """Any expression: value, uncertainty and the covariance of all that came on the way, against
    the `uncertainties` package (exact derivatives of its own)."""
    ours = [ufloat(x, u, f"input {n}") for n, (x, u) in enumerate(inputs)]
    theirs = [uncertainties.ufloat(x, u) for x, u in inputs]
    for what, other, number in steps:
        last, second = -1, other % len(ours)
        if not 1e-3 < abs(nominal(ours[last])) < 1e3 or abs(nominal(ours[second])) < 1e-3:
            continue
        ours.append(done(what, ours[last], ours[second], number, (sine, logarithm)))
        theirs.append(done(what, theirs[last], theirs[second], number, (umath.sin, umath.log)))
    assert [nominal(v) for v in ours] == pytest.approx([v.nominal_value for v in theirs], rel=1e-9)
    size = np.sqrt(np.outer(*[[v.std_dev for v in theirs]] * 2))
    expected = np.array(uncertainties.covariance_matrix(theirs))
    assert np.abs(covariance(ours) - expected).max() <= 1e-8 * (1 + (size**2).max())


def test_a_cosine_near_square_has_its_second_order(rig):
    """JCGM 100:2008, F.2.4.4: the mean of cos φ about 0 is 1 − u²/2, its variance u⁴/2."""
    found = cosine(ufloat(0.0, 0.1, "hoist.angle"))
    assert nominal(found) == pytest.approx(1 - 0.1**2 / 2)
    assert std(found) == pytest.approx(0.1**2 / np.sqrt(2))
