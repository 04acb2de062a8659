"""Transients sharpened before they are looked for: attacks up, sustain down.

Two followers of the envelope, one quick and one slow; where the quick one runs ahead an attack begins, and where the slow
one lags something only rings on. The ratio of the two is the gain (Zoelzer, ed., "DAFX: Digital Audio Effects", ch. 4, on
envelope followers with different time constants).
"""

from __future__ import annotations

import numpy as np

from grainpocket.core.sound.audio import Samples

QUICK_S, SLOW_S, STEP_S = 0.003, 0.060, 0.001
MOST_DB = 12.0


def sharpen(samples: Samples, rate: int, amount: float = 1.0) -> Samples:
    """(n,) float32 mono in and out, same length. amount: 0 leaves it as it is."""
    from scipy import signal

    step = max(1, int(STEP_S * rate))
    count = len(samples) // step + 1
    padded = np.pad(np.abs(samples), (0, count * step - len(samples)))
    level = padded.reshape(count, step).max(axis=1).astype(np.float64)
    quick, slow = (
        signal.lfilter([1 - a], [1, -a], level) for a in (np.exp(-STEP_S / QUICK_S), np.exp(-STEP_S / SLOW_S))
    )  # fmt: skip
    floor = 1e-4 * max(float(level.max()), 1e-9)
    db = np.clip(20 * np.log10((quick + floor) / (slow + floor)) * amount, -MOST_DB, MOST_DB)
    gain = 10 ** (np.interp(np.arange(len(samples)), (np.arange(count) + 0.5) * step, db) / 20)
    return np.asarray(samples * gain, np.float32)
