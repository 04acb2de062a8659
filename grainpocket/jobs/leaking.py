"""What a stem holds of another, moved there by hand: both stems written anew, the pocket's finds and pads as they were."""

from __future__ import annotations

from contextlib import ExitStack

import numpy as np
from pydantic import BaseModel, Field

from grainpocket.core.edits.base import Refusal
from grainpocket.core.edits.stems import SwapSounds
from grainpocket.core.pocket import RATE, Pocket, Source
from grainpocket.core.sound.audio import Samples, stereo
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.core.split.leaks import LeakMeter, Region, lifted, margin
from grainpocket.jobs.importing import Report
from grainpocket.store.audio import AudioStore

BLOCK = 1 << 18
LONGEST_S = 60


class MovedLeak(BaseModel):
    """region: in samples of the stem that it is taken out of; to: the stem that gets it, none to throw it away."""

    region: Region
    to: str | None = Field(default=None, max_length=40)


def family_of(pocket: Pocket, key: str) -> tuple[Source, int]:
    """A find and the sample of its record at which it begins. Raises Refusal when it is not there."""
    source = pocket.sources.get(key)
    if source is None:
        raise Refusal("That stem is no longer in the pocket.")
    return source, source.kin.offset if source.kin is not None else 0


def taken(audio: str, region: Region, store: AudioStore) -> tuple[int, Samples]:
    """(first sample, (n, channels)) of what a region lifts out of a stem. Raises Refusal for one outside or too long."""
    frames = store.frames(audio)
    if not region.start < region.end <= frames:
        raise Refusal("The region lies outside of the stem.")
    if region.end - region.start > LONGEST_S * RATE or region.high <= region.low:
        raise Refusal(f"A region lasts {LONGEST_S} s at most, and ends above where it begins.")
    first, last = max(0, region.start - margin(RATE)), min(frames, region.end + margin(RATE))
    return first, lifted(store.read(audio, first, last), RATE, first, region)


def move_leak(pocket: Pocket, key: str, asked: MovedLeak, store: AudioStore, report: Report) -> SwapSounds:
    """Write both stems anew and return the edit that swaps them in. Raises Refusal and Cancelled; then nothing of it is kept.

    What was heard in a stem is kept: a leak changes no tempo and no cut. How much leaks is told anew."""
    source, offset = family_of(pocket, key)
    first, moved = taken(source.audio, asked.region, store)
    changes = {source.id: (first, -moved)}
    if asked.to is not None:
        target, other = family_of(pocket, asked.to)
        if target.id == source.id:
            raise Refusal("A leak is moved from one stem to another.")
        if root_of(target) != root_of(source):
            raise Refusal("Both have to be stems of one record.")
        changes[target.id] = first + offset - other, moved
    # Its fellows: what was taken apart together.
    beside = [one for one in pocket.sources.values() if one.id in changes or _together(one, source)]
    meter = LeakMeter([one.id for one in beside], RATE) if all(_together(one, source) for one in beside) else None
    with ExitStack() as open_:
        made = {
            one.id: (open_.enter_context(store.writer(RATE, one.channels)), PeakBuilder(RATE))
            for one in beside
            if one.id in changes
        }
        frames = max(one.frames for one in beside)
        for start in range(0, frames, BLOCK):
            blocks = {one.id: _changed(one, start, min(one.frames, start + BLOCK), changes.get(one.id), store) for one in beside}
            for name, (writer, builder) in made.items():
                writer.write(blocks[name])
                builder.feed(blocks[name])
            if meter is not None:
                meter.feed({name: stereo(block) for name, block in blocks.items()})
            report(min(0.98, (start + BLOCK) / frames), "Moving")
        leaks = meter.finish() if meter is not None else {}
        names = {one.id: one.name.rpartition(", ")[2] for one in beside}
        sounds = []
        # Both or none: nothing ends it from here on.
        closed = {name: writer.close() for name, (writer, _) in made.items()}
        for name, (writer, builder) in made.items():
            was = pocket.sources[name].audio
            leak = leaks.get(name)
            told = leak.model_copy(update={"source": names.get(leak.source or "")}).model_dump_json() if leak else ""
            writer.keep(closed[name], builder.finish(), store.hearing(was), told)
            sounds.append((name, was, closed[name]))
    return SwapSounds(sounds=tuple(sounds))


def root_of(source: Source) -> str:
    return source.kin.root if source.kin is not None else source.id


def _together(one: Source, other: Source) -> bool:
    return one.kin is not None and one.kin.kind == "stem" and one.kin == other.kin and one.frames == other.frames


def _changed(stem: Source, start: int, end: int, change: tuple[int, Samples] | None, store: AudioStore) -> Samples:
    """(end - start, channels) of a stem to which (n, channels) is added at a sample; what of it lies outside is lost."""
    block = store.read(stem.audio, start, end)
    if change is None:
        return block
    at, added = change
    added = stereo(added) if stem.channels == 2 else added.mean(axis=1, keepdims=True)
    a, b = max(start, at), min(end, at + len(added))
    if b > a:
        block = block.copy()
        block[a - start : b - start] += added[a - at : b - at]
    return np.asarray(block, np.float32)
