"""Formulas of trains against calculations that share none of their code: quadrature, a rack that
cuts a gear, a boundary value problem, play carried through by a linear system.
"""

import math

import numpy as np
import pytest
from scipy.integrate import quad, solve_bvp

from sparring.core.build import Build
from sparring.core.findings.build import judge_build
from sparring.core.methods import RunUp
from sparring.core.train import strength, teeth
from sparring.core.train.joints import SHEAR, Joint
from sparring.core.train.kinds import (
    BeltStage,
    BevelStage,
    CycloidStage,
    PlanetaryStage,
    SplitRingStage,
    SpurStage,
    WormStage,
)
from sparring.core.train.pair import Pair, mean_sliding


def test_a_splined_shaft_is_as_strong_as_its_core():
    """16 T/(π d³) at the d − 2h that is left: 1.53 N·m for 5 mm with splines of 1 mm in 500 MPa."""
    shaft = Joint(kind="spline", diameter=5e-3, height=1e-3)
    assert shaft.core_diameter() == pytest.approx(3e-3)
    assert shaft.shaft_carries(500e6) == pytest.approx(
        SHEAR * 500e6 * math.pi * 3e-3**3 / 16, rel=1e-9
    )
    assert shaft.shaft_carries(500e6) == pytest.approx(1.53, abs=5e-3)
    with pytest.raises(ValueError, match="leave no core"):
        Joint(kind="spline", diameter=2e-3, height=1e-3)


def test_a_cross_hole_weakens_the_shaft_by_the_strip_it_takes():
    """The polar moment of the round less that of the strip, by quadrature (2 mm in 5 mm: 4.50 N·m
    of 7.09)."""
    d, w = 5e-3, 2e-3
    r = d / 2

    def strip(x):
        h = math.sqrt(r * r - x * x)
        return 2 * x * x * h + 2 / 3 * h**3

    polar = math.pi * r**4 / 2 - quad(strip, -w / 2, w / 2)[0]
    pinned = Joint(kind="pin", diameter=d, width=w)
    assert pinned.shaft_carries(500e6) == pytest.approx(SHEAR * 500e6 * polar / r)
    assert pinned.shaft_carries(500e6) == pytest.approx(4.50, abs=5e-3)


def test_a_pin_presses_on_shaft_and_hub():
    """Forces by quadrature: in the shaft the pressure rises from the middle to the rim, in the hub
    it is even over its walls."""
    d, w, h, p = 6e-3, 2e-3, 3e-3, 100e6
    ways = Joint(kind="pin", diameter=d, width=w, height=h).ways(p, p)
    in_shaft = 2 * quad(lambda x: p * x / (d / 2) * w * x, 0, d / 2)[0]
    in_hub = 2 * quad(lambda x: p * w * x, d / 2, d / 2 + h)[0]
    assert ways["pin enlarges its hole in the shaft"] == pytest.approx(in_shaft)
    assert ways["pin enlarges its hole in the hub"] == pytest.approx(in_hub)
    soft = Joint(kind="pin", diameter=d, width=w, height=0.5e-3)
    assert soft.failure(40e6, 500e6) == "pin enlarges its hole in the hub"


def left_of_the_involute(z, rho=0.38, positions=4001):
    """Lengths of roll [modules] of a flank that a rack has cut, position by position, and not cut
    away again: the first of them."""
    r, alpha, rb = z / 2, math.radians(20), z / 2 * math.cos(math.radians(20))
    half = math.pi / 2 / z + math.tan(alpha) - alpha
    roll = np.linspace(0.0, 1.2, 2401)
    radius, angle = np.hypot(rb, roll), half - (roll / rb - np.arctan(roll / rb))
    deep = 1.25 - rho  # of the rounding's centre below the rack's middle
    off = math.pi / 4 - deep * math.tan(alpha) - rho / math.cos(alpha)
    cut = np.zeros(len(roll), bool)
    for phi in np.linspace(-1.2, 1.2, positions):
        at = angle - math.pi / z + phi
        x, y = radius * np.sin(at) - r * phi, radius * np.cos(at)
        cut |= (x + off) ** 2 + (y - (r - deep)) ** 2 < rho**2 - 1e-9
        cut |= (np.abs(x) < off) & (y > r - 1.25) & (y < r)
    return float(roll[np.flatnonzero(cut)[-1]]) if cut.any() else 0.0


