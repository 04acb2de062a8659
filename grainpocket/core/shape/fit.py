"""A stretch of a find made to fit the pocket's tempo and key, to be heard before it is used.

Time and pitch are changed apart from each other as in a pad (see core/shape/stretching).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from grainpocket.core.listen.harmony.chords import Key as FoundKey
from grainpocket.core.pocket import Pocket, Source
from grainpocket.core.shape.stretching import stretched
from grainpocket.core.sound.audio import Samples

# A record whose key is less sure than this is left at its pitch.
SURE, SLOWEST, FASTEST = 0.3, 0.25, 4.0
_RELATIVE = {"major": 0, "minor": 3}


@dataclass(frozen=True)
class Fit:
    """speed: times as fast; semitones: up, cents and all. Both are None where pocket or find have no tempo or no key."""

    speed: float | None
    semitones: float | None

    @property
    def nothing(self) -> bool:
        return (self.speed or 1.0) == 1.0 and not self.semitones


def fit_of(source: Source, keys: Sequence[FoundKey], cents: float | None, pocket: Pocket, tempo: bool, key: bool) -> Fit:
    """What has to be done to a find. A tempo that is nearer at half or double the pocket's goes with that; keys are matched
    to the relative one where one is major and the other minor; the record's tuning is put right on the way."""
    speed: float | None = None
    if tempo and source.grid is not None:
        choices = [pocket.tempo * octave / source.grid.bpm for octave in (0.5, 1.0, 2.0)]
        speed = float(np.clip(min(choices, key=lambda s: abs(np.log(s))), SLOWEST, FASTEST))
    semitones: float | None = None
    own = source.key or (keys[0] if keys and keys[0].likely >= SURE else None)
    if key and pocket.key is not None and own is not None:
        here = own.tonic + _RELATIVE[own.mode]
        there = pocket.key.tonic + _RELATIVE[pocket.key.mode]
        steps = (there - here + 5) % 12 - 5
        semitones = round(steps - (cents or 0.0) / 100, 2)
    return Fit(speed, semitones)


def fitted(sound: Samples, rate: int, fit: Fit) -> Samples:
    """(m, channels) float32 of (n, channels): m is n over the speed, to the sample."""
    if fit.nothing:
        return sound
    return stretched(sound, rate, max(1, round(len(sound) / (fit.speed or 1.0))), fit.semitones or 0.0, (), "tone")
