"""Maps, losses, stall and continuous torque against a bench that shares no code with the program:
how often the truth is inside what is stated.
"""

from collections import defaultdict
from functools import cache

import numpy as np
import pytest
from helpers import about_95, benches
from independent import plant, setups
from independent.study import losses_off, reduced

from sparring.core.performance.continuous import CARRIED_FOR, Limits, carries
from sparring.core.performance.efficiency_map import efficiency_map
from sparring.core.performance.heat import as_entered
from sparring.core.performance.losses import losses_at
from sparring.core.performance.model import performance

VOLTS = (6.0, 9.0, 12.0)


@cache
def made(method, n):
    found = []
    for seed in range(0, n, 10):
        for setup in setups.make(method, 10, seed + 1, repeats=2, volts=VOLTS):
            found.append((setup, performance(reduced(setup))))
    return found


def share(z, most=0.995):
    """z: shape (n,); several figures of one bench hang together, so that n counts for less."""
    inside = float(np.mean(np.abs(z) <= 2))
    print(f"inside {100 * inside:.1f} %, mean {np.mean(z):+.2f}, spread {np.std(z):.2f}")
    return inside


@pytest.mark.study
@pytest.mark.parametrize("method", ["hoist", pytest.param("brake", marks=pytest.mark.whole)])
def test_the_map_holds_anywhere_in_it(method):
    z = {name: [] for name in ("wire_to_shaft", "gearbox", "motor")}
    for setup, known in made(method, benches(20)):
        found = efficiency_map(known, 9)
        T, w = np.meshgrid(found.torque, found.speed)
        true = plant.steady(setup.drive, T, w)
        for name in z:
            away = (found.value[name] - getattr(true, name)) / found.u[name]
            # one place of each map: neighbours are no independent checks
            inside = away[np.isfinite(away)]
            z[name].append(inside[len(inside) // 2])
    for name, of in z.items():
        assert about_95(share(np.array(of)), len(of)), name


@pytest.mark.study
@pytest.mark.parametrize("friction", ["known", "not entered"])
def test_losses_hold_by_cause(friction):
    """Also where friction is the template's and drag nobody's."""
    z = defaultdict(list)
    for setup in setups.make("hoist", benches(20), 3, friction=friction):
        for id, away in losses_off(setup, reduced(setup)).items():
            z[id].append(away[0])
    assert {"copper", "motor-friction", "gears", "mesh"} <= z.keys()
    for name, of in z.items():
        assert about_95(share(np.array(of)), len(of), 1.0), name


@pytest.mark.parametrize("friction", ["known", "not entered"])
def test_losses_add_up_to_what_was_measured(friction):
    (setup,) = setups.make("brake", 1, 3, friction=friction)
    known = performance(reduced(setup))
    for step in known.result.running:
        found = losses_at(known, step)
        assert found.power_in == pytest.approx(step.power_in.value)
        lost = sum(c.power for c in found.causes)
        assert lost == pytest.approx(found.power_in - found.power_out, rel=1e-9)
        assert (found.of("unexplained").power > 0) == (friction == "not entered")


@pytest.mark.study
@pytest.mark.parametrize("fed", VOLTS)
def test_the_stall_holds_at_each_voltage(fed):
    z = []
    for setup, known in made("hoist", benches(20)):
        torque, u = known.stall(fed)
        z.append((torque - float(setup.drive.stall(fed)[0])) / u)
    assert about_95(share(np.array(z)), len(z))


def true_torque(drive, winding, seconds):
    """What a drive of the second bench carries until its winding is so much warmer [K], or it
    stalls, by stepping its two bodies.
    """
    R, k = float(drive.R[0]), float(drive.k[0])
    copper, iron, inner, outer = (
        float(np.atleast_1d(x)[0]) for x in (drive.copper, drive.iron, drive.inner, drive.outer)
    )

    def ends(current):
        w = c = 0.0
        for _ in range(int(seconds / 0.5)):
            heat = current**2 * R * (1 + w / 255)
            across = (w - c) / inner
            w, c = w + 0.5 * (heat - across) / copper, c + 0.5 * (across - c / outer) / iron
        return w, c

    low, high = 0.0, 20.0
    for _ in range(22):
        middle = (low + high) / 2
        warmer, _ = ends(middle)
        turns = (max(VOLTS) - float(drive.brush[0])) / (R * (1 + warmer / 255)) > middle
        low, high = (middle, high) if warmer < winding and turns else (low, middle)
    field = 1 - float(np.atleast_1d(drive.magnets)[0]) * ends(low)[1]
    shaft = k * field * low - float(drive.friction[0])
    return (shaft * float(drive.ratio[0]) - float(drive.drag[0])) / (1 + float(drive.part[0]))


@pytest.mark.study
@pytest.mark.parametrize(
    ("seconds", "limit"), [(600.0, "winding"), (7200.0, "winding"), (5.0, "stall"), (20.0, "stall")]
)
def test_what_it_carries_holds(seconds, limit):
    """From five seconds, before which it stalls, to as good as for ever: the true thermal figures
    are 20 % off what the owners entered (standard deviation).
    """
    most = 353.15 + 20 if limit == "winding" else 473.15
    z = []
    for setup, known in made("hoist", benches(20)):
        build = known.result.build
        (told,) = carries(known, as_entered(build), Limits(most, 900.0), (seconds,))
        if told.limit == limit:
            z.append((told.torque - true_torque(setup.drive, most - 293.15, seconds)) / told.u)
    assert len(z) >= 10
    assert about_95(share(np.array(z)), len(z))


@pytest.mark.whole
def test_what_is_carried_for_longer_is_no_more():
    for _, known in made("hoist", 10):
        told = carries(known, as_entered(known.result.build), spans=CARRIED_FOR)
        torque = np.array([c.torque for c in told])
        assert (np.diff(torque) <= 1e-4 * torque[0]).all(), [(c.torque, c.limit) for c in told]
