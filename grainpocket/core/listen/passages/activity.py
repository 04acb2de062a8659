"""What sounds from moment to moment: drums, other music, a voice.

A voice is told by how its harmonics glide and its formants move, music by lines that stay, a bass by low ones. Convolutional
networks look for them in pictures of the record, one fine in time, one fine in pitch and one of the low end, as Schlüter & Grill
do for singing ("Exploring data augmentation for improved singing voice detection with neural networks", ISMIR 2015). Ours are much
smaller, and were fitted on songs that we rendered, with recorded people and machines speaking and singing over them (see
training/listen).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import RATE
from grainpocket.core.listen.networks.convolution import picture, row
from grainpocket.core.listen.networks.dense import arrays
from grainpocket.core.listen.spectra.bands import Bands
from grainpocket.core.listen.spectra.windows import magnitudes
from grainpocket.core.sound.audio import Samples

# Frames of the wide picture are four of the bands', some 20 ms; lines are read at every second; a moment is eight.
PER_FRAME, PER_LINE, PER_MOMENT = 4, 2, 8
# Harmonics of a voice, told apart: a window of 93 ms, 24 bands an octave.
WINDOW, PER_OCTAVE, LOWEST_HZ, HIGHEST_HZ = 1024, 24, 200.0, 5000.0
# Notes of a bass, which stay where they are, from kick drums, which fall: a window of 186 ms, bin by bin.
LOW_WINDOW, LOW_FROM, LOW_TO = 2048, 5, 41
FLOOR_DB, SPREAD_DB = -80.0, 15.0
# Music is told by a network of its own, which also looks at the low end, and was fitted on songs without voices.
NETWORK, MUSIC_NETWORK = "activity.npz", "music.npz"
# Strides in time and pitch of the convolutions over each picture, and how far apart the last looks into the past and future.
STRIDES = {"lines": ((2, 2), (2, 2), (1, 2)), "wide": ((2, 2), (2, 1), (2, 2)), "low": ((2, 2), (2, 2), (1, 2))}
APART = 3
Table = NDArray[np.float32]


class Pictures(NamedTuple):
    """Decibels under the loudest, FLOOR_DB at least. wide: (k, bands), k even; lines, low: (k / PER_LINE, lines)."""

    wide: Table
    lines: Table
    low: Table


@dataclass(frozen=True)
class Moments:
    """odds: (k, 3) log odds that drums, music and a voice sound; seconds: how long a moment is."""

    odds: Table
    seconds: float

    def within(self, edges: NDArray[np.float64]) -> Table:
        """(k, 3): the mean of the moments in each of the stretches between edges (k + 1 rising seconds), or of the nearest."""
        total = np.vstack((np.zeros((1, self.odds.shape[1])), np.cumsum(self.odds, axis=0, dtype=np.float64)))
        first = np.clip(np.ceil(edges[:-1] / self.seconds - 0.5).astype(int), 0, len(self.odds) - 1)
        last = np.clip(np.ceil(edges[1:] / self.seconds - 0.5).astype(int), first + 1, len(self.odds))
        return np.asarray((total[last] - total[first]) / (last - first)[:, None], np.float32)


def moments(bands: Bands, lowered: Samples) -> Moments:
    """lowered: (n,) of the recording at chroma.RATE."""
    seen = levelled(look(bands, lowered))
    told = _odds(_network(NETWORK), seen)
    told[:, 1] = _odds(_network(MUSIC_NETWORK), seen)[:, 1]
    return Moments(told, PER_MOMENT * PER_FRAME * bands.hop / bands.rate)


def levelled(pictures: Pictures) -> Pictures:
    """Against each line's mean, as long as makes whole moments."""
    over = -len(pictures.wide) % PER_MOMENT
    made = []
    for table, missing in zip(pictures, (over, over // PER_LINE, over // PER_LINE), strict=True):
        longer = np.pad(table, ((0, missing), (0, 0)), mode="edge")
        made.append((longer - longer.mean(axis=0)) / np.float32(SPREAD_DB))
    return Pictures(*made)


@functools.cache
def _network(name: str) -> dict[str, Table]:
    return arrays(name)


def _odds(a: dict[str, Table], pictures: Pictures) -> Table:
    seen = []
    # Those it was fitted on.
    for name, strides in STRIDES.items():
        if f"{name}.weight" not in a:
            continue
        h = getattr(pictures, name)[:, :, None]
        for i, stride in enumerate(strides):
            h = picture(h, a[f"{name}{i}.weight"], a[f"{name}{i}.bias"], stride)
        seen.append(h.reshape(len(h), -1) @ a[f"{name}.weight"] + a[f"{name}.bias"])
    h = np.maximum(np.hstack(seen), 0)
    h = np.maximum(row(h, a["near.weight"], a["near.bias"]), 0)
    h = np.maximum(row(h, a["far.weight"], a["far.bias"], APART), 0)
    return np.asarray(h @ a["out.weight"] + a["out.bias"], np.float32)


def look(bands: Bands, lowered: Samples) -> Pictures:
    """lowered: (n,) of the recording at chroma.RATE."""
    count = max(PER_LINE, len(bands.coarse) // PER_FRAME // PER_LINE * PER_LINE)
    frames = bands.coarse[: count * PER_FRAME]
    frames = np.pad(frames, ((0, count * PER_FRAME - len(frames)), (0, 0)))
    wide = frames.reshape(count, PER_FRAME, -1).mean(axis=1)
    middle = ((np.arange(0, count, PER_LINE) + 0.5) * PER_FRAME - 0.5) * bands.hop / bands.rate
    places = np.round(middle * RATE).astype(int)
    lines = _spectra(lowered, places, WINDOW, _reading())
    low = _spectra(lowered, places, LOW_WINDOW, np.eye(LOW_TO, dtype=np.float32)[:, LOW_FROM:])
    return Pictures(_db(wide), _db(lines), _db(low))


def _db(level: Table) -> Table:
    out = 20 * np.log10(level + 1e-9)
    return np.asarray(np.maximum(out - out.max(initial=FLOOR_DB), FLOOR_DB), np.float32)


def _spectra(sound: Samples, middle: NDArray[np.int64], size: int, reading: Table) -> Table:
    """(k, lines): levels around samples, through a window of that size, by a reading (bins, lines)."""
    out = np.empty((len(middle), reading.shape[1]), np.float32)
    for rows, found in magnitudes(sound, middle, size):
        out[rows] = found[:, : len(reading)] @ reading
    return out


@functools.cache
def _reading() -> Table:
    """(bins, lines) from the spectrum to bands of equal pitch, at least as wide as a bin."""
    count = int(np.log2(HIGHEST_HZ / LOWEST_HZ) * PER_OCTAVE)
    centres = LOWEST_HZ * 2 ** (np.arange(count) / PER_OCTAVE)
    bins = np.arange(WINDOW // 2 + 1) * RATE / WINDOW
    reach = np.maximum(centres * (2 ** (1 / PER_OCTAVE) - 1), RATE / WINDOW)
    out = np.maximum(0, 1 - np.abs(bins[:, None] - centres) / reach)
    used = int(np.flatnonzero(out.any(axis=1))[-1]) + 1
    return np.asarray((out / np.maximum(out.sum(axis=0), 1e-9))[:used], np.float32)
