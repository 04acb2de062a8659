"""What sounds from moment to moment: drums, other music, a voice.

A voice is told by how its harmonics glide and its formants move, music by lines that stay: convolutional networks look for
both in two pictures of the record, one fine in time and one fine in pitch, as Schlüter & Grill do for singing ("Exploring data
augmentation for improved singing voice detection with neural networks", ISMIR 2015). Ours are much smaller, and were fitted on
songs that we rendered, with recorded people and machines speaking and singing over them (see training/listen).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.bands import Bands
from grainpocket.core.listen.chroma import RATE
from grainpocket.core.listen.convolve import picture, row
from grainpocket.core.listen.layers import arrays
from grainpocket.core.sound.audio import Samples

# Frames of the wide picture are four of the bands', some 20 ms; lines are read at every second; a moment is eight.
PER_FRAME, PER_LINE, PER_MOMENT = 4, 2, 8
# Harmonics of a voice, told apart: a window of 93 ms, 24 bands an octave.
WINDOW, PER_OCTAVE, LOWEST_HZ, HIGHEST_HZ = 1024, 24, 200.0, 5000.0
FLOOR_DB, SPREAD_DB = -80.0, 15.0
NETWORKS = ("moments1.npz", "moments2.npz")
# Strides in time and pitch of the convolutions over each picture, and how far apart the last looks into the past and future.
LINES, WIDE, APART = ((2, 2), (2, 2), (1, 2)), ((2, 2), (2, 1), (2, 2)), 3
_BLOCK = 256
Table = NDArray[np.float32]


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


def moments(bands: Bands, low: Samples) -> Moments:
    """low: the recording at chroma.RATE."""
    wide, lines = look(bands, low)
    # As much as makes whole moments.
    over = -len(wide) % PER_MOMENT
    wide, lines = np.pad(wide, ((0, over), (0, 0)), mode="edge"), np.pad(lines, ((0, over // PER_LINE), (0, 0)), mode="edge")
    wide, lines = (((table - table.mean(axis=0)) / np.float32(SPREAD_DB))[:, :, None] for table in (wide, lines))
    told = np.mean([_odds(network, wide, lines) for network in _networks()], axis=0)
    return Moments(np.asarray(told, np.float32), PER_MOMENT * PER_FRAME * bands.hop / bands.rate)


@functools.cache
def _networks() -> tuple[dict[str, Table], ...]:
    return tuple(arrays(name) for name in NETWORKS)


def _odds(a: dict[str, Table], wide: Table, lines: Table) -> Table:
    seen = []
    for name, h, strides in (("lines", lines, LINES), ("wide", wide, WIDE)):
        for i, stride in enumerate(strides):
            h = picture(h, a[f"{name}{i}.weight"], a[f"{name}{i}.bias"], stride)
        seen.append(h.reshape(len(h), -1) @ a[f"{name}.weight"] + a[f"{name}.bias"])
    h = np.maximum(np.hstack(seen), 0)
    h = np.maximum(row(h, a["near.weight"], a["near.bias"]), 0)
    h = np.maximum(row(h, a["far.weight"], a["far.bias"], APART), 0)
    return np.asarray(h @ a["out.weight"] + a["out.bias"], np.float32)


def look(bands: Bands, low: Samples, per_line: int = PER_LINE) -> tuple[Table, Table]:
    """((k, bands), (k / per_line, lines)) in decibels under the loudest, FLOOR_DB at least; k is even."""
    count = max(PER_LINE, len(bands.coarse) // PER_FRAME // PER_LINE * PER_LINE)
    frames = bands.coarse[: count * PER_FRAME]
    frames = np.pad(frames, ((0, count * PER_FRAME - len(frames)), (0, 0)))
    wide = frames.reshape(count, PER_FRAME, -1).mean(axis=1)
    middle = ((np.arange(0, count, per_line) + 0.5) * PER_FRAME - 0.5) * bands.hop / bands.rate
    return _db(wide), _db(_lines(low, np.round(middle * RATE).astype(int)))


def _db(level: Table) -> Table:
    out = 20 * np.log10(level + 1e-9)
    return np.asarray(np.maximum(out - out.max(initial=FLOOR_DB), FLOOR_DB), np.float32)


def _lines(low: Samples, middle: NDArray[np.int64]) -> Table:
    """(k, lines): levels around samples."""
    from scipy import fft

    view = np.lib.stride_tricks.sliding_window_view(np.pad(low, (WINDOW // 2, 2 * WINDOW)), WINDOW)
    reading, window = _reading(), np.hanning(WINDOW).astype(np.float32)
    out = np.empty((len(middle), reading.shape[1]), np.float32)
    for first in range(0, len(middle), _BLOCK):
        some = view[np.minimum(middle[first : first + _BLOCK], len(view) - 1)] * window
        out[first : first + _BLOCK] = np.abs(fft.rfft(some, axis=1)[:, : len(reading)]) @ reading
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
