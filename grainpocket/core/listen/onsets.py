"""Where sounds begin: found in the spectrum, judged by a model, placed in the waveform.

A spectral-flux detector with a maximum filter over frequency (Boeck & Widmer, "Maximum filter vibrato suppression for
onset detection", DAFx 2013) finds that something may have begun; a small model says how likely it is that something did,
and what (see `judge`). Frames are too coarse to cut by: the place itself comes from the waveform (see `attack`). Times are
sample positions; strengths run from 0 to 1.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.attack import attack_starts, rough_starts
from grainpocket.core.listen.bands import Bands, Levels, Progress, analyse, no_progress
from grainpocket.core.listen.judge import ROLES, judge
from grainpocket.core.listen.second import second_look
from grainpocket.core.listen.third import third_look
from grainpocket.core.sound.audio import Samples, peak_of

LEAST_GAP_S = 0.025
FLOOR, FLOOR_SHARE, REGIONS = 2e-4, 1.0, 5
# Less likely than this, and nobody will ever ask for it.
LEAST = 0.02
# From here on, a place is worth finding to the sample.
PLACED = 0.12
# Of all the work, by when the attacks are found; the rest is telling which drums they are.
FOUND_SHARE = 0.7
# The look at an attack begins this far ahead of it.
AHEAD_S = 0.0023
REAL, HARD_S, HARD_RANGE_DB = 0.5, 0.03, 36.0
_LAG, _BLOCK, _RISE = 2, 2048, 0.05


@dataclass(frozen=True)
class Onsets:
    """at: (k,) int64 samples at which to cut, rising; attack: (k,) at which what begins is seen to begin; likely: (k,)
    float32, probability that each is real; rate: samples a second; roles: (k, 6) float32, how likely each of ROLES begins
    there; hard: (k,) float32, how loud each is beside the loudest, 1 and 36 dB less 0."""

    at: NDArray[np.int64]
    likely: NDArray[np.float32]
    rate: int
    roles: NDArray[np.float32]
    hard: NDArray[np.float32]
    attack: NDArray[np.int64]

    @property
    def looks(self) -> NDArray[np.int64]:
        """(k,) samples from which on it is looked at what begins."""
        return np.maximum(self.attack - int(self.rate * AHEAD_S), 0)

    @property
    def strength(self) -> NDArray[np.float32]:
        """(k,) 0..1: below a half it is doubtful that anything begins; above, how hard it is hit."""
        return np.where(self.likely < REAL, self.likely, np.float32(REAL) + np.float32(1 - REAL) * self.hard)

    @property
    def seconds(self) -> NDArray[np.float64]:
        return self.at / self.rate

    def above(self, threshold: float) -> NDArray[np.int64]:
        return self.at[self.strength >= threshold]

    def only(self, keep: NDArray[np.bool_]) -> Onsets:
        return Onsets(self.at[keep], self.likely[keep], self.rate, self.roles[keep], self.hard[keep], self.attack[keep])


def nothing(rate: int) -> Onsets:
    none = np.zeros(0, np.float32)
    return Onsets(np.zeros(0, np.int64), none, rate, np.zeros((0, len(ROLES)), np.float32), none, np.zeros(0, np.int64))


def detect(samples: Samples, rate: int, progress: Progress = no_progress) -> Onsets:
    """Every onset worth a look, each with its strength; choose among them by threshold.

    samples: (n,) float32 mono. Silence and empty input give no onsets.
    """
    peak = peak_of(samples)
    if peak < 1e-5 or len(samples) < int(rate * 0.01):
        return nothing(rate)
    bands = analyse(samples, rate, peak, lambda share: progress(share * 0.4))
    return detect_in(bands, samples, lambda share: progress(0.4 + share * 0.6))


def detect_in(bands: Bands, samples: Samples, progress: Progress = no_progress, looks: int = 3) -> Onsets:
    """The same, when the bands of the samples are known already. looks: how many times to look at which drums they are, 1..3."""
    rate = bands.rate
    frames, heights = candidates(bands, len(samples))
    likely = judge(bands, frames, heights)
    keep = likely[:, 0] >= LEAST
    frames, likely = frames[keep], likely[keep]
    near, sure = frames * bands.hop, likely[:, 0] >= PLACED
    at, attack = np.empty(len(near), np.int64), np.empty(len(near), np.int64)
    at[sure], attack[sure] = attack_starts(samples, rate, near[sure], lambda share: progress(share * FOUND_SHARE))
    at[~sure], attack[~sure] = rough_starts(samples, rate, near[~sure])
    found = _one_each(at, attack, likely, samples, rate)
    likely, roles = found.likely, found.roles
    if looks > 1:
        likely, roles = second_look(bands, samples, found.looks, likely, roles)
    if looks > 2:
        rest = 1 - FOUND_SHARE
        likely, roles = third_look(samples, rate, found.at, likely, roles, lambda share: progress(FOUND_SHARE + share * rest))
    return replace(found, likely=likely, roles=roles)


def candidates(bands: Bands, count: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """(frames, heights of the flux over its surroundings) of all that might be an onset in `count` samples."""
    novelty = flux(bands.fine)
    # What begins with the very end of a file is its being cut off, or too short to be of use.
    return _peaks(novelty[: max(1, (count - int(bands.rate * LEAST_GAP_S)) // bands.hop)])


def _one_each(at: NDArray[np.int64], attack: NDArray[np.int64], likely: NDArray[np.float32], samples: Samples, rate: int) -> Onsets:
    """One onset for each attack: of two findings closer than the least gap the likelier stays, with the roles of both."""
    order = np.argsort(at, kind="stable")
    gap = int(rate * LEAST_GAP_S)
    places: list[int] = []
    seen: list[int] = []
    rows: list[NDArray[np.float32]] = []
    for i in order.tolist():
        if places and at[i] - places[-1] < gap:
            if likely[i, 0] > rows[-1][0]:
                places[-1], seen[-1] = int(at[i]), int(attack[i])
                rows[-1] = np.maximum(likely[i], rows[-1] * 0.9)
            continue
        places.append(int(at[i]))
        seen.append(int(attack[i]))
        rows.append(likely[i])
    if not places:
        return nothing(rate)
    table = np.array(rows)
    where = np.array(places, np.int64)
    hard = _hardness(where, samples, rate)
    return Onsets(where, table[:, 0].copy(), rate, table[:, 1:].copy(), hard, np.array(seen, np.int64))


def _hardness(at: NDArray[np.int64], samples: Samples, rate: int) -> NDArray[np.float32]:
    size = int(rate * HARD_S)
    peaks = np.array([peak_of(samples[place : place + size]) for place in at.tolist()])
    db = 20 * np.log10(np.maximum(peaks, 1e-9) / max(float(peaks.max()), 1e-9))
    return np.asarray(np.clip(1 + db / HARD_RANGE_DB, 0, 1), np.float32)


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
