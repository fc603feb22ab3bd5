"""What a tester types is understood, or refused in words."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sparring.core import quantity
from sparring.core.quantity import (
    G_N,
    KINDS,
    Measured,
    QuantityError,
    from_si,
    measured_text,
    parse,
    show,
    to_si,
    units,
)


@pytest.mark.parametrize(
    ("typed", "kind", "si"),
    [
        ("2.5 kg·cm", "torque", 2.5 * G_N * 0.01),
        ("10 lb", "force", 44.4822161526),
        ("10 lb", "mass", 4.5359237),
        ("6in", "length", 0.1524),
        ("1/8 in", "length", 0.003175),
        ("2 1/2 in", "length", 0.0635),
        ("5 ft 6 in", "length", 1.6764),
        ("3*310 g + 47 g", "mass", 0.977),
        ("45 oz·in", "torque", 0.31776983),
        ("1 ft·lb", "torque", 1.3558179483),
        ("3 N m", "torque", 3.0),
        ("1,5 mm", "length", 0.0015),
        ("60 rpm", "speed", 2 * math.pi),
        ("2 rev/s", "speed", 4 * math.pi),
        ("38 °C", "temperature", 311.15),
        ("100 F", "temperature", 310.9277778),
        ("85 %", "ratio", 0.85),
        ("-0.3", "ratio", -0.3),
        ("(2+3)*4 mm", "length", 0.02),
        ("50 thou", "length", 0.00127),
        ("12 g·cm²", "inertia", 1.2e-6),
    ],
)
def test_units_and_arithmetic_are_understood(typed, kind, si):
    assert parse(typed, kind).value == pytest.approx(si, rel=1e-8)


@pytest.mark.parametrize(
    ("typed", "u"),
    [
        ("12.0 ± 0.1 V", 0.05),
        ("12 +/- 0.1 V", 0.05),
        ("(12.0 ± 0.1) V", 0.05),
        ("12 V ± 1 %", 0.06),
        ("12 V ± 100 mV", 0.05),
    ],
)
def test_plus_minus_is_the_95_percent_half_width(typed, u):
    found = parse(typed, "voltage")
    assert (found.value, found.u) == (pytest.approx(12.0), pytest.approx(u))


@pytest.mark.parametrize(
    ("typed", "kind", "said"),
    [
        ("3 kg", "length", "unit of mass"),
        ("10 J", "torque", "not a unit of torque"),
        ("5 Hz", "speed", "120 rpm"),
        ("12", "voltage", "12 V"),
        ("3 + 2 mm", "length", "no unit"),
        ("1,500 mm", "length", "comma"),
        ("4 mm * 3 mm", "length", "one factor"),
        ("1/0 mm", "length", "zero"),
        ("", "mass", "nothing typed"),
        ("3 blorp", "mass", "blorp"),
        ("12 V ± -1 V", "voltage", "negative"),
        ("1e999 m", "length", "too large"),
        ("__import__('os')", "length", "not understood"),
    ],
)
def test_what_is_wrong_is_said_in_words(typed, kind, said):
    with pytest.raises(QuantityError, match=said):
        parse(typed, kind)


def test_a_bare_number_takes_the_fields_unit():
    assert parse("12", "length", "mm").value == pytest.approx(0.012)


@pytest.mark.parametrize("kind", [k for k in KINDS if k != "temperature"])
def test_factors_kept_for_speed_equal_the_unit_library(kind):
    library = units._library()
    names = {
        "kg·cm": "kgf*cm",
        "ft·lb": "ft*lbf",
        "in·lb": "inch*lbf",
        "oz·in": "ozf*inch",
        "%": "0.01",
        "": "1",
        "counts": "1",
        "points": "0.01",
        "rev": "turn",
    }
    for unit, factor in KINDS[kind].units.items():
        text = (
            names.get(unit, unit)
            .replace("·", "*")
            .replace("²", "**2")
            .replace("Ω", "ohm")
            .replace("rev/s", "turn/s")
        )
        assert (
            library.Quantity(1, "").check("")
            if not text
            else factor
            == pytest.approx(
                (
                    library.Quantity(text).to_base_units().magnitude
                    if text not in ("1", "0.01")
                    else float(text)
                ),
                rel=1e-9,
            )
        ), unit


@given(st.sampled_from(sorted(KINDS)), st.floats(-1e6, 1e6), st.data())
def test_what_is_written_reads_back(kind, value, data):
    unit = data.draw(st.sampled_from(sorted(KINDS[kind].units)))
    si = to_si(value, unit, kind)
    again = parse(quantity.text(si, kind, unit), kind, unit).value
    assert again == pytest.approx(si, rel=1e-12, abs=1e-12)


@given(st.floats(1e-3, 1e3), st.floats(1e-6, 1.0))
def test_uncertainty_reads_back(value, u):
    again = parse(measured_text(Measured(value, u), "length", "mm"), "length")
    assert (again.value, again.u) == (pytest.approx(value, rel=1e-12), pytest.approx(u, rel=1e-6))


@given(st.text(max_size=40), st.sampled_from(sorted(KINDS)))
def test_no_text_crashes_the_reader(text, kind):
    try:
        assert math.isfinite(parse(text, kind).value)
    except QuantityError as err:
        assert str(err)


def test_figures_show_what_their_uncertainty_warrants():
    assert show(0.458, "ratio", "%", u=0.0055) == "45.8 ± 1.1 %"
    assert show(0.35, "torque", "N·m") == "0.3500 N·m"
    assert show(None, "torque", "N·m") == "–"
    assert from_si(311.15, "°C", "temperature") == pytest.approx(38.0)


def test_an_uncertainty_that_is_only_rounding_is_not_shown():
    assert quantity.show(0.1075, "current", "A", u=1e-17) == "0.1075 A"
    assert "±" in quantity.show(0.1075, "current", "A", u=1e-5)


@pytest.mark.parametrize(
    "typed",
    [
        "9**9**9 m",
        "1 m**9**9**9",
        "1 m^99999999",
        "(" * 3000,
        "-" * 250 + "1 m",
        "1 " + "m" * 5000,
        "9" * 250 + " m",
        "1 " + "m·" * 20 + "m",
    ],
)
def test_what_would_take_for_ever_is_refused_at_once(typed):
    with pytest.raises(QuantityError, match="“"):
        parse(typed, "length")


@pytest.mark.parametrize(
    ("typed", "kind", "si"),
    [
        ("9.81 m/s**2", "acceleration", 9.81),
        ("2 kg*m^2/s^2", "torque", 2.0),
        ("1 furlong", "length", 201.168),
    ],
)
def test_powers_of_units_are_understood(typed, kind, si):
    assert parse(typed, kind).value == pytest.approx(si, rel=1e-4)
