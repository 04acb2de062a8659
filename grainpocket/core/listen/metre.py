"""Which of the tempi it is, in which metre, and where bar one lies.

Every reading of the pulse, metre and place of the bar line is a hypothesis; small networks give each a score from the
bar's profile (see `profile`), and a softmax over all of them makes probabilities. They were trained on grooves that we
rendered (see training/listen), of which they never see audio but only what the onset detector made of it. Each was fitted
apart from the others, one of them with the tempo blurred by half an octave, and their mean counts. Of two readings that fit
as well, the one nearer to the pace at which people tap is the likelier (van Noorden & Moelants, "Resonance in the perception
of musical pulse", JNMR 28, 1999).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.layers import Layers, load, mean_of
from grainpocket.core.listen.profile import CHANNELS, LAGS, METRES, PARTS, WIDEST, Evidence, Reading, Row, fold, readings, repeats

SCALARS = 13
FEATURES = len(CHANNELS) * WIDEST + 3 * LAGS + SCALARS + len(METRES)
NETWORKS = ("metre1.npz", "metre2.npz", "metre3.npz")
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
    return tuple(load(name) for name in NETWORKS)


def table(seen: Evidence, reading: Reading) -> list[NDArray[np.float32]]:
    """For each of METRES (quarters * PARTS, FEATURES): one row for every place that the bar line could have."""
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
