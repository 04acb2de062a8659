"""Where sounds begin: found in the spectrum, placed in the waveform.

A spectral-flux detector with a maximum filter over frequency (Boeck & Widmer, "Maximum filter vibrato suppression for
onset detection", DAFx 2013) finds that something began; its frames are too coarse to cut by. The place itself comes from
the waveform (see `attack`). Times are sample positions; strengths run from 0 to 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.attack import attack_starts
from grainpocket.core.sound.audio import Samples

WINDOW_S, HOP_S = 0.020, 0.005
BANDS_PER_OCTAVE, LOWEST, HIGHEST = 8, 40.0, 17000.0
LEAST_GAP_S = 0.025
FLOOR, FLOOR_SHARE, REGIONS = 2e-4, 1.0, 5
MASKING_S = 0.04
_LAG, _BLOCK = 2, 2048


Progress = Callable[[float], None]


def no_progress(share: float) -> None:
    """For callers who do not want to know."""


@dataclass(frozen=True)
class Onsets:
    """at: (k,) int64 sample positions, rising; strength: (k,) float32, 0..1; rate: samples a second."""

    at: NDArray[np.int64]
    strength: NDArray[np.float32]
    rate: int

    @property
    def seconds(self) -> NDArray[np.float64]:
        return self.at / self.rate

    def above(self, threshold: float) -> NDArray[np.int64]:
        return self.at[self.strength >= threshold]


def detect(samples: Samples, rate: int, progress: Progress = no_progress) -> Onsets:
    """Every onset worth a look, each with its strength; choose among them by threshold.

    samples: (n,) float32 mono. Silence and empty input give no onsets.
    """
    peak = float(np.abs(samples).max()) if len(samples) else 0.0
    if peak < 1e-5 or len(samples) < int(rate * 0.01):
        return Onsets(np.zeros(0, np.int64), np.zeros(0, np.float32), rate)
    hop = int(round(rate * HOP_S))
    novelty = flux(samples, rate, hop, peak, lambda share: progress(share * 0.5))
    # What begins with the very end of a file is its being cut off, or too short to be of use.
    frames, heights = _peaks(novelty[: max(1, (len(samples) - int(rate * LEAST_GAP_S)) // hop)])
    strength = 1.0 - np.exp(-heights / 1.5)
    places = attack_starts(samples, rate, frames * hop, lambda share: progress(0.5 + 0.5 * share))
    at: list[int] = []
    kept: list[float] = []
    gap = int(rate * LEAST_GAP_S)
    for found, value in zip(places.tolist(), strength.tolist(), strict=True):
        place = max(found, at[-1] if at else 0)
        if at and place - at[-1] < gap:
            # Two findings of one attack: the stronger knows better where it is.
            if value > kept[-1]:
                at[-1], kept[-1] = place, value
            continue
        at.append(place)
        kept.append(value)
    where = np.array(at, np.int64)
    return Onsets(where, _masked(where / rate, np.array(kept)), rate)


def _masked(seconds: NDArray[np.float64], strength: NDArray[np.float64]) -> NDArray[np.float32]:
    """Strengths less what a strong onset just before hides: the second bump of a kick is no new hit, as the ear agrees
    (forward masking: Moore, "An Introduction to the Psychology of Hearing", ch. 3)."""
    out = strength.copy()
    for i in range(1, len(out)):
        near = slice(max(0, i - 4), i)
        out[i] /= 1.0 + np.max(strength[near] * np.exp((seconds[near] - seconds[i]) / MASKING_S))
    return out.astype(np.float32)


def flux(samples: Samples, rate: int, hop: int, peak: float = 1.0, progress: Progress = no_progress) -> NDArray[np.float32]:
    """(frames,) rise of log band energy, averaged over bands; frame i is centred on sample i * hop. Levels are
    relative to `peak`."""
    from scipy import ndimage  # Here, because the web process, which only reads hearings, then starts much sooner.

    size = int(2 ** np.ceil(np.log2(rate * WINDOW_S)))
    filters = _filterbank(size, rate)
    window = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)).astype(np.float32)
    total = len(samples) // hop + 1
    bands = np.empty((total, filters.shape[1]), np.float32)
    for first in range(0, total, _BLOCK):
        progress(first / total)
        last = min(total, first + _BLOCK)
        span = _around(samples, first * hop - size // 2, (last - 1) * hop + size - size // 2)
        view = np.lib.stride_tricks.sliding_window_view(span, size)[::hop]
        bands[first:last] = np.abs(np.fft.rfft(view * window, axis=1)).astype(np.float32) @ filters
    bands *= np.float32(4.0 / size / peak)
    # Levels count from each band's own floor: what is quiet but new must weigh as much as what is loud.
    floor = np.maximum(FLOOR, FLOOR_SHARE * np.quantile(bands[:: max(1, total // 20000)], 0.25, axis=0)).astype(np.float32)
    out = np.empty(total, np.float32)
    before = np.zeros((_LAG, bands.shape[1]), np.float32)
    for first in range(0, total, _BLOCK):
        level = np.vstack((before, np.log1p(bands[first : first + _BLOCK] / floor)))
        before = level[-_LAG:]
        rise = np.maximum(level[_LAG:] - ndimage.maximum_filter1d(level[:-_LAG], 3, axis=1), 0)
        # A hat fills two octaves and a kick three: judge each region of the spectrum by itself, then join them.
        regions = [part.mean(axis=1) for part in np.array_split(rise, REGIONS, axis=1)]
        out[first : first + _BLOCK] = np.sqrt(np.sum(np.square(regions), axis=0))
    return out


def _around(samples: Samples, start: int, end: int) -> Samples:
    """samples[start:end] where it may run over both ends. Before a file is silence, so that a loop that begins on a hit
    shows it; but the end is mirrored, because a tail that is cut off would look like a click."""
    middle = samples[max(0, start) : end]
    over = max(0, end - len(samples))
    mirror = samples[::-1][:over]
    parts = (np.zeros(max(0, -start), np.float32), middle, mirror, np.zeros(over - len(mirror), np.float32))
    return np.concatenate(parts)


def _filterbank(size: int, rate: int) -> NDArray[np.float32]:
    """(size // 2 + 1, bands) triangles, evenly spaced in pitch, at least one bin wide."""
    top = min(HIGHEST, rate * 0.47)
    count = int(np.log2(top / LOWEST) * BANDS_PER_OCTAVE)
    centres = np.unique(np.round(LOWEST * 2 ** (np.arange(count + 2) / BANDS_PER_OCTAVE) * size / rate).astype(int))
    out = np.zeros((size // 2 + 1, len(centres) - 2), np.float32)
    for i, (left, mid, right) in enumerate(zip(centres, centres[1:], centres[2:], strict=False)):
        out[left : mid + 1, i] = np.linspace(0, 1, mid - left + 1)
        out[mid : right + 1, i] = np.linspace(1, 0, right - mid + 1)
        out[:, i] /= out[:, i].sum()
    return out


def _peaks(novelty: NDArray[np.float32]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Local maxima that stand out of their surroundings: (frame indices, height over the local level)."""
    from scipy import ndimage

    near = ndimage.maximum_filter1d(novelty, 5, mode="constant")
    level = ndimage.median_filter(novelty, 41, mode="constant")
    height = novelty - level
    frames = np.flatnonzero((novelty == near) & (height > 0.05))
    return frames, height[frames].astype(np.float64)
