"""Beats to samples: tempo, bars and swing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

STEPS_PER_BEAT = 4
_ON_GRID = 1e-9


@dataclass(frozen=True)
class Timeline:
    """Quarter notes at `bpm` on a clock of `rate` samples a second."""

    bpm: float
    rate: int

    def frame(self, beat: float) -> int:
        """The sample nearest to a beat position."""
        return int(round(beat * 60.0 / self.bpm * self.rate))

    def frames(self, beats: NDArray[np.float64]) -> NDArray[np.int64]:
        """The samples nearest to beat positions, (n,)."""
        return np.rint(beats * 60.0 / self.bpm * self.rate).astype(np.int64)

    def beat(self, frame: int) -> float:
        return frame * self.bpm / (60.0 * self.rate)


def swung(beats: NDArray[np.float64], swing: float) -> NDArray[np.float64]:
    """Where hits written at `beats` are played. swing: the share, in percent, that the first of two sixteenths takes.

    Only hits on the grid's off sixteenths move; what stands off the grid was played that way and stays.
    """
    if swing == 50.0:
        return beats
    step = beats * STEPS_PER_BEAT
    nearest = np.rint(step)
    off = (np.abs(step - nearest) <= _ON_GRID) & (nearest % 2 == 1)
    return np.where(off, (nearest - 1 + 2.0 * swing / 100.0) / STEPS_PER_BEAT, beats)
