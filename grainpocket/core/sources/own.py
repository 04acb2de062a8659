"""A shelf of plain sounds, made of sums of waves: tones at a known note, noises, a bell, a string, a low drum.

Each is a function of the rate that always gives the same samples: (n, 2) float32 with its loudest at -3 dBFS, ending in silence.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples

PEAK = 10 ** (-3 / 20)
C3, A3, A4 = 130.8128, 220.0, 440.0
TONE_S, END_S = 2.0, 0.02
Row = NDArray[np.float64]


def _time(rate: int, seconds: float) -> Row:
    return np.arange(int(seconds * rate)) / rate


def _partials(rate: int, hz: float, amounts: Callable[[int], float], seconds: float = TONE_S) -> Row:
    """A tone of harmonics, none of them over half the rate."""
    t = _time(rate, seconds)
    out = np.zeros(len(t))
    for k in range(1, int(0.45 * rate / hz) + 1):
        amount = amounts(k)
        if amount:
            out += amount * np.sin(2 * np.pi * hz * k * t)
    return out


def _odd(k: int) -> float:
    return 1 / k if k % 2 else 0.0


def _reed(rate: int) -> Row:
    # Odd partials first, a hollow place at the fourth, and a slow breath.
    tone = _partials(rate, C3, lambda k: (1.0 if k % 2 else 0.35) * np.exp(-k / 7))
    return np.asarray(tone * (1 + 0.06 * np.sin(2 * np.pi * 4.3 * _time(rate, TONE_S))))


def _organ(rate: int) -> Row:
    return _partials(rate, C3, lambda k: {1: 1.0, 2: 0.7, 3: 0.4, 4: 0.5, 6: 0.25, 8: 0.3}.get(k, 0.0))


def _bell(rate: int) -> Row:
    t = _time(rate, 3.0)
    # A small bell without its hum: prime, tierce, quint, nominal (after Rossing, "The physics of musical instruments").
    parts = ((1.0, 1.0, 1.6), (1.2, 0.5, 2.2), (1.5, 0.4, 2.6), (2.0, 0.8, 3.0), (2.66, 0.35, 4.2), (3.0, 0.3, 5.0))
    return np.asarray(sum(amount * np.sin(2 * np.pi * A4 * ratio * t) * np.exp(-t * fall) for ratio, amount, fall in parts))


def _tine(rate: int) -> Row:
    t = _time(rate, 2.5)
    index = 2.2 * np.exp(-t * 6) + 0.25
    return np.asarray(np.sin(2 * np.pi * A3 * t + index * np.sin(2 * np.pi * A3 * 7 * t)) * np.exp(-t * 2.2))


def _string(rate: int) -> Row:
    period = round(rate / A3)
    burst = np.random.default_rng(11).uniform(-1, 1, period)
    out = np.zeros(int(2.5 * rate))
    out[:period] = burst - burst.mean()
    for start in range(period, len(out), period):
        before = out[start - period : start]
        size = min(period, len(out) - start)
        out[start : start + size] = 0.996 * 0.5 * (before + np.roll(before, 1))[:size]
    return out


def _low_drum(rate: int) -> Row:
    t = _time(rate, 1.2)
    turned = 2 * np.pi * (46 * t + 90 / 26 * (1 - np.exp(-t * 26)))
    click = np.random.default_rng(5).standard_normal(len(t)) * np.exp(-t * 900) * 0.2
    return np.asarray(np.sin(turned) * np.exp(-t * 4.2) + click)


def _clap(rate: int) -> Row:
    t = _time(rate, 0.5)
    noise = np.random.default_rng(8).standard_normal(len(t))
    bursts = sum(np.exp(-np.maximum(t - late, 0) * 260) * (t >= late) for late in (0.0, 0.011, 0.022))
    body = np.exp(-np.maximum(t - 0.03, 0) * 22) * (t >= 0.03)
    shaped = noise * (bursts + 0.8 * body)
    return np.asarray(np.diff(shaped, prepend=0.0))


def _white(rate: int) -> Row:
    return np.random.default_rng(2).uniform(-1, 1, int(TONE_S * rate))


def _soft_noise(rate: int) -> Row:
    spectrum = np.fft.rfft(np.random.default_rng(3).standard_normal(int(TONE_S * rate)))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    spectrum[0] = 0
    return np.asarray(np.fft.irfft(spectrum, int(TONE_S * rate)))


OWN: Mapping[str, Callable[[int], Row]] = {
    "Sine C3": lambda rate: _partials(rate, C3, lambda k: float(k == 1)),
    "Triangle C3": lambda rate: _partials(rate, C3, lambda k: _odd(k) / k * (1 if k % 4 == 1 else -1)),
    "Saw C3": lambda rate: _partials(rate, C3, lambda k: 1 / k),
    "Square C3": lambda rate: _partials(rate, C3, _odd),
    "Reed C3": _reed,
    "Organ C3": _organ,
    "Tine A3": _tine,
    "String A3": _string,
    "Bell": _bell,
    "Low drum": _low_drum,
    "Clap": _clap,
    "White noise": _white,
    "Soft noise": _soft_noise,
}


def own(name: str, rate: int) -> Samples:
    """(n, 2) of one of our own sounds, at a rate in Hz. Raises KeyError for a name that there is not."""
    wave = OWN[name](rate)
    wave = wave * (PEAK / np.abs(wave).max())
    end = int(END_S * rate)
    wave[-end:] *= 0.5 + 0.5 * np.cos(np.pi * np.arange(1, end + 1) / end)
    return np.ascontiguousarray(np.repeat(wave[:, None], 2, axis=1), np.float32)
