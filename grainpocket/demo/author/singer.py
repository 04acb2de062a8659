"""A voice that never was: a glottal pulse train through formant filters, with vibrato, drift and breath.

Source and filter after Fant, "Acoustic Theory of Speech Production" (1960); formants of a low female voice.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from grainpocket.demo.author.perform import RATE, Wave

# (frequency, bandwidth, gain dB) of the first formants.
VOWELS = {
    "ah": ((750, 90, 0), (1200, 100, -6), (2700, 140, -16), (3600, 200, -22)),
    "oh": ((450, 80, 0), (850, 90, -8), (2650, 140, -24), (3500, 200, -28)),
    "oo": ((340, 70, 0), (720, 80, -12), (2550, 140, -30), (3400, 200, -34)),
    "ee": ((320, 70, 0), (2200, 120, -14), (2900, 150, -18), (3600, 200, -24)),
    "mm": ((260, 60, 0), (1050, 250, -26), (2300, 300, -34), (3300, 300, -40)),
}


@dataclass(frozen=True)
class Syllable:
    """at, length: seconds; key: MIDI note; vowel: of VOWELS; hard: starts with a consonant's burst."""

    at: float
    length: float
    key: float
    vowel: str
    hard: bool = False


def sing(syllables: list[Syllable], seconds: float, seed: int, vibrato: float = 0.25, breath: float = 0.02) -> Wave:
    """(n, 2) of one voice."""
    rng = np.random.default_rng(seed)
    out = np.zeros(round(seconds * RATE))
    previous = None
    for one in syllables:
        sound = _syllable(one, previous, rng, vibrato, breath)
        start = round(one.at * RATE)
        fit = sound[: len(out) - start]
        out[start : start + len(fit)] += fit
        previous = one
    return np.repeat(out[:, None], 2, axis=1)


def _syllable(
    one: Syllable, before: Syllable | None, rng: np.random.Generator, vibrato: float, breath: float
) -> NDArray[np.float64]:
    count = round((one.length + 0.12) * RATE)
    t = np.arange(count) / RATE
    glide = 0.0
    if before is not None and one.at - (before.at + before.length) < 0.08:
        glide = before.key - one.key
    drift = signal.lfilter([0.0005], [1, -0.9995], rng.standard_normal(count)) * 0.6
    wave = vibrato * np.minimum(1, np.maximum(0, t - 0.25) / 0.5) * np.sin(2 * np.pi * 5.3 * t + rng.uniform(0, 6))
    pitch = one.key + glide * np.exp(-t / 0.045) - 0.4 * np.exp(-t / 0.05) * (glide == 0) + wave + drift
    phase = np.cumsum(440.0 * 2 ** ((pitch - 69) / 12) / RATE)
    # A pulse with a soft opening and a quicker closing, its derivative brightened a little.
    place = phase % 1.0
    pulse = np.where(
        place < 0.6, 0.5 - 0.5 * np.cos(np.pi * place / 0.6), np.where(place < 0.8, np.cos(np.pi / 2 * (place - 0.6) / 0.2), 0)
    )
    source = np.diff(pulse, prepend=0) * 12 + rng.standard_normal(count) * breath * (0.4 + pulse)
    tone = np.zeros(count)
    for frequency, width, db in VOWELS[one.vowel]:
        b, a = signal.iirpeak(frequency, frequency / width, fs=RATE)
        tone += 10 ** (db / 20) * signal.lfilter(b, a, source)
    rise, fall = 0.03 if one.hard else 0.07, 0.12
    shape = np.minimum(1, t / rise) * np.minimum(1, np.maximum(0, (one.length + fall - t) / fall))
    tone *= np.sin(np.pi / 2 * shape) ** 2
    if one.hard:
        burst = np.exp(-t / 0.012) * rng.standard_normal(count)
        tone += 0.06 * signal.sosfilt(signal.butter(2, (2500, 7000), "bandpass", fs=RATE, output="sos"), burst)
    return tone
