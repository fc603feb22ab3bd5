"""A sound of the running drive: its spectrum over time, the speed that its meshes tell, its lines.

A microphone's level is relative: what it shows is how loud a line is beside the rest.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sparring.core import predict
from sparring.core.build import Build
from sparring.core.orders.lines import Orders, orders_of
from sparring.core.orders.tones import Tone, tones_of
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import ReductionError
from sparring.core.uncertainty import t_widening

_WINDOW = 0.25  # [s] that one spectrum is taken of
_STEP = 1.002  # between two speeds that are tried
_WEIGHTS = (1.0, 0.6, 0.4)  # of a mesh and its harmonics
_PLAIN = 1.25  # a speed's score over that of any other, to be believed
_NEAR = 0.08  # speeds nearer than this are one
_CLOCK = 1.5e-4  # of a sound card, relative (standard; common practice)
_LOUD = 4.0  # over the noise beside it, that a tone counts for at most


@dataclass(frozen=True)
class Sound:
    """samples: shape (n,), in parts of full scale; rate: a second."""

    samples: np.ndarray
    rate: float

    @property
    def seconds(self) -> float:
        return len(self.samples) / self.rate


@dataclass(frozen=True)
class Spectrogram:
    """t [s], frequency [Hz], level [dB] beside the loudest, shape (frequencies, times)."""

    t: np.ndarray
    frequency: np.ndarray
    level: np.ndarray


@dataclass(frozen=True)
class Heard:
    """The output's speed that the meshes tell, by time: t [s], speed [rad/s], shape (n,); mean and
    its standard uncertainty; other: a speed that explains the sound nearly as well, 0: none.
    """

    t: np.ndarray
    speed: np.ndarray
    mean: float
    u: float
    other: float


def spectrogram(sound: Sound, most: float = math.inf) -> Spectrogram:
    """Up to `most` [Hz], in windows of a quarter of a second that overlap by half."""
    t, frequency, power = _spectra(sound)
    shown = frequency <= most
    level = 10 * np.log10(np.maximum(power[shown], 1e-20))
    return Spectrogram(t, frequency[shown], level - level.max())


def _spectra(sound: Sound) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    from scipy.signal import ShortTimeFFT
    from scipy.signal.windows import hann

    size = min(int(_WINDOW * sound.rate), len(sound.samples))
    if size < 64:
        raise ReductionError(
            f"the sound has {len(sound.samples)} samples at {sound.rate:.5g} Hz; a quarter of a"
            " second is needed at least"
        )
    stft = ShortTimeFFT(hann(size, sym=False), hop=max(size // 2, 1), fs=sound.rate)
    power = stft.spectrogram(sound.samples - sound.samples.mean())
    t = stft.t(len(sound.samples))
    inside = (t >= size / 2 / sound.rate) & (t <= sound.seconds - size / 2 / sound.rate)
    inside = inside if inside.any() else np.ones(len(t), dtype=bool)
    return t[inside], stft.f, power[:, inside]


def heard(sound: Sound, tones: Sequence[Tone], low: float, high: float) -> Heard:
    """The output's speed between two [rad/s], by the mesh tones, which must all fit. tones: for one
    turn of the output. Raises ReductionError when the train has no mesh, or none is heard.
    """
    meshes = [t.order for t in tones if t.kind == "mesh"]
    if not meshes:
        raise ReductionError("no gears are known in this train: its sound cannot tell the speed")
    t, frequency, power = _spectra(sound)
    loud = _over_noise(power)
    count = math.ceil(math.log(high / low) / math.log(_STEP)) + 1
    tried = low * _STEP ** np.arange(count)
    score = np.zeros((count, len(t)))
    whole = np.zeros((count, 1))
    for order in meshes:
        for n, weight in enumerate(_WEIGHTS, start=1):
            at = tried / (2 * math.pi) * order * n / frequency[1]
            place = np.minimum(np.rint(at).astype(int), len(frequency) - 1)
            there = (at < len(frequency) - 1)[:, None]
            score += weight * np.where(there, loud[place], 0.0)
            whole += weight * there
    score /= np.maximum(whole, sum(_WEIGHTS))
    together = score.mean(axis=1)
    best = int(np.argmax(together))
    far = np.abs(tried / tried[best] - 1) > _NEAR
    second = int(np.argmax(np.where(far, together, -1)))
    quiet = float(np.median(together))
    if together[best] - quiet < 0.3:
        raise ReductionError(
            "no mesh tone stands out of this sound: bring the microphone nearer to the gearbox, or"
            " record where it is quiet"
        )
    other = tried[second] if (together[best] - quiet) < _PLAIN * (together[second] - quiet) else 0.0
    # from the speed of the whole on, the course within a tenth of it
    near = np.abs(np.log(tried / tried[best])) < 0.1
    course = tried[near][np.argmax(_smooth(score[near]), axis=0)]
    fine = np.array([_refined(s, power[:, k], frequency, meshes) for k, s in enumerate(course)])
    kept = np.abs(fine - np.median(fine)) <= 5 * 1.4826 * max(
        float(np.median(np.abs(fine - np.median(fine)))), 1e-4 * float(np.median(fine))
    )
    bends = np.diff(fine[kept], 2)  # what is left of it when its own course is not counted
    scatter = float(bends.std() / math.sqrt(6)) if len(bends) > 3 else 0.01 * float(fine.mean())
    many = max(kept.sum() / 2, 1.0)  # windows overlap by half
    u = scatter / math.sqrt(many) * t_widening(max(many - 1, 1))
    u = math.hypot(u, _CLOCK * float(fine.mean()))
    return Heard(t[kept], fine[kept], float(fine[kept].mean()), u, float(other))


def _over_noise(power: np.ndarray) -> np.ndarray:
    """Logarithm of the amplitude over the noise beside it, between 0 and `_LOUD`."""
    from scipy.ndimage import maximum_filter1d, median_filter

    noise = median_filter(power, size=(41, 1), mode="nearest")
    over = 0.5 * np.log(np.maximum(power, 1e-30) / np.maximum(noise, 1e-30))
    return np.asarray(np.clip(maximum_filter1d(over, 3, axis=0), 0.0, _LOUD))


def _smooth(score: np.ndarray) -> np.ndarray:
    from scipy.ndimage import uniform_filter1d

    return np.asarray(uniform_filter1d(score, 3, axis=1, mode="nearest"))


def _refined(
    speed: float, power: np.ndarray, frequency: np.ndarray, meshes: Sequence[float]
) -> float:
    """The speed by where the strongest mesh tones truly lie between the spectrum's lines, weighted
    by their order and loudness.
    """
    top, weights = 0.0, 0.0
    for order in meshes:
        for n in range(1, len(_WEIGHTS) + 1):
            at = speed / (2 * math.pi) * order * n / frequency[1]
            j = round(at)
            if not 3 <= j < len(power) - 3:
                continue
            j += int(np.argmax(power[j - 2 : j + 3])) - 2
            a = np.sqrt(power[j - 1 : j + 2])
            if a[1] < max(a[0], a[2]) or a[1] <= 0:
                continue
            side, sign = (a[2], 1) if a[2] > a[0] else (a[0], -1)
            ratio = side / a[1]
            off = min(max((2 * ratio - 1) / (1 + ratio), 0.0), 0.5) * sign
            found = (j + off) * frequency[1] * 2 * math.pi / (order * n)
            weight = float(power[j]) * (order * n) ** 2
            if abs(found / speed - 1) < 0.02:
                top, weights = top + weight * found, weights + weight
    return top / weights if weights else speed


def lines_of(build: Build, sound: Sound, low: float, high: float) -> tuple[Heard, Orders]:
    """Orders of a sound by its own speed. low, high: of the output [rad/s]. Raises
    ReductionError.
    """
    found = heard(sound, tones_of(build), low, high)
    t = np.arange(len(sound.samples)) / sound.rate
    rec = Recording(t, {"speed": np.interp(t, found.t, found.speed)})
    doubt = max(found.u / found.mean, 1e-4)
    return found, orders_of(build, rec, channel="sound", doubt=doubt, signal=sound.samples)


def expected_speeds(build: Build, voltage: float | None = None) -> tuple[float, float]:
    """Between which the output's speed is looked for [rad/s]: from a tenth of what it should do
    without load to a quarter more. voltage [V]: at the motor; that of its readings.
    """
    if build.has_motor:
        free = predict.no_load_speed(build, voltage or build.motor.voltage.value)
    else:
        free = 3 * build.usual_input / abs(build.ratio())
    return 0.1 * free, 1.25 * free
