"""A recording as levels of frequency bands over time: what the detectors of onsets, roles and passages look at."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed, hann, spectra_of

WINDOW_S, HOP_S = 0.020, 0.005
PER_OCTAVE, LOWEST, HIGHEST = 8, 40.0, 17000.0
COARSE = 24
# A kick and the body of a snare lie an octave apart: where the window can tell single bins apart, so do the bands.
COARSE_LOW = (43.0, 86.0, 129.0, 172.0, 226.0)
COARSE_FROM, COARSE_TO = 290.0, 16000.0
# Few enough for a processor's own memory.
_BLOCK = 512

Levels = NDArray[np.float32]
Progress = Callable[[float], None]


def no_progress(share: float) -> None:
    """For callers who do not want to know."""


@dataclass(frozen=True)
class Bands:
    """Frame i is centred on sample i * hop. Amplitudes are relative to the recording's peak.

    fine: (frames, b) eight bands an octave; coarse: (frames, COARSE) fixed frequencies whatever the rate, 0 above the
    recording's own top.
    """

    fine: Levels
    coarse: Levels
    hop: int
    rate: int


def analyse(samples: Samples, rate: int, peak: float, progress: Progress = no_progress) -> Bands:
    """samples: (n,) float32 mono, n > 0; peak: of the largest sample, > 0."""
    hop = int(round(rate * HOP_S))
    size = int(2 ** np.ceil(np.log2(rate * WINDOW_S)))
    fine, coarse = _triangles(size, rate), _coarse(size, rate)
    both = np.hstack((fine, coarse))
    # What lies above the highest band is not read.
    used = int(np.flatnonzero(both.any(axis=1))[-1]) + 1
    both = both[:used]
    window = hann(size)
    total = len(samples) // hop + 1
    out = np.empty((total, both.shape[1]), np.float32)
    for first in range(0, total, _BLOCK):
        progress(first / total)
        last = min(total, first + _BLOCK)
        span = _around(samples, first * hop - size // 2, (last - 1) * hop + size - size // 2)
        np.matmul(np.abs(spectra_of(framed(span, size, hop), window)[:, :used]), both, out=out[first:last])
    out *= np.float32(4.0 / size / peak)
    return Bands(out[:, : fine.shape[1]], out[:, fine.shape[1] :], hop, rate)


def _around(samples: Samples, start: int, end: int) -> Samples:
    """samples[start:end] where it may run over both ends. Before a file is silence, so that a loop that begins on a hit
    shows it; but the end is mirrored, because a tail that is cut off would look like a click."""
    middle = samples[max(0, start) : end]
    over = max(0, end - len(samples))
    mirror = samples[::-1][:over]
    parts = (np.zeros(max(0, -start), np.float32), middle, mirror, np.zeros(over - len(mirror), np.float32))
    return np.concatenate(parts)


@functools.lru_cache(maxsize=16)
def _triangles(size: int, rate: int) -> Levels:
    """(size // 2 + 1, bands) triangles, evenly spaced in pitch, at least one bin wide."""
    top = min(HIGHEST, rate * 0.47)
    count = int(np.log2(top / LOWEST) * PER_OCTAVE)
    centres = np.unique(np.round(LOWEST * 2 ** (np.arange(count + 2) / PER_OCTAVE) * size / rate).astype(int))
    centres = centres[centres <= size // 2]
    out = np.zeros((size // 2 + 1, len(centres) - 2), np.float32)
    for i, (left, mid, right) in enumerate(zip(centres, centres[1:], centres[2:], strict=False)):
        out[left : mid + 1, i] = np.linspace(0, 1, mid - left + 1)
        out[mid : right + 1, i] = np.linspace(1, 0, right - mid + 1)
        out[:, i] /= out[:, i].sum()
    return out


def coarse_centres() -> NDArray[np.float64]:
    """(COARSE,) Hz: evenly spaced below 250 Hz, evenly in pitch above."""
    return np.concatenate((COARSE_LOW, np.geomspace(COARSE_FROM, COARSE_TO, COARSE - len(COARSE_LOW))))


@functools.lru_cache(maxsize=16)
def _coarse(size: int, rate: int) -> Levels:
    centres = coarse_centres()
    edges = np.concatenate(([0.0], centres, [centres[-1] ** 2 / centres[-2]]))
    frequency = np.arange(size // 2 + 1) * rate / size
    out = np.empty((size // 2 + 1, COARSE))
    for i, (left, mid, right) in enumerate(zip(edges, edges[1:], edges[2:], strict=False)):
        # At least two bins wide, so that no band falls between bins.
        reach = max(right - mid, mid - left, rate / size)
        out[:, i] = np.maximum(0, 1 - np.abs(frequency - mid) / reach)
    return np.asarray(out / np.maximum(out.sum(axis=0), 1e-9), np.float32)
