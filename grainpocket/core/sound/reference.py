"""Sounds to compare by ear: the click that is laid over a record, and a tone for any note."""

from __future__ import annotations

import numpy as np

from grainpocket.core.sound.audio import Samples

CLICK_S, CLICK_PEAK, TONE_S, TONE_PEAK = 0.045, 0.5, 1.6, 0.25
# A bar's first click is higher and longer than the rest; both stand out of drums by being pure.
ACCENT_HZ, BEAT_HZ = 2093.0, 1396.9
_HARMONICS = (1.0, 0.35, 0.18, 0.08, 0.04)


def click(accent: bool, rate: int) -> Samples:
    """(n, 2) float32, loudest within its first millisecond."""
    t = np.arange(int(CLICK_S * rate)) / rate
    wave = np.sin(2 * np.pi * (ACCENT_HZ if accent else BEAT_HZ) * t) * np.exp(-t / (0.011 if accent else 0.007))
    wave *= np.minimum(1, (CLICK_S - t) / 0.005)
    scale = CLICK_PEAK if accent else CLICK_PEAK * 0.7
    return _both(wave / np.abs(wave).max() * scale)


def tone(key: int, cents: float, rate: int, reference: float = 440.0) -> Samples:
    """(n, 2) float32: a soft reed-like tone of a MIDI key, `cents` over it."""
    t = np.arange(int(TONE_S * rate)) / rate
    hz = reference * 2 ** ((key - 69 + cents / 100) / 12)
    wave = np.zeros(len(t))
    for k, amount in enumerate(_HARMONICS, start=1):
        if k * hz < 0.45 * rate:
            wave += amount * np.sin(2 * np.pi * k * hz * t)
    shape = np.minimum(1, t / 0.015) * np.minimum(1, np.maximum(0, TONE_S - t) / 0.25)
    return _both(wave / sum(_HARMONICS) * shape * TONE_PEAK)


def _both(wave: np.ndarray) -> Samples:
    return np.asarray(np.repeat(wave[:, None], 2, axis=1), np.float32)
