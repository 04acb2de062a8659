"""Compressor: feed-forward, in decibels, with a soft knee and a key of its own.

After Giannoulis, Massberg & Reiss, "Digital dynamic range compressor design", JAES 60 (2012): level detector, gain computer with
a quadratic knee, then one-pole smoothing of the reduction with attack and release (branching, in the log domain). A time is the
time constant: 63 % of the way in dB.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import Controls, Effect, Row, State, decibels, gains
from grainpocket.core.setting import Choice, Parameter, Setting
from grainpocket.core.sound.audio import Samples

RMS_S = 0.010  # time constant of the mean square
FLOOR_DB = -120.0
SETTINGS: tuple[Setting, ...] = (
    Parameter("threshold", "Threshold", "dB", -60.0, 0.0, -18.0, 0.5, 1, "Level from which it turns down"),
    Parameter("ratio", "Ratio", ": 1", 1.0, 20.0, 4.0, 0.5, 1, "Decibels in for each decibel out, over the threshold", "log"),
    Parameter("knee", "Knee", "dB", 0.0, 24.0, 6.0, 1.0, 1, "How gently it begins round the threshold"),
    Parameter("attack", "Attack", "ms", 0.1, 200.0, 10.0, 1.0, 1, "How soon it turns down", "log"),
    Parameter("release", "Release", "ms", 5.0, 2000.0, 120.0, 10.0, 0, "How soon it lets go", "log"),
    Parameter("makeup", "Make-up", "dB", -12.0, 24.0, 0.0, 0.5, 1, "Level after it"),
    Choice("detector", "Detector", (("peak", "peaks"), ("rms", "loudness (RMS)")), "peak", "What counts as the level"),
)


def reduction_db(level_db: Row, threshold: Row, ratio: Row, knee: Row) -> Row:
    """(n,) dB that the gain computer takes away (zero or less) at levels: the transfer line."""
    over = level_db - threshold
    slope = 1 / ratio - 1
    soft = slope * (over + knee / 2) ** 2 / (2 * np.maximum(knee, 1e-9))
    return np.where(2 * over <= -knee, 0.0, np.where(2 * over >= knee, slope * over, soft))


def _begin(rate: int, controls: Controls) -> State:
    return {"smooth": np.zeros(1), "square": np.zeros(2)}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames = state["at"], len(block)
    heard = np.asarray(block if key is None else key, np.float64)
    if controls.settings["detector"] == "rms":
        pole = np.exp(-1 / (RMS_S * controls.rate))
        level = np.sqrt(_mean_square(heard, pole, state["square"]).max(axis=1))
    else:
        level = np.abs(heard).max(axis=1)
    wanted = reduction_db(
        np.maximum(decibels(level), FLOOR_DB),
        *(controls.samples(name, start, frames) for name in ("threshold", "ratio", "knee")),
    )
    poles = [np.exp(-1000 / (controls.samples(name, start, frames) * controls.rate)) for name in ("attack", "release")]
    smooth = follow(-wanted, poles[0], poles[1], state["smooth"])
    gain = gains(controls.samples("makeup", start, frames) - smooth)
    return np.asarray(block * gain[:, None], np.float32)


@njit(cache=True, nogil=True)
def follow(target, rising, falling, memory):  # type: ignore[no-untyped-def]
    """(n,) a one-pole follower of a target, with one pole while it rises and another while it falls. memory: (1,), kept."""
    out = np.empty_like(target)
    now = memory[0]
    for i in range(len(target)):
        pole = rising[i] if target[i] > now else falling[i]
        now = target[i] + pole * (now - target[i])
        if now < 1e-12:
            now = 0.0
        out[i] = now
    memory[0] = now
    return out


@njit(cache=True, nogil=True)
def _mean_square(x, pole, memory):  # type: ignore[no-untyped-def]
    out = np.empty_like(x)
    for i in range(x.shape[0]):
        for c in range(2):
            memory[c] = x[i, c] * x[i, c] * (1 - pole) + memory[c] * pole
            if memory[c] < 1e-24:
                memory[c] = 0.0
            out[i, c] = memory[c]
    return out


EFFECT = Effect("compressor", "Compressor", SETTINGS, _begin, _process, keyed=True, turns_down=True)
