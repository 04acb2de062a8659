"""What is known of slices, kept by the sound they are of: looking at one takes milliseconds, and many are asked for again."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import numpy as np

from grainpocket.core.chop.facts import Tone, cleanness, clear_pitch, tone
from grainpocket.core.chop.kin import slices
from grainpocket.core.kept import Kept
from grainpocket.core.listen.harmony.pitch import Pitch
from grainpocket.core.pocket import RATE, Chop, Pocket, Source
from grainpocket.core.sound.audio import Samples
from grainpocket.store.audio import AudioStore

_MOST = 20_000
_LOOKED_AT = 2 * RATE


Stretch = tuple[str, int, int]
T = TypeVar("T")


class FactKeeper:
    """Positions outside an audio are silence."""

    def __init__(self, audio: AudioStore) -> None:
        self._audio = audio
        self._tones: Kept[Stretch, Tone] = Kept(_MOST)
        self._pitches: Kept[Stretch, Pitch | None] = Kept(_MOST)

    def tone(self, audio: str, start: int, end: int) -> Tone:
        return self._tones.made((audio, start, end), lambda: self._looked_at(tone, audio, start, end))

    def pitch(self, audio: str, start: int, end: int) -> Pitch | None:
        return self._pitches.made((audio, start, end), lambda: self._looked_at(clear_pitch, audio, start, end))

    def known_pitch(self, audio: str, start: int, end: int) -> Pitch | None:
        """Its pitch if that was asked for before: it takes longer than all else."""
        return self._pitches.get((audio, start, end))

    def _looked_at(self, look: Callable[[Samples, int], T], audio: str, start: int, end: int) -> T:
        return look(self._audio.read(audio, start, min(end, start + _LOOKED_AT)), RATE)

    def clean(self, audio: str, at: int) -> float | None:
        return cleanness(self._audio.hearing(audio), at)


def all_slices(pocket: Pocket) -> list[tuple[Source, Chop]]:
    """The slices of every find; of kin those of the root alone, for they are the same places."""
    out: list[tuple[Source, Chop]] = []
    for source in pocket.sources.values():
        if source.kin is None or source.kin.root not in pocket.sources:
            out += [(source, chop) for chop in slices(pocket, source)]
    return out


def prints(keeper: FactKeeper, chops: list[tuple[Source, Chop]]) -> np.ndarray:
    """(k, PRINT) of slices."""
    return np.array([keeper.tone(source.audio, chop.start, chop.end).print for source, chop in chops], np.float32)
