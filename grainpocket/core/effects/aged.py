"""Aged: the wow and flutter of a machine, the hiss of a tape, the crackle and dust of a record, the bandwidth of an era.

Wow and flutter are a delay that sways (J. Dattorro, "Effect design, part 2: delay-line modulation and chorus", JAES 45(10), 1997);
noise and crackle come out of the number of the sample, so that the same place always sounds the same. They go along with what is
heard and fall silent when nothing plays.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import TICK, Controls, Effect, Row, State
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

WOW_HZ, FLUTTER_HZ, SECOND_FLUTTER_HZ = 0.55, 6.3, 9.7
DEEP_S = 0.004  # of the wow at 100 %; the flutter is an eighth of it
LATENCY = 512
FOLLOW_S = 0.02  # the sway never jumps, not where a loop begins again either
SETTINGS: tuple[Setting, ...] = (
    Parameter("wow", "Wow", "%", 0.0, 100.0, 20.0, 1.0, 0, "How far the speed sways slowly"),
    Parameter("flutter", "Flutter", "%", 0.0, 100.0, 15.0, 1.0, 0, "How far it trembles"),
    Parameter("hiss", "Hiss", "%", 0.0, 100.0, 0.0, 1.0, 0, "Of the tape"),
    Parameter("crackle", "Crackle", "%", 0.0, 100.0, 0.0, 1.0, 0, "How often a record's scratches pass"),
    Parameter("dust", "Dust", "%", 0.0, 100.0, 0.0, 1.0, 0, "How much fine grit lies on it"),
    Parameter("low_cut", "Lows from", "Hz", 20.0, 1000.0, 60.0, 10.0, 0, "Nothing below, as speakers of the time had it", "log"),
    Parameter("high_cut", "Highs to", "Hz", 1000.0, 20000.0, 9000.0, 100.0, 0, "Nothing above", "log"),
)


def _begin(rate: int, controls: Controls) -> State:
    return {"past": np.zeros((2, 4096), np.float32), "sway": np.zeros(2), "filter": np.zeros((2, 4)), "tick": np.zeros(2)}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames, rate = state["at"], len(block), controls.rate

    def row(name: str) -> Row:
        return controls.ticks(name, start, frames)

    deep = DEEP_S * rate
    hiss = 0.05 * np.square(row("hiss") / 100)
    out = np.empty((frames, 2))
    poles = np.exp(-2 * np.pi * np.stack((row("low_cut"), np.minimum(row("high_cut"), 0.45 * rate))) / rate)
    follow = float(np.exp(-1 / (FOLLOW_S * rate)))
    _age(
        block, out, start, float(rate), row("wow") / 100 * deep, row("flutter") / 100 * deep / 8, hiss, row("crackle") / 100,
        row("dust") / 100, poles, follow, state["past"], state["sway"], state["filter"], state["tick"],
    )  # fmt: skip
    return out.astype(np.float32)


@njit(cache=True, nogil=True)
def _chance(n, salt):  # type: ignore[no-untyped-def]
    """0..1 out of a whole number (after the finaliser of MurmurHash3)."""
    h = np.uint64(n) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(salt) * np.uint64(0xBF58476D1CE4E5B9)
    h ^= h >> np.uint64(30)
    h *= np.uint64(0xBF58476D1CE4E5B9)
    h ^= h >> np.uint64(27)
    h *= np.uint64(0x94D049BB133111EB)
    h ^= h >> np.uint64(31)
    return float(h >> np.uint64(11)) / 9007199254740992.0


@njit(cache=True, nogil=True)
def _age(x, out, start, rate, wow, flutter, hiss, crackle, dust, poles, follow, past, sway, memory, click):  # type: ignore[no-untyped-def]
    ring = past.shape[1]
    for i in range(x.shape[0]):
        now = start + i
        tick = now // TICK - start // TICK
        t = now / rate
        wanted = wow[tick] * np.sin(2 * np.pi * WOW_HZ * t)
        wanted += flutter[tick] * (np.sin(2 * np.pi * FLUTTER_HZ * t) + 0.6 * np.sin(2 * np.pi * SECOND_FLUTTER_HZ * t))
        # Twice smoothed: neither the delay nor its speed jumps.
        sway[0] = wanted + (sway[0] - wanted) * follow
        sway[1] = sway[0] + (sway[1] - sway[0]) * follow
        late = LATENCY + min(max(sway[1], -LATENCY + 2.0), ring - LATENCY - 4.0)
        whole = int(late)
        share = late - whole
        scratch = _chance(now, 3) < crackle[tick] * 12.0 / rate
        for c in range(2):
            past[c, now % ring] = x[i, c]
            y = past[c, (now - whole) % ring] * (1 - share) + past[c, (now - whole - 1) % ring] * share
            if hiss[tick] > 0:
                y += hiss[tick] * (2 * _chance(now, 10 + c) - 1)
            if dust[tick] > 0 and _chance(now, 20 + c) < dust[tick] * 180.0 / rate:
                y += 0.02 * (2 * _chance(now, 30 + c) - 1)
            if scratch:
                click[c] += 0.25 * (2 * _chance(now, 40 + c) - 1)
            y += click[c]
            click[c] *= -0.82
            if abs(click[c]) < 1e-7:
                click[c] = 0.0
            # Two poles on either side.
            for k in range(2):
                memory[c, k] = y * (1 - poles[1, tick]) + memory[c, k] * poles[1, tick]
                y = memory[c, k]
            for k in range(2, 4):
                memory[c, k] = y * (1 - poles[0, tick]) + memory[c, k] * poles[0, tick]
                y = y - memory[c, k]
            for k in range(4):
                if abs(memory[c, k]) < 1e-20:
                    memory[c, k] = 0.0
            out[i, c] = y


def _rings(controls: Controls) -> int:
    return 2 * LATENCY


EFFECT = Effect("aged", "Aged", SETTINGS, _begin, _process, rings=_rings, latency=LATENCY, rings_in=("past",))
