"""The rhythm a record already has, as hits."""

from __future__ import annotations

from collections.abc import Sequence

from grainpocket.core.pocket import Chop, Hit
from grainpocket.core.rhythm.timing import Timeline


def original_hits(chops: Sequence[tuple[int, int, Chop]], bpm: float, start: int, beats: float, rate: int) -> tuple[Hit, ...]:
    """One hit a chop, where the record has it.

    chops: (pad, take, chop) in order; start: the sample that becomes beat 0; beats: length of the pattern. Velocity is full:
    the loudness of the playing is in the chops themselves.
    """
    time = Timeline(bpm, rate)
    hits: dict[tuple[int, float], Hit] = {}
    for pad, take, chop in chops:
        beat = time.beat(chop.start - start)
        if 0 <= beat < beats:
            hits[(pad, beat)] = Hit(pad=pad, beat=beat, velocity=127, length=time.beat(chop.end - chop.start), take=take)
    return tuple(sorted(hits.values(), key=lambda h: (h.beat, h.pad)))
