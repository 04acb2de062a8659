"""Beats to samples: tempo, bars and swing."""

from __future__ import annotations

from dataclasses import dataclass

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

    def beat(self, frame: int) -> float:
        return frame * self.bpm / (60.0 * self.rate)


def swung(beat: float, swing: float) -> float:
    """Where a hit written at `beat` is played. swing: the share, in percent, that the first of two sixteenths takes.

    Only hits on the grid's off sixteenths move; what stands off the grid was played that way and stays.
    """
    if swing == 50.0:
        return beat
    step = beat * STEPS_PER_BEAT
    nearest = round(step)
    if abs(step - nearest) > _ON_GRID or nearest % 2 == 0:
        return beat
    return (nearest - 1 + 2.0 * swing / 100.0) / STEPS_PER_BEAT
