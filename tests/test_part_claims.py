"""What is said of measured parts: hardly ever of sound ones, whose readings are off by their own ±,
and of those that it is true of.
"""

import math

import numpy as np
import pytest
from helpers import benches
from readings_helpers import ids

from sparring.core.build import Build
from sparring.core.characterise.breakaway import Breakaway, BreakawayReading
from sparring.core.characterise.drum import DrumFriction, DrumReading
from sparring.core.characterise.swing import Swing, SwingReading
from sparring.core.characterise.windup import WindUp, WindUpReading
from sparring.core.findings.build import judge_build
from sparring.core.quantity import Measured
from sparring.core.train.kinds import SpurStage
from sparring.core.train.kinds.closed_box import ClosedBoxStage
from sparring.core.train.kinds.strain_wave import StrainWaveStage

G = 9.80665


def read(rng, true, u):
    """A reading off by a draw from its standard uncertainty."""
    return Measured(true + u * rng.standard_normal(), u)


def pulls(rng, starts, turns):
    readings = [
        BreakawayReading(starts=read(rng, starts, 0.02), turns=read(rng, turns, 0.02))
        for _ in range(3)
    ]
    return Breakaway().reduce(readings)


def loop(rng, play, stiffness=(2.0, 2.0)):
    """A slow loop: angle = torque/stiffness, half of the play to either side."""
    torques = [0.1, 0.4, 0.8, 0.4, 0.1, -0.1, -0.4, -0.8, -0.4, -0.1]
    readings = []
    for torque in torques:
        side = 0 if torque > 0 else 1
        angle = torque / stiffness[side] + play / 2 * np.sign(torque)
        readings.append(
            WindUpReading(torque=read(rng, torque, 0.004), angle=read(rng, angle, 0.003))
        )
    return WindUp().reduce(readings)


def drum(rng, friction, heavier=1.0, radius=0.0255):
    """Lifting and lowering two weights, by a torque sensor."""
    readings = []
    for load, rubs in ((0.1, friction), (0.3, friction * heavier)):
        pull = load * G * radius
        readings.append(
            DrumReading(
                load=Measured(load, 1e-4),
                lifting=read(rng, pull + rubs, 2e-4),
                lowering=read(rng, pull - rubs, 2e-4),
            )
        )
    entered = Measured(0.0255 + 1e-4 * rng.standard_normal(), 1e-4)
    return DrumFriction(radius=entered, gravity=Measured(G, 1e-3)).reduce(readings)


CLAIMS = {
    "breakaway-below-running": (lambda rng: pulls(rng, 0.3, 0.3), lambda rng: pulls(rng, 0.2, 0.3)),
    "sticks": (lambda rng: pulls(rng, 0.045, 0.03), lambda rng: pulls(rng, 0.9, 0.3)),
    "play-negative": (lambda rng: loop(rng, 0.0), lambda rng: loop(rng, -0.03)),
    "wind-up-uneven": (
        lambda rng: loop(rng, 0.01),
        lambda rng: loop(rng, 0.01, stiffness=(2.0, 1.0)),
    ),
    "drum-friction-negative": (lambda rng: drum(rng, 0.0), lambda rng: drum(rng, -2e-3)),
    "drum-friction-grows": (lambda rng: drum(rng, 5e-4), lambda rng: drum(rng, 1e-3, heavier=3.0)),
    "drum-radius-as-measured": (
        lambda rng: drum(rng, 1e-3),
        lambda rng: drum(rng, 1e-3, radius=0.0265),
    ),
}
"""By what is said: sound parts at the edge of it, and such of which it is true."""


@pytest.mark.parametrize("id", CLAIMS)
def test_of_measured_parts_what_is_said_is_so(id):
    """1 % of sound ones and 80 % of the others; a figure lies beyond 2.6 u in half of that."""
    sound, true = CLAIMS[id]
    n = 4 * benches(100)
    rng = np.random.default_rng(3)
    false = sum(id in ids(sound(rng)) for _ in range(n))
    assert false <= 0.01 * n + 2.5 * math.sqrt(0.01 * n)
    assert sum(id in ids(true(rng)) for _ in range(n // 4)) >= 0.8 * (n // 4)


def test_swings_that_are_too_short_for_a_stopwatch():
    def swings(count, seconds):
        return Swing().reduce([SwingReading(swings=count, time=Measured(seconds, 0.1))])

    assert "swings-few" in ids(swings(5, 6.0))
    assert "swings-few" not in ids(swings(30, 36.0))


@pytest.mark.parametrize(
    ("id", "there", "sound"),
    [
        (
            "few-flexible-teeth",
            StrainWaveStage(flexible=28, ring=30),
            StrainWaveStage(flexible=80, ring=82),
        ),
        (
            "box-not-known",
            ClosedBoxStage(),
            ClosedBoxStage(efficiency_stated=Measured(0.8, 0.02), rated=2.0, play=0.01),
        ),
        (
            "box-ratio-coarse",
            ClosedBoxStage(ratio_found=Measured(30.0, 0.5)),
            ClosedBoxStage(ratio_found=Measured(30.0, 0.01)),
        ),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_what_is_said_of_a_build_follows_from_what_was_entered(id, there, sound):
    def said(stage):
        build = Build(stages=(SpurStage(pinion=18, wheel=36), stage))
        return {f.id for f in judge_build(build, 12.0)}

    assert id in said(there)
    assert id not in said(sound)
