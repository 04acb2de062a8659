"""Beats to samples: tempo, bars and swing."""

from __future__ import annotations

from collections.abc import Sequence
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


def swung(beats: NDArray[np.float64], swing: float, step: float = 1 / STEPS_PER_BEAT) -> NDArray[np.float64]:
    """(n,) beats at which hits written at `beats` (n,) are played. swing: the share, in percent, that the first of two steps
    takes; step: in beats.

    Only hits on the grid's off steps move; what stands off the grid was played that way and stays. Of 8ths that swing, the 16th
    between goes half of their way: it lies in the middle of what is left to it.
    """
    if swing == 50.0:
        return beats
    place = beats / step
    nearest = np.rint(2 * place) / 2
    late = 2.0 * swing / 100.0 - 1.0
    on = np.abs(place - nearest) <= _ON_GRID
    off = on & (nearest % 2 == 1)
    out = np.where(off, (nearest + late) * step, beats)
    if step > 1 / STEPS_PER_BEAT:
        between = on & (nearest % 1 == 0.5)
        out = np.where(between, (nearest + late / 2) * step, out)
    return out


NEAR_TAP = 0.25  # share of the usual gap by which another may differ and still be one beat


def tapped_tempo(at: Sequence[float]) -> float | None:
    """Beats a minute of taps at so many seconds; None when they make none. The mean of the gaps that are near the median: a tap
    that was missed or came twice changes nothing."""
    gaps = np.diff(np.sort(np.asarray(at, np.float64)))
    gaps = gaps[gaps > 0]
    if not len(gaps):
        return None
    near = gaps[np.abs(gaps / np.median(gaps) - 1) < NEAR_TAP]
    return float(60.0 / near.mean()) if len(near) else None
