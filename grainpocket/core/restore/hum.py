"""Hum: a mains tone and its overtones, which stand still while everything else moves, followed and subtracted.

Each overtone is turned down to zero frequency, and the median over several seconds of its complex amplitude is the hum: a
kick drum or a bass note that passes does not move a median. What is subtracted is that steady tone, so nothing rings.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples

MAINS = (50.0, 60.0)
OVERTONES, SLACK_HZ, STEP_HZ = 12, 0.6, 0.02
FRAME_S, AROUND_S = 0.4, 4.0
# A line is hum when it is steady: the median of its amplitude, as a share of its mean size.
STEADY, LEAST, QUIET_SHARE = 0.7, 2e-5, 0.4
DOUBT = 12.0  # times the variance of a median, twice over for its real and imaginary part


@dataclass(frozen=True)
class Hum:
    """hz: of the mains; overtones: which of its multiples (1 is itself); level_db: of all together, dBFS."""

    hz: float
    overtones: tuple[int, ...]
    level_db: float


def find_hum(samples: Samples, rate: int) -> Hum | None:
    """The hum of (n,) float32, or None. At least three seconds are needed to tell it from a note."""
    if len(samples) < 3 * rate:
        return None
    size = int(FRAME_S * rate)
    frames = samples[: len(samples) // size * size].reshape(-1, size)
    level = np.sqrt(np.mean(frames**2, axis=1))
    # Where little else sounds, hum is easiest to tell from music.
    quiet = level <= np.quantile(level, QUIET_SHARE)
    best: tuple[float, float, list[int]] | None = None
    for mains in MAINS:
        tried = np.arange(mains - SLACK_HZ, mains + SLACK_HZ + 1e-9, STEP_HZ)
        # The frequency shows best in a high overtone, but any may be missing: take what they say together.
        tables = {k: _amplitudes(samples, rate, mains * k, tried * k) for k in (1, 2, 3)}
        strength = np.array([sum(abs(_middle(t[i][quiet])) for t in tables.values()) for i in range(len(tried))])
        hz = float(tried[int(np.argmax(strength))])
        found: list[int] = []
        power = 0.0
        for k in range(1, OVERTONES + 1):
            row = _amplitudes(samples, rate, hz * k, np.array([hz * k]))[0]
            row = row[quiet]
            tone = abs(_middle(row))
            if tone > LEAST and tone > STEADY * float(np.mean(np.abs(row))):
                found.append(k)
                power += tone**2 / 2
        if found and (best is None or power > best[0]):
            best = (power, hz, found)
    if best is None:
        return None
    return Hum(round(best[1], 2), tuple(best[2]), round(10 * float(np.log10(best[0])), 1))


def _middle(row: NDArray[np.complex128]) -> complex:
    return complex(np.median(row.real), np.median(row.imag))


def _amplitudes(samples: Samples, rate: int, centre: float, tried: NDArray[np.float64]) -> NDArray[np.complex128]:
    """(tried, frames) complex amplitude of each frequency in frames of FRAME_S, in phase with time zero."""
    size = int(FRAME_S * rate)
    count = len(samples) // size
    t = np.arange(size) / rate
    window = np.hanning(size)
    base = samples[: count * size].reshape(count, size) @ (window * np.exp(-2j * np.pi * centre * t)) * (2 / window.sum())
    # Near the centre, a frame's own turn is all that differs.
    starts = np.arange(count) * FRAME_S
    middle = FRAME_S / 2
    turn = np.exp(-2j * np.pi * (centre * starts[None] + (tried[:, None] - centre) * (starts[None] + middle)))
    return np.asarray(base[None] * turn)


def dehum(samples: Samples, rate: int, hum: Hum, start: int = 0) -> Samples:
    """(n,) float32 without it. start: the sample of the recording at which these begin, so that any piece gives the same."""
    size = int(FRAME_S * rate)
    first = -start % size
    out = samples.astype(np.float64)
    count = (len(samples) - first) // size
    if count < 3:
        return samples
    frames = samples[first : first + count * size].reshape(count, size)
    t = np.arange(size) / rate
    window = np.hanning(size)
    at = (np.arange(len(samples)) - first) / size - 0.5
    now = (start + np.arange(len(samples))) / rate
    around = int(AROUND_S / FRAME_S)
    for k in hum.overtones:
        hz = hum.hz * k
        began = (start + first + np.arange(count) * size) / rate
        row = frames @ (window * np.exp(-2j * np.pi * hz * t)) * (2 / window.sum()) * np.exp(-2j * np.pi * hz * began)
        steady = _steady(row, around)
        size_now = np.interp(at, np.arange(count), steady.real) + 1j * np.interp(at, np.arange(count), steady.imag)
        out -= (size_now * np.exp(2j * np.pi * hz * now)).real
    return out.astype(np.float32)


def _steady(row: NDArray[np.complex128], around: int) -> NDArray[np.complex128]:
    """(frames,) the tone's amplitude as it slowly changes: the median of the frames round each. Where they scatter so widely that
    the median may be as far off as the tone is large, as under a bass drum of its pitch, less of it is believed, or none."""
    wide = np.pad(row, around, mode="reflect" if len(row) > around else "edge")
    near = np.lib.stride_tricks.sliding_window_view(wide, 2 * around + 1)
    middle = np.median(near.real, axis=1) + 1j * np.median(near.imag, axis=1)
    scatter = np.median(np.abs(near - middle[:, None]), axis=1)
    doubt = DOUBT * scatter**2 / near.shape[1]
    return np.asarray(middle * np.maximum(0.0, 1.0 - doubt / np.maximum(np.abs(middle) ** 2, 1e-18)))
