"""The samples at which attacks begin.

Three steps, each finer. The steepest rise of energy near the coarse onset says which few milliseconds to look at. There,
what came before is predicted forward by linear prediction (covariance method), so that a sustained bass or a ringing
cymbal cancels and only the new sound is left in the error. That error falls in two parts, before and after; the best
dividing sample is where two models of different variance explain them best (Akaike criterion for arrival picking: Maeda
1985, "A method for reading and checking phase times in autoprocessing system of seismic wave data", Zisin 38). From
there the cut walks back to where the new sound rises out of what was there: a cut goes at the start of an attack,
never into it.

All onsets of a recording are placed together, a row each: the same few array operations serve hundreds at a time.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples, excerpt

SEARCH_BEFORE_S, SEARCH_AFTER_S = 0.014, 0.016
LEARN_S, RISE_S, FALL_S = 0.016, 0.003, 0.008
PICK_BEFORE_S, PICK_AFTER_S, WALK_S = 0.014, 0.006, 0.008
CALM_S, LOUD_S, CALM, RISEN = 0.028, 0.030, 1.3, 0.03
ORDER = 24
# How far ahead of the attack a cut is set, by how many dB the new sound rises over what was foretold: where it rises out of
# a ringing bed its beginning is hidden, and is earlier than it can be seen.
LEAD_S, LEAD_DB = (0.0044, 0.0034, 0.0020, 0.0011, 0.0008), (14.0, 22.0, 36.0, 55.0, 80.0)
ROUGH_LEAD_S = 0.0023
RISEN_SHARE, QUIET = 0.02, 3.5
_BLOCK = 128
Wave = NDArray[np.float32]
Precise = NDArray[np.float64]
Index = NDArray[np.int64]


def attack_starts(samples: Samples, rate: int, near: Index, progress: Callable[[float], None] | None = None) -> tuple[Index, Index]:
    """(where to cut, where the attack is seen to begin): samples, for what a coarse detector saw near each of `near`.

    samples: (n,) float32 mono; near: (k,) sample positions, each within about 15 ms of its attack.
    """
    s = _Scale(rate)
    margin = s.before + s.after + s.learn + s.fall + s.walk + s.pick_after + s.rise + s.calm + s.loud + ORDER
    cut, seen = np.empty(len(near), np.int64), np.empty(len(near), np.int64)
    for first in range(0, len(near), _BLOCK):
        if progress is not None:
            progress(first / len(near))
        places = near[first : first + _BLOCK]
        # Only the stretch that these lie in: a long recording is not to be copied whole.
        start_of, end_of = int(places.min()) - margin, int(places.max()) + margin + 1
        padded = excerpt(samples, start_of, end_of)
        centre = places - start_of
        steep = _steepest(padded, s, centre)
        error = _prediction_error(padded, s, steep - s.pick_before)
        place = s.learn + _divide(error[:, s.learn : s.learn + s.pick_before + s.pick_after])
        quiet, peak = _before(error, s), _behind(error, place, s)
        start = _walk_back(error, place, quiet, peak, s) - s.learn + steep - s.pick_before
        start = _swelling(padded, start, s) + start_of
        seen[first : first + _BLOCK], cut[first : first + _BLOCK] = start, start - _lead(quiet, peak, rate)
    last = max(0, len(samples) - 1)
    return np.clip(cut, 0, last), np.clip(seen, 0, last)


def rough_starts(samples: Samples, rate: int, near: Index) -> tuple[Index, Index]:
    """Of (n,) and places (k,), the same two (k,) to within some milliseconds, at a fraction of the cost: where energy rises
    most, less the lead."""
    s = _Scale(rate)
    margin = s.before + s.after + s.fall + s.rise + 3
    out = np.empty(len(near), np.int64)
    for first in range(0, len(near), _BLOCK):
        places = near[first : first + _BLOCK]
        start_of = int(places.min()) - margin
        padded = excerpt(samples, start_of, int(places.max()) + margin + 1)
        out[first : first + _BLOCK] = _steepest(padded, s, places - start_of) + start_of
    last = max(0, len(samples) - 1)
    return np.clip(out - int(rate * ROUGH_LEAD_S), 0, last), np.clip(out, 0, last)


class _Scale:
    """The time constants above, in samples."""

    def __init__(self, rate: int) -> None:
        def n(seconds: float) -> int:
            return max(2, int(rate * seconds))

        self.before, self.after, self.learn = n(SEARCH_BEFORE_S), n(SEARCH_AFTER_S), n(LEARN_S)
        self.rise, self.fall, self.walk = n(RISE_S), n(FALL_S), n(WALK_S)
        self.pick_before, self.pick_after = n(PICK_BEFORE_S), n(PICK_AFTER_S)
        self.grain, self.swell = n(0.00025), n(0.001)
        self.calm, self.loud = n(CALM_S), n(LOUD_S)


def _rows(x: Wave, first: Index, count: int) -> Wave:
    """(k, count): x[first[i] : first[i] + count] for each i."""
    return np.lib.stride_tricks.sliding_window_view(x, count)[first]


def _steepest(x: Wave, s: _Scale, centre: Index) -> Index:
    """Where energy rises most, over the whole spectrum and with its top lifted, 3 ms behind against 8 ms before."""
    count = s.before + s.after
    gain = np.ones((len(centre), count), np.float32)
    # Two samples more, for the differences.
    y = _rows(x, centre - s.before - s.fall - 2, 2 + s.fall + count + s.rise)
    for _ in range(3):
        inner = y[:, -(s.fall + count + s.rise) :]
        square = np.zeros((len(y), inner.shape[1] + 1), np.float32)
        np.cumsum(inner * inner, axis=1, out=square[:, 1:])
        k = s.fall
        behind = (square[:, k + s.rise : k + s.rise + count] - square[:, k : k + count]) / s.rise
        before = (square[:, k : k + count] - square[:, :count]) / s.fall
        floor = np.float32(1e-11) + np.float32(1e-3) * behind.max(axis=1, keepdims=True)
        # A running sum of float32 may come out a hair under nothing.
        gain *= (np.maximum(behind, 0) + floor) / (np.maximum(before, 0) + floor)
        y = np.diff(y, axis=1)
    return np.asarray(centre - s.before + np.argmax(gain, axis=1))


def _prediction_error(x: Wave, s: _Scale, learn_to: Index) -> Wave:
    """(k, learn + pick_before + pick_after + rise): x less its linear prediction, from `learn` samples before learn_to on,
    where the predictor is learnt."""
    count = s.learn + s.pick_before + s.pick_after + s.rise
    rows = _rows(x, learn_to - s.learn - ORDER, ORDER + count)
    whole = _covariance(rows[:, ORDER : ORDER + s.learn].astype(np.float64))
    # Seen from the sample to be foretold, the past runs backwards; the weights are wanted oldest first.
    gram, cross = whole[:, 1:, 1:].copy(), whole[:, 1:, 0]
    trace = np.trace(gram, axis1=1, axis2=2)
    gram[:, np.arange(ORDER), np.arange(ORDER)] += (1e-6 * trace / ORDER + 1e-12)[:, None]
    weights = np.linalg.solve(gram, cross[:, :, None])[:, ::-1, 0].astype(np.float32)
    error = rows[:, ORDER:].copy()
    for k in range(ORDER):
        error -= weights[:, k : k + 1] * rows[:, k : k + count]
    return np.asarray(error)


def _covariance(x: Precise) -> Precise:
    """(k, ORDER + 1, ORDER + 1): sums over n of x[n - i] x[n - j], n from ORDER to the end of each row.

    Only the first row is summed; every other entry follows from the one before it on its diagonal by what enters and what
    leaves (Rabiner & Schafer, "Digital Processing of Speech Signals", 1978, 8.1.2).
    """
    last = x.shape[1]
    out = np.empty((len(x), ORDER + 1, ORDER + 1))
    head = x[:, ORDER:]
    for j in range(ORDER + 1):
        out[:, 0, j] = np.einsum("kn,kn->k", head, x[:, ORDER - j : last - j])
    begin, end = x[:, ORDER - 1 :: -1][:, :ORDER], x[:, last - 1 : last - 1 - ORDER : -1]
    for i in range(ORDER):
        rest = slice(i, ORDER)
        out[:, i + 1, i + 1 :] = out[:, i, i:-1] + begin[:, i : i + 1] * begin[:, rest] - end[:, i : i + 1] * end[:, rest]
    for i in range(ORDER + 1):
        out[:, i:, i] = out[:, i, i:]
    return out


def _swelling(x: Wave, start: Index, s: _Scale) -> Index:
    """Further back, at most 6 ms, to where the wave itself leaves the level it had before.

    A low drum swells so smoothly that prediction foresees it: it is only in the wave that it can be seen to begin.
    """
    from scipy.ndimage import maximum_filter1d

    size = np.abs(_rows(x, start - s.calm, s.calm + s.loud))
    before = size[:, : s.calm - s.walk].max(axis=1)
    level = np.maximum(CALM * before, RISEN * size[:, s.calm :].max(axis=1))
    near = size[:, s.calm - s.walk - s.swell : s.calm + s.swell + 1]
    over = maximum_filter1d(near, s.swell, axis=1) > level[:, None]
    # Column i of the rest lies i samples before the start.
    back = over[:, s.walk + s.swell - np.arange(s.walk)]
    run = np.argmin(back, axis=1)
    run = np.where(back.all(axis=1), s.walk, run)
    return np.asarray(start - np.maximum(0, run - s.swell // 2))


def _divide(x: Wave) -> Index:
    """Index k that best parts each row into x[:k] and x[k:] of different variance, louder behind."""
    n = x.shape[1]
    square = np.cumsum(x * x, axis=1)
    k = np.arange(6, n - 6)
    floor = 1e-12 + 1e-7 * square[:, -1:] / n
    before = square[:, k - 1] / k + floor
    behind = (square[:, -1:] - square[:, k - 1]) / (n - k) + floor
    cost = k * np.log(before) + (n - k) * np.log(behind)
    cost[behind <= before] = np.inf
    best = k[np.argmin(cost, axis=1)]
    return np.asarray(np.where(np.isfinite(cost).any(axis=1), best, n - 6))


def _before(error: Wave, s: _Scale) -> Wave:
    """(k,) root mean square of the error where the predictor was learnt."""
    return np.asarray(np.sqrt(np.mean(error[:, : s.learn] ** 2, axis=1)))


def _behind(error: Wave, place: Index, s: _Scale) -> Wave:
    """(k,) peak of the error in the 3 ms from `place` on."""
    ahead = np.lib.stride_tricks.sliding_window_view(np.abs(error), s.rise, axis=1)
    return np.asarray(ahead[np.arange(len(error)), np.minimum(place, error.shape[1] - s.rise)].max(axis=1))


def _lead(quiet: Wave, peak: Wave, rate: int) -> Index:
    rise = 20 * np.log10(np.maximum(peak, 1e-9) / np.maximum(quiet, 1e-9))
    return np.asarray(np.round(rate * np.interp(rise, LEAD_DB, LEAD_S)), np.int64)


def _walk_back(error: Wave, place: Index, quiet: Wave, peak: Wave, s: _Scale) -> Index:
    """From `place` back to where the error rises out of the level it had before, at most 8 ms."""
    from scipy.ndimage import maximum_filter1d

    size = np.abs(error)
    level = np.maximum(np.maximum(QUIET * quiet, RISEN_SHARE * peak), 1e-6)
    loud = maximum_filter1d(size, s.grain, axis=1) > level[:, None]
    # Column i of the rest lies i samples before the place.
    back = loud[np.arange(len(error))[:, None], place[:, None] - np.arange(s.walk)]
    silent = np.zeros((len(back), s.walk + 1), np.int64)
    np.cumsum(~back, axis=1, out=silent[:, 1:])
    gap = s.grain + 1
    over = np.full(back.shape, False)
    over[:, gap - 1 :] = silent[:, gap:] - silent[:, :-gap] == gap
    reached = np.where(over.any(axis=1), np.argmax(over, axis=1), s.walk)
    mine = back & (np.arange(s.walk) < reached[:, None])
    last = s.walk - 1 - np.argmax(mine[:, ::-1], axis=1)
    return np.asarray(place - np.where(mine.any(axis=1), last, 0))
