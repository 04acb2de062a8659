"""Separation by filters alone, for previews and where nothing better is at hand: soft masks on the spectrum.

Drums are what stands up across frequency and not along time (median filters: D. FitzGerald, "Harmonic/percussive separation using
median filtering", DAFx 2010), and in the lows what rises over its own long median; bass is what is left below a soft edge; a voice
what is left in the middle of the stereo picture, where there is one; the rest is the rest.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from grainpocket.core.sound.audio import Samples
from grainpocket.core.split.base import REST, Quality
from grainpocket.core.split.medians import along_frequency, along_time
from grainpocket.core.split.spectra import Mask, frequencies, sound_of, spectra

TINY = np.float32(1e-9)
TIME, ACROSS, LONG = 17, 31, 61  # frames, bins, frames of the medians
LOW_HZ, LOW_SLOPE = 190.0, 6
TURN_HZ = 260.0  # under this drums are told by their rise, over it by their shape
VOICE_HZ = (160.0, 9000.0)
WIDE = 0.08


class Filters:
    name, label = "filter", "Quick filters"
    parts: tuple[str, ...] = ("drums", "bass", "vocals", REST)
    qualities: tuple[Quality, ...] = (Quality("normal", "Quick", 20.0),)
    context_s, light = 1.0, True

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        spectrum = spectra(sound)
        masks = self.masks(np.abs(spectrum).astype(np.float32), spectrum, rate)
        return {part: sound_of(spectrum * mask[None], len(sound)) for part, mask in masks.items()}

    def masks(self, magnitude: Mask, spectrum: np.ndarray, rate: int) -> dict[str, Mask]:
        """(frames, bins) of each part but the rest, 0..1; their sum is no more than one."""
        level = np.sqrt(np.mean(np.square(magnitude), axis=0))
        steady, across = along_time(level, TIME), along_frequency(level, ACROSS)
        shape = np.square(across) / (np.square(across) + np.square(steady) + TINY)
        long = along_time(level, LONG)
        rise = np.square(np.maximum(0, level - long) / (level + TINY))
        hz = frequencies(rate)
        high = (1 / (1 + (TURN_HZ / np.maximum(hz, 1)) ** 4)).astype(np.float32)
        drums = high * shape + (1 - high) * rise
        low = (1 / (1 + (hz / LOW_HZ) ** LOW_SLOPE)).astype(np.float32)
        rest = 1 - drums
        bass = rest * low
        return {"drums": drums, "bass": bass, "vocals": rest * (1 - low) * self._middle(spectrum, hz)}

    def _middle(self, spectrum: np.ndarray, hz: np.ndarray) -> Mask:
        """How much of each bin stands in the middle; nothing where there is no picture."""
        left, right = spectrum[0], spectrum[-1]
        middle, side = np.abs(left + right) / 2, np.abs(left - right) / 2
        wide = float(np.sum(side**2) / (np.sum(middle**2) + np.sum(side**2) + 1e-12))
        if wide < WIDE:
            return np.zeros(middle.shape, np.float32)
        band = ((hz > VOICE_HZ[0]) & (hz < VOICE_HZ[1])).astype(np.float32)
        share = np.maximum(0, middle - 2 * side) / (middle + TINY)
        return np.asarray(band * np.square(share), np.float32)


FILTERS = Filters()
