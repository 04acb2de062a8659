"""For every kick, snare and hat: how clean it is, that is how little else sounds with it, and the span to cut.

A drum that comes back shows what it is by itself: what all its hits have in common, band by band. What a hit has over that
is something else. Small networks, fitted on songs whose parts we know (see training/listen), read that excess together
with the spectrum round the hit, and say how loud all else is beside the drum. The likeliest hits are looked at once more, in
another way (see `masks`).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums import templates
from grainpocket.core.listen.drums.masks import SoftMasks
from grainpocket.core.listen.drums.roles import LIKELY
from grainpocket.core.listen.networks.dense import Layers, load, mean_of
from grainpocket.core.listen.onsets.classifier import FEATURES as LOOK
from grainpocket.core.listen.onsets.classifier import ROLES, looks
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.listen.passages.passages import bareness
from grainpocket.core.listen.spectra.bands import COARSE, Bands
from grainpocket.core.sound.audio import Samples, excerpt

Drum = Literal["kick", "snare", "hat"]
DRUMS: tuple[Drum, ...] = ("kick", "snare", "hat")
# Bands that carry each drum, by index: how loud a hit is, whatever else sounds.
_CARRIED = {"kick": slice(0, 4), "snare": slice(3, 16), "hat": slice(18, COARSE)}
# Frames of 5 ms after the hit, in which it is compared with its like.
_CELLS = ((0, 1), (1, 2), (2, 4), (4, 8), (8, 16), (16, 30))
CLEAR, COMMON = 0.5, 0.15
# Bass and drum share the low end, where short windows tell nothing apart: a long look before, at and after the hit.
_LONG_S, _LONG_AT_S = 0.093, (-0.098, 0.0, 0.07)
_LOW_TO_HZ, _HIGH_TO_HZ, _HIGH_BANDS, _STEP_HZ = 300.0, 4000.0, 10, 10.75
RING_S = 0.15
LOW = int(_LOW_TO_HZ / _STEP_HZ) - 2 + _HIGH_BANDS
FEATURES = LOOK + len(ROLES) + templates.FEATURES + len(DRUMS) + COARSE + len(_CELLS) + 1 + len(_LONG_AT_S) * LOW + 1
INPUTS = FEATURES + len(_LONG_AT_S) * LOW + 1 + 3
# The span to cut: to where it has died away, or something else begins.
LONGEST_S, SHORTEST_S, DEAD_DB, LEAD_S = 0.7, 0.06, 40.0, 0.004
SCALE_DB, _BLOCK = 20.0, 64
NETWORKS = ("clean_hits1.npz", "clean_hits2.npz", "clean_hits3.npz", "clean_hits4.npz")
BARE_DB, DOUBT_DB = 12.0, 8.0
# So many of a drum are looked at once more, and how much that counts where music plays: among drums alone, the first look is
# the better one.
CLOSELY, CLOSER, SURELY = 24, 0.9, 0.98
Table = NDArray[np.float32]


@dataclass(frozen=True)
class CleanHit:
    """role: kick, snare or hat; at, end: samples of the span to cut; cover_db: how loud all else is beside it, estimated;
    likely: 0..1, that it is this drum."""

    role: Drum
    at: int
    end: int
    cover_db: float
    likely: float


def of_role(onsets: Onsets, role: str) -> NDArray[np.int64]:
    """(k,) indices of the onsets that are clearly this drum."""
    return np.flatnonzero((onsets.likely >= CLEAR) & (onsets.roles[:, ROLES.index(role)] >= LIKELY))


def features(
    bands: Bands, samples: Samples, onsets: Onsets, role: str, index: NDArray[np.int64], seen: Table, looked: Table
) -> Table:
    """(k, FEATURES) of the hits of one drum at `index`. Of all onsets, seen: how much of each drum they take (`second`),
    looked: the spectrum about them (`classifier`)."""
    places = onsets.looks[index]
    frames = np.round(places / bands.hop).astype(np.int64)
    power = _power(bands, frames)
    carried = power[:, 1:3, _CARRIED[role]].sum(axis=(1, 2))
    own = power / np.maximum(carried, 1e-12)[:, None, None]
    common = np.quantile(own, COMMON, axis=0)
    over = np.maximum(own - common, 0)
    total = max(float(common.sum()), 1e-9)
    kind = np.zeros((len(index), len(DRUMS)), np.float32)
    kind[:, DRUMS.index(role)] = 1
    parts = (
        looked[index],
        onsets.roles[index],
        seen[index],
        kind,
        _db(over.sum(axis=1), total),
        _db(over.sum(axis=2), total),
        _db(over.sum(axis=(1, 2)), total)[:, None],
        _long_looks(samples, bands.rate, places),
    )
    return np.asarray(np.hstack(parts), np.float32)


def inputs(table: Table, sounding: Table) -> Table:
    """(k, INPUTS): `features` of all hits of one drum, what is unlike its cleanest ones, and what sounds in each one's bar
    (k, 3)."""
    low = table[:, -(len(_LONG_AT_S) * LOW + 1) :]
    usual = np.quantile(low, COMMON, axis=0)
    return np.asarray(np.hstack((table, low - usual, sounding)), np.float32)


def _long_looks(samples: Samples, rate: int, at: NDArray[np.int64]) -> NDArray[np.float64]:
    """(k, 3 * LOW + 1): decibels of narrow low bands and some wider ones before, at and after each hit, over all that sounds
    in its RING_S; then that itself, beside the loudest hit."""
    from scipy import fft

    # A power of two, whatever the rate, of about a tenth of a second.
    ring, size = int(RING_S * rate), 2 ** round(np.log2(_LONG_S * rate))
    window, reading = np.hanning(size).astype(np.float32), _readings(size, rate)
    offsets = [int(s * rate) for s in _LONG_AT_S]
    margin, after = -min(offsets), max(ring, max(offsets) + size)
    out = np.empty((len(at), len(offsets) * LOW + 1))
    for first in range(0, len(at), _BLOCK):
        around = np.stack([excerpt(samples, place - margin, place + after) for place in at[first : first + _BLOCK].tolist()])
        energy = (around[:, margin : margin + ring].astype(np.float64) ** 2).sum(axis=1) + 1e-9
        views = np.stack([around[:, margin + o : margin + o + size] for o in offsets], axis=1) * window
        spectrum = fft.rfft(views, axis=2)
        power = np.abs(spectrum) ** 2 @ reading
        rows = slice(first, first + len(around))
        out[rows, :-1] = 10 * np.log10(power.reshape(len(around), -1) / (energy[:, None] * size) + 1e-6) / 30
        out[rows, -1] = energy
    out[:, -1] = 10 * np.log10(out[:, -1] / out[:, -1].max()) / 30
    return out


@functools.lru_cache(maxsize=8)
def _readings(size: int, rate: int) -> Table:
    """(bins, LOW): each step of _STEP_HZ up to _LOW_TO_HZ, then wider bands."""
    hz = np.arange(size // 2 + 1) * rate / size
    low = (np.arange(3, int(_LOW_TO_HZ / _STEP_HZ) + 1) + 0.5) * _STEP_HZ
    edges = np.concatenate(([low[0] - _STEP_HZ], low, np.geomspace(low[-1], _HIGH_TO_HZ, _HIGH_BANDS + 1)[1:]))
    place = np.searchsorted(edges, hz) - 1
    out = np.zeros((len(hz), len(edges) - 1), np.float32)
    inside = (place >= 0) & (place < len(edges) - 1)
    out[np.flatnonzero(inside), place[inside]] = 1
    return out


def _db(amount: NDArray[np.float64], total: float) -> NDArray[np.float64]:
    return np.asarray(np.clip(10 * np.log10(amount / total + 1e-6), -60, 30) / 30)


def _power(bands: Bands, frames: NDArray[np.int64]) -> NDArray[np.float64]:
    """(k, cells, COARSE) energy after each frame."""
    last = len(bands.coarse) - 1
    out = np.empty((len(frames), len(_CELLS), COARSE))
    for i, (first, end) in enumerate(_CELLS):
        at = np.minimum(frames[:, None] + np.arange(first, end), last)
        out[:, i] = (bands.coarse[at].astype(np.float64) ** 2).sum(axis=1)
    return out


@functools.cache
def networks() -> tuple[Layers, ...]:
    """The networks that are averaged."""
    return tuple(load(name) for name in NETWORKS)


def soft_masks(samples: Samples, onsets: Onsets) -> SoftMasks:
    """What is looked at more closely in a recording (n,), by its hits."""
    return SoftMasks(samples, onsets.rate, [onsets.looks[of_role(onsets, role)] for role in DRUMS])


def clean_hits(bands: Bands, samples: Samples, onsets: Onsets, sounding: Table, closer: SoftMasks) -> list[CleanHit]:
    """Every kick, snare and hat, each drum's likeliest clean ones first. sounding: (onsets, 3), what sounds in the bar of each;
    closer: from `soft_masks`."""
    told = [_Drum(role, of_role(onsets, role)) for role in DRUMS]
    if not any(len(drum.index) for drum in told):
        return []
    seen = templates.features(bands, onsets.looks, onsets.likely, onsets.roles)
    looked = looks(bands, np.round(onsets.looks / bands.hop).astype(np.int64))
    for drum in told:
        if len(drum.index):
            drum.first_look(bands, samples, onsets, sounding, seen, looked)
    # The likeliest are looked at once more, all drums together.
    covers = closer.interference_db([onsets.looks[drum.index[drum.mixed]] for drum in told])
    out: list[CleanHit] = []
    for drum, cover in zip(told, covers, strict=True):
        drum.closer_look(cover)
        ends = _ends(bands, onsets, drum.index, len(samples))
        for k in drum.order.tolist():
            at, db = int(onsets.at[drum.index[k]]), round(float(drum.cover[k]), 1)
            out.append(CleanHit(drum.role, at, int(ends[k]), db, round(float(drum.chance[k]), 3)))
    return out


class _Drum:
    """The hits of one drum, at these indices: cover (k,) decibels; bare (k,) whether it is drums alone; handicap (k,) what is
    added to the cover to rank by; order."""

    def __init__(self, role: Drum, index: NDArray[np.int64]) -> None:
        self.role, self.index = role, index
        self.cover = self.handicap = self.chance = self.bare = np.zeros(0, np.float32)
        self.order = np.zeros(0, np.int64)

    @property
    def mixed(self) -> NDArray[np.int64]:
        """Of the first ones, those that do not surely play alone."""
        first = self.order[:CLOSELY]
        return np.asarray(first[self.bare[first] < SURELY])

    def first_look(self, bands: Bands, samples: Samples, onsets: Onsets, sounding: Table, seen: Table, looked: Table) -> None:
        mine = sounding[self.index]
        table = inputs(features(bands, samples, onsets, self.role, self.index, seen, looked), mine)
        self.cover = mean_of(networks(), table)[:, 0] * SCALE_DB
        self.chance = onsets.roles[self.index, ROLES.index(self.role)]
        self.bare = bareness(mine)
        # Of hits that are about as clean, those of bare drums come first, and those that are surely this drum.
        self.handicap = DOUBT_DB * (1 - self.chance) - BARE_DB * self.bare
        self.order = np.argsort(self.cover + self.handicap, kind="stable")

    def closer_look(self, cover: Table) -> None:
        """cover: of the `mixed`."""
        mixed, best = self.mixed, self.order[:CLOSELY]
        self.cover[mixed] += CLOSER * (1 - self.bare[mixed]) * (cover - self.cover[mixed])
        again = np.argsort(self.cover[best] + self.handicap[best], kind="stable")
        self.order = np.concatenate((best[again], self.order[CLOSELY:]))


def _ends(bands: Bands, onsets: Onsets, index: NDArray[np.int64], frames: int) -> NDArray[np.int64]:
    """Where each hit has fallen by DEAD_DB, or the next sound begins, whichever is first."""
    clear = onsets.at[onsets.likely >= CLEAR]
    reach = int(LONGEST_S / bands.hop * bands.rate)
    level = (bands.coarse**2).sum(axis=1)
    out = np.empty(len(index), np.int64)
    for k, at in enumerate(onsets.at[index].tolist()):
        later = np.searchsorted(clear, at + int(SHORTEST_S * bands.rate))
        after = int(clear[later]) - int(LEAD_S * bands.rate) if later < len(clear) else frames
        first = round(at / bands.hop)
        tail = level[first : first + reach]
        loud = np.flatnonzero(tail > 10 ** (-DEAD_DB / 10) * tail[:8].max()) if len(tail) else np.zeros(0, np.int64)
        died = (first + int(loud[-1]) + 1) * bands.hop if len(loud) else at
        out[k] = min(max(died, at + int(SHORTEST_S * bands.rate)), after, frames)
    return out
