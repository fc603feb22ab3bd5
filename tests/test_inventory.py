"""Mass, size, inertia and cost of a build, held against a geometry library and plain formulas."""

import math

import numpy as np
import pytest
from shapely import contains_xy
from shapely.geometry import Polygon

from sparring.core import inventory
from sparring.core.build import Build, Item
from sparring.core.motor import FurtherMotor
from sparring.core.train import materials, outlines
from sparring.core.train.kinds import KINDS, ClutchStage, PlanetaryStage, SpurStage
from sparring.core.train.stage import Body


def area(loops):
    """Of a figure filled odd-even, by Shapely."""
    whole = Polygon()
    for loop in loops:
        whole = whole.symmetric_difference(Polygon(loop * 1e3).buffer(0))
    return whole.area * 1e-6


@pytest.mark.parametrize("kind", KINDS, ids=lambda k: k.TITLE)
def test_faces_have_the_area_that_a_geometry_library_finds(kind):
    for body in kind().bodies("a", "b", "s"):
        if body.turned_part is not None:
            continue  # weighed as a cylinder
        loops = body.outline(lambda _shaft: 0.0)
        assert body.area() == pytest.approx(area(loops), rel=1e-5), body.name


def test_a_ring_of_material_has_the_moment_of_the_formula():
    """J/(ρ b) = π (R⁴ − r⁴)/2."""
    body = Body("ring", (outlines.circle(20e-3, points=2000), outlines.circle(8e-3, points=2000)))
    assert body.area() == pytest.approx(math.pi * (20e-3**2 - 8e-3**2), rel=1e-5)
    assert body.second_moment() == pytest.approx(math.pi / 2 * (20e-3**4 - 8e-3**4), rel=1e-5)


def test_inertia_is_carried_to_the_input_by_the_square_of_the_speed():
    light = Build(stages=(ClutchStage(),))
    geared = Build(stages=(SpurStage(pinion=20, wheel=60), ClutchStage()))
    steel = materials.find("steel").density
    clutch = sum(b.second_moment() * b.width * steel for b in ClutchStage().bodies("a", "b", "s"))
    assert inventory.take(light).inertia_in == pytest.approx(light.motor.inertia + clutch)
    pair = Build(stages=(SpurStage(pinion=20, wheel=60),))
    assert inventory.take(geared).inertia_in - inventory.take(pair).inertia_in == pytest.approx(
        clutch / 9
    )
    assert inventory.take(geared).inertia_out == pytest.approx(
        9 * inventory.take(geared).inertia_in
    )
    assert inventory.take(
        Build(further_motors=(FurtherMotor(gearing=2.0),), stages=(ClutchStage(),))
    ).inertia_in == pytest.approx(5 * light.motor.inertia + clutch)


def test_planets_count_about_their_axis_and_round_the_centre():
    """Kinetic energy summed over points of the drawn planets equals ½ J ω²."""
    stage = PlanetaryStage()
    build = Build(stages=(stage,))
    speeds = build.speeds
    density = materials.find("POM").density
    energy = 0.0
    for body in stage.bodies("motor", "output", "stage 1"):
        loops = body.loops
        if body.look == "ring":
            continue
        xs = np.linspace(-body.reach, body.reach, 301)
        gx, gy = np.meshgrid(xs, xs)
        inside = np.zeros(gx.size, int)
        for loop in loops:
            inside += contains_xy(Polygon(loop), gx.ravel(), gy.ravel())
        px, py = gx.ravel()[inside % 2 == 1], gy.ravel()[inside % 2 == 1]
        own, around = (
            speeds.get(body.shaft, 0.0),
            speeds.get(body.carrier, 0.0) if body.carrier else 0.0,
        )
        vx, vy = -own * py - around * body.at[1], own * px + around * body.at[0]
        energy += 0.5 * density * body.width * (xs[1] - xs[0]) ** 2 * (vx**2 + vy**2).sum()
    expected = inventory.take(build).inertia_in - build.motor.inertia
    assert 2 * energy == pytest.approx(expected, rel=0.02)


def test_cost_and_spares_add_up_and_unknown_materials_are_said():
    build = Build(
        parts=(
            Item(part="gear", count=4, price=2.5, spares=2, mass=0.01),
            Item(part="motor", price=12.0),
        ),
        stages=(SpurStage(material="elm"),),
    )
    inv = inventory.take(build)
    assert (inv.cost, inv.with_spares) == (22.0, 27.0)
    assert inv.mass == pytest.approx(build.motor.mass + 0.04)
    assert inv.unknown == ("elm",)
    length, wide, high = inventory.take(Build(stages=(SpurStage(pinion=20, wheel=40),))).size
    assert (wide, high) == (pytest.approx(62e-3), pytest.approx(42e-3))
    assert length == pytest.approx(6.6e-3)
