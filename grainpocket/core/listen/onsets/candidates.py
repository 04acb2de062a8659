"""Where something may begin: spectral flux with a maximum filter over frequency, and its peaks (Boeck & Widmer, "Maximum filter
vibrato suppression for onset detection", DAFx 2013)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.spectra.bands import Bands, Levels

LEAST_GAP_S = 0.025  # between two onsets
FLOOR, FLOOR_SHARE, REGIONS = 2e-4, 1.0, 5
_LAG, _BLOCK, _RISE = 2, 2048, 0.05


def candidates(bands: Bands, count: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """(frames, heights of the flux over its surroundings) of all that might be an onset in `count` samples."""
    novelty = flux(bands.fine)
    # What begins with the very end of a file is its being cut off, or too short to be of use.
    return _peaks(novelty[: max(1, (count - int(bands.rate * LEAST_GAP_S)) // bands.hop)])


def flux(bands: Levels) -> NDArray[np.float32]:
    """(frames,) rise of log band energy, averaged over bands; levels are relative to the recording's peak."""
    # Levels count from each band's own floor: what is quiet but new must weigh as much as what is loud.
    total = len(bands)
    floor = np.maximum(FLOOR, FLOOR_SHARE * np.quantile(bands[:: max(1, total // 20000)], 0.25, axis=0)).astype(np.float32)
    out = np.empty(total, np.float32)
    before = np.zeros((_LAG, bands.shape[1]), np.float32)
    for first in range(0, total, _BLOCK):
        level = np.vstack((before, np.log1p(bands[first : first + _BLOCK] / floor)))
        before = level[-_LAG:]
        old = level[:-_LAG]
        # The loudest of a band and its two neighbours: a voice that glides makes no onset.
        wide = old.copy()
        np.maximum(wide[:, 1:], old[:, :-1], out=wide[:, 1:])
        np.maximum(wide[:, :-1], old[:, 1:], out=wide[:, :-1])
        rise = np.maximum(level[_LAG:] - wide, 0)
        # A hat fills two octaves and a kick three: judge each region of the spectrum by itself, then join them.
        regions = [part.mean(axis=1) for part in np.array_split(rise, REGIONS, axis=1)]
        out[first : first + _BLOCK] = np.sqrt(np.sum(np.square(regions), axis=0))
    return out


def _peaks(novelty: NDArray[np.float32]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Local maxima that stand out of their surroundings: (frame indices, height over the local level)."""
    from scipy import ndimage

    near = ndimage.maximum_filter1d(novelty, 5, mode="constant")
    level = ndimage.median_filter(novelty, 41, mode="constant")
    height = novelty - level
    frames = np.flatnonzero((novelty == near) & (height > _RISE))
    return frames, height[frames].astype(np.float64)