@pytest.mark.parametrize("z", [7, 8, 9, 12, 15])
def test_an_undercut_flank_begins_where_a_rack_leaves_it(z):
    assert teeth.start_of_involute(z) == pytest.approx(left_of_the_involute(z), abs=2e-3)


def test_undercut_pinions_lose_contact():
    """8/40 and 9/18: 0.91 and 1.00, where the base circle would give 1.117 and 1.191."""
    ratios = [Pair(1e-3, a, b).contact_ratio() for a, b in ((8, 40), (9, 18))]
    assert ratios == pytest.approx([0.913, 1.003], abs=2e-3)
    found = {f.id for f in judge_build(Build(stages=(SpurStage(pinion=8, wheel=40),)), 12.0)}
    assert "contact-ratio" in found


@pytest.mark.parametrize(
    ("e1", "e2"), [(0.8, 0.7), (1.0, 1.0), (1.2, 1.08), (0.4, 1.9), (1.9, 1.6)]
)
def test_sliding_is_the_mean_over_all_pairs_in_contact(e1, e2):
    s = (np.arange(200_000) + 0.5) / 200_000
    away, pairs = np.zeros_like(s), np.zeros_like(s)
    for k in range(6):
        x = s + k - e1
        inside = x <= e2
        away += np.where(inside, np.abs(x), 0.0)
        pairs += inside
    assert mean_sliding(e1, e2) == pytest.approx(2 * (away / pairs).mean(), rel=1e-4)


def test_the_play_of_a_split_ring_by_its_meshes():
    """Sun held: four speeds, three meshes, each ring's with a gap: a linear system."""
    stage = SplitRingStage(module=0.8e-3, upper_module=0.8e-3)
    lower, upper = stage.ring_pairs()
    s, p1, r1, p2, r2 = stage.sun, stage.planet, stage.ring, stage.upper_planet, stage.upper_ring
    # planets p, carrier c, output o: S(0 − c) = −P₁(p − c), R₁(0 − c) = P₁(p − c) + R₁ b₁,
    # R₂(o − c) = P₂(p − c) + R₂ b₂
    A = np.array([[p1, -(p1 + s), 0.0], [p1, r1 - p1, 0.0], [p2, r2 - p2, -r2]])
    b = np.array([0.0, -r1 * 1e-3, r2 * 2e-3])
    play = abs(np.linalg.solve(A, b)[2])
    factor = r1 * (1 + p2 * s / (r2 * p1)) / (s + r1)
    sums = abs(2e-3 + 1e-3 * factor), abs(2e-3 - 1e-3 * factor)  # the gaps' signs are theirs
    assert min(abs(play - x) for x in sums) < 1e-12
    assert stage.backlash() == pytest.approx(upper.backlash() + lower.backlash() * factor)


def test_the_play_of_a_cycloid_goes_by_what_turns():
    """The longest arm on which a pin could push is the rolling circle of what is turned: e(N − 1)
    of a disc in held pins, e N of pins round a held disc; the nearest pin pushes on a little less
    (tests/reference/test_gears.py, by the profile itself)."""
    held = CycloidStage(held="pins", clearance=50e-6)
    r, e, n = held.pin_circle / 2, held.eccentricity, held.pins
    k = np.linspace(0, 2 * math.pi, 20_001)
    arms = e * (n - 1) * np.abs(r * np.sin(k)) / np.hypot(r * np.cos(k) - e * n, r * np.sin(k))
    assert 1.0 < held.backlash() / (2 * 50e-6 / arms.max()) < 1.02
    assert CycloidStage(held="disc", clearance=50e-6).backlash() == pytest.approx(
        held.backlash() * (n - 1) / n
    )


@pytest.mark.parametrize("kind", [WormStage, BevelStage, BeltStage])
def test_play_that_no_field_tells_is_not_known(kind):
    build = Build(stages=(SpurStage(opening=1e-4), kind()))
    assert kind().backlash() is None
    assert build.backlash_unknown() == ["stage 2"]
    assert build.backlash() > 0


