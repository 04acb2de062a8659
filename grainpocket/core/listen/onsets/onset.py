"""Onsets: where sounds begin, how likely, how hard, and which drums."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.onsets.classifier import ROLES

REAL = 0.5  # from this likelihood on something begins
AHEAD_S = 0.0023  # the look at an attack begins this far ahead of it


@dataclass(frozen=True)
class Onsets:
    """at: (k,) int64 samples at which to cut, rising; attack: (k,) at which what begins is seen to begin; likely: (k,)
    float32, probability that each is real; rate: samples a second; roles: (k, 6) float32, how likely each of ROLES begins
    there; hard: (k,) float32, how loud each is beside the loudest, 1 and 36 dB less 0."""

    at: NDArray[np.int64]
    likely: NDArray[np.float32]
    rate: int
    roles: NDArray[np.float32]
    hard: NDArray[np.float32]
    attack: NDArray[np.int64]

    @property
    def looks(self) -> NDArray[np.int64]:
        """(k,) samples from which on it is looked at what begins."""
        return np.maximum(self.attack - int(self.rate * AHEAD_S), 0)

    @property
    def strength(self) -> NDArray[np.float32]:
        """(k,) 0..1: below a half it is doubtful that anything begins; above, how hard it is hit."""
        return np.where(self.likely < REAL, self.likely, np.float32(REAL) + np.float32(1 - REAL) * self.hard)

    @property
    def seconds(self) -> NDArray[np.float64]:
        return self.at / self.rate

    def above(self, threshold: float) -> NDArray[np.int64]:
        return self.at[self.strength >= threshold]

    def only(self, keep: NDArray[np.bool_]) -> Onsets:
        return Onsets(self.at[keep], self.likely[keep], self.rate, self.roles[keep], self.hard[keep], self.attack[keep])


def nothing(rate: int) -> Onsets:
    """No onsets at all, at a rate in Hz."""
    none = np.zeros(0, np.float32)
    return Onsets(np.zeros(0, np.int64), none, rate, np.zeros((0, len(ROLES)), np.float32), none, np.zeros(0, np.int64))
