"""Drawings judged by Shapely: what meshes touches, and never overlaps by more than a micrometre
over a tooth of rotation.
"""

import math

import numpy as np
import pytest
from shapely.geometry import Polygon

from sparring.core.train import kinematics, outlines, teeth
from sparring.core.train.kinds import (
    CycloidStage,
    PlanetaryStage,
    ShiftStage,
    SplitRingStage,
    SpurStage,
    StrainWaveStage,
)
from sparring.core.train.pair import Pair


def polygon(loops):
    """The filled figure, in micrometres."""
    parts = sorted((Polygon(loop * 1e6).buffer(0) for loop in loops), key=lambda p: -p.area)
    whole = parts[0]
    for part in parts[1:]:
        whole = (
            whole.difference(part)
            if whole.contains(part.representative_point())
            else whole.union(part)
        )
    return whole


def depth(overlap):
    """How deep a thin overlap is [µm]: twice its area over its half perimeter."""
    pieces = [g for g in getattr(overlap, "geoms", [overlap]) if g.area > 0]
    return max((4 * g.area / g.length for g in pieces), default=0.0)


def placed(body, turned):
    """Its outlines where they are."""
    (x, y), a = body.centre(turned), body.angle(turned)
    c, s = math.cos(a), math.sin(a)
    return [
        np.column_stack([x + c * p[:, 0] - s * p[:, 1], y + s * p[:, 0] + c * p[:, 1]])
        for p in body.outline(turned)
    ]


def judged(stage, meshing, turn, steps=7):
    """(deepest overlap, widest gap) [µm] of the named bodies while the input turns by
    `turn` [rad]."""
    speeds = kinematics.solve_speeds(stage.elements("a", "b", "s"), {"a": 1.0})
    bodies = stage.bodies("a", "b", "s")
    deepest = widest = 0.0
    for angle in np.linspace(0, turn, steps, endpoint=False):
        figures = [
            (b.name, polygon(placed(b, lambda shaft, a=angle: speeds.get(shaft, 0.0) * a)))
            for b in bodies
        ]
        for i, (name, figure) in enumerate(figures):
            for other, second in figures[i + 1 :]:
                if {name, other} in meshing:
                    deepest = max(deepest, depth(figure.intersection(second)))
                    widest = max(widest, figure.distance(second))
    return deepest, widest


# unequal places
@pytest.mark.parametrize(
    ("stage", "meshing", "turn"),
    [
        (SpurStage(pinion=17, wheel=43), [{"pinion", "wheel"}], 2 * math.pi / 17),
        (SpurStage(pinion=9, wheel=30), [{"pinion", "wheel"}], 2 * math.pi / 9),  # undercut
        (
            SpurStage(pinion=8, wheel=20, pinion_shift=0.5, wheel_shift=-0.2),
            [{"pinion", "wheel"}],
            2 * math.pi / 8,
        ),
        (SpurStage(pinion=18, wheel=45, mesh="internal"), [{"pinion", "wheel"}], 2 * math.pi / 18),
        (PlanetaryStage(), [{"sun", "planet"}, {"planet", "ring"}], 2 * math.pi / 12),
        (
            PlanetaryStage(driven="carrier", held="sun"),
            [{"sun", "planet"}, {"planet", "ring"}],
            2 * math.pi / 12,
        ),
        (
            PlanetaryStage(sun=13, planet=18, ring=49),
            [{"sun", "planet"}, {"planet", "ring"}],
            2 * math.pi / 13,
        ),
        (
            SplitRingStage(),
            [{"sun", "planet"}, {"planet", "held ring"}, {"upper planet", "turning ring"}],
            2 * math.pi / 12,
        ),
        (CycloidStage(), [{"disc", "pins"}, {"disc", "rollers"}], 2 * math.pi),
        (CycloidStage(held="disc", discs=1), [{"disc", "pins"}], 2 * math.pi),
        (ShiftStage(), [{"pinion 1", "wheel 1"}, {"pinion 2", "wheel 2"}], 2 * math.pi / 14),
    ],
    ids=lambda v: v.in_words() if hasattr(v, "in_words") else "",
)
def test_meshing_flanks_touch_and_never_overlap(stage, meshing, turn):
    deepest, widest = judged(stage, meshing, turn)
    assert deepest < 1.0
    # pins are drawn with 24 or 40 sides, flat by up to 21 µm; flanks come far closer
    assert widest < 25.0


def test_flexed_teeth_never_overlap_the_ring_they_run_in():
    """The ring is cut 0.02 modules wider than what the teeth sweep; so there is a gap, and only a
    small one.
    """
    for stage in (
        StrainWaveStage(),
        StrainWaveStage(nodes=3, ring=93),
        StrainWaveStage(held="flexible"),
    ):
        deepest, widest = judged(stage, [{"ring", "flexible teeth"}], 2 * math.pi, 9)
        assert deepest < 1.0
        assert widest < 0.04 * stage.module * 1e6


@pytest.mark.parametrize("z", [14, 20, 50])
@pytest.mark.parametrize("between", [4, 6, 7, 8, 12])
def test_tips_that_foul_in_a_ring_are_those_that_overlap(z, between):
    """Colbourne's condition against the drawn outlines."""
    pair = Pair(1e-3, z, z + between, ring=True)
    gear = outlines.gear(1e-3, z, 0.0, teeth.ALPHA_20, 12)
    ring = polygon(
        [outlines.ring(1e-3, z + between, 0.0, teeth.ALPHA_20, 12, tip=pair.radii(2)[0])]
    )
    worst = 0.0
    for turn in np.linspace(0, 2 * math.pi / z, 12, endpoint=False):
        c, s = math.cos(turn), math.sin(turn)
        inside = polygon([gear @ np.array([[c, s], [-s, c]]) + [pair.centre_distance(), 0.0]])
        angle = teeth.ring_angle(z, z + between, turn, 0.0)
        from shapely import affinity

        worst = max(
            worst, depth(inside.difference(affinity.rotate(ring, angle, (0, 0), use_radians=True)))
        )
    assert pair.ring_tips_foul() == (worst > 1.0)
