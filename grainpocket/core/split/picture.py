"""A stretch of sound as a picture of what is where: rows of equal musical width, from low to high."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples, mono
from grainpocket.core.sound.frames import framed, hann, spectra_of
from grainpocket.core.split.spectra import frequencies

SIZE = 4096
LOW_HZ, HIGH_HZ, ROWS = 40.0, 16000.0, 96
DEEP_DB = 72.0  # under the loudest


def picture(sound: Samples, rate: int, columns: int) -> NDArray[np.uint8]:
    """(ROWS, columns), 255 the loudest and 0 what lies DEEP_DB or more under it; the first row is the lowest."""
    flat = mono(sound)
    hop = max(1.0, len(flat) / columns)
    padded = np.pad(flat, SIZE // 2)
    starts = np.minimum((np.arange(columns) * hop).astype(int), max(0, len(padded) - SIZE))
    padded = np.pad(padded, (0, max(0, SIZE - len(padded))))
    power = np.abs(spectra_of(framed(padded, SIZE)[starts], hann(SIZE))) ** 2
    hz = frequencies(rate, SIZE)
    edges = np.geomspace(LOW_HZ, HIGH_HZ, ROWS + 1)
    rows = np.empty((ROWS, columns), np.float32)
    for k in range(ROWS):
        # At the bottom a row is narrower than a bin: it shows the one that it lies in.
        a, b = int(np.searchsorted(hz, edges[k])), int(np.searchsorted(hz, edges[k + 1]))
        rows[k] = power[:, a:b].max(axis=1) if b > a else power[:, min(max(0, a - 1), len(hz) - 1)]
    top = float(rows.max(initial=0))
    if top < 1e-12:
        return np.zeros((ROWS, columns), np.uint8)
    decibels = 10 * np.log10(rows / top + 1e-12)
    return np.asarray(np.clip((decibels / DEEP_DB + 1) * 255, 0, 255), np.uint8)
