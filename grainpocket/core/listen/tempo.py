"""Tempo from onsets, and from the length of a loop.

A tempo is good when the onsets crowd round the points of its grid: the length of the mean resultant vector of the onsets
wrapped on the beat, the eighth and the sixteenth (circular statistics: Mardia & Jupp 2000; as a tempo spectrum: Grosche &
Mueller, "Cyclic tempogram", ICASSP 2010). A trimmed loop is a whole number of bars, which gives its tempo to the sample.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.onsets import Onsets

SLOWEST, FASTEST = 50.0, 200.0
LONGEST_LOOP_S = 45.0
LIKELY_BPM, LIKELY_OCTAVES = 108.0, 0.7
_DIVISIONS = ((1, 0.9), (2, 1.0), (4, 0.8))
MOST = 5


@dataclass(frozen=True)
class Tempo:
    """bpm: quarter notes a minute; confidence: 0..1, summing to at most 1 over a list of candidates; bars: the whole
    number of 4/4 bars that the recording then lasts, or None when it is not a trimmed loop at this tempo."""

    bpm: float
    confidence: float
    bars: int | None = None


def candidates(onsets: Onsets, frames: int) -> list[Tempo]:
    """Ranked tempo candidates of a recording of `frames` samples; empty when there is no steady pulse to find."""
    if len(onsets.at) < 4 or frames <= 0:
        return []
    seconds = frames / onsets.rate
    t, w = onsets.seconds, onsets.strength.astype(np.float64)
    step = min(0.02, 0.1 / max(seconds, 1.0) * 4)
    bpm = np.exp(np.arange(np.log(SLOWEST), np.log(FASTEST), step / 10))
    score = gather(t, w, bpm) * _likely(bpm)
    peaks = np.flatnonzero((score[1:-1] >= score[:-2]) & (score[1:-1] > score[2:])) + 1
    found = [(float(score[i]), float(bpm[i]), None) for i in peaks]
    ranked: list[tuple[float, float, int | None]] = sorted([*found, *_loop_tempi(t, w, seconds)], reverse=True)
    kept: list[tuple[float, float, int | None]] = []
    for value, tempo, bars in ranked:
        if all(abs(np.log(tempo / other)) > 0.02 for _, other, _ in kept):
            kept.append((value, tempo, bars))
        if len(kept) == MOST:
            break
    if not kept or kept[0][0] < 0.12:
        return []
    weight = np.exp(np.array([v for v, _, _ in kept]) * 8)
    weight /= weight.sum()
    return [Tempo(b, float(c), bars) for (_, b, bars), c in zip(kept, weight, strict=True)]


def gather(t: NDArray[np.float64], w: NDArray[np.float64], bpm: NDArray[np.float64]) -> NDArray[np.float64]:
    """How tightly onsets at t (seconds, weights w) crowd round the beats, eighths and sixteenths of each tempo, 0..1."""
    total = np.zeros(len(bpm))
    for division, share in _DIVISIONS:
        for first in range(0, len(bpm), 512):
            rate = bpm[first : first + 512] / 60.0 * division
            total[first : first + 512] += share * np.abs(np.exp(-2j * np.pi * np.outer(rate, t)) @ w)
    return np.asarray(total / (w.sum() * sum(share for _, share in _DIVISIONS)))


def _loop_tempi(t: NDArray[np.float64], w: NDArray[np.float64], seconds: float) -> list[tuple[float, float, int | None]]:
    """The tempi at which the recording lasts a whole number of bars, if it starts on a hit as a trimmed loop does."""
    if seconds > LONGEST_LOOP_S or t[0] > 0.05:
        return []
    bars = np.array([1, 2, 3, 4, 6, 8, 12, 16])
    bpm = bars * 240.0 / seconds
    inside = (bpm >= SLOWEST) & (bpm <= FASTEST)
    bars, bpm = bars[inside], bpm[inside]
    if not len(bars):
        return []
    usual = np.where(np.isin(bars, (1, 2, 4, 8, 16)), 1.35, 1.0)
    score = gather(t, w, bpm) * _likely(bpm) * usual
    return [(float(s), float(b), int(n)) for s, b, n in zip(score, bpm, bars, strict=True)]


def _likely(bpm: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.exp(-0.5 * (np.log2(bpm / LIKELY_BPM) / LIKELY_OCTAVES) ** 2))
