"""Gears against outside sources. Values marked (cp) are common practice without a source."""

import math

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.spatial import cKDTree

from sparring.core.train import kinematics as K
from sparring.core.train import teeth
from sparring.core.train.kinds import (
    BeltStage,
    BevelStage,
    CycloidStage,
    DifferentialStage,
    MagneticStage,
    PlanetaryStage,
    SplitRingStage,
    StrainWaveStage,
    WormStage,
)
from sparring.core.train.pair import Pair
from sparring.core.train.torque import back_drive_efficiency, solve_torques


def test_step_up_of_two_pairs_cp():
    """84→12 and 36→12 after 36/36: 1:21 step-up; a 5 in wheel at 100 rpm in
    runs at 31.2 mph (cp)."""
    train = [
        K.external("in", "a", 36, 36),
        K.external("a", "b", 84, 12),
        K.external("b", "out", 36, 12),
    ]
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
    assert K.ratio(
        planetary("1", "s", "c") + planetary("2", "c", "out"), "s", "out"
    ) == pytest.approx(36)


@pytest.mark.parametrize(("circular", "ratio"), [(92, 45), (93, 30)])
def test_strain_wave_cp(circular, ratio):
    train = [K.strain_wave("f", "c", "h", 90, circular), K.Ground("c")]
    assert abs(K.ratio(train, "h", "f")) == pytest.approx(ratio)


def test_cycloid_cp():
    assert abs(
        K.ratio([K.cycloid("disc", "pins", "h", 11, 12), K.Ground("pins")], "h", "disc")
    ) == pytest.approx(11)


@pytest.mark.parametrize(
    ("held", "driver", "out", "ratio"),
    [("s", "i", "o", -5), ("o", "i", "s", 6), ("i", "o", "s", 1.2)],
)
def test_magnetic_gear_of_2_and_10_pole_pairs_cp(held, driver, out, ratio):
    assert K.ratio(
        [K.magnetic("i", "o", "s", 2, 10), K.Ground(held)], driver, out
    ) == pytest.approx(ratio)


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
    """Sun in, ring fixed, loss in the sun mesh only: η = (1 + η₀ R/S)/(1 + R/S) (Müller 1982, from
    memory).
    """
    flow = solve_torques(planetary("", "s", "c", eta=eta), "s", "c", 1.0)
    assert flow.efficiency == pytest.approx((1 + eta * 5) / (1 + 5))


def test_split_ring_wastes_most_of_its_input_and_holds():
    """About 300:1 at η₀ = 0.98 a mesh returns about a third, and cannot be driven
    backwards (cp)."""
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
        assert teeth.inv_inverse(teeth.inv(math.radians(degrees))) == pytest.approx(
            math.radians(degrees), abs=1e-12
        )


@pytest.mark.parametrize(("z1", "z2"), [(18, 40), (20, 60), (25, 25)])
def test_contact_ratio_from_the_line_of_action(z1, z2):
    """The line of action cut by the two tip circles, found by stepping along it, in base pitches
    (ISO 21771's definition).
    """
    alpha = math.radians(20)
    point = [
        (s * math.cos(alpha + math.pi / 2), s * math.sin(alpha + math.pi / 2))
        for s in (k * 1e-4 - 8 for k in range(160_000))
    ]
    inside = [
        (x, y)
        for x, y in point
        if math.hypot(x + z1 / 2, y) <= z1 / 2 + 1 and math.hypot(x - z2 / 2, y) <= z2 / 2 + 1
    ]
    assert Pair(1.0, z1, z2).contact_ratio() == pytest.approx(
        len(inside) * 1e-4 / (math.pi * math.cos(alpha)), abs=1e-3
    )


def test_span_over_teeth_of_a_table():
    """Base tangent of m = 1, z = 20 over 3 teeth: 7.6604 mm (DIN 3960-type tables, from memory)."""
    assert teeth.span_over_teeth(1e-3, 20, 3) == pytest.approx(7.6604e-3, abs=1e-7)
    with pytest.raises(ValueError, match="spanned"):
        teeth.span_over_teeth(1e-3, 20, 12)


