"""Attack and sustain apart, at any level: what rises is told from what falls by two pairs of followers.

The louder a quick follower stands over a slow one, the more of an attack it is; the louder a slowly falling one stands over a
quickly falling one, the more of a tail (after
Walsh, Stein & Jot, "Adaptive dynamics enhancement", AES 130, 2011). Loudness cancels out, so there is no threshold.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import Controls, Effect, Row, State, gains
from grainpocket.core.setting import Parameter, Setting
from grainpocket.core.sound.audio import Samples

QUICK_S, SLOW_S, FALL_S, LONG_FALL_S = 0.001, 0.030, 0.060, 0.600
FULL_DB = 12.0  # a difference of this much counts in full
SETTINGS: tuple[Setting, ...] = (
    Parameter("attack", "Attack", "dB", -18.0, 18.0, 0.0, 0.5, 1, "How much attacks are raised or taken back"),
    Parameter("sustain", "Sustain", "dB", -18.0, 18.0, 0.0, 0.5, 1, "How much what follows them is"),
    Parameter("output", "Output", "dB", -18.0, 18.0, 0.0, 0.5, 1, "Level after it"),
)


def _begin(rate: int, controls: Controls) -> State:
    return {"followers": np.zeros(4)}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames, rate = state["at"], len(block), controls.rate
    loud = np.abs(block).max(axis=1).astype(np.float64)
    speeds = np.exp(-1 / (np.array([QUICK_S, SLOW_S, FALL_S, LONG_FALL_S]) * rate))
    rises, falls = np.empty(frames), np.empty(frames)
    _follow(loud, rises, falls, speeds, state["followers"])
    db = controls.samples("attack", start, frames) * _part(rises) + controls.samples("sustain", start, frames) * _part(falls)
    return np.asarray(block * gains(db + controls.samples("output", start, frames))[:, None], np.float32)


def _part(difference_db: Row) -> Row:
    return np.asarray(np.clip(difference_db / FULL_DB, 0.0, 1.0))


@njit(cache=True, nogil=True)
def _follow(loud, rises, falls, speeds, f):  # type: ignore[no-untyped-def]
    quick, slow, fall, long_fall = speeds[0], speeds[1], speeds[2], speeds[3]
    floor = 1e-5
    for i in range(len(loud)):
        x = loud[i]
        # Up quickly and up slowly, both down alike; and both up quickly, down quickly and slowly.
        f[0] = x + (f[0] - x) * (quick if x > f[0] else fall)
        f[1] = x + (f[1] - x) * (slow if x > f[1] else fall)
        f[2] = x + (f[2] - x) * (quick if x > f[2] else fall)
        f[3] = x + (f[3] - x) * (quick if x > f[3] else long_fall)
        for k in range(4):
            if f[k] < 1e-20:
                f[k] = 0.0
        rises[i] = 20 * np.log10((f[0] + floor) / (f[1] + floor))
        falls[i] = 20 * np.log10((f[3] + floor) / (f[2] + floor))


EFFECT = Effect("transient", "Attack and sustain", SETTINGS, _begin, _process)
