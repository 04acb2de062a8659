"""Moving a place to where it is good to cut: the start of an attack, the quietest point, a line of the grid."""

from __future__ import annotations

from functools import cached_property
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.hearing import Hearing
from grainpocket.core.listen.tempo.grids import beat_of, place_of
from grainpocket.core.pocket import Snap, Source
from grainpocket.core.sound.audio import Samples

# An attack this near draws a cut to it; the quietest point is looked for this near.
ATTACK_REACH_S, QUIET_REACH_S = 0.04, 0.002
LEAST_STRENGTH = 0.3


class Reading(Protocol):
    def read(self, audio: str, start: int, end: int) -> Samples:
        """(end - start, channels) float32."""


class Snapper:
    """Snaps places of one source."""

    def __init__(self, hearing: Hearing, source: Source, rate: int, library: Reading) -> None:
        self._hearing, self._source, self._rate, self._library = hearing, source, rate, library

    def snap(self, at: int, how: Snap, step: float = 1.0) -> int:
        """The place to cut at instead of sample `at`; step: of the grid, in beats. Where there is nothing to snap to, `at`.
        Always a sample of the source."""
        at = min(max(at, 0), self._source.frames - 1)
        if how == "attack":
            return self.attack(at, ATTACK_REACH_S)
        if how == "quiet":
            return self.quietest(at)
        if how == "grid" and self._source.grid is not None:
            grid = self._source.grid
            line = np.round(beat_of(grid, self._rate, np.array([float(at)])) / step) * step
            return int(np.clip(round(float(place_of(grid, self._rate, line)[0])), 0, self._source.frames - 1))
        return at

    @cached_property
    def _attacks(self) -> NDArray[np.int64]:
        return self._hearing.onsets.above(LEAST_STRENGTH)

    def attack(self, at: int, reach_s: float) -> int:
        """The start of the nearest attack within reach, or `at`."""
        if not len(self._attacks):
            return at
        near = int(self._attacks[np.abs(self._attacks - at).argmin()])
        return near if abs(near - at) <= reach_s * self._rate else at

    def beside(self, at: int, way: Literal[-1, 1]) -> int:
        """The start of the attack before (-1) or after (1) a place, or `at` when there is none."""
        beyond = self._attacks[self._attacks > at + 1] if way > 0 else self._attacks[self._attacks < at - 1]
        return at if not len(beyond) else int(beyond[0] if way > 0 else beyond[-1])

    def quietest(self, at: int) -> int:
        """Where |L| + |R| is least within reach, but never behind an attack's start."""
        reach = round(QUIET_REACH_S * self._rate)
        low, high = max(0, at - reach), min(self._source.frames - 1, at + reach)
        attacks = self._attacks[(self._attacks >= at) & (self._attacks <= high)]
        if len(attacks):
            high = int(attacks[0])
        size = np.abs(self._library.read(self._source.audio, low, high + 1)).sum(axis=1)
        # Of several equally quiet ones, the nearest.
        best = np.flatnonzero(size <= size.min() + 1e-9) + low
        return int(best[np.abs(best - at).argmin()])
