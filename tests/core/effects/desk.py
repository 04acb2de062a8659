"""What tests of effects do again and again: settings, a run in blocks, levels."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls, Curve, run, start_state
from grainpocket.core.params import Value
from grainpocket.core.sound.audio import Samples
from tests.signals import RATE

BEAT = 20000.0


def controls(kind: str, curves: dict[str, Curve] | None = None, **settings: Value) -> Controls:
    return Controls({**EFFECTS[kind].defaults(), **settings}, RATE, BEAT, curves or {})


def through(
    kind: str, sound: Samples, how: Controls | None = None, splits: Sequence[int] = (), key: Samples | None = None
) -> Samples:
    """All of a sound through an effect, in blocks that end at the splits."""
    effect = EFFECTS[kind]
    how = how or controls(kind)
    state = start_state(effect, RATE, how)
    edges = [0, *splits, len(sound)]
    out = [run(effect, sound[a:b], how, state, None if key is None else key[a:b]) for a, b in itertools.pairwise(edges)]
    return np.concatenate(out)


def both(x: NDArray[np.floating]) -> Samples:
    return np.repeat(np.asarray(x, np.float32)[:, None], 2, axis=1)


def sine(hz: float, seconds: float = 1.0, level: float = 0.5) -> Samples:
    return both(level * np.sin(2 * np.pi * hz * np.arange(int(seconds * RATE)) / RATE))


def db(x: NDArray[np.floating]) -> float:
    return float(10 * np.log10(np.mean(np.square(x, dtype=np.float64)) + 1e-20))
