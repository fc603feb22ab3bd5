"""Orders against SciPy's spectra, hand-counted trains, a catalogue bearing, and a bench that shares
no code with the program.
"""

import math
from typing import get_args

import numpy as np
import pytest
from helpers import about_95
from hypothesis import given, settings
from hypothesis import strategies as st
from independent.gears import Wave, logged
from scipy import signal

from sparring.core.build import Build
from sparring.core.orders.average import average_over
from sparring.core.orders.lines import orders_of
from sparring.core.orders.sound import Sound, heard, lines_of, spectrogram
from sparring.core.orders.spectrum import spectrum
from sparring.core.orders.tones import hunting, tones_of
from sparring.core.orders.transmission import orders_of_error
from sparring.core.orders.turning import kept, turning
from sparring.core.recording import Recording
from sparring.core.train.bearings import Bearing, passing
from sparring.core.train.kinds import SpurStage, Stage
from sparring.core.train.kinds.belt import BeltStage
from sparring.core.train.kinds.planetary import PlanetaryStage
from sparring.core.train.kinds.worm import WormStage

SPUR = Build.ours(stages=(SpurStage.ours(pinion=17, wheel=60), SpurStage.ours(pinion=14, wheel=83)))
ONE = {"output": 1.0, "motor": SPUR.ratio()}
MIDDLE = 83 / 14


def order(build, id):
    return next(t.order for t in tones_of(build) if t.id == id)


def test_a_spur_train_s_orders_are_those_counted_by_hand():
    assert order(SPUR, "shaft.motor") == pytest.approx(60 / 17 * 83 / 14)
    assert order(SPUR, "mesh.stage 1.pinion–wheel") == pytest.approx(60 * 83 / 14)
    assert order(SPUR, "mesh.stage 2.pinion–wheel") == pytest.approx(83)


def test_a_planetary_s_mesh_is_the_ring_s_teeth_per_turn_of_the_carrier():
    """Ring held: z_R a turn of the carrier, N planets pass a tooth of it (textbook)."""
    build = Build.ours(stages=(PlanetaryStage.ours(sun=12, planet=18, ring=48, planets=3),))
    assert order(build, "mesh.stage 1.planet–ring") == pytest.approx(48)
    assert order(build, "mesh.stage 1.sun–planet") == pytest.approx(48)
    assert order(build, "passage.stage 1.ring") == pytest.approx(3)
    assert order(build, "passage.stage 1.sun") == pytest.approx(3 * 48 / 12)
    assert order(build, "planet.stage 1.planets") == pytest.approx(48 / 18)


def test_every_tone_of_every_kind_of_stage_has_an_id_of_its_own():
    for kind in get_args(get_args(Stage)[0]):
        build = Build.ours(stages=(kind.ours(),))
        ids = [t.id for t in tones_of(build)]
        assert len(ids) == len(set(ids)), kind.TITLE


def test_belt_and_worm():
    belt = Build.ours(stages=(BeltStage.ours(driving=16, driven=32, links=80),))
    assert order(belt, "belt.stage 1.belt") == pytest.approx(32 / 80)
    worm = Build.ours(stages=(WormStage.ours(starts=2, wheel=40),))
    assert order(worm, "mesh.stage 1") == pytest.approx(40)


def test_a_6205_bearing():
    """Deep groove ball bearing 6205: 9 balls of 7.94 mm on 39.04 mm; outer 3.585, inner 5.415, cage
    0.398, ball 4.714 a turn, as data sets of such bearings tell them (from memory).
    """
    six = Bearing.ours(balls=9, ball_diameter=7.94e-3, pitch_diameter=39.04e-3)
    assert passing(six) == pytest.approx((3.585, 5.415, 0.3983, 4.714), rel=1e-3)
    with pytest.raises(ValueError, match="interchanged"):
        Bearing(**Bearing.ours().model_dump() | {"ball_diameter": 0.02, "pitch_diameter": 0.01})


def test_hunting():
    assert hunting((14, 83)) == (1, 83)
    assert hunting((12, 60)) == (12, 5)


@settings(max_examples=25, deadline=None)
@given(
    at=st.floats(5.0, 60.0), size=st.floats(0.01, 1.0), phase=st.floats(0, 6.3), w=st.floats(3, 30)
)
def test_at_constant_speed_the_spectrum_is_scipy_s_periodogram(at, size, phase, w):
    """scipy.signal.periodogram, Hann window, scaling "spectrum": its peak is A²/2."""
    rate, n = 1000.0, 8000
    t = np.arange(n) / rate
    turned = turning(Recording(t, {"speed": np.full(n, w)}), ONE)
    order = at * 2 * math.pi / w
    y = 3.0 + size * np.sin(2 * math.pi * at * t + phase)
    ours = spectrum(turned, y)
    f, power = signal.periodogram(y, rate, window="hann", scaling="spectrum")
    theirs = np.sqrt(2 * power.max())
    near = np.abs(ours.order - order) < 3 * ours.resolution
    assert ours.amplitude[near].max() == pytest.approx(theirs, rel=0.03)
    assert ours.order[np.argmax(ours.amplitude)] == pytest.approx(
        f[np.argmax(power)] * 2 * math.pi / w, abs=1.5 * ours.resolution
    )


@pytest.mark.parametrize("cycles", [0.05, 0.2, 0.3, 0.4])
def test_what_splines_leave_of_a_wave(cycles):
    """Against SciPy's splines through many phases."""
    from scipy.interpolate import CubicSpline

    n = 400
    left = []
    for phase in np.linspace(0, 2 * math.pi, 16, endpoint=False):
        y = np.cos(2 * math.pi * cycles * np.arange(n) + phase)
        x = np.linspace(50, 350, 30011)
        z = np.exp(-1j * (2 * math.pi * cycles * x + phase)) * CubicSpline(np.arange(n), y)(x)
        left.append(2 * z.mean())
    assert np.mean(left).real == pytest.approx(float(kept(np.array(cycles))), abs=0.01)