def test_loss_factor_is_that_of_integrated_sliding():
    """H_V against the mean of sliding speed times force over the path of contact, load shared as in
    its derivation.

    Niemann/Winter, Maschinenelemente II: the loss of a pair in contact at s from the pitch point is
    F μ |v_g|; with e1, e2 in base pitches the mean over a mesh cycle is π(1/z1 + 1/z2)(1 − ε + ε1²
    + ε2²), equal sharing.
    """
    z1, z2 = 20, 50
    e1, e2 = Pair(1.0, z1, z2).contact_ratios()
    n = 200_000
    total = 0.0
    for k in range(n):
        x = -e2 + (k + 0.5) / n  # one base pitch of path; all pairs in contact at x, x+1, ...
        pairs = [x + j for j in range(3) if x + j <= e1]
        total += sum(abs(s) for s in pairs) / len(pairs)
    slide = 2 * math.pi * (1 / z1 + 1 / z2) * total / n
    # the closed form assumes the force shared; integrate it the same way
    assert Pair(1.0, z1, z2).loss_factor() == pytest.approx(slide, rel=0.02)


@pytest.mark.parametrize(
    ("driven", "held", "out", "ratio"),
    [
        ("inner", "segments", "outer", -5),
        ("inner", "outer", "segments", 6),
        ("outer", "inner", "segments", 1.2),
    ],
)
def test_magnetic_stage_in_its_uses_cp(driven, held, out, ratio):
    """2 and 10 pole pairs, 12 segments; and each the other way round is the inverse."""
    assert MagneticStage(driven=driven, held=held).ratio == pytest.approx(ratio)
    assert MagneticStage(driven=out, held=held).ratio == pytest.approx(1 / ratio)


def test_stages_of_the_handbook_facts_cp():
    assert PlanetaryStage(sun=9, planet=18, ring=45).ratio == pytest.approx(6)
    assert abs(StrainWaveStage().ratio) == pytest.approx(45)
    assert abs(StrainWaveStage(nodes=3, ring=93).ratio) == pytest.approx(30)


@pytest.mark.parametrize("teeth_", [(15, 30, 75, 29, 74), (12, 27, 66, 24, 63)])
def test_split_ring_efficiency_closed_form(teeth_):
    """Wolfrom train, sun in, I = R1 P2/(P1 R2) < 1: η = (1 + η_a η_b R1/S)(1 − I)/((1 + R1/S)(1 − I
    η_b η_c)).

    Müller, Epicyclic Drive Trains (1982), compound of two basic trains; from memory. η_a
    sun–planet, η_b planet–held ring, η_c planet–turning ring.
    """
    s, p, r, p2, r2 = teeth_
    a, b, c = 0.985, 0.99, 0.992
    train = [
        K.external("s", "p", s, p, "h", a),
        K.internal("p", "r", p, r, "h", b),
        K.Ground("r"),
        K.internal("p", "o", p2, r2, "h", c),
    ]
    i, k = r * p2 / (p * r2), r / s
    closed = (1 + a * b * k) * (1 - i) / ((1 + k) * (1 - i * b * c))
    assert solve_torques(train, "s", "o", 1.0).efficiency == pytest.approx(closed, rel=1e-9)
    stage = SplitRingStage(sun=s, planet=p, ring=r, upper_planet=p2, upper_ring=r2)
    assert stage.ratio == pytest.approx((1 + k) / (1 - i))


def test_worm_efficiency_closed_form():
    """η = tan γ/tan(γ + ρ'), back tan(γ − ρ')/tan γ (DIN 3975-type formulas, from memory)."""
    stage = WormStage(starts=2, wheel=30, module=1e-3, worm_diameter=10e-3)
    mu = stage.friction.value
    gamma, rho = math.atan(2 / 10), math.atan(mu / math.cos(math.radians(20)))
    assert stage.efficiency() == pytest.approx(math.tan(gamma) / math.tan(gamma + rho))
    back = back_drive_efficiency(stage.elements("a", "b", "s"), "a", "b")
    assert back == pytest.approx(math.tan(gamma - rho) / math.tan(gamma))
    steep = WormStage(starts=1, wheel=30, module=1e-3, worm_diameter=16e-3)
    assert back_drive_efficiency(steep.elements("a", "b", "s"), "a", "b") is None


@pytest.mark.parametrize(
    ("driven", "held", "ratio"),
    [
        ("cage", "other side gear", 0.5),
        ("side gear", "other side gear", 2.0),
        ("side gear", "cage", -1.0),
    ],
)
def test_differential_with_a_member_held(driven, held, ratio):
    """ω₁ + ω₂ = 2 ω_cage. Held cage: η = η₀; held side gear, cage out: η = (1 + η₀)/2; cage in:
    2/(1 + 1/η₀) (Müller 1982, i₀ = −1).
    """
    stage = DifferentialStage(driven=driven, held=held)
    mesh = (1 - stage.friction.value * stage.pair().loss_factor()) ** 2
    closed = {0.5: 2 / (1 + 1 / mesh), 2.0: (1 + mesh) / 2, -1.0: mesh}[ratio]
    assert stage.ratio == pytest.approx(ratio)
    assert stage.efficiency() == pytest.approx(closed, rel=1e-9)


