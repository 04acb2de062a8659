"""A bar's profile: what happens where in the bar, if the tempo and the metre were so.

Each tempo worth a look is a `Reading`. Folding all onsets into one bar of it shows peaks where a musician of that metre
plays: kicks on the one, snares on two and four, chords that change at the bar line. `metre` judges these profiles.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import Chroma
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.listen.tempo import pulse
from grainpocket.core.listen.tempo.pulse import Beat

# A beat is parted in twelve, so that sixteenths and triplets both fall on a part.
PARTS = 12
CHANNELS = ("any", "kick", "snare", "hat", "tonal", "change")
LAGS = 8
# (name, quarter notes in a bar)
METRES = (("4/4", 4), ("3/4", 3), ("6/8", 3))
WIDEST = max(q for _, q in METRES) * PARTS
LONGEST_LOOP_S, LOOP_STARTS_S, LOOP_SLIP_S = 45.0, 0.05, 0.045
LOOP_BARS = (1, 2, 3, 4, 6, 8, 12, 16)
FEWEST, SAME = 4, 0.004
# The beat lies this far ahead of the attacks, so that what is cut by it is not cut into.
AHEAD_S = 0.001
Row = NDArray[np.float64]


@dataclass(frozen=True)
class Evidence:
    """t: (k,) seconds of the clear onsets; w: their strengths; kinds: (k, 5) amounts in all channels but the last;
    moved, at: how much the harmony changes at each of some seconds; seconds: length of the recording."""

    t: Row
    w: Row
    kinds: Row
    moved: Row
    at: Row
    seconds: float

    def between(self, start: float, end: float) -> Evidence:
        """The same of a stretch alone, its times from its start."""
        keep, near = (self.t >= start) & (self.t < end), (self.at >= start) & (self.at < end)
        return Evidence(self.t[keep] - start, self.w[keep], self.kinds[keep], self.moved[near], self.at[near] - start, end - start)


@dataclass(frozen=True)
class Reading:
    """A tempo and its beat; loop_quarters: the whole number of quarter notes that a trimmed loop then lasts; fits: whether
    the onsets came to that tempo by themselves, without being told the length."""

    beat: Beat
    loop_quarters: int | None
    fits: bool = False


def evidence(onsets: Onsets, chroma: Chroma | None, seconds: float, clear: float = 0.3) -> Evidence:
    """What speaks for beats and bars in so many seconds. clear: how likely an onset has to be to count."""
    keep = onsets.likely >= clear
    strength = onsets.likely[keep].astype(np.float64)
    role = {name: onsets.roles[keep, i].astype(np.float64) for i, name in enumerate(ROLES)}
    kinds = np.stack((strength, role["kick"], role["snare"], np.maximum(role["hat"], role["perc"] * 0.5), role["tonal"]), axis=1)
    moved, at = changes(chroma) if chroma is not None else (np.zeros(0), np.zeros(0))
    return Evidence(onsets.attack[keep] / onsets.rate - AHEAD_S, strength, kinds, moved, at, seconds)


def changes(chroma: Chroma, span: int = 5) -> tuple[Row, Row]:
    """(amount, seconds): one less the likeness of the notes of the next half second to those of the last (cosine)."""
    both = np.hstack((chroma.treble, chroma.bass)).astype(np.float64)
    total = np.vstack((np.zeros((1, both.shape[1])), np.cumsum(both, axis=0)))
    n = len(both)
    if n < 2 * span + 1:
        return np.zeros(0), np.zeros(0)
    k = np.arange(span, n - span)
    past, future = total[k] - total[k - span], total[k + span] - total[k]
    size = np.linalg.norm(past, axis=1) * np.linalg.norm(future, axis=1)
    like = (past * future).sum(axis=1) / np.maximum(size, 1e-9)
    amount = np.where(size > 1e-6, 1 - like, 0.0)
    # Boundary k lies half a hop before the middle of frame k.
    hop = chroma.seconds[1] - chroma.seconds[0]
    return np.asarray(amount), np.asarray(chroma.seconds[k] - hop / 2)


def readings(seen: Evidence) -> list[Reading]:
    """Every tempo worth a look with its beat, best guess of the pulse alone first."""
    if len(seen.t) < FEWEST:
        return []
    out: list[Reading] = []
    loops, windows = _loop_tempi(seen), pulse.Windows(seen.t, seen.w, seen.seconds)
    for bpm in pulse.tempi(seen.t, seen.w):
        beat = pulse.follow(seen.t, seen.w, bpm, seen.seconds, windows)
        slip = [(abs(seen.seconds - q * 60 / beat.bpm), q) for q in loops]
        near = min(slip, default=(1.0, 0))
        reading = as_loop(seen, near[1], True) if beat.steady and near[0] < LOOP_SLIP_S else Reading(beat, None)
        # Two first guesses may come to the same in the end.
        if all(abs(np.log(reading.beat.bpm / r.beat.bpm)) > SAME for r in out):
            out.append(reading)
    known = {r.loop_quarters for r in out}
    # In a short loop the pulse alone may mislead; its length does not.
    out += [as_loop(seen, q) for q in loops if q not in known] if seen.seconds < 12 else []
    return out


def _loop_tempi(seen: Evidence) -> list[int]:
    """Numbers of quarter notes that the recording could last, were it a trimmed loop."""
    if seen.seconds > LONGEST_LOOP_S or seen.t[0] > LOOP_STARTS_S:
        return []
    quarters = {bars * q for bars in LOOP_BARS for _, q in METRES}
    return [n for n in sorted(quarters) if pulse.SLOWEST <= n * 60 / seen.seconds <= pulse.FASTEST]


def as_loop(seen: Evidence, quarters: int, fits: bool = False) -> Reading:
    """The reading in which the whole recording lasts that many quarter notes."""
    ends = np.array([0.0, seen.seconds])
    beat = Beat(ends, np.array([0.0, float(quarters)]), 0.0, True)
    return Reading(beat, quarters, fits)


def fold(seen: Evidence, beat: Beat, quarters: int) -> Row:
    """(channels, quarters * PARTS): mean of each channel over all bars, from an arbitrary place in the bar."""
    bins = quarters * PARTS
    bars = max(1.0, float(np.ptp(beat.at(np.array([0.0, seen.seconds])))) / quarters)
    out = np.zeros((len(CHANNELS), bins))
    pour(out[:-1], beat.at(seen.t) * PARTS, seen.kinds)
    pour(out[-1:], beat.at(seen.at) * PARTS, seen.moved[:, None])
    out[:-1] /= max(float(out[0].max()), 0.25 * bars)
    out[-1] /= max(float(out[-1].max()), 1e-6)
    return out


def pour(out: Row, place: Row, amounts: Row) -> None:
    """Add amounts (k, channels) at fractional places, wrapped round."""
    bins = out.shape[1]
    low = np.floor(place).astype(int)
    share = place - low
    for c in range(len(out)):
        out[c] += np.bincount(low % bins, amounts[:, c] * (1 - share), bins)
        out[c] += np.bincount((low + 1) % bins, amounts[:, c] * share, bins)


def repeats(seen: Evidence, beat: Beat) -> Row:
    """(3 * LAGS,): how alike the recording is to itself 1 to LAGS beats later: all onsets, kick less snare, harmony."""
    count = int(np.ceil(np.ptp(beat.at(np.array([0.0, seen.seconds]))))) + 1
    start = float(np.floor(beat.at(np.array([0.0]))[0]))
    bins = count * PARTS
    rows = np.zeros((3, bins))
    place = (beat.at(seen.t) - start) * PARTS
    inside = (place >= 0) & (place < bins - 1)
    pour(rows[:1], place[inside], seen.kinds[inside, :1])
    pour(rows[1:2], place[inside], (seen.kinds[inside, 1] - seen.kinds[inside, 2])[:, None])
    moved = (beat.at(seen.at) - start) * PARTS
    within = (moved >= 0) & (moved < bins - 1)
    pour(rows[2:], moved[within], seen.moved[within, None])
    out = np.zeros((3, LAGS))
    kernel = np.array([0.25, 0.5, 0.25])
    for i, row in enumerate(rows):
        x = np.convolve(row, kernel, "same")
        x = x - x.mean() if i != 1 else x
        energy = float(x @ x)
        for lag in range(PARTS, min((LAGS + 1) * PARTS, bins), PARTS):
            if energy > 1e-9:
                out[i, lag // PARTS - 1] = float(x[lag:] @ x[:-lag]) / energy * bins / (bins - lag)
    return np.clip(out.ravel(), -1.5, 1.5)
