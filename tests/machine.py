"""A drum machine: each drum the same sound every time, at its own loudness."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.onsets.classifier import ROLES
from tests.signals import DRUMS, RATE

NAMES = ("kick", "snare", "hat")
# (seconds, drum, gain)
Hit = tuple[float, str, float]


def tape(hits: list[Hit], rate: int = RATE, apart_s: float = 0.0) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """(samples, places of the onsets); hits no more than `apart_s` after another are of the same onset."""
    sounds = {name: DRUMS[name](np.random.default_rng(i)) for i, name in enumerate(NAMES)}
    out = 1e-5 * np.random.default_rng(9).standard_normal(int((hits[-1][0] + 1) * rate))
    for at, name, gain in hits:
        first = round(at * rate)
        out[first : first + len(sounds[name])] += gain * sounds[name]
    times: list[float] = []
    for at in sorted({t for t, _, _ in hits}):
        if not times or at - times[-1] > apart_s:
            times.append(at)
    return out.astype(np.float32), np.round(np.array(times) * rate).astype(np.int64)


def roles_of(*names: str) -> NDArray[np.float32]:
    """(k, 6): every onset surely what it is named, and nothing else."""
    out = np.full((len(names), len(ROLES)), 0.02, np.float32)
    for row, name in zip(out, names, strict=True):
        row[ROLES.index(name)] = 0.95
    return out
