"""How a chop lies in the chords of a pattern, bar by bar, and by how many semitones it would lie better."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import chroma
from grainpocket.core.notes import chord_name
from grainpocket.core.pocket import Hit, Pattern, Pocket
from grainpocket.core.rhythm.melody import classes_of, scale_of, sounding
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.shape.timing import span
from grainpocket.core.shape.voice import Stroke, spec_of
from grainpocket.core.sound.audio import Samples

# A note of the key beside the chord is heard as a passing one; what is in neither, as wrong.
PASSING, WRONG = 0.35, 1.0
# A shift has to be worth it: so much better for each semitone.
WORTH = 0.015
SHORTEST_S = 0.12
RANGE = 6
Row = NDArray[np.float64]
Read = Callable[[str, int, int], Samples]


@dataclass(frozen=True)
class BarFit:
    """bar: from 0; hits: those that sound in it; chord: the one that holds; fit: 0..1, how much of what sounds lies in it; shift:
    semitones that fit best, 0 where it is well; shifted: how much would then."""

    bar: int
    hits: tuple[str, ...]
    chord: str
    fit: float
    shift: int
    shifted: float


def chord_fits(pocket: Pocket, pattern: Pattern, pad: int, read: Read) -> list[BarFit]:
    """The bars in which a pad sounds, each against its chords. read: an audio between two samples, (n, channels)."""
    time = Timeline(pocket.tempo, pocket.rate)
    hits = sorted((hit for hit in pattern.hits if hit.pad == pad and hit.beat < pattern.beats), key=lambda hit: hit.beat)
    per_bar = float(pattern.beats_per_bar)
    out: list[BarFit] = []
    for bar in range(pattern.bars):
        notes, mine, right = np.zeros(12), [], np.zeros(12)
        first, last = bar * per_bar, (bar + 1) * per_bar
        for number, hit in enumerate(hits):
            until = hits[number + 1].beat if number + 1 < len(hits) else float(pattern.beats)
            begin, end = max(first, hit.beat), min(last, until)
            heard = _notes(pocket, hit, time, begin - hit.beat, end - hit.beat, read) if end > begin else None
            if heard is None:
                continue
            mine.append(hit.id)
            notes += heard
            chord = sounding(pattern.chords, begin) or sounding(pattern.chords, end - 0.01)
            if chord is not None:
                right[list(classes_of(chord))] = 1.0
        at_bar = sounding(pattern.chords, first) or sounding(pattern.chords, last - 0.01)
        if not mine or not notes.sum() or at_bar is None:
            continue
        shift, now, then = best_shift(notes / notes.sum(), right, pocket)
        out.append(BarFit(bar, tuple(mine), chord_name(at_bar.tonic, at_bar.kind), now, shift, then))
    return out


def best_shift(notes: Row, right: Row, pocket: Pocket) -> tuple[int, float, float]:
    """(semitones, how well it lies as it is, and moved). notes: (12,) how much of each pitch class sounds, sum 1; right: (12,) 1
    where a tone of the chord is."""
    cost = np.where(right > 0, 0.0, WRONG)
    if pocket.key is not None:
        passing = list(scale_of(pocket.key))
        cost[passing] = np.minimum(cost[passing], PASSING)
    costs = {by: float(np.dot(np.roll(notes, by), cost)) for by in range(-RANGE, RANGE + 1)}
    best = min(costs, key=lambda by: (costs[by] + WORTH * abs(by), abs(by)))
    return best, round(1 - costs[0], 3), round(1 - costs[best], 3)


def _notes(pocket: Pocket, hit: Hit, time: Timeline, begin: float, end: float, read: Read) -> Row | None:
    """(12,) how much of each pitch class sounds of a hit between two beats after it; None: nothing, or too little."""
    pad = pocket.pads.get(hit.pad)
    if pad is None:
        return None
    spec = spec_of(pocket, pad, Stroke(hit.take, hit.note, dict(hit.own)))
    first, last = span(spec)
    # As fast as the voice goes through its chop.
    speed = (last - first) / max(1, spec.length)
    start = first + round(time.frame(begin) * speed)
    stop = min(last, first + round(time.frame(end) * speed))
    if stop - start < SHORTEST_S * pocket.rate:
        return None
    sound = read(spec.audio, start, stop)
    mono = np.asarray(sound.mean(axis=1) if sound.ndim > 1 else sound, np.float32)
    seen = chroma(mono, pocket.rate)
    notes = np.asarray(np.maximum(0.0, seen.treble).sum(axis=0) + 0.5 * np.maximum(0.0, seen.bass).sum(axis=0), np.float64)
    if not notes.sum():
        return None
    # Its pitch moves with what the hit and the pad do to it, in whole notes.
    moved = hit.note + round(float(dict(hit.own).get("pitch", pad.sound.pitch)))
    return np.asarray(np.roll(notes / notes.sum(), moved), np.float64)
