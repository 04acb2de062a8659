"""Bars of five and of seven, told by what comes back: music repeats itself a bar, or two bars, later.

How alike a recording is to itself so many beats later rises at its bar and falls between (J. Foote & S. Uchihashi, "The beat
spectrum", ICME 2001; of metre: M. Gainza, "Automatic musical meter detection", ICASSP 2009). Where that peak lies on a multiple
of five or seven beats, clear of all that lie on none, no bar of three or four can be right, whatever its profile says.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.metre import Hypothesis, centre
from grainpocket.core.listen.profile import (
    CHANNELS,
    LONGEST_LOOP_S,
    LOOP_SLIP_S,
    LOOP_STARTS_S,
    PARTS,
    Evidence,
    Reading,
    as_loop,
    fold,
    pour,
)
from grainpocket.core.listen.pulse import Beat

# (name, quarter notes in a bar)
ODD = (("5/4", 5), ("7/4", 7))
# Likenesses are taken this many beats apart at most, and two bars at least, by how much the odd ones have to be ahead.
LONGEST, COMPARED, CLEAR = 16, 2, 0.1
_KERNEL = (0.25, 0.5, 0.25)
# What speaks for the one, by channel: drums low and all together, notes and chords that change there; a snare speaks against it.
_WEIGHTS = {"any": 1.0, "kick": 2.0, "snare": -1.0, "hat": 0.0, "tonal": 1.0, "change": 2.0}
_START = 2.0
Row = NDArray[np.float64]


def retold(seen: Evidence, h: Hypothesis) -> Hypothesis:
    """`h` in five or seven when that is how the recording repeats at this tempo, else `h` itself. A loop that was trimmed to
    bars of three or four stays one; what lasts a whole number of odd bars is trimmed to them."""
    if h.reading.loop_quarters is not None:
        return h
    alike = likeness(seen, h.reading.beat)
    for name, quarters in ODD:
        if len(alike) > COMPARED * quarters and _repeats_in(alike, quarters):
            loop = _trimmed(seen, h.reading.beat, quarters)
            if loop is not None:
                return Hypothesis(loop, name, quarters, 0.0, h.likely)
            return Hypothesis(h.reading, name, quarters, _one(seen, h.reading.beat, quarters), h.likely)
    return h


def likeness(seen: Evidence, beat: Beat) -> Row:
    """(k,): how alike all beats are to those 0, 1, ... beats later, 1 for the same, k at most LONGEST + 1 and no more than
    leaves half of the recording to compare. Every channel counts the same."""
    start = float(np.floor(beat.at(np.array([0.0]))[0]))
    count = int(np.ceil(float(beat.at(np.array([seen.seconds]))[0]) - start))
    if count < 2:
        return np.ones(1)
    rows = np.zeros((len(CHANNELS), (count + 1) * PARTS))
    for part, at, amounts in ((rows[:-1], seen.t, seen.kinds), (rows[-1:], seen.at, seen.moved[:, None])):
        place = (beat.at(at) - start) * PARTS
        inside = (place >= 0) & (place < rows.shape[1] - 1)
        pour(part, place[inside], amounts[inside])
    rows = np.stack([np.convolve(row, _KERNEL, "same") for row in rows])[:, : count * PARTS]
    rows /= np.maximum(np.sqrt((rows**2).mean(axis=1)), 1e-6)[:, None]
    beats = rows.reshape(len(CHANNELS), count, PARTS).transpose(1, 0, 2).reshape(count, -1)
    beats -= beats.mean(axis=0)
    energy = max(float((beats**2).sum(axis=1).mean()), 1e-9)
    longest = min(LONGEST, count // 2)
    return np.array([float((beats[lag:] * beats[: count - lag]).sum(axis=1).mean()) / energy for lag in range(longest + 1)])


def _trimmed(seen: Evidence, beat: Beat, quarters: int) -> Reading | None:
    """The reading as a loop of whole bars, when it begins with sound and lasts as long as some of them."""
    if seen.seconds > LONGEST_LOOP_S or seen.t[0] > LOOP_STARTS_S or not beat.steady:
        return None
    bar = quarters * 60 / beat.bpm
    bars = round(seen.seconds / bar)
    return as_loop(seen, bars * quarters, True) if abs(bars * bar - seen.seconds) < LOOP_SLIP_S else None


def _repeats_in(alike: Row, quarters: int) -> bool:
    lags = np.arange(len(alike))
    mine, others = (lags > 1) & (lags % quarters == 0), (lags > 1) & (lags % quarters > 0)
    return bool(mine.any() and alike[mine].max() > alike[others].max() + CLEAR)


def _one(seen: Evidence, beat: Beat, quarters: int) -> float:
    """Place of the bar line, in beats: where what speaks for it is strongest."""
    bins = quarters * PARTS
    profile = fold(seen, beat, quarters)
    profile /= np.maximum(profile.max(axis=1, keepdims=True), 1e-9)
    spread = profile + 0.5 * (np.roll(profile, 1, axis=1) + np.roll(profile, -1, axis=1))
    score = np.array([_WEIGHTS[c] for c in CHANNELS]) @ spread
    away = (float(beat.at(seen.t[:1])[0]) * PARTS - np.arange(bins)) % bins
    score += _START * np.exp(-(np.minimum(away, bins - away) ** 2) / 4)
    share = np.exp(score - score.max())
    return centre(share / share.sum()) / PARTS
