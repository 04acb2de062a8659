"""Limiter: no true peak above its ceiling.

Peaks are read sixteen times oversampled (four times, as ITU-R BS.1770-4 asks, can miss 0.6 dB of the highest tones). The gain
that each needs is held over the look-ahead, let go at the release, and smoothed by two running means that are as long as the
look-ahead together: the gain at a peak is never more than what it needs. One gain for both sides, so that the picture stays.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from grainpocket.core.effects.base import Controls, Effect, State, gains, low_pass
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

TIMES, REACH = 16, 24  # oversampling of the peaks, and samples of the filter on either side
LOOK, HALF = 96, 48  # samples ahead; of each running mean
LATENCY = LOOK + REACH
MARGIN_DB = 0.12  # a gain that moves may let a peak between samples grow by a hair
SETTINGS: tuple[Setting, ...] = (
    Parameter("input", "Input", "dB", -12.0, 24.0, 0.0, 0.5, 1, "Level before it: how far it is pushed"),
    Parameter("ceiling", "Ceiling", "dBTP", -12.0, 0.0, -1.0, 0.1, 1, "The highest true peak that comes out"),
    Parameter("release", "Release", "ms", 5.0, 1000.0, 80.0, 5.0, 0, "How soon it lets go", "log"),
)
# A peak between samples is at most this much over the larger of its neighbours, on anything that is not made to fool it.
HIDDEN = 0.4


def _phases() -> NDArray[np.float64]:
    """(2 REACH + 1, 2 TIMES) coefficients of the fine samples up to one sample on either side, by sample from the oldest on."""
    filter_ = low_pass(2 * REACH * TIMES + 1, 1 / TIMES, 8.0) * TIMES
    out = np.zeros((2 * REACH + 1, 2 * TIMES))
    for p in range(2 * TIMES):
        for k in range(2 * REACH + 1):
            # Fine place (p - TIMES) / TIMES beside the middle sample.
            j = (REACH - k) * TIMES + REACH * TIMES + (p - TIMES)
            if 0 <= j < len(filter_):
                out[k, p] = filter_[j]
    return out


_PHASES = _phases()


def _begin(rate: int, controls: Controls) -> State:
    return {
        "past": np.zeros((2 * REACH + LATENCY, 2)),  # what came in, pushed
        "needed": np.ones(LOOK),  # gains of the last samples that were read
        "held": np.ones(1),
        "first": np.ones(HALF), "second": np.ones(HALF),  # of the running means
    }  # fmt: skip


@njit(cache=True, nogil=True)
def peaks(x, near, phases):  # type: ignore[no-untyped-def]
    """(n - 2 REACH,) the largest true peak at or beside each sample of (n, 2), but the first and last REACH.

    near: (n - 2 REACH,) level under which no neighbour can hide a peak that matters: there the sample itself is read."""
    taps, times = phases.shape
    count = x.shape[0] - taps + 1
    out = np.zeros(count)
    total = np.empty(times)
    for c in range(2):
        for i in range(count):
            own = abs(x[i + REACH, c])
            out[i] = max(out[i], own)
            largest = max(own, abs(x[i + REACH - 1, c]), abs(x[i + REACH + 1, c]))
            if largest < near[i]:
                continue
            # Between this sample and the next: it counts for both, as each must be turned down for it.
            total[:] = 0.0
            for k in range(taps):
                value = x[i + k, c]
                for p in range(times):
                    total[p] += value * phases[k, p]
            for p in range(times):
                out[i] = max(out[i], abs(total[p]))
    return out


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames = state["at"], len(block)
    pushed = block * gains(controls.samples("input", start, frames))[:, None]
    all_of_it = np.concatenate((state["past"], pushed))
    state["past"] = all_of_it[frames:].copy()
    # Of the newest samples those are read that the filter has all of: they are REACH samples old.
    ceiling = gains(controls.samples("ceiling", start, frames) - MARGIN_DB)
    high = peaks(all_of_it[LATENCY:], ceiling * HIDDEN, _PHASES)
    needed = np.minimum(1.0, ceiling / np.maximum(high, 1e-9))
    pole = np.exp(-1000 / (controls.samples("release", start, frames) * controls.rate))
    gain = _smoothed(needed, pole, state["needed"], state["held"], state["first"], state["second"])
    return np.asarray(all_of_it[2 * REACH : 2 * REACH + frames] * gain[:, None], np.float32)


@njit(cache=True, nogil=True)
def _smoothed(needed, pole, before, held, first, second):  # type: ignore[no-untyped-def]
    """(n,) the gain for what is LOOK samples older than what is needed."""
    look, half, count = len(before), len(first), len(needed)
    window = np.concatenate((before, needed))
    one, two, out = np.empty(half + count), np.empty(half + count), np.empty(count)
    one[:half], two[:half] = first, second
    # The least of the look-ahead, at once down and slowly up. places: of values that may yet be the least, the least first.
    places = np.empty(look + count, np.int64)
    head, end, now = 0, 0, held[0]
    for k in range(look + count):
        while end > head and window[places[end - 1]] >= window[k]:
            end -= 1
        places[end] = k
        end += 1
        i = k - look
        if i < 0:
            continue
        if places[head] < i:
            head += 1
        least = window[places[head]]
        now = least if least < now else least + pole[i] * (now - least)
        one[half + i] = now
    held[0] = now
    _means(one, two, half, count)
    for i in range(count):
        out[i] = _sum(two, i + 1, half) / half
    first[:], second[:] = one[count:], two[count:]
    before[:] = window[count : count + look]
    return out


@njit(cache=True, nogil=True)
def _means(one, two, half, count):  # type: ignore[no-untyped-def]
    for i in range(count):
        two[half + i] = _sum(one, i + 1, half) / half


@njit(cache=True, nogil=True, inline="always")
def _sum(x, start, count):  # type: ignore[no-untyped-def]
    """Anew each time: a running sum would drift, and differ with where a block begins. In four parts, always the same ones."""
    a, b, c, d = 0.0, 0.0, 0.0, 0.0
    for k in range(start, start + count, 4):
        a += x[k]
        b += x[k + 1]
        c += x[k + 2]
        d += x[k + 3]
    return (a + b) + (c + d)


EFFECT = Effect("limiter", "Limiter", SETTINGS, _begin, _process, rings=lambda c: 2 * LATENCY, latency=LATENCY, turns_down=True)
