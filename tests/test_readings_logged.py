"""Readings taken out of recordings."""

from dataclasses import replace

import numpy as np
import pytest
from helpers import about_95, benches
from readings_helpers import figure

from sparring.core.characterise import METHODS
from sparring.core.characterise.counting import Counting
from sparring.core.characterise.currents import Currents
from sparring.core.plant.bench import bench_of
from sparring.core.plant.fixtures import FIXTURES, record
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.uncertainty import nominal, std

ACCURACY = {
    "voltage": 0.005,
    "current": 0.01,
    "speed": 0.001,
    "motor_speed": 0.001,
    "torque": 0.005,
}


INSTRUMENTS = {"voltmeter": 0.005, "ammeter": 0.01, "tachometer": 0.001, "torquemeter": 0.005}


@pytest.mark.study
@pytest.mark.parametrize("title", FIXTURES)
def test_a_recording_gives_the_truth_as_often_as_it_says(title, build, rig):
    """Set-ups of every kind that records, each dimension and instrument off
    by its own uncertainty."""
    rng, n = np.random.default_rng(4), benches(40)

    def vary(x, part=0.15):
        return x * rng.uniform(1 - part, 1 + part, n)

    def seen(true, u):
        return Measured(float(true + u * rng.standard_normal()), u)

    base = bench_of(build, rig)
    names = {"k": 0.15, "R": 0.15, "friction": 0.15, "windup": 0.15, "backlash": 0.5}
    bench = replace(
        base,
        **{k: vary(getattr(base, k), part) for k, part in names.items()},
        up=tuple(vary(u, 0.05) for u in base.up),
    )
    how = {
        "swing": lambda: {
            "inertia": vary(2.2e-3),
            "mass": vary(1.2),
            "radius": vary(0.06),
            "length": vary(1.0),
        },
        "holding": lambda: {"load": vary(0.35), "creep": vary(2e-3, 0.5)},
        "break-away": lambda: {"stick": rng.uniform(1.05, 1.8, n)},
        "wind-up": lambda: {"friction": vary(0.01, 0.4)},
        "drum-friction": lambda: {
            "radius": vary(0.0255),
            "mass": vary(0.15),
            "bearing": vary(0.004, 0.5),
        },
    }.get(title, dict)()
    fixture = FIXTURES[title](bench, **how)
    gains = {c: 1 + a / 2 * rng.standard_normal(n) for c, a in ACCURACY.items()}
    kind = next(k for k in METHODS if title == k.ID)
    hits = {label: [] for label in fixture.truth()}
    for i, recording in enumerate(record(fixture, seed=4, gains=gains)):
        known = {name: a for name, a in INSTRUMENTS.items() if name in kind.model_fields}
        if "gravity" in kind.model_fields:
            known["gravity"] = seen(base.gravity, 0.003)
        for name, u in (("mass", 1e-3), ("radius", 2e-4), ("length", 1e-3), ("arm", 2e-4)):
            if name in how and name in kind.model_fields:
                known[name] = seen(how[name][i], u)
        if title == "drum-friction":
            known |= {
                "weight": seen(how["mass"][i], 3e-4),
                "constant": seen(bench.k[i], 2e-4),
                "friction": seen(bench.friction[i], 5e-5),
            }
        way = kind(**known)
        judged = way.reduce(way.from_log(recording))
        for label, true in fixture.truth().items():
            value = figure(judged, label).value
            hits[label].append(abs(nominal(value) - np.broadcast_to(true, n)[i]) <= 2 * std(value))
    for label, found in hits.items():
        assert about_95(np.mean(found), n), label


def test_recordings_that_lack_something_are_refused_in_words(build, rig):
    for kind in (k for k in METHODS if k.CHANNELS):
        fixture = FIXTURES[kind.ID](bench_of(build, rig))
        (whole,) = record(fixture, seed=1)
        for channel in kind.CHANNELS:
            with pytest.raises(ValueError, match="the recording has no"):
                kind().from_log(
                    Recording(whole.t, {c: v for c, v in whole.channels.items() if c != channel})
                )
        still = Recording(whole.t, {c: np.zeros(len(whole)) for c in kind.CHANNELS})
        if kind is not Currents:  # a current may be nothing
            with pytest.raises(ValueError, match=r"recording|beyond|typed"):
                kind().reduce(kind().from_log(still))
        with pytest.raises(ValueError, match="samples"):
            kind().from_log(whole.span(0.0, 0.05))
    with pytest.raises(ValueError, match="typed, not recorded"):
        Counting().from_log(whole)
