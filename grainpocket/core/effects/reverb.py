"""Reverb: sixteen delay lines that feed each other.

A feedback delay network (Jot & Chaigne, AES 90th convention, 1991): lines of mutually prime lengths, mixed by a Hadamard matrix,
each with the gain that makes it fall by 60 dB in the decay time and a one-pole low pass that makes highs fall sooner; four
all-passes before it spread an attack. Both sides are heard through lines of their own.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import TICK, Controls, Effect, State
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

LINES = 16
# Primes from 23 to 78 ms at 44.1 kHz and a size of 100 %.
LENGTHS = np.array([1031, 1151, 1277, 1423, 1567, 1697, 1831, 1979, 2129, 2281, 2437, 2591, 2753, 2953, 3163, 3433], np.float64)
SPREADS = np.array([113, 173, 271, 379], np.int64)
SPREAD_GAIN = 0.6
OPEN_HZ = 20000.0  # damping from here on is none
MOST_SIZE, MOST_BEFORE_S = 2.0, 0.25
SETTINGS: tuple[Setting, ...] = (
    Parameter("decay", "Decay", "s", 0.1, 20.0, 1.8, 0.1, 2, "Time in which it falls by 60 dB", "log"),
    Parameter("size", "Size", "%", 20.0, 200.0, 100.0, 5.0, 0, "From a small room to a wide one", "log"),
    Parameter("before", "Pre-delay", "ms", 0.0, 250.0, 10.0, 1.0, 0, "Silence before it begins"),
    Parameter("damping", "Highs to", "Hz", 500.0, 20000.0, 6000.0, 100.0, 0, "Above this it falls sooner", "log"),
    Parameter("low_cut", "Lows from", "Hz", 20.0, 1000.0, 120.0, 10.0, 0, "Below this it stays dry", "log"),
    Parameter("width", "Width", "%", 0.0, 100.0, 100.0, 5.0, 0, "0 is the same on both sides"),
)


def _begin(rate: int, controls: Controls) -> State:
    scale = rate / 44100
    longest = int(LENGTHS.max() * MOST_SIZE * scale) + 4
    return {
        "lines": np.zeros((LINES, longest), np.float32),
        "spread": np.zeros((2, len(SPREADS), int(SPREADS.max() * scale) + 2)),
        "before": np.zeros((2, int(MOST_BEFORE_S * rate) + 2), np.float32),
        "low": np.zeros(LINES),  # of the damping, by line
        "cut": np.zeros((2, 2)),  # of the low cut: last in and out, by side
    }


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames, rate = state["at"], len(block), controls.rate
    scale = rate / 44100

    def ticks(name: str) -> np.ndarray:
        return controls.ticks(name, start, frames)

    lengths = np.round(LENGTHS[None] * scale * ticks("size")[:, None] / 100).astype(np.int64)
    decay = 10 ** (-3 * lengths / (ticks("decay")[:, None] * rate))
    highs = ticks("damping")
    damp = np.where(highs >= OPEN_HZ, 0.0, np.exp(-2 * np.pi * np.minimum(highs, 0.45 * rate) / rate))
    cut = np.exp(-2 * np.pi * ticks("low_cut") / rate)
    before = np.round(ticks("before") / 1000 * rate).astype(np.int64)
    out = np.empty((frames, 2))
    _network(
        np.asarray(block, np.float64), out, start, lengths, decay, damp, cut, before, ticks("width") / 100,
        np.maximum(1, (SPREADS * scale).astype(np.int64)), state["lines"], state["spread"], state["before"], state["low"],
        state["cut"],
    )  # fmt: skip
    return out.astype(np.float32)


@njit(cache=True, nogil=True)
def _network(x, out, start, lengths, decay, damp, cut, before, width, spreads, lines, spread, waiting, low, cut_memory):  # type: ignore[no-untyped-def]
    ring, room, wait = lines.shape[1], spread.shape[2], waiting.shape[1]
    v = np.empty(16)
    # Places in the rings, each counted on: a division for every line and sample would take most of the time.
    here, there, at = start % ring, start % room, start % wait
    for i in range(x.shape[0]):
        now = start + i
        tick = now // TICK - start // TICK
        part = (now % TICK) / TICK
        # Before the lines: low cut, pre-delay, and all-passes, each side its own.
        for c in range(2):
            high = x[i, c] - cut_memory[c, 0] + cut[tick] * cut_memory[c, 1]
            cut_memory[c, 0] = x[i, c]
            cut_memory[c, 1] = high if abs(high) > 1e-20 else 0.0
            waiting[c, at] = high
            # A length that changes is faded from one to the next: a glide would sweep the pitch of all that rings.
            y = waiting[c, at - before[tick] if at >= before[tick] else at - before[tick] + wait]
            if before[tick] != before[tick + 1]:
                late = at - before[tick + 1]
                y = y * (1 - part) + waiting[c, late if late >= 0 else late + wait] * part
            for s in range(4):
                held = spread[c, s, there - spreads[s] if there >= spreads[s] else there - spreads[s] + room]
                inside = y + SPREAD_GAIN * held
                spread[c, s, there] = inside if abs(inside) > 1e-20 else 0.0
                y = held - SPREAD_GAIN * inside
            v[c] = y
        left, right = v[0], v[1]
        side = [0.0, 0.0]
        for k in range(16):
            old, new = lengths[tick, k], lengths[tick + 1, k]
            y = float(lines[k, here - old if here >= old else here - old + ring])
            if old != new:
                y = y * (1 - part) + lines[k, here - new if here >= new else here - new + ring] * part
            gain = decay[tick, k] + (decay[tick + 1, k] - decay[tick, k]) * part
            low[k] = y * gain * (1 - damp[tick]) + low[k] * damp[tick]
            if abs(low[k]) < 1e-20:
                low[k] = 0.0
            v[k] = low[k]
            side[k % 2] += v[k] if (k // 2) % 2 == 0 else -v[k]
        # Hadamard, in place: four rounds of sums and differences.
        step = 1
        while step < 16:
            for k in range(0, 16, 2 * step):
                for j in range(k, k + step):
                    p, q = v[j], v[j + step]
                    v[j], v[j + step] = p + q, p - q
            step *= 2
        for k in range(16):
            lines[k, here] = v[k] * 0.25 + (left if k % 2 == 0 else right)
        middle, difference = (side[0] + side[1]) / 2, (side[0] - side[1]) / 2 * width[tick]
        out[i, 0] = (middle + difference) * 0.35
        out[i, 1] = (middle - difference) * 0.35
        here = here + 1 if here + 1 < ring else 0
        there = there + 1 if there + 1 < room else 0
        at = at + 1 if at + 1 < wait else 0


def _rings(controls: Controls) -> int:
    # To -100 dB, and what waits before it.
    return int((controls.number("decay") * 100 / 60 + MOST_BEFORE_S) * controls.rate)


EFFECT = Effect("reverb", "Reverb", SETTINGS, _begin, _process, rings=_rings, rings_in=("lines", "spread", "before"), adds=True)
