"""The rhythm a record already has, as hits."""

from __future__ import annotations

from collections.abc import Sequence

from grainpocket.core.pocket import Chop, Hit
from grainpocket.core.rhythm.timing import Timeline

STRAIGHT = 0.25  # beats between the lines that a rhythm without its micro-timing lies on
# How far apart, in dB, the hardest and the softest stroke that is measured are (Onsets.hard).
HARD_RANGE_DB = 36.0


def original_hits(
    chops: Sequence[tuple[int, int, Chop]], bpm: float, start: int, beats: float, rate: int, straight: bool = False
) -> tuple[Hit, ...]:
    """One hit a chop, where the record has it; straight: on the nearest sixteenth.

    chops: (pad, take, chop) in order; start: the sample that becomes beat 0; beats: length of the pattern. Velocity is full:
    the loudness of the playing is in the chops themselves.
    """
    time = Timeline(bpm, rate)
    hits: dict[tuple[int, float], Hit] = {}
    for pad, take, chop in chops:
        beat = time.beat(chop.start - start)
        if straight:
            beat = round(beat / STRAIGHT) * STRAIGHT
        if 0 <= beat < beats:
            hits[(pad, beat)] = Hit(pad=pad, beat=beat, velocity=127, length=time.beat(chop.end - chop.start), take=take)
    return tuple(sorted(hits.values(), key=lambda h: (h.beat, h.pad)))


def struck_as(
    pad: int, places: Sequence[tuple[int, float]], bpm: float, start: int, beats: float, rate: int, least: int, straight: bool
) -> list[Hit]:
    """What a record strikes, on a pad of another sound. places: (sample, how hard, 0..1 over HARD_RANGE_DB) of its strokes; the
    hardest has velocity 127, and the others as much less as they are softer (core/rhythm/schedule.velocity_gain); least: what is
    softer than this velocity is left out."""
    time = Timeline(bpm, rate)
    hardest = max((hard for _, hard in places), default=1.0)
    out: dict[float, Hit] = {}
    for place, hard in places:
        beat = time.beat(place - start)
        if straight:
            beat = round(beat / STRAIGHT) * STRAIGHT
        velocity = round(127 * 10 ** ((hard - hardest) * HARD_RANGE_DB / 40))
        if -1e-9 <= beat < beats and velocity >= max(1, least):
            known = out.get(beat)
            if known is None or known.velocity < velocity:
                out[beat] = Hit(pad=pad, beat=max(0.0, beat), velocity=velocity, length=STRAIGHT)
    return list(out.values())
