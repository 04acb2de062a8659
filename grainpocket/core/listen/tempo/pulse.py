"""The pulse under a row of onsets: which tempi it may have, and where its beats fall, steady or drifting.

Onsets crowd round the points of the right grid: the length of the mean resultant vector of the onsets wrapped on the beat
and its divisions (circular statistics: Mardia & Jupp 2000; as a tempo spectrum over time: Grosche & Mueller, "Extracting
predominant local pulse information from music recordings", IEEE TASLP 2011). Looked at in windows, a tempo may wander and
still be found; the phase of that vector, window by window, then says by how much the beat is early or late.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.frames import framed, spectra_of

SLOWEST, FASTEST = 45.0, 230.0
TRAIN_HZ = 250
WINDOW_S, STEP_S = 10.0, 2.5
DIVISIONS = ((1, 0.9), (2, 1.0), (3, 0.55), (4, 0.8))
MOST = 14
# Ratios at which a tempo is mistaken for another.
RELATED = (2.0, 0.5, 1.5, 2 / 3, 3.0, 1 / 3, 0.75, 4 / 3)
_SAME = 0.03
# How far the tempo of a drifting performance may stray from its median, and how many steps to look at.
STRAY, STEPS = 0.07, 43
LOCAL_S, LOCAL_STEP_S, BENDS, FAR = 3.0, 2.0, 3, 4.0
_ROUGH = 0.006
LEAST_CLEAR = 0.3

Row = NDArray[np.float64]


@dataclass(frozen=True)
class Beat:
    """Position in beats as a function of time: knots (seconds, rising) and places (beats); straight between and beyond.

    rough: root mean square deviation, in seconds, of this pulse from a constant tempo; steady: whether it is one.
    """

    knots: Row
    places: Row
    rough: float
    steady: bool

    def at(self, seconds: Row) -> Row:
        """Beats (k,) at seconds (k,)."""
        return _line(seconds, self.knots, self.places)

    def when(self, places: Row) -> Row:
        return _line(places, self.places, self.knots)

    @property
    def bpm(self) -> float:
        return float(60 * (self.places[-1] - self.places[0]) / (self.knots[-1] - self.knots[0]))

    def scaled(self, ratio: float) -> Beat:
        """The same pulse counted `ratio` times as fast."""
        return Beat(self.knots, self.places * ratio, self.rough, self.steady)

    def shifted(self, beats: float) -> Beat:
        return Beat(self.knots, self.places - beats, self.rough, self.steady)


def _line(x: Row, xs: Row, ys: Row) -> Row:
    out = np.interp(x, xs, ys)
    first, last = (ys[1] - ys[0]) / (xs[1] - xs[0]), (ys[-1] - ys[-2]) / (xs[-1] - xs[-2])
    out = np.where(x < xs[0], ys[0] + (x - xs[0]) * first, out)
    return np.asarray(np.where(x > xs[-1], ys[-1] + (x - xs[-1]) * last, out))


def tempi(t: Row, w: Row) -> list[float]:
    """BPM of every tempo worth a look, best first, with what each may be mistaken for. t: seconds, rising; w: weights."""
    frequency, strength = _spectrum(t, w)
    grid = np.exp(np.arange(np.log(SLOWEST), np.log(FASTEST), 0.002))
    score = _comb(grid, frequency, strength)
    peaks = np.flatnonzero((score[1:-1] >= score[:-2]) & (score[1:-1] > score[2:])) + 1
    peaks = peaks[np.argsort(-score[peaks])][:5]
    out: list[float] = []
    for bpm in grid[peaks]:
        _offer(out, float(bpm))
    for bpm in list(out):
        for ratio in RELATED:
            if SLOWEST <= bpm * ratio <= FASTEST:
                near = np.flatnonzero(np.abs(np.log(grid / (bpm * ratio))) < 0.012)
                _offer(out, float(grid[near[np.argmax(score[near])]]))
    return out[:MOST]


def _offer(known: list[float], bpm: float) -> None:
    if all(abs(np.log(bpm / other)) > _SAME for other in known):
        known.append(bpm)


def _comb(bpm: Row, frequency: Row, strength: Row) -> Row:
    total = sum(share * np.interp(bpm / 60 * d, frequency, strength) for d, share in DIVISIONS)
    return np.asarray(total)


def _spectrum(t: Row, w: Row) -> tuple[Row, Row]:
    """(Hz, 0..1): the resultant of the onsets at each rate, averaged over windows that overlap."""
    size = int(WINDOW_S * TRAIN_HZ)
    train = np.zeros(int(t[-1] * TRAIN_HZ) + size + 2)
    place = t * TRAIN_HZ + size / 2
    low = np.floor(place).astype(int)
    np.add.at(train, low, w * (1 - (place - low)))
    np.add.at(train, low + 1, w * (place - low))
    window = np.hanning(size)
    view = framed(train, size, int(STEP_S * TRAIN_HZ))
    parts = np.abs(spectra_of(view, window, size * 4)[:, : int(20 * size * 4 / TRAIN_HZ)])
    weight = (view * window).sum(axis=1)
    strength = parts.sum(axis=0) / max(float(weight.sum()), 1e-9)
    return np.arange(len(strength)) * TRAIN_HZ / (size * 4), strength


class Windows:
    """Stretches of time that overlap, and how much each onset weighs in each: made once for all tempi of a recording."""

    def __init__(self, t: Row, w: Row, seconds: float) -> None:
        from scipy.sparse import csr_array

        self.centres = np.arange(0.0, max(seconds, LOCAL_STEP_S) + LOCAL_STEP_S, LOCAL_STEP_S)
        away = (self.centres[:, None] - t[None]) / LOCAL_S
        self.near = csr_array(np.where(np.abs(away) < FAR, np.exp(-0.5 * away**2) * w, 0.0))
        self.weight = np.maximum(self.near @ np.ones(len(t)), 1e-9)


def follow(t: Row, w: Row, bpm: float, seconds: float, windows: Windows | None = None) -> Beat:
    """The beat near `bpm` that the onsets keep, its places right up to a constant (see `alignment`)."""
    period = 60 / bpm
    windows = windows or Windows(t, w, seconds)
    centres, near, weight = windows.centres, windows.near, windows.weight
    r = np.linspace(-STRAY, STRAY, STEPS)
    score = np.zeros((len(centres), STEPS))
    # Steps of r are even, so that each column is the one before it, turned once more.
    first, step = np.exp(-2j * np.pi / period * t * (1 + r[0])), np.exp(-2j * np.pi / period * t * (r[1] - r[0]))
    for d, share in DIVISIONS:
        turn = np.empty((len(t), STEPS), complex)
        turn[:, 0], turn[:, 1:] = first**d, (step**d)[:, None]
        score += share * np.abs(near @ np.cumprod(turn, axis=1))
    # Windows with nothing in them must not decide.
    steady_sum = score.sum(axis=0)
    path = _smooth_path(score)
    wandering = float(score[np.arange(len(centres)), path].sum())
    best = int(np.argmax(steady_sum))
    steady = steady_sum[best] >= 0.965 * wandering
    stray = np.full(len(centres), r[best]) if steady else _eased(r[path])
    places = np.concatenate(([0], np.cumsum((1 + (stray[1:] + stray[:-1]) / 2) * np.diff(centres)))) / period
    return _settled(t, near, weight, centres, places, bool(steady))


def _smooth_path(score: Row) -> NDArray[np.int64]:
    """The row of states with the highest score, changes paid for (Viterbi)."""
    count, states = score.shape
    cost = 0.06 * np.median(score.max(axis=1)) * np.abs(np.arange(states)[:, None] - np.arange(states)[None])
    total = score[0].copy()
    back = np.zeros((count, states), np.int64)
    for i in range(1, count):
        reach = total[None] - cost
        back[i] = np.argmax(reach, axis=1)
        total = reach[np.arange(states), back[i]] + score[i]
    path = np.empty(count, np.int64)
    path[-1] = int(np.argmax(total))
    for i in range(count - 1, 0, -1):
        path[i - 1] = back[i, path[i]]
    return path


def _eased(x: Row) -> Row:
    padded = np.pad(x, 1, mode="edge")
    return np.asarray(0.25 * padded[:-2] + 0.5 * padded[1:-1] + 0.25 * padded[2:])


def _settled(t: Row, near: Any, weight: Row, centres: Row, places: Row, steady: bool) -> Beat:
    """Correct the places by the phase that the onsets show in every window, first on coarse divisions, then on fine ones."""
    rough = 0.0
    there = np.where(weight > 1e-3, (near @ t) / weight, centres)
    middles = np.maximum.accumulate(there + np.arange(len(there)) * 1e-6)
    divisions = _finer(t, near, places, centres)
    # A window's mean lags where the tempo bends; what it still misses by is found by asking again.
    for division in [*divisions, *divisions[-1:] * (1 if steady else BENDS)]:
        u = _line(t, centres, places)
        phasor = near @ np.exp(2j * np.pi * division * u) / weight
        if not steady:
            # A window without a clear pulse takes its neighbours' phase.
            phasor = np.convolve(np.pad(phasor, 1, mode="edge"), (0.25, 0.5, 0.25), "valid")
        late = np.unwrap(np.angle(phasor)) / (2 * np.pi * division)
        if not steady:
            # What a window tells is true of the middle of its onsets, which at the ends is not its own.
            late = _line(centres, middles, late)
        trust = np.abs(phasor) * np.sqrt(weight)
        slope, offset = _straight(centres, late, trust)
        rest = late - (offset + slope * centres)
        per_second = (places[-1] - places[0]) / (centres[-1] - centres[0])
        rough = float(np.sqrt(np.sum(trust * rest**2) / max(trust.sum(), 1e-9))) / per_second
        places = places - (offset + slope * centres if steady else late)
    if not steady:
        slope, offset = _straight(centres, places, np.sqrt(weight))
        rest = places - (offset + slope * centres)
        rough = float(np.sqrt(np.average(rest**2, weights=weight))) / slope
    return Beat(centres, places, rough, bool(steady and rough < 4 * _ROUGH))


def _finer(t: Row, near: Any, places: Row, centres: Row) -> list[int]:
    """Divisions to settle on, coarse to fine: the clearest of the beat and the half, then the clearest of the rest. A coarse
    one whose onsets cancel, as those of even eighths do on the beat, has no phase to tell and is left out."""
    u = _line(t, centres, places)
    clear = {d: float(np.abs(near @ np.exp(2j * np.pi * d * u)).sum()) for d in (1, 2, 3, 4)}
    first = 1 if clear[1] > 0.6 * clear[2] else 2
    second = max((2, 3, 4), key=lambda d: clear[d] * (1.0 if d != 3 else 0.9))
    return [second] if second == first or clear[first] < LEAST_CLEAR * clear[second] else [first, second]


def _straight(x: Row, y: Row, w: Row) -> tuple[float, float]:
    """(slope, offset) of the weighted least-squares line."""
    total = max(float(w.sum()), 1e-12)
    mx, my = float((w * x).sum() / total), float((w * y).sum() / total)
    spread = float((w * (x - mx) ** 2).sum())
    slope = float((w * (x - mx) * (y - my)).sum() / spread) if spread > 1e-12 else 0.0
    return slope, my - slope * mx


def align(beat: Beat, t: Row, w: Row) -> Beat:
    """Shifted so that the onsets next to its beats fall on them: the weighted median of what they miss by."""
    u = beat.at(t)
    miss = u - np.round(u)
    close = np.abs(miss) < 0.07
    if close.sum() < 2:
        return beat
    order = np.argsort(miss[close])
    total = np.cumsum(w[close][order])
    middle = float(miss[close][order][np.searchsorted(total, total[-1] / 2)])
    return beat.shifted(middle)
