"""Which stretches of whole bars loop well.

A loop is seamless when what follows its end in the record is what its beginning is, and what comes before its beginning is
what its end is: then the record itself went round there. Level, spectrum and rhythm are compared together, as the loudness
of 24 bands in 16 parts of half a bar on either side of the join.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.passages.passages import AUDIBLE_DB, Edges
from grainpocket.core.listen.spectra.bands import COARSE, Bands

LENGTHS = (1, 2, 4, 8)
# A two-bar loop is of more use than one bar, and eight are long for a pad.
USE = {1: 0.96, 2: 1.0, 4: 1.0, 8: 0.97}
PARTS, FLOOR_DB, RANGE_DB, MOST_OF_A_LENGTH, OVERLAP = 16, -60.0, 15.0, 3, 0.5
UNEVEN = 0.4
# A trimmed loop has nothing before or after it to compare: somebody cut it to loop.
TRIMMED = 0.95


@dataclass(frozen=True)
class GoodLoop:
    """start, end: samples; bars: how many; score: 0..1, how alike the two sides of the join are."""

    start: int
    end: int
    bars: int
    score: float


def good_loops(bands: Bands, lines: Edges, rate: int, trimmed: bool = False) -> list[GoodLoop]:
    """Ranked, at most three of a length and none half the same as a better one. lines: seconds of the bar lines, the end of
    a trimmed loop (which the whole recording then is) among them."""
    count = len(lines)
    if count < 2:
        return []
    total = np.zeros((len(bands.coarse) + 1, COARSE))
    np.cumsum(bands.coarse**2, axis=0, dtype=np.float64, out=total[1:])
    step = bands.hop / bands.rate
    bar_spectra = _bar_spectra(total, lines / step)
    ahead, behind = _sides(total, lines / step, +1), _sides(total, lines / step, -1)
    out: list[GoodLoop] = []
    for bars in LENGTHS:
        first = np.arange(count - bars)
        last = first + bars
        score = np.fmin(_alike(ahead[first], ahead[last]), _alike(behind[first], behind[last]))
        whole = trimmed & (first == 0) & (last == count - 1)
        score = np.where(whole, TRIMMED, score)
        parts = [bar_spectra[a:b] for a, b in zip(first, last, strict=True)]
        quiet = np.array([(p.max(axis=1) < AUDIBLE_DB).any() for p in parts], bool)
        # Where the music changes on the way, it is not one loop.
        uneven = np.array([np.abs(p - p.mean(axis=0)).mean() for p in parts]) / RANGE_DB
        score = np.where(np.isnan(score) | quiet, 0.0, score) * USE[bars] * (1 - np.minimum(1, uneven) * UNEVEN)
        taken: list[int] = []
        for k in np.argsort(-score, kind="stable").tolist():
            if len(taken) == MOST_OF_A_LENGTH or score[k] <= 0:
                break
            if all(abs(k - other) >= bars * OVERLAP for other in taken):
                taken.append(k)
                out.append(GoodLoop(round(lines[k] * rate), round(lines[k + bars] * rate), bars, round(float(score[k]), 3)))
    return sorted(out, key=lambda loop: (-loop.score, loop.start))


def _sides(total: NDArray[np.float64], lines: Edges, side: int) -> NDArray[np.float64]:
    """(lines, PARTS * COARSE) decibels of the half bar after (+1) or before (-1) each line; NaN where the record ends. total:
    running sum of the energy of each band; lines: in frames."""
    half = float(np.median(np.diff(lines))) / 2
    places = lines[:, None] + side * half * np.arange(PARTS + 1) / PARTS
    frame = np.round(np.sort(places, axis=1)).astype(int)
    outside = (frame[:, 0] < 0) | (frame[:, -1] > len(total) - 1)
    frame = np.clip(frame, 0, len(total) - 1)
    width = np.maximum(np.diff(frame, axis=1), 1)[:, :, None]
    level = 10 * np.log10(np.maximum(np.diff(total[frame], axis=1) / width, 10 ** (FLOOR_DB / 10)))
    out = level.reshape(len(lines), -1)
    out[outside] = np.nan
    return np.asarray(out)


def _alike(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """1 where two sides are the same, falling to 0 at RANGE_DB of mean difference; loud places count for more."""
    weight = np.maximum(one, other) - FLOOR_DB + 1.0
    gap = (np.abs(one - other) * weight).sum(axis=1) / weight.sum(axis=1)
    return np.asarray(np.clip(1 - gap / RANGE_DB, 0, 1))


def _bar_spectra(total: NDArray[np.float64], lines: Edges) -> NDArray[np.float64]:
    """(bars, COARSE) mean level of each band in each bar, decibels beside the record's peak."""
    frame = np.clip(np.round(lines).astype(int), 0, len(total) - 1)
    mean = np.diff(total[frame], axis=0) / np.maximum(np.diff(frame), 1)[:, None]
    return np.asarray(10 * np.log10(np.maximum(mean, 10 ** (FLOOR_DB / 10))))
