"""The sample at which an attack begins.

Three steps, each finer. The steepest rise of energy near the coarse onset says which few milliseconds to look at. There,
what came before is predicted forward by linear prediction (covariance method), so that a sustained bass or a ringing
cymbal cancels and only the new sound is left in the error. That error falls in two parts, before and after; the best
dividing sample is where two models of different variance explain them best (Akaike criterion for arrival picking: Maeda
1985, "A method for reading and checking phase times in autoprocessing system of seismic wave data", Zisin 38). From
there the cut walks back to where the new sound rises out of what was there: a cut goes at the start of an attack,
never into it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples

SEARCH_BEFORE_S, SEARCH_AFTER_S = 0.014, 0.016
LEARN_S, RISE_S, FALL_S = 0.016, 0.003, 0.008
PICK_BEFORE_S, PICK_AFTER_S, WALK_S = 0.007, 0.004, 0.006
ORDER = 24
LEAD_S = 0.0008
Wave = NDArray[np.float64]


def attack_start(samples: Samples, rate: int, near: int, after: int = 0) -> int:
    """Sample index of the attack that a coarse detector saw near `near`, never before `after`.

    samples: (n,) float32 mono; near: a frame centre, within about 15 ms of the attack.
    """
    s = _Scale(rate)
    first = near - s.before - s.learn - s.fall - s.walk
    last = near + s.after + s.pick_after + s.rise
    x = _window(samples, first, last)
    steep = _steepest(x, s, near - first)
    learn_to = max(ORDER * 3, steep - s.pick_before)
    error = _prediction_error(x, max(0, learn_to - s.learn), learn_to)
    low, high = learn_to, min(len(x), steep + s.pick_after)
    place = low + _divide(error[low:high])
    start = _walk_back(error, x, place, s, learn_to)
    return int(np.clip(first + start - s.lead, max(after, 0), max(0, len(samples) - 1)))


class _Scale:
    """The time constants above, in samples."""

    def __init__(self, rate: int) -> None:
        def n(seconds: float) -> int:
            return max(2, int(rate * seconds))

        self.before, self.after, self.learn = n(SEARCH_BEFORE_S), n(SEARCH_AFTER_S), n(LEARN_S)
        self.rise, self.fall, self.walk = n(RISE_S), n(FALL_S), n(WALK_S)
        self.pick_before, self.pick_after, self.lead = n(PICK_BEFORE_S), n(PICK_AFTER_S), int(rate * LEAD_S)
        self.grain = n(0.00025)


def _window(samples: Samples, first: int, last: int) -> Wave:
    """samples[first:last] with silence where it runs over an end: before a file nothing sounds."""
    out = np.zeros(last - first)
    a, b = max(0, first), min(len(samples), last)
    if b > a:
        out[a - first : b - first] = samples[a:b]
    return out


def _steepest(x: Wave, s: _Scale, centre: int) -> int:
    """Where energy rises most, over the whole spectrum and with its top lifted, 3 ms behind against 8 ms before."""
    k = np.arange(centre - s.before, min(centre + s.after, len(x) - s.rise))
    gain = np.zeros(len(k))
    y = x
    for _ in range(3):
        square = np.concatenate(([0.0], np.cumsum(y * y)))
        behind = (square[k + s.rise] - square[k]) / s.rise
        before = (square[k] - square[k - s.fall]) / s.fall
        floor = 1e-11 + 1e-3 * behind.max()
        gain += np.log((behind + floor) / (before + floor))
        y = np.diff(y, prepend=0.0)
    return int(k[np.argmax(gain)])


def _prediction_error(x: Wave, learn_from: int, learn_to: int) -> Wave:
    """x less its linear prediction, the predictor learnt on x[learn_from:learn_to]."""
    span = x[learn_from:learn_to]
    if len(span) <= ORDER * 2 or not np.any(span):
        return x
    rows = np.lib.stride_tricks.sliding_window_view(span[:-1], ORDER)
    target = span[ORDER:]
    gram = rows.T @ rows
    gram[np.diag_indices(ORDER)] += 1e-6 * np.trace(gram) / ORDER + 1e-12
    weights = np.linalg.solve(gram, rows.T @ target)
    error = x.copy()
    every = np.lib.stride_tricks.sliding_window_view(x[:-1], ORDER)
    error[ORDER:] -= every @ weights
    return error


def _divide(x: Wave) -> int:
    """Index k that best parts x into x[:k] and x[k:] of different variance, louder behind."""
    n = len(x)
    if n < 20:
        return n // 2
    square = np.cumsum(x * x)
    k = np.arange(6, n - 6)
    floor = 1e-12 + 1e-7 * square[-1] / n
    before = square[k - 1] / k + floor
    behind = (square[-1] - square[k - 1]) / (n - k) + floor
    cost = k * np.log(before) + (n - k) * np.log(behind)
    cost[behind <= before] = np.inf
    return int(k[np.argmin(cost)]) if np.isfinite(cost).any() else n - 6


def _walk_back(error: Wave, x: Wave, place: int, s: _Scale, learn_to: int) -> int:
    """From `place` back to where the error rises out of the level it had before, at most 6 ms."""
    from scipy.ndimage import maximum_filter1d

    quiet = error[max(0, learn_to - s.learn) : learn_to]
    peak = np.abs(error[place : place + s.rise]).max() if place < len(error) else 0.0
    level = max(3.5 * float(np.sqrt(np.mean(quiet**2))) if len(quiet) else 0.0, 0.02 * float(peak), 1e-6)
    loud = maximum_filter1d(np.abs(error), s.grain) > level
    start = place
    gap = 0
    for k in range(place, max(0, place - s.walk), -1):
        if loud[k]:
            start, gap = k, 0
        else:
            gap += 1
            if gap > s.grain:
                break
    return start
