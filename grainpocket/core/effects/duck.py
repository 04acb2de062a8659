"""Duck: turned down while another sound strikes, and back in after it.

The key, between two cuts, is followed by its peaks; over the threshold it counts as sounding, whatever its level, so that the
depth is the same for every stroke. The reduction goes to its depth with the attack, holds, and comes back in along a half cosine
in exactly the time that is set.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import Controls, Effect, State, gains
from grainpocket.core.effects.eq import BUTTERWORTH, _filter, _pass
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

LET_GO_DB = 12.0  # a key this far under the threshold has ended: between both it goes on as it was
FALL_S = 0.005  # time constant of the key's peaks
SETTINGS: tuple[Setting, ...] = (
    Parameter("depth", "Depth", "dB", 0.0, 60.0, 9.0, 0.5, 1, "How far it is turned down"),
    Parameter("threshold", "Threshold", "dB", -60.0, 0.0, -30.0, 1.0, 1, "Level of the key from which it counts"),
    Parameter("attack", "Attack", "ms", 0.1, 100.0, 2.0, 0.5, 1, "How soon it is down", "log"),
    Parameter("hold", "Hold", "ms", 0.0, 500.0, 20.0, 5.0, 0, "How long it stays down after the key has gone"),
    Parameter("release", "Back in", "ms", 5.0, 2000.0, 200.0, 10.0, 0, "How long it takes to come back", "log"),
    Parameter("above", "Key above", "Hz", 20.0, 10000.0, 20.0, 10.0, 0, "Only what the key has above this counts", "log"),
    Parameter("below", "Key below", "Hz", 40.0, 20000.0, 20000.0, 100.0, 0, "Only what the key has below this counts", "log"),
)


def _begin(rate: int, controls: Controls) -> State:
    # Of the follower: peak of the key, whether it sounds, samples since it ended, depth when it ended (share), depth now.
    return {"memory": np.zeros((2, 2, 2)), "follow": np.array([0.0, 0.0, 1e18, 0.0, 0.0])}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    if key is None:
        return block.copy()
    start, frames = state["at"], len(block)
    heard = key.astype(np.float64)
    limit = 0.49 * controls.rate
    q = np.full(len(controls.ticks("above", start, frames)), BUTTERWORTH[1][0])
    high = _pass("high_pass", controls.ticks("above", start, frames), q, controls.rate)
    low = _pass("low_pass", np.minimum(controls.ticks("below", start, frames), limit), q, controls.rate)
    _filter(heard, np.stack((high, low), axis=1), start % 64, state["memory"])
    level = np.abs(heard).max(axis=1)
    ms = controls.rate / 1000
    share = _shape(
        level, gains(controls.samples("threshold", start, frames)), 10 ** (-LET_GO_DB / 20), np.exp(-1 / (FALL_S * controls.rate)),
        controls.samples("attack", start, frames) * ms, controls.samples("hold", start, frames) * ms,
        controls.samples("release", start, frames) * ms, state["follow"],
    )  # fmt: skip
    gain = gains(-controls.samples("depth", start, frames) * share)
    return np.asarray(block * gain[:, None], np.float32)


@njit(cache=True, nogil=True)
def _shape(level, threshold, let_go, fall, attack, hold, release, memory):  # type: ignore[no-untyped-def]
    """(n,) how far down it is, 0 to 1."""
    out = np.empty_like(level)
    peak, sounds, since, ended, now = memory
    for i in range(len(level)):
        peak = max(level[i], peak * fall)
        if peak < 1e-12:
            peak = 0.0
        if peak >= threshold[i]:
            sounds = 1.0
        elif peak < threshold[i] * let_go and sounds > 0:
            sounds, since, ended = 0.0, 0.0, now
        if sounds > 0:
            # Straight in decibels, and there after the attack.
            now = min(1.0, now + 1.0 / max(1.0, attack[i]))
        else:
            since += 1.0
            back = (since - hold[i]) / release[i]
            now = ended if back <= 0 else (0.0 if back >= 1 else ended * 0.5 * (1 + np.cos(np.pi * back)))
        out[i] = now
    memory[0], memory[1], memory[2], memory[3], memory[4] = peak, sounds, min(since, 1e18), ended, now
    return out


EFFECT = Effect("duck", "Duck", SETTINGS, _begin, _process, keyed=True, turns_down=True)
