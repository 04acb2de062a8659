"""Stereo width: the difference of both sides made larger or smaller, and left out in the low end.

Only the side signal is touched: the sum of both sides, which is what a mono speaker plays, stays what it was, to rounding.
"""

from __future__ import annotations

import numpy as np

from grainpocket.core.effects.base import TICK, Controls, Effect, State
from grainpocket.core.effects.eq import BUTTERWORTH, _filter, _pass
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

SETTINGS: tuple[Setting, ...] = (
    Parameter("width", "Width", "%", 0.0, 200.0, 100.0, 5.0, 0, "0 is mono, 100 as it was, more is wider"),
    Parameter("mono_below", "Mono below", "Hz", 20.0, 500.0, 20.0, 5.0, 0, "No width below this; at its least, all of it", "log"),
)
OFF_HZ = 20.0


def _begin(rate: int, controls: Controls) -> State:
    return {"memory": np.zeros((1, 2, 2))}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames = state["at"], len(block)
    both = block.astype(np.float64)
    middle, side = (both[:, 0] + both[:, 1]) / 2, (both[:, 0] - both[:, 1]) / 2
    hz = controls.ticks("mono_below", start, frames)
    if hz.max() > OFF_HZ:
        pair = np.stack((side, side), axis=1)
        coefficients = _pass("high_pass", hz, np.full(len(hz), BUTTERWORTH[1][0]), controls.rate)
        _filter(pair, coefficients[:, None], start % TICK, state["memory"])
        side = pair[:, 0]
    side = side * controls.samples("width", start, frames) / 100
    return np.stack((middle + side, middle - side), axis=1).astype(np.float32)


EFFECT = Effect("width", "Width", SETTINGS, _begin, _process)
