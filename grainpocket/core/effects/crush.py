"""Bits and rate: fewer steps in height and in time, as early samplers had. Its edges are what it is for."""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import TICK, Controls, Effect, State
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

SETTINGS: tuple[Setting, ...] = (
    Parameter("bits", "Bits", "bits", 1.0, 16.0, 10.0, 1.0, 1, "How many steps there are from top to bottom, as a power of two"),
    Parameter("rate", "Rate", "Hz", 500.0, 44100.0, 16000.0, 500.0, 0, "How often a second it is read", "log"),
)


def _begin(rate: int, controls: Controls) -> State:
    # What is held, by side; and how much of a step has passed.
    return {"held": np.zeros(2), "passed": np.ones(1)}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames = state["at"], len(block)
    steps = 2.0 ** (controls.ticks("bits", start, frames) - 1)
    share = np.minimum(controls.ticks("rate", start, frames) / controls.rate, 1.0)
    out = np.empty((frames, 2))
    _crush(np.asarray(block, np.float64), out, start % TICK, steps, share, state["held"], state["passed"])
    return out.astype(np.float32)


@njit(cache=True, nogil=True)
def _crush(x, out, offset, steps, share, held, passed):  # type: ignore[no-untyped-def]
    for i in range(x.shape[0]):
        tick = (offset + i) // TICK
        passed[0] += share[tick]
        if passed[0] >= 1.0:
            passed[0] -= np.floor(passed[0])
            for c in range(2):
                held[c] = np.round(x[i, c] * steps[tick]) / steps[tick]
        for c in range(2):
            out[i, c] = held[c]


EFFECT = Effect("crush", "Bits and rate", SETTINGS, _begin, _process)