@pytest.mark.whole
def test_amplitudes_lie_in_their_intervals_on_ramps_with_jitter():
    """150 lines of 50 logs: the truth is inside ± 2 u about 95 times in 100."""
    inside, several, away = 0, 0, []
    for seed in range(50):
        rng = np.random.default_rng(seed)
        phases = rng.uniform(0, 2 * math.pi, 3)
        wanted = [
            Wave(o, rng.uniform(0.002, 0.01), p)
            for o, p in zip((1.0, MIDDLE, 83.0), phases, strict=True)
        ]
        t, speed, _ = logged(rng, wanted, rate=800.0, gain=1 + 1e-3 * rng.uniform(-1, 1))
        found = orders_of(SPUR, Recording(t, {"speed": speed}), doubt=5e-4)
        for wave in wanted:
            line = next(x for x in found.lines if abs(x.order - wave.order) < 1e-6)
            # the speed ramps: its ripple is a part of the mean
            off = (line.amplitude / found.spectrum.mean - wave.amplitude) / (
                line.u / found.spectrum.mean
            )
            away.append(off)
            several += 1
            inside += abs(off) <= 2
    assert about_95(inside / several, several)
    assert abs(np.mean(away)) < 0.35


def test_an_average_over_turns_is_the_plain_mean_of_them():
    rng = np.random.default_rng(1)
    turns, per = 40, 200
    shape = rng.standard_normal(per)
    shape = signal.savgol_filter(np.tile(shape, 3), 31, 3)[per : 2 * per]
    y = np.tile(shape, turns) + 0.3 * rng.standard_normal(turns * per)
    t = np.arange(turns * per) / 1000
    rec = Recording(t, {"angle": 2 * math.pi * np.arange(turns * per) / per})
    turned = turning(rec, ONE)
    found = average_over(turned, y, "output", 1.0)
    whole = y[: (turns - 1) * per].reshape(-1, per)
    theirs = (whole - whole.mean(axis=1, keepdims=True)).mean(axis=0) + whole.mean()
    assert found.turns == turns - 1
    assert found.mean == pytest.approx(theirs, abs=0.02)
    assert found.u.mean() == pytest.approx(0.3 / math.sqrt(turns - 1), rel=0.1)


def test_what_a_slow_log_cannot_see_is_said_and_what_it_folds():
    """80 samples a second at 2 turns: up to order 16; order 83 would appear at 83 − 2 · 40 = 3."""
    t = np.arange(0, 40, 1 / 80)
    turns = 2.0 * t
    rng = np.random.default_rng(3)
    y = 4 * math.pi * (1 + 0.01 * np.sin(2 * math.pi * 83 * turns))
    y = y * (1 + 0.001 * rng.standard_normal(len(t)))
    found = orders_of(SPUR, Recording(t, {"speed": y}))
    assert {x.id for x in found.limits.unseen} >= {"mesh.stage 2.pinion–wheel", "shaft.motor"}
    assert found.limits.most == pytest.approx(16, rel=0.01)
    (line,) = [x for x in found.lines if abs(x.found - 3) < 0.1]
    assert line.alias == "mesh of stage 2"


def test_transmission_error_of_an_eccentric_output():
    """An eccentric wheel of 20 mm radius, out by 0.05 mm: ± 2.5 mrad once a turn."""
    rng = np.random.default_rng(5)
    t = np.arange(0, 30, 1 / 200)
    motor = 60.0 * t
    out = motor / SPUR.ratio()
    out = out + 2.5e-3 * np.sin(out) + 2e-4 * rng.standard_normal(len(t))
    found = orders_of_error(SPUR, Recording(t, {"angle": out, "motor_angle": motor}))
    line = next(x for x in found.lines if x.id == "shaft.output")
    assert abs(line.amplitude - 2.5e-3) < 2 * line.u + 2e-5


def tone(rng, speed, rate=16000, seconds=5.0, noise=0.05):
    t = np.arange(0, seconds, 1 / rate)
    turns = np.cumsum(speed * (1 + 0.004 * np.sin(3 * t))) / rate / (2 * math.pi)
    y = 0.02 * np.sin(2 * math.pi * 83 * turns)
    y += 0.03 * np.sin(2 * math.pi * 60 * MIDDLE * turns)
    true = 2 * math.pi * turns[-1] / seconds
    return Sound(y + noise * rng.standard_normal(len(t)), rate), true


def test_the_speed_is_heard():
    """40 sounds: the true mean speed is inside ± 2 u about 95 times in 100."""
    inside = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        sound, true = tone(rng, rng.uniform(3.5, 12.0))
        told = heard(sound, tones_of(SPUR), 3.0, 15.0)
        inside += abs(told.mean - true) <= 2 * told.u
        assert not told.other
    assert about_95(inside / 40, 40)


def test_a_sound_s_lines_are_named_and_its_spectrogram_is_loudest_there():
    sound, true = tone(np.random.default_rng(2), 8.0)
    _, found = lines_of(SPUR, sound, 3.0, 15.0)
    assert {x.id for x in found.lines} >= {"mesh.stage 1.pinion–wheel", "mesh.stage 2.pinion–wheel"}
    picture = spectrogram(sound, 1000.0)
    loudest = picture.frequency[np.argmax(picture.level.mean(axis=1))]
    assert loudest == pytest.approx(60 * MIDDLE * true / (2 * math.pi), abs=6)
