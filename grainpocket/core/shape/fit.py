"""A stretch of a find made to fit the pocket's tempo and key, to be heard before it is used.

Time and pitch are changed apart from each other by a phase-locked spectral stretcher (the Signalsmith library; its method:
Laroche & Dolson, "Improved phase vocoder time-scale modification of audio", IEEE SAP 7, 1999, with frequency mapping).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from grainpocket.core.listen.harmony.chords import Key as FoundKey
from grainpocket.core.pocket import Pocket, Source
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
    from python_stretch import Signalsmith

    speed = fit.speed or 1.0
    count = max(1, round(len(sound) / speed))
    if fit.nothing:
        return sound
    stretch = Signalsmith.Stretch()
    stretch.preset(sound.shape[1], rate)
    stretch.setTransposeSemitones(fit.semitones or 0.0)
    stretch.timeFactor = speed
    out = np.asarray(stretch.process(np.ascontiguousarray(sound.T)), np.float32).T
    return np.ascontiguousarray(np.pad(out, ((0, max(0, count - len(out))), (0, 0)))[:count])