@pytest.mark.parametrize("bore", [None, 8e-3, 40e-3])
def test_a_bored_disc_by_its_equilibrium(bore):
    """u'' + u'/r − u/r² = −(1 − ν²) ρ ω² r/E, no stress at bore and rim (SciPy); without a bore
    entered the smallest one: twice a solid disc's."""
    mass = RunUp(outer_radius=0.08, bore=bore)
    w, a, b, nu, E, rho = 300.0, bore or 1e-5, 0.08, 0.3, 2e11, 7850.0
    k = (1 - nu**2) * rho * w**2 / E * b**2

    def ode(x, y):  # lengths over b
        return np.array([y[1], -k * x - y[1] / x + y[0] / x**2])

    def ends(ya, yb):
        return np.array([ya[1] + nu * ya[0] / (a / b), yb[1] + nu * yb[0]])

    x = np.geomspace(a / b, 1.0, 400)
    found = solve_bvp(
        ode, ends, x, np.vstack([k * x, k * np.ones_like(x)]), tol=1e-8, max_nodes=50_000
    )
    assert found.success
    u, du = found.sol(a / b)
    hoop = E / (1 - nu**2) * (u / (a / b) + nu * du)
    assert float(mass.rim_stress(w)) == pytest.approx(hoop, rel=2e-3)
    with pytest.raises(ValueError, match="leaves no material"):
        RunUp(outer_radius=0.05, bore=0.05)


def test_a_planets_teeth_warm_by_what_slides_as_the_carrier_sees_it():
    """VDI 2736-2 written out with the speed relative to the carrier and the mesh's own power."""
    stage = (
        PlanetaryStage(material="POM", lubricant="dry") if False else PlanetaryStage(material="POM")
    )
    build = Build(stages=(stage,), expected_load=0.5)
    flow = build.flow(0.5, 400.0)
    sun = next(m for m in flow.meshes if m.mesh.contact == "sun–planet")
    contact = next(c for c in stage.contacts() if c.name == "sun–planet")
    carrier = flow.speeds["output"]
    v = contact.pair.module * stage.sun / 2 * (400.0 - carrier)
    assert v < contact.pair.module * stage.sun / 2 * 400.0
    rise = (
        sun.power
        / contact.paths
        * stage.friction.value
        * contact.pair.loss_factor()
        * 2100.0
        / (contact.width * 1e3 * stage.sun * (v * contact.pair.module * 1e3) ** 0.75)
    )
    assert build.teeth_at(flow)[0, "sun–planet"] == pytest.approx(build.works_at + rise)


def test_steel_against_plastic_stays_cooler_and_oil_carries_the_heat_away():
    one = Build(stages=(SpurStage(material="POM"),), expected_load=1.0)
    other = Build(stages=(SpurStage(material="POM", wheel_material="steel"),), expected_load=1.0)
    both, mixed = (
        next(iter(b.teeth_at(b.flow(1.0, 400.0)).values())) - b.works_at for b in (one, other)
    )
    assert mixed == pytest.approx(both * 1100 / 2100)
    oiled = one.model_copy(update={"lubricant": "oiled"})
    assert set(oiled.teeth_at(oiled.flow(1.0, 400.0)).values()) == {oiled.works_at}


def test_warm_teeth_break_earlier():
    """At the expected load they are as warm as it makes them, and as weak."""
    cold = Build(stages=(SpurStage(material="PLA, printed", module=0.5e-3, face_width=3e-3),))
    warm = cold.model_copy(update={"expected_load": 0.15})
    first, later = (
        next(x for x in b.limits if x.part == "pinion" and x.mode == "tooth breaks")
        for b in (cold, warm)
    )
    hot = warm.tooth_temperatures[0, "pinion–wheel"]
    assert hot > 309
    table = strength.Setting(hot).material("PLA, printed")
    assert later.carries / first.carries == pytest.approx(
        table.strength_at(hot) / table.strength_at(cold.works_at)
    )
    assert "°C" in later.basis