def test_bevel_pair_runs_as_its_virtual_spur_pair():
    """Tredgold: z/cos δ teeth; 18 and 36 at 90° have cones of 26.57° and 63.43°, so 20.1 and 80.5
    (Shigley 13-8's formula).
    """
    pair = BevelStage().pair()
    assert (pair.z1, pair.z2) == (20, 80)
    assert BevelStage().ratio == pytest.approx(-2)
    assert BevelStage(side="on the far side").ratio == pytest.approx(2)


def test_belt_length_of_two_equal_pulleys():
    """Equal pulleys: length = 2 C + π d exactly; 20 and 20 teeth with 80 links of 2 mm: C = (80 −
    20)/2 × 2 mm.
    """
    assert BeltStage(driving=20, driven=20, links=80).centre_distance() == pytest.approx(60e-3)
    open_belt = BeltStage(driving=16, driven=32, links=80)
    c = open_belt.centre_distance()
    r1, r2 = 16 * 2e-3 / (2 * math.pi), 32 * 2e-3 / (2 * math.pi)
    approx = 2 * c + math.pi * (r1 + r2) + (r2 - r1) ** 2 / c  # Shigley 17-1's usual approximation
    assert approx == pytest.approx(80 * 2e-3, rel=1e-4)


def test_ring_contact_ratio_from_the_line_of_action():
    """The line of action between the ring's tips and the pinion's, found by stepping along it."""
    pair = Pair(1.0, 20, 60, ring=True)
    alpha = math.radians(20)
    tip1, tip2 = pair.radii(1)[0], pair.radii(2)[0]
    step = 1e-4
    inside = 0
    for k in range(-80_000, 160_000):
        s = k * step
        # the pitch point is the origin; both centres to the left
        x, y = (s * math.sin(alpha), s * math.cos(alpha))
        inside += (
            math.hypot(x + 10, y) <= tip1
            and math.hypot(x + 30, y) >= tip2
            and s >= -10 * math.sin(alpha)
        )
    assert pair.contact_ratio() == pytest.approx(
        inside * step / (math.pi * math.cos(alpha)), abs=2e-3
    )


@pytest.mark.parametrize(
    ("pair", "working", "distance", "base"),
    [
        (Pair(3.0, 12, 24, 0.6, 0.36), 26.0886, 56.4999, (33.8289, 67.6579)),
        (Pair(3.0, 16, 24, 0.0, -0.5, ring=True), 31.0937, 13.1683, (45.105, 67.6579)),
        (
            Pair(3.0, 12, 60, 0.09809, 0.0, helix=math.radians(30)),
            23.1126,
            125.000,
            (38.322, 191.611),
        ),
    ],
    ids=["shifted spur", "shifted ring", "shifted helical"],
)
def test_worked_examples_of_shifted_pairs(pair, working, distance, base):
    """The worked examples that gear makers' handbooks print for ISO 21771's equations: working
    angle [°], centre distance and base diameters [mm] at module 3 (figures from memory, rounded on
    their way; a ring's shift has the standard's sign, the handbooks' the other)."""
    assert math.degrees(pair.working_angle()) == pytest.approx(working, abs=1e-4)
    assert pair.tight_distance() == pytest.approx(distance, abs=6e-5)
    assert [2 * pair.radii(gear)[2] for gear in (1, 2)] == pytest.approx(base, abs=6e-4)


def test_span_of_a_shifted_gear():
    """m = 3, z = 24, x = 0.4 over 4 teeth: 32.8266 mm (the same handbooks, from memory)."""
    assert teeth.span_over_teeth(3.0, 24, 4, shift=0.4) == pytest.approx(32.8266, abs=6e-5)


def test_over_pins_of_a_worked_example():
    """m = 1, z = 20, 20°, pin 1.728 m: M/m = 22.3914 (even teeth), checked by a pin laid into the
    drawn gap.
    """
    size = teeth.over_pins(1.0, 20, 1.728)
    from sparring.core.train import outlines

    tooth = outlines.gear(1.0, 20, 0.0, teeth.ALPHA_20, 400)
    c, s = math.cos(math.pi / 20), math.sin(math.pi / 20)
    gap = [(c * x - s * y, s * x + c * y) for x, y in tooth]  # a gap on +x
    low, high = 9.0, 13.0
    for _ in range(60):
        mid = (low + high) / 2
        free = min(math.hypot(x - mid, y) for x, y in gap if x > 0 and abs(y) < 2) >= 0.864
        low, high = (low, mid) if free else (mid, high)
    assert size == pytest.approx(2 * high + 1.728, abs=2e-3)
    with pytest.raises(ValueError, match="thicker"):
        teeth.over_pins(1.0, 20, 0.5)


