"""The waveform's picture: minima, maxima and three band energies at several zooms, built while audio streams by.

A peak is eight bytes: int16 minimum, int16 maximum (over both channels, 32767 = full scale), then uint8 low, middle and
high band level and one byte of padding. A band level is its RMS in dB, 0 = -66 dBFS or less, 255 = 0 dBFS. Level k covers
64 * 8**k samples a peak.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples, mono

BASE, FACTOR, LEVELS = 64, 8, 4
CROSSOVERS = (180.0, 3200.0)
# What is low is as well seen at a quarter of the rate, and what lies in the middle at half of it.
THINNED = (4, 2, 1)
FLOOR_DB = 66.0
PEAK = np.dtype([("min", "<i2"), ("max", "<i2"), ("low", "u1"), ("mid", "u1"), ("high", "u1"), ("pad", "u1")])
Peaks = NDArray[np.void]


def samples_per_peak(level: int) -> int:
    """How many samples one peak of a level stands for."""
    return int(BASE * FACTOR**level)


class PeakBuilder:
    """Feed blocks of (n, 1 or 2) float32 in order; `finish` gives one array of PEAK a level."""

    def __init__(self, rate: int) -> None:
        from scipy import signal  # Here, because only imports need it, and it is slow to load.

        self._filter = signal.sosfilt
        (low, high), rates = CROSSOVERS, [rate / thin for thin in THINNED]
        tops = [0.45 * own for own in rates]
        self._filters = [
            signal.butter(2, min(low, tops[0]), "lowpass", fs=rates[0], output="sos"),
            signal.butter(2, (min(low, tops[1]), min(high, tops[1])), "bandpass", fs=rates[1], output="sos"),
            signal.butter(2, min(high, tops[2]), "highpass", fs=rates[2], output="sos"),
        ]
        self._states = [np.zeros((len(sos), 2), np.float32) for sos in self._filters]
        self._rest: Samples | None = None
        self._extremes: list[NDArray[np.float32]] = []
        self._powers: list[NDArray[np.float32]] = []

    def feed(self, samples: Samples) -> None:
        block = samples if self._rest is None else np.concatenate((self._rest, samples))
        whole = len(block) // BASE * BASE
        self._rest = block[whole:].copy()
        self._add(block[:whole])

    def finish(self) -> list[Peaks]:
        if self._rest is not None and len(self._rest):
            self._add(np.concatenate((self._rest, np.repeat(self._rest[-1:], BASE - len(self._rest), axis=0))))
        empty = np.zeros((0, 2), np.float32), np.zeros((0, 3), np.float32)
        extremes = np.concatenate(self._extremes) if self._extremes else empty[0]
        powers = np.concatenate(self._powers) if self._powers else empty[1]
        levels = [_packed(extremes, powers)]
        for _ in range(1, LEVELS):
            extremes, powers = _coarser(extremes, powers)
            levels.append(_packed(extremes, powers))
        return levels

    def _add(self, block: Samples) -> None:
        if not len(block):
            return
        rows = block.reshape(-1, BASE * block.shape[1])
        self._extremes.append(np.stack((rows.min(axis=1), rows.max(axis=1)), axis=1))
        one = mono(block)
        bands = []
        for i, (sos, thin) in enumerate(zip(self._filters, THINNED, strict=True)):
            some = one.reshape(-1, thin) @ np.full(thin, 1 / thin, np.float32) if thin > 1 else one
            band, state = self._filter(sos, some, zi=self._states[i])
            self._states[i] = np.asarray(state, np.float32)
            rows = np.asarray(band, np.float32).reshape(-1, BASE // thin)
            bands.append(np.einsum("ij,ij->i", rows, rows) * np.float32(thin / BASE))
        self._powers.append(np.stack(bands, axis=1).astype(np.float32))


def _coarser(extremes: NDArray[np.float32], powers: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    if not len(extremes):
        return extremes, powers
    starts = np.arange(0, len(extremes), FACTOR)
    lows = np.minimum.reduceat(extremes[:, 0], starts)
    highs = np.maximum.reduceat(extremes[:, 1], starts)
    # The loudest moment, not the mean: a short hat must stay visible when zoomed out.
    return np.stack((lows, highs), axis=1), np.maximum.reduceat(powers, starts, axis=0)


def _packed(extremes: NDArray[np.float32], powers: NDArray[np.float32]) -> Peaks:
    out = np.zeros(len(extremes), PEAK)
    scaled = np.clip(np.round(extremes * 32767.0), -32768, 32767).astype("<i2")
    out["min"], out["max"] = scaled[:, 0], scaled[:, 1]
    db = 10.0 * np.log10(np.maximum(powers, 1e-12))
    level = np.clip((db + FLOOR_DB) / FLOOR_DB * 255.0, 0, 255).astype("u1")
    out["low"], out["mid"], out["high"] = level.T
    return out
