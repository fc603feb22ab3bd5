"""Gears against outside sources. Values marked (cp) are common practice without a source."""

import math

import pytest

from sparring.core.train import kinematics as K
from sparring.core.train import losses, teeth
from sparring.core.train.torque import back_drive_efficiency, solve_torques


def test_step_up_of_two_pairs_cp():
    """84→12 and 36→12 after 36/36: 1:21 step-up; a 5 in wheel at 100 rpm in runs at 31.2 mph (cp)."""
    train = [K.external("in", "a", 36, 36), K.external("a", "b", 84, 12), K.external("b", "out", 36, 12)]
    i = K.ratio(train, "in", "out")
    assert abs(1 / i) == pytest.approx(21)
    mph = 100 / 60 * 21 * math.pi * 5 * 0.0254 / 0.44704
    assert mph == pytest.approx(31.2, abs=0.05)


def planetary(prefix, sun, carrier, s=9, p=18, r=45, eta=1.0):
    return [
        K.external(sun, f"{prefix}p", s, p, carrier, eta=eta, name="sun"),
        K.internal(f"{prefix}p", f"{prefix}r", p, r, carrier, name="ring"),
        K.Ground(f"{prefix}r"),
    ]


def test_planetary_once_and_twice_cp():
    assert K.ratio(planetary("1", "s", "c"), "s", "c") == pytest.approx(6)
    assert K.ratio(planetary("1", "s", "c") + planetary("2", "c", "out"), "s", "out") == pytest.approx(36)


@pytest.mark.parametrize(("circular", "ratio"), [(92, 45), (93, 30)])
def test_strain_wave_cp(circular, ratio):
    train = [K.strain_wave("f", "c", "h", 90, circular), K.Ground("c")]
    assert abs(K.ratio(train, "h", "f")) == pytest.approx(ratio)


def test_cycloid_cp():
    assert abs(K.ratio([K.cycloid("disc", "pins", "h", 11, 12), K.Ground("pins")], "h", "disc")) == pytest.approx(11)


@pytest.mark.parametrize(("held", "driver", "out", "ratio"), [("s", "i", "o", -5), ("o", "i", "s", 6), ("i", "o", "s", 1.2)])
def test_magnetic_gear_of_2_and_10_pole_pairs_cp(held, driver, out, ratio):
    assert K.ratio([K.magnetic("i", "o", "s", 2, 10), K.Ground(held)], driver, out) == pytest.approx(ratio)


def test_chains_of_pairs_cp():
    def chain(n, z):
        return [K.external(str(k), str(k + 1), 10, 10 * z) for k in range(n)]

    assert abs(K.ratio(chain(8, 4), "0", "8")) == pytest.approx(65536)
    assert abs(K.ratio(chain(7, 2), "0", "7")) == pytest.approx(128)


def test_differential_and_worm():
    train = [K.differential("left", "right", "cage")]
    assert K.solve_speeds(train, {"left": 3.0, "right": 5.0})["cage"] == pytest.approx(4.0)
    assert K.ratio([K.worm("w", "g", 2, 60)], "w", "g") == pytest.approx(30)


@pytest.mark.parametrize("eta", [0.9, 0.95, 0.99])
def test_planetary_efficiency_closed_form(eta):
    """Sun in, ring fixed, loss in the sun mesh only: η = (1 + η₀ R/S)/(1 + R/S) (Müller 1982, from memory)."""
    flow = solve_torques(planetary("", "s", "c", eta=eta), "s", "c", 1.0)
    assert flow.efficiency == pytest.approx((1 + eta * 5) / (1 + 5))


def test_split_ring_wastes_most_of_its_input_and_holds():
    """About 300:1 at η₀ = 0.98 a mesh returns about a third, and cannot be driven backwards (cp)."""
    s, p, r, p2, r2 = 15, 30, 75, 29, 74

    def train(eta):
        return [
            K.external("s", "p", s, p, "c", eta),
            K.internal("p", "r", p, r, "c", eta),
            K.Ground("r"),
            K.internal("p", "out", p2, r2, "c", eta),
        ]

    i = abs(K.ratio(train(1.0), "s", "out"))
    assert i == pytest.approx(296)
    assert solve_torques(train(0.98), "s", "out", 1.0).efficiency == pytest.approx(1 / 3, abs=0.02)
    assert back_drive_efficiency(train(0.98), "s", "out") is None


def test_undercut_limit_is_17():
    """ISO 21771: z = 2/sin² 20° = 17.1."""
    assert teeth.undercut_limit() == pytest.approx(17.097, abs=1e-3)


def test_involute_of_20_degrees():
    """inv 20° = 0.014904 (any table of the involute function)."""
    assert teeth.inv(math.radians(20)) == pytest.approx(0.014904384, abs=1e-9)
    for degrees in (5, 14.5, 20, 27.3, 45):
        assert teeth.inv_inverse(teeth.inv(math.radians(degrees))) == pytest.approx(math.radians(degrees), abs=1e-12)


@pytest.mark.parametrize(("z1", "z2"), [(16, 40), (12, 60), (25, 25)])
def test_contact_ratio_from_the_line_of_action(z1, z2):
    """The line of action cut by the two tip circles, found by stepping along it, in base pitches (ISO 21771's definition)."""
    alpha = math.radians(20)
    point = [(s * math.cos(alpha + math.pi / 2), s * math.sin(alpha + math.pi / 2)) for s in (k * 1e-4 - 8 for k in range(160_000))]
    inside = [(x, y) for x, y in point if math.hypot(x + z1 / 2, y) <= z1 / 2 + 1 and math.hypot(x - z2 / 2, y) <= z2 / 2 + 1]
    assert sum(teeth.contact_ratios(1.0, z1, z2)) == pytest.approx(len(inside) * 1e-4 / (math.pi * math.cos(alpha)), abs=1e-3)


def test_span_over_teeth_of_a_table():
    """Base tangent of m = 1, z = 20 over 3 teeth: 7.6604 mm (DIN 3960-type tables, from memory)."""
    assert teeth.span_over_teeth(1e-3, 20, 3) == pytest.approx(7.6604e-3, abs=1e-7)
    with pytest.raises(ValueError, match="spanned"):
        teeth.span_over_teeth(1e-3, 20, 12)


def test_loss_factor_is_that_of_integrated_sliding():
    """H_V against the mean of sliding speed times force over the path of contact, load shared as in its derivation.

    Niemann/Winter, Maschinenelemente II: the loss of a pair in contact at s from the pitch point is F μ |v_g|;
    with e1, e2 in base pitches the mean over a mesh cycle is π(1/z1 + 1/z2)(1 − ε + ε1² + ε2²), equal sharing.
    """
    z1, z2 = 20, 50
    e1, e2 = teeth.contact_ratios(1.0, z1, z2)
    n = 200_000
    total = 0.0
    for k in range(n):
        x = -e2 + (k + 0.5) / n  # one base pitch of path; all pairs in contact at x, x+1, ...
        pairs = [x + j for j in range(3) if x + j <= e1]
        total += sum(abs(s) for s in pairs) / len(pairs)
    slide = 2 * math.pi * (1 / z1 + 1 / z2) * total / n
    # the closed form assumes the force shared; integrate it the same way
    assert losses.loss_factor(1.0, z1, z2) == pytest.approx(slide, rel=0.02)