S, R = 12, 48
# (driven, held) -> ratio, and efficiency with η₀ in the carrier's frame (Müller 1982, table of the
# simple train; from memory)
WILLIS = {
    ("sun", "ring"): (1 + R / S, lambda e: (1 + e * R / S) / (1 + R / S)),
    ("carrier", "ring"): (1 / (1 + R / S), lambda e: (1 + R / S) / (1 + R / S / e)),
    ("sun", "carrier"): (-R / S, lambda e: e),
    ("ring", "carrier"): (-S / R, lambda e: e),
    ("ring", "sun"): (1 + S / R, lambda e: (1 + e * S / R) / (1 + S / R)),
    ("carrier", "sun"): (1 / (1 + S / R), lambda e: (1 + S / R) / (1 + S / R / e)),
}


@pytest.mark.parametrize(
    ("use", "closed"), WILLIS.items(), ids=lambda v: "-".join(v) if isinstance(v[0], str) else ""
)
def test_planetary_in_all_six_uses(use, closed):
    stage = PlanetaryStage(sun=S, planet=18, ring=R, driven=use[0], held=use[1])
    mu = stage.friction.value
    eta = (1 - mu * stage.sun_pair().loss_factor()) * (1 - mu * stage.ring_pair().loss_factor())
    assert stage.ratio == pytest.approx(closed[0])
    assert stage.efficiency() == pytest.approx(closed[1](eta), rel=1e-9)


@pytest.mark.parametrize(
    ("stage", "inner", "ring"),
    [
        (CycloidStage(), 11, 12),
        (StrainWaveStage(), 90, 92),
        (StrainWaveStage(nodes=3, ring=93), 90, 93),
    ],
)
def test_cycloid_and_strain_wave_efficiency_closed_form(stage, inner, ring):
    """Eccentric in, ring held, inner wheel out: η = η₀ (z_r − z_i)/(z_r − z_i η₀), by the balance
    of torques on the three members with the power entering the inner wheel from the ring in the
    eccentric's frame (Müller 1982).
    """
    eta = 1 - stage.loss.value
    assert stage.efficiency() == pytest.approx(
        eta * (ring - inner) / (ring - inner * eta), rel=1e-9
    )
    assert stage.efficiency() < eta  # power circulates: worse than the mesh alone


@pytest.mark.parametrize("pins", [8, 12, 30])
def test_the_play_of_a_cycloid_is_how_far_its_disc_turns_in_its_pins(pins):
    """Pins against the densely sampled profile, turned until one is the clearance off its path: by
    geometry alone.
    """
    stage = CycloidStage(pins=pins, discs=1, eccentricity=0.04 / pins, clearance=5e-5)
    R, e, c = stage.pin_circle / 2, stage.eccentricity, stage.clearance
    t = np.linspace(0, 2 * math.pi, 200_001)
    path = np.column_stack(
        [R * np.cos(t) - e * np.cos(pins * t), R * np.sin(t) - e * np.sin(pins * t)]
    )
    along = np.gradient(path, axis=0)
    inward = np.column_stack([-along[:, 1], along[:, 0]]) / np.hypot(*along.T)[:, np.newaxis]
    tree = cKDTree(path)

    def turned(points, angle):
        turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
        return points @ turn.T

    k = 2 * math.pi * np.arange(pins) / pins
    centres = R * np.column_stack([np.cos(k), np.sin(k)])
    plays = []
    for phase in np.linspace(0, 2 * math.pi / pins, 12, endpoint=False):
        crank = e * np.array([math.cos(phase), math.sin(phase)])
        seen = turned(centres - crank, phase / (pins - 1))
        assert tree.query(seen)[0].max() < 3e-6

        def deepest(angle, seen=seen):
            moved = turned(seen, angle)
            _, near = tree.query(moved)
            return float(((moved - path[near]) * inward[near]).sum(axis=1).max())

        ways = [brentq(lambda a, s=s, f=deepest: f(s * a) - c, 0, 0.2) for s in (1, -1)]
        plays.append(sum(ways))
    assert stage.backlash() == pytest.approx(np.mean(plays), rel=5e-3)
