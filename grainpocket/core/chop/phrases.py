"""The phrases of a voice: from breath to breath, and where their last syllable begins."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples

HOP_S = 0.01
# A pause is this long at the least; a breath is this far under the voice (a good part of it above is a syllable).
PAUSE_S, SHORTEST_S, UNDER_DB, OVER_FLOOR_DB = 0.14, 0.12, 27.0, 9.0
LEAST_RANGE_DB = 14.0
LAST_SYLLABLE_S, DIP_DB = (0.1, 2.5), 6.0


@dataclass(frozen=True)
class Phrase:
    """start, end: samples; ending: where its last syllable begins."""

    start: int
    end: int
    ending: int


def phrases(samples: Samples, rate: int, onsets: NDArray[np.int64]) -> list[Phrase]:
    """Phrases of (n,) float32 mono, none when the voice never pauses. onsets: samples at which something begins.

    A level in decibels over 10 ms is compared with the voice's usual loudness and with the floor between phrases.
    """
    hop = round(HOP_S * rate)
    count = len(samples) // hop
    if count < 20:
        return []
    power = (samples[: count * hop].reshape(count, hop).astype(np.float64) ** 2).mean(axis=1)
    level = 10 * np.log10(power + 1e-10)
    loud, floor = float(np.percentile(level, 90)), float(np.percentile(level, 5))
    if loud - floor < LEAST_RANGE_DB:
        return []
    on = level > max(loud - UNDER_DB, min(floor + OVER_FLOOR_DB, loud - LEAST_RANGE_DB / 2))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], on.astype(int), [0]))))
    spans: list[list[int]] = []
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if spans and (first - spans[-1][1]) * HOP_S < PAUSE_S:
            spans[-1][1] = last
        else:
            spans.append([first, last])
    out: list[Phrase] = []
    for first, last in spans:
        if (last - first) * HOP_S >= SHORTEST_S:
            start, end = _begin(samples, first * hop, hop, onsets), min(len(samples), (last + 2) * hop)
            out.append(Phrase(start, end, _ending(start, end, level, hop, rate, onsets)))
    return out


def _begin(samples: Samples, at: int, hop: int, onsets: NDArray[np.int64]) -> int:
    """The attack near a first loud stretch, or where it is last quiet before it."""
    near = onsets[(onsets >= at - 4 * hop) & (onsets <= at + 2 * hop)]
    if len(near):
        return max(0, int(near[0]))
    low = max(0, at - 2 * hop)
    return low + int(np.abs(samples[low : at + 1]).argmin())


def _ending(start: int, end: int, level: NDArray[np.float64], hop: int, rate: int, onsets: NDArray[np.int64]) -> int:
    """The last onset that leaves time to be heard; failing that, the last dip of the level."""
    least, most = (round(s * rate) for s in LAST_SYLLABLE_S)
    late = onsets[(onsets > start + least) & (onsets <= end - least) & (onsets >= end - most)]
    if len(late):
        return int(late[-1])
    low, high = max(start + least, end - most) // hop, (end - least) // hop
    if high <= low + 2:
        return start
    dip = low + int(level[low:high].argmin())
    # One long syllable has no dip worth the name.
    around = min(level[start // hop : dip].max(initial=-200.0), level[dip : end // hop].max(initial=-200.0))
    return dip * hop if around - level[dip] >= DIP_DB else start
