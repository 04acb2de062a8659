"""The filter of a voice, and bands that add up to the whole.

A state-variable filter by trapezoidal integration, which is stable at every cutoff and resonance and may be moved at every sample
(V. Zavalishin, "The art of VA filter design", 2012). 24 dB are two of them with the quality factors of a Butterworth filter. The
bands are differences of Gaussian low passes: they have no phase and do not ring, so that each can be shortened by itself, and
untouched ones add up to what they were cut from.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples

QUALITY = {"12": (2**-0.5,), "24": (0.5411961, 1.3065630)}
KINDS = ("low", "high", "band", "notch")
LOWEST_HZ, HIGHEST = 10.0, 0.49
AUDIBLE_HZ = 20.0
STEP = 8  # samples between which the coefficients go in straight lines


def filtered(sound: Samples, kind: str, slope: str, cutoff: Row, resonance_db: float, rate: int) -> Samples:
    """(n, 2) float32 through a filter. cutoff: (n,) Hz. A band is as loud at its middle as the sound was."""
    out = np.asarray(sound, np.float64).copy()
    hz = np.clip(cutoff, LOWEST_HZ, HIGHEST * rate)
    grid = np.append(hz[::STEP], hz[-1:])
    g = np.tan(np.pi * grid / rate)
    qualities = QUALITY[slope]
    for number, quality in enumerate(qualities):
        last = number == len(qualities) - 1
        damping = 1 / (quality * (10 ** (resonance_db / 20) if last else 1.0))
        _svf(out, g, damping, KINDS.index(kind))
    return np.asarray(out, np.float32)


def response_db(kind: str, slope: str, cutoff: float, resonance_db: float, rate: int, hz: Row) -> Row:
    """(k,) what the filter does at frequencies, when nothing moves."""
    g = np.tan(np.pi * np.clip(cutoff, LOWEST_HZ, HIGHEST * rate) / rate)
    s = 1j * np.tan(np.pi * np.clip(hz, 1e-3, 0.4999 * rate) / rate) / g
    total = np.ones(len(hz), np.complex128)
    for number, quality in enumerate(QUALITY[slope]):
        last = number == len(QUALITY[slope]) - 1
        k = 1 / (quality * (10 ** (resonance_db / 20) if last else 1.0))
        below = s * s + k * s + 1
        total *= {"low": 1, "high": s * s, "band": k * s, "notch": s * s + 1}[kind] / below
    return np.asarray(20 * np.log10(np.maximum(np.abs(total), 1e-12)))


@njit(cache=True, nogil=True)
def _svf(x, g_ticks, k, kind):  # type: ignore[no-untyped-def]
    frames, channels = x.shape
    for c in range(channels):
        s1, s2 = 0.0, 0.0
        for i in range(frames):
            tick = i // STEP
            g = g_ticks[tick] + (g_ticks[tick + 1] - g_ticks[tick]) * ((i % STEP) / STEP)
            high = (x[i, c] - (g + k) * s1 - s2) / (1 + g * (g + k))
            band = g * high + s1
            low = g * band + s2
            s1 = g * high + band
            s2 = g * band + low
            if abs(s1) < 1e-20:
                s1 = 0.0
            if abs(s2) < 1e-20:
                s2 = 0.0
            if kind == 0:
                x[i, c] = low
            elif kind == 1:
                x[i, c] = high
            elif kind == 2:
                x[i, c] = k * band
            else:
                x[i, c] = high + low


def band(sound: Samples, low_hz: float, high_hz: float, rate: int) -> Samples:
    """(n, channels): what of (n, channels) lies between two frequencies in Hz; for either, what is under AUDIBLE_HZ is no limit.
    -6 dB at each."""
    upper = np.asarray(sound, np.float64) if high_hz < AUDIBLE_HZ else _smoothed(sound, high_hz, rate)
    lower = 0.0 if low_hz < AUDIBLE_HZ else _smoothed(sound, low_hz, rate)
    return np.asarray(upper - lower, np.float32)


def band_reach(low_hz: float, high_hz: float, rate: int) -> int:
    """Samples on either side that a band is made of."""
    return max((len(_gauss(hz, rate)) // 2 for hz in (low_hz, high_hz) if hz >= AUDIBLE_HZ), default=0)


def _smoothed(sound: Samples, hz: float, rate: int) -> Row:
    from scipy import signal  # Here, because only bands need it, and the web process starts a second sooner.

    return np.asarray(signal.oaconvolve(np.asarray(sound, np.float64), _gauss(hz, rate)[:, None], "same", axes=0))


def _gauss(hz: float, rate: int) -> Row:
    # The Gaussian whose spectrum has fallen to a half at hz.
    wide = np.sqrt(2 * np.log(2)) / (2 * np.pi * hz) * rate
    reach = max(1, int(np.ceil(6 * wide)))
    shape = np.exp(-0.5 * (np.arange(-reach, reach + 1) / wide) ** 2)
    return np.asarray(shape / shape.sum())
