"""Which of the tempi it is, in which metre, and where bar one lies.

Every reading of the pulse, metre and place of the bar line is a hypothesis; small networks give each a score from the
bar's profile (see `bar_profile`), and a softmax over all of them makes probabilities. They were trained on grooves that we
rendered (see training/listen), of which they never see audio but only what the onset detector made of it. Each was fitted
apart from the other, one of them with the tempo blurred by half an octave, and their mean counts. Of two readings that fit
as well, the one nearer to the pace at which people tap is the likelier (van Noorden & Moelants, "Resonance in the perception
of musical pulse", JNMR 28, 1999).

Bars of five and of seven are told by what comes back: how alike a recording is to itself so many beats later rises at its bar and
falls between (J. Foote & S. Uchihashi, "The beat spectrum", ICME 2001; of metre: M. Gainza, "Automatic musical meter detection",
ICASSP 2009). Where that peak lies on a multiple of five or seven beats, clear of all that lie on none, no bar of three or four can
be right, whatever its profile says.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.networks.dense import Layers, load, mean_of
from grainpocket.core.listen.tempo.bar_profile import (
    CHANNELS,
    LAGS,
    LONGEST_LOOP_S,
    LOOP_SLIP_S,
    LOOP_STARTS_S,
    METRES,
    PARTS,
    WIDEST,
    Evidence,
    Reading,
    Row,
    as_loop,
    fold,
    pour,
    readings,
    repeats,
)
from grainpocket.core.listen.tempo.pulse import Beat

SCALARS = 13
FEATURES = len(CHANNELS) * WIDEST + 3 * LAGS + SCALARS + len(METRES)
NETWORKS = ("metre1.npz", "metre2.npz")
LIKELY_BPM = 110.0
# The pace of tapping, and how much an octave away from it counts against a tempo.
TAPPED_BPM, AWAY = 120.0, 2.0
DIVISIONS = (1, 2, 3, 4)
USUAL_BARS, UNLIKELY_CHANCE, ELSEWHERE = (1, 2, 4, 8, 16), 2.5, -30.0


@dataclass(frozen=True)
class Hypothesis:
    """bar_one: places of the beat at which a bar begins, 0 <= bar_one < quarters; likely: probability, 0..1."""

    reading: Reading
    metre: str
    quarters: int
    bar_one: float
    likely: float


@functools.cache
def networks() -> tuple[Layers, ...]:
    """The networks that are averaged."""
    return tuple(load(name) for name in NETWORKS)


def table(seen: Evidence, reading: Reading) -> list[NDArray[np.float32]]:
    """For each of METRES a table (quarters, FEATURES), of quarters * PARTS rows: one row for every place that the bar line could
    have."""
    alike = repeats(seen, reading.beat)
    out: list[NDArray[np.float32]] = []
    for i, (_, quarters) in enumerate(METRES):
        profile = fold(seen, reading.beat, quarters)
        bins = quarters * PARTS
        turns = (np.arange(bins)[None] + np.arange(bins)[:, None]) % bins
        turned = np.zeros((bins, len(CHANNELS), WIDEST))
        turned[:, :, :bins] = profile[:, turns].transpose(1, 0, 2)
        scalars = np.tile(_scalars(seen, reading, quarters), (bins, 1))
        # How near the bar line is to the start of the recording and to its first onset, in beats.
        for column, second in ((-2, 0.0), (-1, float(seen.t[0]))):
            gap = (float(reading.beat.at(np.array([second]))[0]) * PARTS - np.arange(bins)) % bins
            scalars[:, column] = np.exp(-(np.minimum(gap, bins - gap) ** 2) / 4)
        name = np.zeros((bins, len(METRES)))
        name[:, i] = 1
        parts = (turned.reshape(bins, -1), np.tile(alike, (bins, 1)), scalars, name)
        out.append(np.hstack(parts).astype(np.float32))
    return out


def _scalars(seen: Evidence, reading: Reading, quarters: int) -> Row:
    octaves = np.log2(reading.beat.bpm / LIKELY_BPM)
    bars = reading.loop_quarters / quarters if reading.loop_quarters else 0.0
    whole = float(bars > 0 and abs(bars - round(bars)) < 1e-6)
    square = float(whole and round(bars) in (1, 2, 4, 8, 16))
    long = min(float(np.log2(max(seen.seconds, 1.0))) / 6, 1.5)
    loop, steady = float(reading.loop_quarters is not None), float(reading.beat.steady)
    return np.array([*gathered(seen, reading), octaves, octaves**2, loop, whole, square, long, steady, 0, 0])


def gathered(seen: Evidence, reading: Reading) -> list[float]:
    """How closely the onsets crowd round the beats, and their halves, thirds and quarters: 0..1 each."""
    u = reading.beat.at(seen.t)
    total = max(float(seen.w.sum()), 1e-9)
    return [float(np.abs((seen.w * np.exp(2j * np.pi * d * u)).sum())) / total for d in DIVISIONS]


def hypotheses(seen: Evidence) -> list[Hypothesis]:
    """The likeliest place of the bar line for each tempo and metre, likeliest first; the probabilities of all the places
    that were considered sum to 1. Empty when there are too few onsets for a pulse."""
    known = readings(seen)
    if not known:
        return []
    # A trimmed loop has whole bars.
    rows = [
        (reading, i, part)
        for reading in known
        for i, part in enumerate(table(seen, reading))
        if reading.loop_quarters is None or reading.loop_quarters % METRES[i][1] == 0
    ]
    seen_rows = np.vstack([part for _, _, part in rows])
    scores = mean_of(networks(), seen_rows)[:, 0].astype(np.float64)
    scores += np.concatenate([_of_loops(reading, METRES[i][1]) + _of_pace(reading) for reading, i, _ in rows])
    share = np.exp(scores - scores.max())
    share /= share.sum()
    out: list[Hypothesis] = []
    first = 0
    for reading, i, part in rows:
        mine = share[first : first + len(part)]
        first += len(part)
        name, quarters = METRES[i]
        out.append(Hypothesis(reading, name, quarters, centre(mine) / PARTS, float(mine.sum())))
    return sorted(out, key=lambda h: -h.likely)


def _of_pace(reading: Reading) -> float:
    return float(-AWAY * np.log2(reading.beat.bpm / TAPPED_BPM) ** 2)


def _of_loops(reading: Reading, quarters: int) -> Row:
    """What a trimmed loop adds to the scores of the places of its bar line: it begins on one, and that its length should be
    a usual number of bars by chance is not likely."""
    bins = quarters * PARTS
    out = np.zeros(bins)
    if reading.loop_quarters is not None:
        away = np.minimum(np.arange(bins), bins - np.arange(bins))
        out[away > 1] = ELSEWHERE
        if reading.fits and reading.loop_quarters // quarters in USUAL_BARS:
            out += UNLIKELY_CHANCE
    return out


def centre(share: Row) -> float:
    """Place of the highest peak, counting neighbours, which share what belongs to one place."""
    spread = share + np.roll(share, 1) + np.roll(share, -1)
    return float(np.argmax(spread + 1e-3 * share))


# (name, quarter notes in a bar)
ODD = (("5/4", 5), ("7/4", 7))
# Likenesses are taken this many beats apart at most, and two bars at least, by how much the odd ones have to be ahead.
LONGEST, COMPARED, CLEAR = 16, 2, 0.1
_KERNEL = (0.25, 0.5, 0.25)
# What speaks for the one, by channel: drums low and all together, notes and chords that change there; a snare speaks against it.
_WEIGHTS = {"any": 1.0, "kick": 2.0, "snare": -1.0, "hat": 0.0, "tonal": 1.0, "change": 2.0}
_START = 2.0


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
