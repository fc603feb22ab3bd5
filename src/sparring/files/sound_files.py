"""Sounds: WAV, FLAC and what else libsndfile reads, as one channel."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from sparring.core.orders.sound import Sound
from sparring.files.log_look import LogError

ENDINGS = (".wav", ".flac", ".ogg", ".aiff")
_MOST = 120.0  # [s]: a run, and what its spectra need of memory


def read(path: Path) -> Sound:
    """All channels' mean, those turned round that run against the loudest: two microphones wired
    the other way round would cancel what both hear. Raises LogError saying what is wrong with the
    file.
    """
    import soundfile  # when first wanted: no window waits for it

    try:
        with soundfile.SoundFile(path) as file:
            if file.frames > _MOST * file.samplerate:
                raise LogError(
                    f"{path}: {file.frames / file.samplerate:.0f} s of sound; cut out what belongs"
                    f" to the run, {_MOST:.0f} s at most"
                )
            samples = file.read(dtype="float64", always_2d=True)
            rate = float(file.samplerate)
    except soundfile.LibsndfileError as err:
        raise LogError(f"{path}: not a sound that can be read: {err}") from err
    if not len(samples):
        raise LogError(f"{path}: the sound is empty")
    if not np.isfinite(samples).all():
        raise LogError(f"{path}: the sound has samples that are not numbers")
    loudest = samples[:, int(np.argmax(samples.var(axis=0)))]
    against = np.sign((samples - samples.mean(axis=0)).T @ (loudest - loudest.mean()))
    return Sound((samples * np.where(against < 0, -1.0, 1.0)).mean(axis=1), rate)
