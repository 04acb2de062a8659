"""A stretch of a find as whole bars of its own tempo, and the pattern that plays it again."""

from __future__ import annotations

import math
from dataclasses import dataclass

from grainpocket.core.chop.kin import slices
from grainpocket.core.edits.base import Refusal, new_ids
from grainpocket.core.edits.hitting import with_ids
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_BARS, Chop, Hit, Pattern, Played, Pocket, Source
from grainpocket.core.rhythm.timing import Timeline


@dataclass(frozen=True)
class Bars:
    """start, end: samples of the source; chops: the slices that begin there."""

    start: int
    end: int
    bars: int
    beats_per_bar: int
    bpm: float
    chops: list[Chop]

    @property
    def beats(self) -> int:
        return self.bars * self.beats_per_bar


def whole_bars(pocket: Pocket, source: Source, start: int | None, end: int | None, bars: int | None = None) -> Bars:
    """The bars of a stretch, to the nearest from its start; all there are when nothing is said. Raises Refusal."""
    grid = source.grid
    if grid is None:
        raise Refusal(f"{source.name} has no tempo yet. Set one in Listen, or say how many bars it lasts.")
    bar = grid.beats_per_bar * 60.0 / grid.bpm * pocket.rate
    first = start if start is not None else (0 if grid.bars else grid.bar_one)
    there = max(1, math.ceil((source.frames - first) / bar - 0.02))
    wanted = None if end is None else max(1, round((end - first) / bar))
    count = bars or wanted or grid.bars or there
    if count > MOST_BARS:
        raise Refusal(f"{source.name} lasts {count} bars; a pattern holds {MOST_BARS}. Select some bars first.")
    last = first + count * bar
    chops = [c for c in slices(pocket, source) if first <= c.start < last]
    if not chops:
        raise Refusal("There are no slices here. Raise the sensitivity or add cuts.")
    bpm = _own_tempo(count * grid.beats_per_bar, source.frames - first, grid.bpm, pocket.rate)
    return Bars(first, round(last), count, grid.beats_per_bar, bpm, chops)


def as_played(pocket: Pocket, source: Source, span: Bars, hits: tuple[Hit, ...], name: str, take_tempo: bool) -> Pocket:
    """The pocket with a new pattern of those bars; take_tempo: the pocket's tempo becomes theirs, see with_tempo."""
    pocket, (key,) = new_ids(pocket, "p", 1)
    pocket, hits = with_ids(pocket, hits)
    played = Played(source=source.id, start=span.start, end=span.end, bpm=span.bpm)
    pattern = Pattern(id=key, name=name, bars=span.bars, beats_per_bar=span.beats_per_bar, hits=hits, played=played)
    return with_tempo(pocket, span.bpm, take_tempo).with_pattern(pattern)


def with_tempo(pocket: Pocket, bpm: float, take: bool) -> Pocket:
    """The pocket at the tempo of what is laid out in it, where nothing stands yet that plays at another: other patterns never
    change their tempo by it. Raises Refusal when a pocket cannot play that."""
    if not take or any(pattern.hits for pattern in pocket.patterns.values()):
        return pocket
    plays = of("pocket", "tempo")
    if not plays.low <= bpm <= plays.high:
        remedy = "Half" if bpm > plays.high else "Double"
        raise Refusal(f"That is {bpm:.4g} BPM; a pocket plays {plays.low:g} to {plays.high:g}. Press {remedy} in Listen first.")
    return pocket.model_copy(update={"tempo": bpm})


def _own_tempo(beats: int, frames: int, bpm: float, rate: int) -> float:
    """The grid's own tempo, kept exact where the loop is exactly these beats long."""
    exact = beats * 60.0 * rate / frames
    return exact if Timeline(bpm, rate).frame(beats) == frames else bpm
